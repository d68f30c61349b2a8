"""Shots: the runs of frames between hard cuts."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.table import SurveyTable

# A cut changes where light lies in the picture and which tones and hues it holds, both at once and for one frame
# only. Movement changes the first a little and for long; a flicker changes the second alone.
_LEAST_CHANGE = 0.035
_ABOVE_NEIGHBOURS = 3.0
_NEIGHBOURS = 4


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
    for frame in np.flatnonzero(change > _LEAST_CHANGE):
        near = np.concatenate([change[max(0, frame - _NEIGHBOURS) : frame], change[frame + 1 : frame + 1 + _NEIGHBOURS]])
        usual = float(np.median(near)) if len(near) else 0.0
        if frame > starts[-1] and change[frame] > _ABOVE_NEIGHBOURS * usual:
            starts.append(int(frame))
    ends = [start - 1 for start in starts[1:]] + [count - 1]
    return [Shot(first, last) for first, last in zip(starts, ends, strict=True)]
