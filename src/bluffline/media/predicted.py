"""Frames that may be predicted from a damaged one: no decoder tells how far damage goes, so none of them is believed."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from bluffline.media.programme import FrameIndex

if TYPE_CHECKING:
    from bluffline.media.reader import Frame

_FIRST, _LAST = -1, 1 << 62  # places of a damaged frame, and of another, that no packet tells: what is to be feared


class Predictions:
    """Which frames may be predicted from which, by the order in which their packets go to the decoder.

    A frame may be predicted from any that is decoded before it, as far back as the last one that stands alone and is shown no
    later than itself. That one which was damaged predicts nothing can't be told; it is taken to predict what it may. One that
    has no packet is not: it may have been left out before the others were coded, and nothing of them is wrong then.
    """

    def __init__(self, index: FrameIndex) -> None:
        self._index = index
        self._lost = frozenset(index.lost.tolist())
        self._decoded, self._furthest = 0, -1
        self._order: dict[int, int] = {}  # frame: its place in the order of decoding
        self._waits: dict[int, int] = {}  # frame: the last one that is shown after it and decoded before it
        self._damaged: list[tuple[int, int]] = []  # frame and place, since the last frame that stands alone
        self._alone = -1

    def packet(self, time: int | None) -> None:
        """A packet goes to the decoder: that of the frame of this time; one of a second field tells nothing new."""
        times = self._index.times
        number = int(np.searchsorted(times, time)) if time is not None else len(times)
        if number < len(times) and times[number] == time:
            self._order[number], self._waits[number] = self._decoded, self._furthest
            self._decoded += 1
            self._furthest = max(self._furthest, number)

    def believed(self, frames: Iterable[Frame]) -> Iterator[Frame]:
        """Frames in the order of their numbers, without planes where they may be predicted from one that is damaged."""
        held: deque[Frame] = deque()
        for frame in frames:
            held.append(frame)
            if frame.damaged and frame.number not in self._lost:
                self._damaged.append((frame.number, self._order.get(frame.number, _FIRST)))
            while held and self._waits.get(held[0].number, -1) <= frame.number:
                yield self._judged(held.popleft())
        yield from map(self._judged, held)

    def _judged(self, frame: Frame) -> Frame:
        keys = self._index.keys
        place = int(np.searchsorted(keys, frame.number, side="right")) - 1
        alone = int(keys[place]) if place >= 0 else -1
        if alone != self._alone:
            self._alone = alone
            self._damaged = [each for each in self._damaged if each[0] >= alone]
        order = self._order.pop(frame.number, _LAST)
        self._waits.pop(frame.number, None)
        doubtful = frame.planes is not None and any(place < order for _, place in self._damaged)
        return replace(frame, planes=None, damaged=True) if doubtful else frame
