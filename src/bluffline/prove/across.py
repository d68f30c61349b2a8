"""A shot's treatment where the shot is mixed with another: what both would get, mixed as their pictures are."""

from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.region import Region
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition
from bluffline.signal.format import Planes, SignalFormat
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.ladder import Treatment, acts, limits_alone


@dataclass(frozen=True)
class Beside:
    """The ladder of a shot that is mixed into another, by a transition; ``comes``: whether it is the one that comes."""

    transition: Transition
    steps: Treatment
    comes: bool

    def share(self, frame: int) -> float:
        """How much of a frame it has."""
        share = self.transition.share(frame)
        return share if self.comes else 1 - share


def beside(shots: Sequence[Shot], number: int, treatments: Mapping[int, Treatment]) -> tuple[Beside, ...]:
    """What is mixed into a shot by those before and after it, where their ladders are others than its own."""
    shot, own = shots[number], treatments.get(number, ())
    found = []
    for transition, other, comes in ((shot.opens, number - 1, False), (shot.closes, number + 1, True)):
        if transition is None or not transition.kind.mixes or not 0 <= other < len(shots):
            continue
        steps = treatments.get(other, ())
        if (acts(own) or acts(steps)) and steps != own:
            found.append(Beside(transition, steps, comes))
    return tuple(found)


class AcrossTreatment:
    """Applies the ladder of a shot, and where it is mixed with another the mixture of both. Threads may share it.

    In a transition what each ladder makes of a frame is mixed by how much of each shot is in it, and held within the limits of
    both: what one of them lets through is not let through because the other begins.
    """

    def __init__(
        self, steps: Treatment, others: Sequence[Beside], source: SignalFormat, *, region: Region | None = None, shrunk: int = 1
    ) -> None:
        def made(ladder: Treatment) -> FrameTreatment:
            return FrameTreatment(ladder, source, region=region, shrunk=shrunk)

        self._source, self._own, self._limits = source, made(steps), made(limits_alone(steps))
        self._others = [(each, made(each.steps), made(limits_alone(each.steps))) for each in others]

    @cached_property
    def active(self) -> bool:
        """Whether any frame is changed."""
        return self._own.active or any(treat.active for _, treat, _ in self._others)

    def frames(self, shot: Shot) -> list[tuple[int, int]]:
        """The runs of frames of the shot that are changed: first frames and those after their last."""
        if self._own.active:
            return [(shot.first, shot.last + 1)]
        mixed = (each.transition for each, treat, _ in self._others if treat.active)
        ends = ((max(each.first, shot.first), min(each.last, shot.last) + 1) for each in mixed)
        return [(first, after) for first, after in ends if first < after]

    def apply(self, planes: Planes, frame: int = 0, pool: Executor | None = None) -> Planes:
        """Treated planes, as of `FrameTreatment.apply`; ``frame``: its number in the programme."""
        for each, treat, limits in self._others:
            if frame in each.transition:
                mixed = self._mixed(self._own.apply(planes, frame, pool), treat.apply(planes, frame, pool), each.share(frame))
                return limits.apply(self._limits.apply(mixed, frame, pool), frame, pool)
        return self._own.apply(planes, frame, pool)

    def _mixed(self, one: Planes, other: Planes, share: float) -> Planes:
        """So much of the other, the rest of one; where both are the same, to the code."""
        columns, rows = self._source.chroma_size
        sizes = (self._source.height, self._source.width), (rows, columns), (rows, columns)
        luma, cb, cr = (_mixture(*each, np.float32(share)) for each in zip(one, other, sizes, strict=True))
        return luma, cb, cr


def _mixture(one: NDArray[Any], other: NDArray[Any], size: tuple[int, int], share: np.float32) -> NDArray[Any]:
    """(H, W) codes between those of two planes, rounded."""
    if one is other:
        return one
    first = one[: size[0], : size[1]].astype(np.float32)
    first += (other[: size[0], : size[1]].astype(np.float32) - first) * share
    return np.rint(first, out=first).astype(one.dtype)


def across(
    shots: Sequence[Shot], treatments: Mapping[int, Treatment], source: SignalFormat, region: Region | None
) -> dict[int, AcrossTreatment]:
    """What is done to the frames of every shot to which anything is, by number."""
    own = {number for number, steps in treatments.items() if steps}
    near: Iterable[int] = {place for number in own for place in (number - 1, number, number + 1) if 0 <= place < len(shots)}
    made = ((number, treatments.get(number, ()), beside(shots, number, treatments)) for number in sorted(near))
    return {
        number: AcrossTreatment(steps, others, source, region=region) for number, steps, others in made if steps or others
    }
