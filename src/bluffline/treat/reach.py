"""Where a step acts: inside or outside areas with a feather, and on a key of hue, chroma and luma with soft borders.

Every soft border lies outside: full weight up to the line, then falling smoothly to none within the border's width.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import product
from math import cos, hypot, radians, sin
from typing import Annotated, Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.errors import SettingsError, require
from bluffline.measure.areas import Area, Shape
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr
from bluffline.treat import reach_kernels as kernels

Float = NDArray[np.floating[Any]]
Weights = NDArray[np.float32]

GREY = 5e-5  # of ±0.5: chroma up to which a colour has no hue
NO_CHROMA_BOUND, NO_LUMA_BOUND = 200.0, (-50.0, 150.0)  # percent from which a key's range has no end
_INNER, _ALL_HUES = 0.95, 150.0  # of colours picked, those that a key surely takes; half-width from which hue is no matter
_ROOM, _BORDERS = (3.0, 2.0, 2.0), (10.0, 5.0, 8.0)  # degrees, percent, percent: about what was picked, and softly beyond
_ROUND = 180  # corners that an ellipse is given where its distance is needed
PLACED = Between(-100, 200)


@dataclass(frozen=True, slots=True)
class Pose:
    """Where a followed area stands at a frame of the programme: moved in percent of the picture, scaled, turned in degrees."""

    frame: Annotated[int, Between(0, 1 << 30)]
    across: Annotated[float, Between(-300, 300)] = 0.0
    down: Annotated[float, Between(-300, 300)] = 0.0
    scale: Annotated[float, Between(0.01, 100)] = 1.0
    turn: Annotated[float, Between(-36000, 36000)] = 0.0

    @property
    def bounded(self) -> "Pose":
        """The nearest that can be stored."""
        ends = {"across": (-300, 300), "down": (-300, 300), "scale": (0.01, 100), "turn": (-36000, 36000)}
        return replace(self, **{name: min(max(getattr(self, name), low), high) for name, (low, high) in ends.items()})


@dataclass(frozen=True, slots=True)
class ReachArea:
    """A part of the picture with a soft border.

    ``points``: as those of `measure.areas.Area`, in percent of the picture's width and height; ``feather``: percent of its
    height; ``follow``: places at frames of the programme, in order, with straight motion between.

    Raises
    ------
    SettingsError : too few points for the shape, or places out of order
    """

    shape: Shape
    points: tuple[tuple[Annotated[float, PLACED], Annotated[float, PLACED]], ...]
    feather: Annotated[float, Between(0, 100)] = 0.0
    follow: tuple[Pose, ...] = ()

    def __post_init__(self) -> None:
        Area("reach", self.shape, self.points)
        frames = [place.frame for place in self.follow]
        require(frames == sorted(set(frames)), "The places of a followed area must be in the order of their frames.")

    def at(self, frame: int) -> "ReachArea":
        """Where it stands at a frame, followed no further."""
        if not self.follow:
            return self
        frames = [place.frame for place in self.follow]
        across, down, scale, turn = (
            float(np.interp(frame, frames, [getattr(place, name) for place in self.follow]))
            for name in ("across", "down", "scale", "turn")
        )
        return replace(self, follow=(Pose(0, across, down, scale, turn),))

    def shifted(self, by: int) -> "ReachArea":
        """The same with its places so many frames later; where some would lie before the first, it stands there as it did."""
        moved = [replace(place, frame=place.frame + by) for place in self.follow if place.frame + by >= 0]
        if len(moved) < len(self.follow) and (not moved or moved[0].frame > 0):
            moved.insert(0, replace(self.at(-by).follow[0], frame=0))
        return replace(self, follow=tuple(moved))

    def outline(self, width: int, height: int) -> Area:
        """Its line, in samples of a picture."""
        points = tuple((x * width / 100, y * height / 100) for x, y in self.points)
        return Area("reach", self.shape, points)


@dataclass(frozen=True, slots=True)
class Key:
    """Colours that a step acts on.

    ``hue``: centre, half-width and border in degrees of the vectorscope; ``chroma``, ``luma``: low, high and border in percent,
    chroma of the largest 100 % target. ``clean``: radius up to which specks go; ``soften``: spread of a blur; both in percent
    of the picture's height.

    Raises
    ------
    SettingsError : a range that runs downwards
    """

    hue: tuple[Annotated[float, Between(-360, 360)], Annotated[float, Between(0, 180)], Annotated[float, Between(0, 180)]] = (
        0.0, 180.0, 0.0,
    )  # fmt: skip
    chroma: tuple[Annotated[float, Between(0, 200)], Annotated[float, Between(0, 200)], Annotated[float, Between(0, 200)]] = (
        0.0, NO_CHROMA_BOUND, 0.0,
    )  # fmt: skip
    luma: tuple[Annotated[float, Between(-50, 150)], Annotated[float, Between(-50, 150)], Annotated[float, Between(0, 200)]] = (
        *NO_LUMA_BOUND, 0.0,
    )  # fmt: skip
    clean: Annotated[float, Between(0, 5)] = 0.0
    soften: Annotated[float, Between(0, 10)] = 0.0
    inverted: bool = False

    def __post_init__(self) -> None:
        for name, (low, high, _) in (("chroma", self.chroma), ("luma", self.luma)):
            if high < low:
                raise SettingsError(f"A key's {name} must run upwards.")

    @classmethod
    def of(cls, rgb: Float, matrix: Matrix) -> "Key":
        """The key of some colours (N, 3): all but the outermost of them, with soft borders."""
        ycbcr = rgb_to_ycbcr(np.asarray(rgb, np.float64).reshape(-1, 3), matrix)
        size = np.hypot(ycbcr[:, 1], ycbcr[:, 2])
        strong = size > GREY
        hue = (0.0, 180.0, 0.0)
        if strong.mean() > 0.5:
            angles = np.arctan2(ycbcr[strong, 2], ycbcr[strong, 1])
            centre = float(np.degrees(np.angle(np.exp(1j * angles).mean())))
            away = np.abs((np.degrees(angles) - centre + 180) % 360 - 180)
            half = float(np.quantile(away, _INNER)) + _ROOM[0]
            hue = (round(centre, 1), round(min(half, 180.0), 1), _BORDERS[0]) if half < _ALL_HUES else hue
        percents = (size / largest_target(matrix) * 100, ycbcr[:, 0] * 100)
        ends = ((0.0, NO_CHROMA_BOUND), NO_LUMA_BOUND)
        chroma, luma = (
            _range_of(values, room, border, end)
            for values, room, border, end in zip(percents, _ROOM[1:], _BORDERS[1:], ends, strict=True)
        )
        return cls(hue, chroma, luma)

    def joined(self, other: "Key") -> "Key":
        """One that takes what either takes."""
        turned = (other.hue[0] - self.hue[0] + 180) % 360 - 180
        low, high = min(-self.hue[1], turned - other.hue[1]), max(self.hue[1], turned + other.hue[1])
        half = (high - low) / 2
        middle = round((self.hue[0] + (low + high) / 2 + 180) % 360 - 180, 1)
        hue = (0.0, 180.0, 0.0) if half >= _ALL_HUES else (middle, half, self.hue[2])
        chroma, luma = (
            (min(own[0], more[0]), max(own[1], more[1]), max(own[2], more[2]))
            for own, more in ((self.chroma, other.chroma), (self.luma, other.luma))
        )
        return replace(self, hue=hue, chroma=chroma, luma=luma)

    def without(self, other: "Key") -> "Key":
        """One that leaves out what another takes: of the range in which they overlap least, the part beside it.

        Raises
        ------
        SettingsError : the other takes all of it
        """
        ways = []
        for name in ("chroma", "luma"):
            (low, high, border), (first, last, _) = getattr(self, name), getattr(other, name)
            ways += [(first - border - low, name, (low, first - border, border))]
            ways += [(high - last - border, name, (last + border, high, border))]
        turned = (other.hue[0] - self.hue[0] + 180) % 360 - 180
        beside = other.hue[1] + self.hue[2]
        for low, high in ((-self.hue[1], turned - beside), (turned + beside, self.hue[1])):
            if other.hue[1] < 180:
                middle = round((self.hue[0] + (low + high) / 2 + 180) % 360 - 180, 1)
                ways.append(((high - low) / 3.6, "hue", (middle, (high - low) / 2, self.hue[2])))
        left, name, kept = max(ways)
        if left < 1:
            raise SettingsError("That would leave nothing of the key.")
        return replace(self, **{name: kept})  # type: ignore[arg-type]

    @property
    def looks_about(self) -> bool:
        """Whether a pixel's weight depends on its neighbours."""
        return self.clean > 0 or self.soften > 0

    def weights(self, rgb: Float, matrix: Matrix) -> NDArray[np.float64]:
        """(..., 3) R′G′B′ to (...) weights, before cleaning, softening and inverting."""
        ycbcr = rgb_to_ycbcr(np.asarray(rgb, np.float64), matrix)
        luma, cb, cr = ycbcr[..., 0] * 100, ycbcr[..., 1], ycbcr[..., 2]
        size = np.hypot(cb, cr)
        centre, half, border = self.hue
        weight = within(luma, *self.luma, ends=NO_LUMA_BOUND)
        weight = weight * within(size / largest_target(matrix) * 100, *self.chroma, ends=(0.0, NO_CHROMA_BOUND))
        if half < 180:
            away = np.abs((np.degrees(np.arctan2(cr, cb)) - centre + 180) % 360 - 180)
            weight = weight * np.where(size <= GREY, 0.0, falling(away - half, border))
        return weight

    def finished(self, weights: Weights) -> Weights:
        """(H, W) weights of a whole picture, cleaned and softened."""
        height = weights.shape[0]
        if self.clean > 0:
            radius = max(round(self.clean / 100 * height), 1)
            across, down = np.ogrid[-radius : radius + 1, -radius : radius + 1]
            disc = (np.hypot(across, down) <= radius + 0.25).astype(np.uint8)  # the library's own is wider than high
            opened = cv2.morphologyEx(weights, cv2.MORPH_OPEN, disc, borderType=cv2.BORDER_REPLICATE)
            weights = cv2.morphologyEx(opened, cv2.MORPH_CLOSE, disc, borderType=cv2.BORDER_REPLICATE)  # type: ignore[assignment]
        if self.soften > 0:
            spread = self.soften / 100 * height
            size = 2 * int(np.ceil(3 * spread)) + 1
            weights = cv2.GaussianBlur(weights, (size, size), spread, borderType=cv2.BORDER_REPLICATE)  # type: ignore[assignment]
        return weights

    def figures(self, matrix: Matrix) -> tuple[float, ...]:
        """What the compiled pass takes: ranges as they are, and the scale of chroma."""
        return (*self.hue, *self.chroma, *self.luma, 100 / largest_target(matrix), GREY)


