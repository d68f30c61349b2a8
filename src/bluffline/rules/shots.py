"""Shots: the runs of frames between cuts, and between the middles of what shots come and go by."""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.table import SurveyTable
from bluffline.rules.transitions import LONGEST, Transition, TransitionKind, find_transitions

# A cut changes where light lies in the picture and which tones and hues it holds, both at once and for one frame
# only. Movement changes the first a little and for long; a flicker changes the second alone.
_LEAST_CHANGE = 0.035
_ABOVE_NEIGHBOURS = 3.0
_NEIGHBOURS = 4
# A flash, or exposure that flickers, changes both as well, and then goes back, or keeps the picture but for its brightness.
_FLASH = 3  # frames at most
_AGREE = 0.02  # greatest mean difference of two frames of one shot, as a share of the range
_BACK = 0.5  # and of what changed, the most that is not gone back where something moves meanwhile
_LIKE = 0.985  # least correlation of where light lies, in one picture under two exposures
_SPREAD_LIKE = 0.06  # greatest difference of the hues that such a picture holds
_SPAN = 12  # frames: what changes sooner, as fields coded now apart and now together, is told and cuts nothing
_BLOCK = 256  # frames that are looked through at once for transitions, and those before them that tell more of them
_BEFORE = 2 * LONGEST
_DETAIL = 4.0  # least standard deviation of where light lies, in steps of 0.5 %: a flat picture is like any other


@dataclass(frozen=True, slots=True)
class Shot:
    """Frames ``first`` to ``last``, both inclusive, counted from 0.

    ``opens`` and ``closes``: by what it comes and goes, where that is no cut. What mixes it with another shot lies in both.
    """

    first: int
    last: int
    opens: Transition | None = field(default=None, compare=False)
    closes: Transition | None = field(default=None, compare=False)

    @property
    def length(self) -> int:
        """Number of frames."""
        return self.last - self.first + 1

    @property
    def alone(self) -> "Shot":
        """The frames that show it as it is; all of them where there is none."""
        first = self.first if self.opens is None else min(self.opens.last + 1, self.last)
        last = self.last if self.closes is None else max(self.closes.first - 1, self.first)
        return Shot(first, last) if first <= last else self

    @property
    def middle(self) -> int:
        """The frame in the middle of those that show it as it is."""
        return (self.alone.first + self.alone.last) // 2

    def __contains__(self, frame: int) -> bool:
        return self.first <= frame <= self.last


def shot_at(shots: Sequence[Shot], frame: int) -> int:
    """The number of the shot that a frame lies in, of shots that follow one another; 0 before the first, and of none."""
    return max(bisect_right(shots, frame, key=lambda shot: shot.first) - 1, 0)


def cut_evidence(table: SurveyTable) -> NDArray[np.float64]:
    """(N,) strength of the change from the frame before, 0 … 1; 0 for the first frame."""
    blocks, spread = (table.column(name).astype(np.float64) for name in ("block_change", "spread_change"))
    return np.asarray(np.sqrt(np.clip(blocks, 0, 1) * np.clip(spread, 0, 1)))


class TransitionSearch:
    """Finds the transitions of a survey as it grows: the same ones, however it grew."""

    def __init__(self) -> None:
        self.found: list[Transition] = []
        self.known = 0  # frames: what ends before them is found

    def take(self, found: Sequence[Transition], frames: int) -> None:
        """Know what was found before, in a survey of so many frames."""
        self.found, self.known = list(found), frames

    def grow(self, table: SurveyTable, *, complete: bool) -> None:
        """Look at whatever has been measured since; at the last frames only where the survey is complete."""
        count = len(table)
        while self.known < count:
            end = self.known + _BLOCK + LONGEST
            if end > count and not complete:
                return
            known = count if end >= count else end - LONGEST
            begin = max(self.known - _BEFORE, 0)
            part = slice(begin, min(end, count))
            cuts = _cuts(cut_evidence(table)[part], table.column("look")[part])[1:]
            for each in find_transitions(table.column("look")[part], cuts):
                here = each.moved(begin)
                if self.known <= here.last + 1 < known:
                    self._add(here)
            self.known = known

    def _add(self, transition: Transition) -> None:
        if not self.found or self.found[-1].last < transition.first:
            self.found = [*self.found, transition]  # another list: whoever reads the one before goes on doing so


