"""Following an area along its shot by the detail that moves in it; where that loses hold, it says so."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from math import atan2, degrees, hypot

import cv2
import numpy as np
from numpy.typing import NDArray

from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.rules.shots import Shot
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.survey.monitor import Monitor
from bluffline.treat.reach import Pose, ReachArea, area_in_samples

_WIDE = 640  # pixels that pictures are followed at; movements are found to a fraction of one
_POINTS, _FEWEST = 200, 6  # that are followed, and that a place needs at the least
_BACK = 0.7  # pixels that a point may miss its beginning by, followed there and back
_AGREE = 1.0  # pixels that points may be off the movement of the whole
_LIKE = 0.6  # least correlation of the area with what it was at first
_RENEW = 0.5  # share of the points from which on others are looked for
_AT_ONCE = 64  # frames that are held to be gone through backwards
_NEAR = (0.05, 0.05, 0.0015, 0.05)  # percent across and down, scale and degrees by which straight motion may stand for more

Small = NDArray[np.uint8]
Moving = NDArray[np.float64]  # (2, 3): turned, scaled and moved, in pixels of the small picture


@dataclass(frozen=True)
class Followed:
    """An area with its places, and the frames of the programme at which it lost hold, towards the shot's end and beginning."""

    area: ReachArea
    lost: tuple[int, ...]


def follow_area(
    programme: Programme, source: SignalFormat, shot: Shot, area: ReachArea, frame: int, monitor: Monitor
) -> Followed:
    """Follow an area, as it stands at ``frame``, to both ends of its shot or as far as it can be.

    Pyramidal optical flow there and back [Lucas and Kanade 1981], and the one movement that most of its points agree on.

    Raises
    ------
    CancelledError : the monitor was asked to stop
    MediaError : the programme can't be read
    """
    here = area.at(frame)
    start = here.follow[0] if here.follow else Pose(0)
    places, lost = {frame: start}, []
    with Reader(programme) as reader:
        first = _small(reader.planes(frame), source)
        for numbers in (range(frame + 1, shot.last + 1), range(frame - 1, shot.first - 1, -1)):
            if first is None:
                lost.append(frame)
                continue
            hold, turn = _Hold(first, here), start.turn
            for number, picture in _pictures(reader, numbers, source):
                monitor.at("Follow", len(places), shot.length)
                moved = hold.to(picture) if picture is not None else None
                if moved is None:
                    lost.append(number)
                    break
                place = _place(number, hold.middle, moved, start, first.shape, turn)
                places[number], turn = place, place.turn
    kept = _turning_points([replace(places[number], frame=number) for number in sorted(places)])
    return Followed(replace(area, follow=tuple(kept)), tuple(lost))


def _small(planes: Planes | None, source: SignalFormat) -> Small | None:
    """Luma, or green, of 8 bits and a usual width; of interlaced pictures the first lines alone."""
    if planes is None:
        return None
    plane = planes[1 if source.model is Model.RGB else 0][:: 2 if source.interlaced else 1, : source.width]
    height = round(_WIDE * source.height / source.width)
    wide = cv2.resize(plane, (_WIDE, height), interpolation=cv2.INTER_AREA)
    return (np.asarray(wide).astype(np.uint16) >> (source.bit_depth - 8)).astype(np.uint8)


def _pictures(reader: Reader, numbers: range, source: SignalFormat) -> Iterator[tuple[int, Small | None]]:
    """Small pictures in the order of their numbers, which may run backwards."""
    for begin in range(0, len(numbers), _AT_ONCE):
        part = numbers[begin : begin + _AT_ONCE]
        held = {number: _small(reader.planes(number), source) for number in sorted(part)}
        yield from ((number, held[number]) for number in part)