@dataclass(frozen=True, slots=True)
class Reach:
    """Where a step acts; everywhere where there is neither an area nor a key. Several areas count as one."""

    inside: bool = True
    areas: tuple[ReachArea, ...] = ()
    key: Key | None = None

    @property
    def everywhere(self) -> bool:
        """Whether it leaves nothing out."""
        return not self.areas and self.key is None

    def at(self, frame: int) -> "Reach":
        """The same with its areas where they stand at a frame of the programme."""
        if not any(area.follow for area in self.areas):
            return self
        return replace(self, areas=tuple(area.at(frame) for area in self.areas))

    @property
    def text(self) -> str:
        """What it reaches, in a few words."""
        words = []
        if self.areas:
            count = "an area" if len(self.areas) == 1 else f"{len(self.areas)} areas"
            words.append(("inside " if self.inside else "all but ") + count)
        if self.key is not None:
            words.append("all but a key" if self.key.inverted else "a key")
        return ", ".join(words) or "everywhere"

    def area_weights(self, width: int, height: int) -> Weights | None:
        """(height, width) weights of its areas, where none is followed any more; None where there are none."""
        return _area_weights(self.areas, self.inside, width, height) if self.areas else None


EVERYWHERE = Reach()


@lru_cache(maxsize=8)
def _area_weights(areas: tuple[ReachArea, ...], inside: bool, width: int, height: int) -> Weights:
    weights = np.zeros((height, width), np.float32)
    for area in areas:
        outline = area_in_samples(area, width, height)
        weights[outline.mask(width, height)] = 1
        if area.feather > 0:
            corners = np.array(_corners(outline), np.float64)
            kernels.feather(corners, area.feather / 100 * height, weights)
    if not inside:
        np.subtract(1, weights, out=weights)
    weights.setflags(write=False)
    return weights


