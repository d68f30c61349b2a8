"""What stands where on the skyline: the marks of findings, and where shots meet."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.rules.finding import Finding
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, edges

TOLD_APART = 6  # pixels that two things are apart at the least, to be told apart


@dataclass(frozen=True, eq=False)
class Marks:
    """Where findings are marked; those of one shot stand side by side, (N,) each.

    ``middles``: the frame in the middle of each; ``places``: how many places from the middle of its shot's it stands; ``room``:
    for how many frames of the shot there is one; ``ranks``: the gravest have 0.
    """

    findings: list[Finding]
    middles: NDArray[np.float64]
    places: NDArray[np.float64]
    room: NDArray[np.float64]
    ranks: NDArray[np.int64]

    def at_places(self, xs: NDArray[np.float64], left: float, right: float) -> list[int]:
        """The numbers of those that are drawn between two places: of those too close to be told apart the gravest.

        ``xs``: (N,) where each stands, in pixels as the places are.
        """
        seen = np.flatnonzero((xs >= left) & (xs <= right))
        place = xs[seen].astype(np.int64) // TOLD_APART
        order = np.lexsort((seen, self.ranks[seen], place))
        _, first = np.unique(place[order], return_index=True)
        gravest: list[int] = seen[order[first]].tolist()
        return gravest

    @classmethod
    def of(cls, findings: list[Finding], shots: list[Shot]) -> "Marks":
        """Marks of findings, those of a shot one after the other."""
        found = np.array([(each.shot, each.first_frame, each.last_frame) for each in findings], np.int64).reshape(-1, 3)
        homes, first, back, counts = np.unique(found[:, 0], return_index=True, return_inverse=True, return_counts=True)
        places = np.arange(len(found)) - first[back] - (counts[back] - 1) / 2
        room = (np.array([shots[home].length for home in homes.tolist()]) / counts)[back]
        order = {severity: rank for rank, severity in enumerate(Severity)}
        ranks = np.array([order[each.severity] for each in findings], np.int64)
        return cls(findings, found[:, 1:].sum(axis=1) / 2 + 0.5, places, room, ranks)


@dataclass(frozen=True, eq=False)
class Meeting:
    """Where shots meet, in frames.

    ``firsts`` and ``afters``: (N,) where each begins, and where what follows it does; ``ends``: (M, 2) the foot and the head of
    every line between them, see `edges`.
    """

    shots: Sequence[Shot]
    firsts: NDArray[np.float64]
    afters: NDArray[np.float64]
    ends: NDArray[np.float64]

    @classmethod
    def of(cls, shots: Sequence[Shot]) -> "Meeting":
        """Where these meet."""
        firsts = np.array([shot.first for shot in shots], np.float64)
        afters = np.array([shot.last + 1 for shot in shots], np.float64)
        return cls(shots, firsts, afters, np.array(edges(shots), np.float64).reshape(-1, 2))
