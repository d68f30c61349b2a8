"""What shots look like, by which the work on one delivery finds its shots in the next."""

import base64
from collections.abc import Mapping, Sequence
from dataclasses import replace
from hashlib import blake2b
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.table import LOOK_SIZE, SurveyTable
from bluffline.rules.finding import Waiver
from bluffline.rules.shots import Shot
from bluffline.session.work import NO_CUTS, Work, left_behind, rehomed
from bluffline.treat.ladder import shifted

Looks = NDArray[np.uint8]
_MARK = 8  # bytes behind a look: what its shot measures, frame by frame, as a checksum; zeros where that is not known
_MEASURED = ("y_min", "y_max", "y_mean", "rgb_min", "rgb_max", "look")  # what no rules have a say in
_MARKED = "marked "  # before looks that were kept with marks
_GRID = 16 * 9  # of a look: mean luma, 200 steps to nominal white; behind it shares of tones and hues, 255 to all of them
_DETAIL = 4.0  # steps that means differ by over the grid of a picture that is known again
_NEAR, _SHARES = 16.0, 255.0  # in the mean of the grid, and in the sum of shares, at which a look is of another picture


def looks_of(table: SurveyTable, shots: Sequence[Shot]) -> Looks:
    """(shots, `LOOK_SIZE` + 8) the look of each shot's middle frame, and a mark that only the same pictures have."""
    found = np.zeros((len(shots), LOOK_SIZE + _MARK), np.uint8)
    for number, shot in enumerate(shots):
        found[number, :LOOK_SIZE] = table.column("look")[shot.middle]
        mark = blake2b(digest_size=_MARK)
        for name in _MEASURED:
            mark.update(table.column(name)[shot.first : shot.last + 1].tobytes())
        found[number, LOOK_SIZE:] = np.frombuffer(mark.digest(), np.uint8)
    return found


def same_pictures(before: Looks, now: Looks, pairs: Mapping[int, int]) -> dict[int, int]:
    """Of shots that are alike those in which every frame measures the same, by their numbers now."""
    marks, own = before[:, LOOK_SIZE:], now[:, LOOK_SIZE:]
    return {number: old for number, old in pairs.items() if marks[old].any() and (marks[old] == own[number]).all()}


def looks_text(looks: Looks) -> str:
    """Looks as they are kept."""
    return _MARKED + base64.b64encode(looks.tobytes()).decode()


def looks_from(text: str) -> Looks:
    """Looks that were kept.

    Raises
    ------
    ValueError : these are none
    """
    marked = text.startswith(_MARKED)
    data = np.frombuffer(base64.b64decode(text.removeprefix(_MARKED), validate=True), np.uint8)
    looks = data.reshape(-1, LOOK_SIZE + _MARK * marked)
    return looks if marked else np.pad(looks, ((0, 0), (0, _MARK)))


def alike(before: Looks, now: Looks) -> dict[int, int]:
    """Which shots are those from before, by their numbers now: in the same order, as many and as like as can be."""
    gain = np.zeros((len(now), len(before)))
    for number, look in enumerate(now):
        off = np.abs(before.astype(np.float32) - look)
        gain[number] = 1 - off[:, :_GRID].mean(axis=1) / _NEAR - off[:, _GRID:LOOK_SIZE].sum(axis=1) / _SHARES
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


def brought_over(
    work: Work, before: Sequence[Shot], now: Sequence[Shot], pairs: Mapping[int, int], same: Mapping[int, int]
) -> Work:
    """Work on some shots, brought to those of another delivery that are like them; what has no shot there is kept aside.

    ``pairs``: by the numbers of now, see `alike`. Areas are followed as much earlier or later as their shots are. A waiver is
    brought where all of its frames are in shots of the ``same`` pictures, see `same_pictures`; else it has to be given again.
    """
    moved = rehomed(work, before, pairs)
    given = tuple(filter(None, (_waiver_there(waiver, before, now, same) for waiver in work.waivers)))
    later = {number: now[number].first - before[old].first for number, old in pairs.items()}
    treatments = MappingProxyType({number: shifted(steps, later[number]) for number, steps in moved.treatments.items()})
    aside = (*work.aside, *left_behind(work, before, pairs), *moved.aside)
    return replace(moved, treatments=treatments, aside=aside, cuts=NO_CUTS, waivers=given)


def _waiver_there(waiver: Waiver, before: Sequence[Shot], now: Sequence[Shot], same: Mapping[int, int]) -> Waiver | None:
    """A waiver of some frames, for the same pictures in another delivery; None where they are not all there, and as one run."""
    if waiver.first_frame is None or waiver.last_frame is None:
        return None  # given for a whole programme, and this is another
    numbers = {old: number for number, old in same.items()}
    about = [old for old, shot in enumerate(before) if shot.first <= waiver.last_frame and shot.last >= waiver.first_frame]
    later = {now[numbers[old]].first - before[old].first if old in numbers else None for old in about}
    by = later.pop() if len(later) == 1 else None
    if by is None:
        return None
    return replace(waiver, first_frame=waiver.first_frame + by, last_frame=waiver.last_frame + by)
