"""What shots look like, by which the work on one delivery finds its shots in the next."""

import base64
from collections.abc import Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.table import LOOK_SIZE, SurveyTable
from bluffline.rules.shots import Shot
from bluffline.session.work import NO_CUTS, Work, left_behind, rehomed
from bluffline.treat.ladder import shifted

Looks = NDArray[np.uint8]
_GRID = 16 * 9  # of a look: mean luma, 200 steps to nominal white; behind it shares of tones and hues, 255 to all of them
_DETAIL = 4.0  # steps that means differ by over the grid of a picture that is known again
_NEAR, _SHARES = 16.0, 255.0  # in the mean of the grid, and in the sum of shares, at which a look is of another picture


def looks_of(table: SurveyTable, shots: Sequence[Shot]) -> Looks:
    """(shots, `LOOK_SIZE`) the look of each shot's middle frame."""
    middles = [(shot.first + shot.last) // 2 for shot in shots]
    return np.asarray(table.column("look")[middles]) if middles else np.zeros((0, LOOK_SIZE), np.uint8)


def looks_text(looks: Looks) -> str:
    """Looks as they are kept."""
    return base64.b64encode(looks.tobytes()).decode()


def looks_from(text: str) -> Looks:
    """Looks that were kept.

    Raises
    ------
    ValueError : these are none
    """
    return np.frombuffer(base64.b64decode(text, validate=True), np.uint8).reshape(-1, LOOK_SIZE)


def alike(before: Looks, now: Looks) -> dict[int, int]:
    """Which shots are those from before, by their numbers now: in the same order, as many and as like as can be."""
    gain = np.zeros((len(now), len(before)))
    for number, look in enumerate(now):
        off = np.abs(before.astype(np.float32) - look)
        gain[number] = 1 - off[:, :_GRID].mean(axis=1) / _NEAR - off[:, _GRID:].sum(axis=1) / _SHARES
    gain[~_telling(now)] = gain[:, ~_telling(before)] = 0
    best = np.zeros((len(now) + 1, len(before) + 1))
    for row in range(len(now)):  # each shot is passed over, or taken for one behind those that others were taken for
        taken = np.where(gain[row] > 0, best[row, :-1] + gain[row], 0)
        best[row + 1, 1:] = np.maximum.accumulate(np.maximum(best[row, 1:], taken))
    found, row, column = {}, len(now), len(before)
    while row and column:
        if best[row, column] == best[row - 1, column]:
            row -= 1
        elif best[row, column] == best[row, column - 1]:
            column -= 1
        else:
            row, column = row - 1, column - 1
            found[row] = column
    return dict(sorted(found.items()))


def _telling(looks: Looks) -> NDArray[np.bool_]:
    """(shots,) which looks tell one picture from another: black, white and one grey are like any other of theirs."""
    return np.asarray(looks[:, :_GRID].astype(np.float32).std(axis=1) >= _DETAIL) if len(looks) else np.zeros(0, bool)


def brought_over(work: Work, before: Sequence[Shot], now: Sequence[Shot], pairs: Mapping[int, int]) -> Work:
    """Work on some shots, brought to those of another delivery that are like them; what has no shot there is kept aside.

    ``pairs``: by the numbers of now, see `alike`. Areas are followed as much earlier or later as their shots are.
    """
    moved = replace(rehomed(work, before, pairs), waivers=())  # given for other pictures: they are asked for again
    later = {number: now[number].first - before[old].first for number, old in pairs.items()}
    treatments = MappingProxyType({number: shifted(steps, later[number]) for number, steps in moved.treatments.items()})
    aside = (*work.aside, *left_behind(work, before, pairs), *moved.aside)
    return replace(moved, treatments=treatments, aside=aside, cuts=NO_CUTS)