class _Hold:
    """Holds on to the detail of an area from one picture to the next."""

    def __init__(self, picture: Small, area: ReachArea) -> None:
        height, width = picture.shape
        outline = area_in_samples(area, width, height)
        left, top, right, bottom = outline.box
        self.middle = (left + right) / 2, (top + bottom) / 2
        self._first, self._mask = picture, outline.mask(width, height).astype(np.uint8) * 255
        self._moved: Moving = np.eye(2, 3)
        self._begin(picture)

    def _begin(self, picture: Small) -> None:
        """Look for detail where the area stands now."""
        self._before, self._base = picture, self._moved
        mask = cv2.warpAffine(self._mask, self._moved, picture.shape[::-1], flags=cv2.INTER_NEAREST)
        found = cv2.goodFeaturesToTrack(picture, _POINTS, 0.01, 4, mask=mask)
        self._from = np.empty((0, 1, 2), np.float32) if found is None else found.astype(np.float32)
        self._points, self._count = self._from, len(self._from)

    def to(self, picture: Small) -> Moving | None:
        """How the area has moved since the first picture; None where hold is lost."""
        if self._count < _FEWEST:
            return None
        there, seen = _flow(self._before, picture, self._points)
        back, again = _flow(picture, self._before, there)
        off = np.hypot(*(back - self._points).reshape(-1, 2).T)
        good = seen & again & (off < _BACK)
        if good.sum() < _FEWEST:
            return None
        moved, agreed = cv2.estimateAffinePartial2D(self._from[good], there[good], ransacReprojThreshold=_AGREE)
        if moved is None or agreed.sum() < max(_FEWEST, good.sum() / 2):
            return None
        self._moved = _after(np.asarray(moved, np.float64), self._base)
        if not self._alike(picture):
            return None
        kept = np.flatnonzero(good)[agreed.ravel() == 1]
        self._before, self._from, self._points = picture, self._from[kept], there[kept]
        if len(kept) < _RENEW * self._count:
            self._begin(picture)
        return self._moved

    def _alike(self, picture: Small) -> bool:
        """Whether the area still looks as it did at first."""
        back = cv2.warpAffine(picture, self._moved, picture.shape[::-1], flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        seen = cv2.warpAffine(np.full_like(picture, 255), self._moved, picture.shape[::-1], flags=cv2.WARP_INVERSE_MAP)
        inside = (self._mask > 0) & (seen > 0)
        if inside.sum() < _FEWEST:
            return False  # it has left the picture
        one, other = self._first[inside].astype(np.float64), back[inside].astype(np.float64)
        one, other = one - one.mean(), other - other.mean()
        return float((one * other).sum()) >= _LIKE * float(np.sqrt((one**2).sum() * (other**2).sum()))


def _flow(before: Small, after: Small, points: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """Where points (N, 1, 2) have gone to, and which of them were found there."""
    there, seen, _ = cv2.calcOpticalFlowPyrLK(before, after, points, np.empty_like(points))
    return np.asarray(there, np.float32), np.asarray(seen).ravel() == 1


def _after(second: Moving, first: Moving) -> Moving:
    """The movement that two make, one after the other."""
    whole = np.vstack([second, (0, 0, 1)]) @ np.vstack([first, (0, 0, 1)])
    return np.asarray(whole[:2])


def _place(number: int, middle: tuple[float, float], moved: Moving, start: Pose, size: tuple[int, ...], turn: float) -> Pose:
    """A movement as the place of an area that stood at ``start``; ``turn``: how it was turned in the frame beside it."""
    x, y = moved @ (*middle, 1.0)
    angle = start.turn + degrees(atan2(moved[1, 0], moved[0, 0]))
    angle += 360 * round((turn - angle) / 360)
    return Pose(
        number,
        start.across + float(x - middle[0]) / size[1] * 100,
        start.down + float(y - middle[1]) / size[0] * 100,
        start.scale * hypot(moved[0, 0], moved[1, 0]),
        angle,
    )


def _turning_points(places: list[Pose]) -> list[Pose]:
    """The places that straight motion between others does not tell."""
    figures = np.array([(place.across, place.down, place.scale, place.turn) for place in places])
    frames = np.array([place.frame for place in places], np.float64)
    kept, stack = {0, len(places) - 1}, [(0, len(places) - 1)]
    while stack:
        first, last = stack.pop()
        if last - first < 2:
            continue
        part = ((frames[first : last + 1] - frames[first]) / (frames[last] - frames[first]))[:, None]
        off = np.abs(figures[first : last + 1] - (figures[first] + (figures[last] - figures[first]) * part)) / np.array(_NEAR)
        worst = int(off.max(axis=1).argmax())
        if off[worst].max() > 1:
            kept.add(first + worst)
            stack += [(first, first + worst), (first + worst, last)]
    return [places[n] for n in sorted(kept)]