def area_in_samples(area: ReachArea, width: int, height: int) -> Area:
    """An area in samples where its one place has it: scaled and turned about its middle, in square pixels."""
    outline = area.outline(width, height)
    if not area.follow:
        return outline
    place = area.follow[0]
    left, top, right, bottom = outline.box
    middle = (left + right) / 2, (top + bottom) / 2
    shift = middle[0] + place.across * width / 100, middle[1] + place.down * height / 100
    across, up = place.scale * cos(radians(place.turn)), place.scale * sin(radians(place.turn))

    def moved(points: Sequence[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
        apart = [(x - middle[0], y - middle[1]) for x, y in points]
        return tuple((shift[0] + x * across - y * up, shift[1] + x * up + y * across) for x, y in apart)

    if place.turn == 0:
        return replace(outline, points=moved(outline.points))
    return Area("reach", Shape.POLYGON, moved(_corners(outline)))


def _corners(area: Area) -> tuple[tuple[float, float], ...]:
    """The corners of an area; of an ellipse, many."""
    if area.shape is Shape.POLYGON:
        return area.points
    left, top, right, bottom = area.box
    if area.shape is Shape.RECTANGLE:
        return (left, top), (right, top), (right, bottom), (left, bottom)
    angles = np.arange(_ROUND) * 2 * np.pi / _ROUND
    x = (left + right) / 2 + (right - left) / 2 * np.cos(angles)
    y = (top + bottom) / 2 + (bottom - top) / 2 * np.sin(angles)
    return tuple(zip(x.tolist(), y.tolist(), strict=True))


def _range_of(values: Float, room: float, border: float, ends: tuple[float, float]) -> tuple[float, float, float]:
    """The range of a key about most of some values."""
    low, high = (float(each) for each in np.quantile(values, (1 - _INNER, _INNER)))
    return round(max(low - room, ends[0]), 1), round(min(high + room, ends[1]), 1), border


@lru_cache(maxsize=4)
def largest_target(matrix: Matrix) -> float:
    """The distance from the middle, Cb and Cr being ±0.5, of the furthest of the 100 % colours on a vectorscope."""
    corners = np.array(list(product((0.0, 1.0), repeat=3)))
    return max(hypot(cb, cr) for _, cb, cr in rgb_to_ycbcr(corners, matrix).tolist())


def falling(over: Float, border: float) -> NDArray[np.float64]:
    """1 up to 0, falling smoothly to 0 at ``border``; at once where that is 0."""
    if border <= 0:
        return np.where(over <= 0, 1.0, 0.0)
    part = np.clip(over / border, 0, 1)
    return np.asarray(1 - part * part * (3 - 2 * part))


def within(value: Float, low: float, high: float, border: float, ends: tuple[float, float]) -> NDArray[np.float64]:
    """Weight of values in a range with soft borders; an end of the range that stands at its own end is none."""
    weight = np.ones(np.shape(value))
    if low > ends[0]:
        weight = weight * falling(low - value, border)
    if high < ends[1]:
        weight = weight * falling(value - high, border)
    return weight