def find_shots(table: SurveyTable, transitions: Sequence[Transition] = ()) -> list[Shot]:
    """Divide the frames measured so far into shots.

    Parameters
    ----------
    transitions : in their order. A cut that lies in one is none: shots meet in the middle of what mixes them, or of the black
        between a fade out and the next fade in.
    """
    count = len(table)
    if count == 0:
        return []
    transitions = [each for each in transitions if each.last + 1 < count]
    meet = {(each.first + each.last + 1) // 2: each for each in transitions if each.kind.mixes}
    black = _black(transitions)
    taken = sorted([(-1, -1), *((each.first, each.last + 1) for each in transitions), *black])

    def inside(frame: int) -> bool:
        return frame <= taken[bisect_right(taken, (frame, count)) - 1][1]

    cuts = [frame for frame in _cuts(cut_evidence(table), table.column("look")) if not inside(frame)]
    starts = sorted({0, *cuts, *meet, *((first + last) // 2 for first, last in black), *span_starts(table)})
    ends = [start - 1 for start in starts[1:]] + [count - 1]
    opens = dict(meet)
    closes = {start - 1: each for start, each in meet.items()}
    for each in transitions:
        home = bisect_right(starts, each.first) - 1
        if each.kind is TransitionKind.FADE_IN:
            opens.setdefault(starts[home], each)
        elif each.kind is TransitionKind.FADE_OUT:
            closes.setdefault(ends[home], each)
    return [Shot(first, last, opens.get(first), closes.get(last)) for first, last in zip(starts, ends, strict=True)]


def edges(shots: Sequence[Shot]) -> list[tuple[int, int]]:
    """Where shots come and go: frames at the foot and the head of lines that rise with what comes and fall with what goes.

    A cut is at one frame.
    """
    found = []
    for number, shot in enumerate(shots):
        if shot.opens is not None:
            found.append((shot.opens.first, shot.opens.last + 1))
        if number and (shot.opens is None or not shot.opens.kind.mixes):
            found.append((shot.first, shot.first))
        if shot.closes is not None and not shot.closes.kind.mixes:
            found.append((shot.closes.last + 1, shot.closes.first))
    return found


def _cuts(change: NDArray[np.float64], looks: NDArray[np.uint8]) -> list[int]:
    """The frames (of N) that begin a shot by a cut, and 0."""
    starts = [0]
    for frame in np.flatnonzero(change > _LEAST_CHANGE):
        near = np.concatenate([change[max(0, frame - _NEIGHBOURS) : frame], change[frame + 1 : frame + 1 + _NEIGHBOURS]])
        usual = float(np.median(near)) if len(near) else 0.0
        if frame > starts[-1] and change[frame] > _ABOVE_NEIGHBOURS * usual:
            starts.append(int(frame))
    return _rejoined(starts, looks)


def _black(transitions: Sequence[Transition]) -> list[tuple[int, int]]:
    """What lies between a fade out and the next fade in: its first frame, and the first after it."""
    return [
        (one.last + 1, other.first) for one, other in pairwise(transitions)
        if (one.kind, other.kind) == (TransitionKind.FADE_OUT, TransitionKind.FADE_IN)
    ]  # fmt: skip


def span_starts(table: SurveyTable) -> list[int]:
    """Frames from which on the programme says something else of itself, for long enough to be a shot of its own."""
    changes = np.flatnonzero(np.diff(table.column("format"))) + 1
    edges = [0, *(int(frame) for frame in changes), len(table)]
    lengths = np.diff(edges)
    return [edges[n] for n in range(1, len(edges) - 1) if min(lengths[n - 1], lengths[n]) >= _SPAN]


def _rejoined(starts: list[int], looks: NDArray[np.uint8]) -> list[int]:
    """Cuts without those that a flash or a change of exposure made."""
    kept = starts[:1]
    place = 1
    while place < len(starts):
        before = looks[starts[place] - 1]
        soon = bisect_right(starts, starts[place] + _FLASH)
        back = next((n for n in range(place + 1, soon) if _goes_back(looks, starts[place], starts[n])), None)
        if back is not None:
            place = back + 1  # what came between was a flash
            continue
        if not _same_exposed_otherwise(before, looks[starts[place]]):
            kept.append(starts[place])
        place += 1
    return kept


def _goes_back(looks: NDArray[np.uint8], change: int, other: int) -> bool:
    """Whether the frame of another change looks as the one before a change did, or much more so than those between."""
    before, between, after = looks[change - 1], looks[[change, other - 1]], looks[other]

    def off(one: NDArray[np.uint8], two: NDArray[np.uint8]) -> NDArray[np.float64]:
        apart = np.abs(one.astype(np.float64) - two)
        return np.array([apart[:144].mean() / 200, apart[144:].sum() / (6 * 255)])

    gone = off(before, after)
    return bool((gone < (_AGREE, _SPREAD_LIKE)).all() or (gone < _BACK * np.minimum(*map(off, (before, after), between))).all())


def _same_exposed_otherwise(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> bool:
    """Whether two frames are one picture under two exposures: light lies where it lay, and the hues are the same."""
    hues = np.abs(one[176:].astype(np.float64) - other[176:]).sum() / 255
    if hues >= 2 * _SPREAD_LIKE:
        return False
    light, later = (look[:144].astype(np.float64) for look in (one, other))
    if min(light.std(), later.std()) < _DETAIL:
        return False
    return float(np.corrcoef(light, later)[0, 1]) > _LIKE
