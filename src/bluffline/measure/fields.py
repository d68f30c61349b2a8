"""Which field of a picture is first, by what moves in it, whatever the file says."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.format import SignalFormat

_COLUMNS = 16  # every how many columns are looked at
_MOVES = 0.008  # mean change of a field from one frame to the next, as a share of the range, from which it tells anything
_APART = 1.1  # how much further apart the other two fields have to be
_VOTES = 6  # pairs of frames that have to tell
_AGREE = 0.8  # share of them that have to agree


class FieldOrder:
    """Gathers evidence from pairs of neighbouring frames.

    The second field of a frame and the first field of the next are a field's time apart; the other two are three. So where
    something moves, a row of the one fits between rows of the other better than it does the other way round. In progressive
    pictures both are a frame's time apart, and neither fits better.
    """

    def __init__(self, source: SignalFormat) -> None:
        self._source = source
        self._before: NDArray[np.float32] | None = None
        self.top = self.bottom = self.neither = 0

    def add(self, luma: NDArray[Any] | None, *, first: bool) -> None:
        """Take a frame's luma, (rows, stride); ``first`` of a pair, or the one after it. None where it can't be read."""
        if luma is None or self._source.height < 8:
            self._before = None
            return
        now = luma[: self._source.height // 2 * 2, : self._source.width : _COLUMNS].astype(np.float32)
        before, self._before = self._before, now if first else None
        if first or before is None:
            return
        if float(np.abs(now[::2] - before[::2]).mean()) < _MOVES * self._source.levels.swing:
            return
        top_first = float(np.abs(before[1:-1:2] - (now[:-2:2] + now[2::2]) / 2).mean())
        bottom_first = float(np.abs(before[2::2] - (now[1:-2:2] + now[3::2]) / 2).mean())
        if bottom_first > _APART * top_first:
            self.top += 1
        elif top_first > _APART * bottom_first:
            self.bottom += 1
        else:
            self.neither += 1

    def vote(self, top: int, bottom: int, neither: int) -> None:
        """Add what was gathered elsewhere."""
        self.top, self.bottom, self.neither = self.top + top, self.bottom + bottom, self.neither + neither

    @property
    def top_first(self) -> bool | None:
        """Whether the top field is first; None where too little moves, or it moves as a whole frame does."""
        told = max(self.top, self.bottom)
        if told < _VOTES or told < _AGREE * (self.top + self.bottom + self.neither):
            return None
        return self.top > self.bottom
