"""Single pixels that stand out at one place in picture after picture: dead, stuck and hot ones of a camera.

In one picture such a pixel is a glint, or grain. So places are counted at which a pixel stands out from those about it, over
pictures that are unlike one another, and a place is told of where it stands out more often than chance allows: by how often any
pixel of its neighbourhood does. Where what lies about it stands out as well, it is lettering that stays.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from bluffline.measure.region import Region
from bluffline.signal.format import Model, Planes, SignalFormat

LEAST_PICTURES = 4  # that have to be unlike one another for anything to be told
_STANDS_OUT = 4.0  # percent of the range, from the median of the 5 × 5 pixels about it
_ALONE = 0.6  # of that, the most that any pixel beside it differs by to the same side
_BLOCK = 32  # pixels, square, of a neighbourhood
_CHANCE = 1e-4  # that any place at all of a programme is told of where nothing is wrong
_MOST = 20.0  # percent, as which more counts where it is seen what stays
_ABOUT, _STAYS = 8, 0.4  # pixels to each side, and the share of what a place differs by that nothing there may, in the mean
_RING = np.ones((3, 3), np.uint8)
_RING[1, 1] = 0


@dataclass(frozen=True, slots=True)
class Spot:
    """A pixel that stands out: where, in which of the frames that were looked at, and by how many percent of the range."""

    x: int
    y: int
    frames: tuple[int, ...]
    looked_at: int
    percent: float


@dataclass(frozen=True, slots=True)
class Spots:
    """What was found in how many pictures that are unlike one another."""

    looked_at: int
    found: tuple[Spot, ...]

    @property
    def told(self) -> bool:
        """Whether they were enough to tell."""
        return self.looked_at >= LEAST_PICTURES


class SpotSearch:
    """Looks for single pixels that stand out in pictures of one format, which ought to be unlike one another."""

    def __init__(self, source: SignalFormat, region: Region) -> None:
        self._source = source
        self._frames: list[int] = []
        self._places: list[NDArray[np.intp]] = []  # of each frame, rows times the width
        self._percent: list[NDArray[np.float32]] = []  # by which they stand out, below 0 where darker
        self._sum = np.zeros((source.height, source.width), np.float32)
        self._inside = np.zeros((source.height, source.width), bool)
        left, right, top, bottom = region.edges
        self._inside[top + 2 : bottom - 2, left + 2 : right - 2] = True

    def look(self, frame: int, planes: Planes) -> None:
        """Look at the luma of a frame, or its green; at each of its fields by itself, where it has two."""
        source = self._source
        luma = planes[1 if source.model is Model.RGB else 0][: source.height, : source.width]
        off, alone = np.zeros((2, source.height, source.width), np.float32)
        fields = 2 if source.interlaced else 1
        for field in range(fields):
            part = np.ascontiguousarray(luma[field::fields])
            own = (part.astype(np.float32) - cv2.medianBlur(part, 5)) / np.float32(source.levels.swing / 100)
            off[field::fields], alone[field::fields] = own, _lonely(own)
        places = np.flatnonzero((alone != 0) & self._inside)
        self._frames.append(frame)
        self._places.append(places)
        self._percent.append(alone.ravel()[places])
        self._sum += np.clip(off, -_MOST, _MOST)

    def result(self) -> Spots:
        """The places that stand out to one side in more of the pictures than chance allows; none where those are too few."""
        count = len(self._frames)
        return Spots(count, tuple(self._found(count)) if count >= LEAST_PICTURES else ())

    def _found(self, count: int) -> list[Spot]:
        width, found = self._sum.shape[1], []
        for sign in (1, -1):
            kept = [places[sign * percent > 0] for places, percent in zip(self._places, self._percent, strict=True)]
            places, times = np.unique(np.concatenate(kept), return_counts=True)
            blocks = places // width // _BLOCK * -(-width // _BLOCK) + places % width // _BLOCK
            near, everywhere = np.bincount(blocks, times, minlength=1), times.sum() / (count * self._sum.size)
            often = times >= LEAST_PICTURES
            for place, seen, block in zip(places[often].tolist(), times[often].tolist(), blocks[often].tolist(), strict=True):
                chance = max((near[block] - seen) / (count * _BLOCK**2), everywhere, 1 / (count * self._sum.size))
                if _at_least(seen, count, chance) * self._sum.size < _CHANCE and self._alone(place, sign):
                    found.append(self._spot(place, sign))
        return sorted(found, key=lambda spot: (-len(spot.frames), spot.y, spot.x))

    def _alone(self, place: int, sign: int) -> bool:
        """Whether nothing about a place but what touches it stands out in the mean of all pictures."""
        y, x = divmod(place, self._sum.shape[1])
        top, left = max(y - _ABOUT, 0), max(x - _ABOUT, 0)
        about = np.abs(self._sum[top : y + _ABOUT + 1, left : x + _ABOUT + 1])
        own = sign * float(self._sum[y, x])
        about[max(y - top - 1, 0) : y - top + 2, max(x - left - 1, 0) : x - left + 2] = 0
        return float(about.max()) < _STAYS * own

    def _spot(self, place: int, sign: int) -> Spot:
        there = {}
        for frame, places, percent in zip(self._frames, self._places, self._percent, strict=True):
            own = percent[places == place]
            if own.size and sign * own[0] > 0:
                there[frame] = float(own[0])
        y, x = divmod(place, self._sum.shape[1])
        return Spot(x, y, tuple(sorted(there)), len(self._frames), float(np.median(list(there.values()))))


def _lonely(off: NDArray[np.float32]) -> NDArray[np.float32]:
    """(H, W) those that differ much, and all that touch them much less to the same side; else 0."""
    found = np.zeros(off.shape, np.float32)
    for sign in (1, -1):
        own = sign * off
        kept = (own > _STANDS_OUT) & (cv2.dilate(np.maximum(own, 0), _RING) < _ALONE * own)
        found[kept] = off[kept]
    return found


def _at_least(count: int, of: int, chance: float) -> float:
    """The probability of so many or more in so many trials."""
    return sum(math.comb(of, n) * chance**n * (1 - chance) ** (of - n) for n in range(count, of + 1))
