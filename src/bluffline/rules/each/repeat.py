"""Frames that are shown again in the middle of motion."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Annotated

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.measure.table import SurveyTable
from bluffline.rules.each.black import dark_frames
from bluffline.rules.each.frozen import movement
from bluffline.rules.evidence import Surveyed, across, in_shots, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

_BESIDE = 3  # frames on each side that tell how fast things move
_LONGEST = 3  # frames that are shown again one after the other; more are a picture that stops
_STANDS = 0.25  # of what moves beside, the most that a frame shown again changes by, coded anew
_AT_MOST = 0.5  # percent of luma that it changes by, however fast things move: a camera that shakes turns back for a frame
_ALIKE = 4.0  # times as fast as another that a frame beside moves: flashes and jerks are no motion that halts
_BLACK = 2.0  # percent of luma: what a black frame stays under
_PERIODS = range(2, 7)  # frames from one that is shown again to the next, where a slower programme was made faster
_FILM, _HELD = 5, 2  # frames of the pattern that 24 pictures a second are shown in at 30 and 60, and times that it holds


@dataclass(frozen=True, slots=True)
class RepeatAsked:
    """``motion``: percent of luma that frames must differ by to be in motion."""

    motion: Annotated[float, Between(0.05, 50, "percent")] = 0.3
    severity: Severity = Severity.LOOK


class Repeat(Rule):
    """Motion that halts for a frame. Frames shown again in a steady pattern are a slower programme, until that breaks."""

    titles = {"repeat": "Repeated frames", "cadence": "Broken pattern of repeated frames"}
    words = "repeated frames"
    place = 24
    section, key, named = RepeatAsked, "repeat", True
    aspect = Aspect.TIME
    whole_frames = True
    tried = False

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        """Of the file, since a pattern goes on across cuts, and what follows a shot tells of its last frames."""
        asked, moved, source = self.asked(rules), movement(table), surveyed.source
        if source is None:
            return  # a few frames are judged, not a file
        same = _same(moved, asked) & table.column("readable") & ~dark_frames(table, source, _BLACK)
        gap = rules.gap * surveyed.rate
        for first, last, frames in _inside(_halts(moved, same, asked) & ~_in_pattern(same), shots, gap):
            words = "One frame is shown again" if frames == 1 else f"{frames} frames are shown again"
            found = across("repeat", asked.severity, shots, f"{words} in the middle of motion", float(frames), "", first, last)
            yield replace(found, frames=frames)
        for first, last, frames in _inside(_breaks(same), shots, gap):
            times = f" ({frames} times)" if frames > 1 else ""
            words = f"The pattern in which frames are shown again breaks{times}"
            yield across("cadence", asked.severity, shots, words, float(frames), "", first, last)


def _inside(mask: NDArray[np.bool_], shots: Sequence[Shot], gap: float) -> Iterator[tuple[int, int, int]]:
    """First and last frame of runs that lie close together in one shot, and how many frames they have."""
    for runs in in_shots(runs_in(mask), shots, gap):
        yield runs[0][0], runs[-1][1], sum(last - first + 1 for first, last in runs)


def _same(moved: NDArray[np.float64], asked: RepeatAsked) -> NDArray[np.bool_]:
    """(N,) which frames are those before them again, but for coding, between others that move."""
    same = np.zeros(len(moved), bool)
    for length in range(1, min(_LONGEST, len(moved) - 2) + 1):
        most = sliding_window_view(moved[1:-1], length).max(axis=1)
        beside = np.minimum(moved[: -length - 1], moved[length + 1 :])
        slow = np.flatnonzero((most <= np.minimum(_STANDS * beside, _AT_MOST)) & (beside >= asked.motion))
        for place in range(1, length + 1):
            same[slow + place] = True
    return same


def _halts(moved: NDArray[np.float64], same: NDArray[np.bool_], asked: RepeatAsked) -> NDArray[np.bool_]:
    """(N,) which of the frames that are the same lie in motion of one speed."""
    halts = same.copy()
    for first, last in runs_in(same):
        sides = moved[max(first - _BESIDE, 0) : first], moved[last + 1 : last + 1 + _BESIDE]
        beside = np.concatenate(sides)
        alike = len(beside) == 2 * _BESIDE and beside.min() >= asked.motion and beside.max() <= _ALIKE * beside.min()
        halts[first : last + 1] = alike
    return halts


def _in_pattern(same: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(N,) which frames that are the same come again at an even distance, nothing but motion between."""
    steady = np.zeros(len(same), bool)
    places = np.flatnonzero(same)
    near = np.isin(np.diff(places), _PERIODS)
    steady[places[:-1][near]] = steady[places[1:][near]] = True
    return steady


def _breaks(same: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(N,) the frames after which the pattern of film does not go on that held before, and holds again soon."""
    breaks = np.zeros(len(same), bool)
    like = np.concatenate([np.zeros(_FILM, bool), same[_FILM:] == same[:-_FILM]])
    held = [(first, last) for first, last in runs_in(like) if last - first + 1 >= _FILM * _HELD]
    for (first, before), (after, last) in pairwise(held):
        filled = same[before - _FILM + 1 : before + 1].any() and same[after : after + _FILM].any()
        breaks[before + 1] = filled and after - before <= 2 * _FILM and min(before - first, last - after) > 0
    return breaks
