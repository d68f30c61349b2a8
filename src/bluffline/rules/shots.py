"""Shots: the runs of frames between hard cuts."""

from bisect import bisect_right
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.table import SurveyTable

# A cut changes where light lies in the picture and which tones and hues it holds, both at once and for one frame
# only. Movement changes the first a little and for long; a flicker changes the second alone.
_LEAST_CHANGE = 0.035
_ABOVE_NEIGHBOURS = 3.0
_NEIGHBOURS = 4
# A flash, or exposure that flickers, changes both as well, and then goes back, or keeps the picture but for its brightness.
_FLASH = 3  # frames at most
_AGREE = 0.02  # greatest mean difference of two frames of one shot, as a share of the range
_LIKE = 0.985  # least correlation of where light lies, in one picture under two exposures
_SPREAD_LIKE = 0.06  # greatest difference of the hues that such a picture holds
_SPAN = 12  # frames: what changes sooner, as fields coded now apart and now together, is told and cuts nothing
_DETAIL = 4.0  # least standard deviation of where light lies, in steps of 0.5 %: a flat picture is like any other


@dataclass(frozen=True, slots=True)
class Shot:
    """Frames ``first`` to ``last``, both inclusive, counted from 0."""

    first: int
    last: int

    @property
    def length(self) -> int:
        """Number of frames."""
        return self.last - self.first + 1

    def __contains__(self, frame: int) -> bool:
        return self.first <= frame <= self.last


def cut_evidence(table: SurveyTable) -> NDArray[np.float64]:
    """(N,) strength of the change from the frame before, 0 … 1; 0 for the first frame."""
    blocks, spread = (table.column(name).astype(np.float64) for name in ("block_change", "spread_change"))
    return np.asarray(np.sqrt(np.clip(blocks, 0, 1) * np.clip(spread, 0, 1)))


def find_shots(table: SurveyTable) -> list[Shot]:
    """Divide the frames measured so far into shots."""
    count = len(table)
    if count == 0:
        return []
    change = cut_evidence(table)
    starts = [0]
    spans = span_starts(table)
    for frame in np.flatnonzero(change > _LEAST_CHANGE):
        near = np.concatenate([change[max(0, frame - _NEIGHBOURS) : frame], change[frame + 1 : frame + 1 + _NEIGHBOURS]])
        usual = float(np.median(near)) if len(near) else 0.0
        if frame > starts[-1] and change[frame] > _ABOVE_NEIGHBOURS * usual:
            starts.append(int(frame))
    starts = sorted({*_rejoined(starts, table.column("look")), *spans})
    ends = [start - 1 for start in starts[1:]] + [count - 1]
    return [Shot(first, last) for first, last in zip(starts, ends, strict=True)]


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
        back = next((n for n in range(place + 1, soon) if _agree(before, looks[starts[n]])), None)
        if back is not None:
            place = back + 1  # what came between was a flash
            continue
        if not _same_exposed_otherwise(before, looks[starts[place]]):
            kept.append(starts[place])
        place += 1
    return kept


def _agree(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> bool:
    """Whether two frames look the same."""
    off = np.abs(one.astype(np.float64) - other)
    return float(off[:144].mean()) < _AGREE * 200 and float(off[144:].sum()) < 6 * _SPREAD_LIKE * 255


def _same_exposed_otherwise(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> bool:
    """Whether two frames are one picture under two exposures: light lies where it lay, and the hues are the same."""
    hues = np.abs(one[176:].astype(np.float64) - other[176:]).sum() / 255
    if hues >= 2 * _SPREAD_LIKE:
        return False
    light, later = (look[:144].astype(np.float64) for look in (one, other))
    if min(light.std(), later.std()) < _DETAIL:
        return False
    return float(np.corrcoef(light, later)[0, 1]) > _LIKE
