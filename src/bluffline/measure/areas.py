"""Areas of the picture, and the pixels that a measurement is restricted to."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.signal.format import Model, SignalFormat

Point = tuple[float, float]


class Shape(StrEnum):
    """What the points of an area mean."""

    RECTANGLE = "rectangle"
    ELLIPSE = "ellipse"
    POLYGON = "polygon"


@dataclass(frozen=True, slots=True)
class Area:
    """A named part of the picture with a hard edge: a pixel whose centre lies inside belongs to it, any other does not.

    ``points``, in luma samples from the top left corner of the picture: two opposite corners of a rectangle, or of the
    rectangle around an ellipse; the corners of a polygon, which may cross itself (even-odd rule).

    Raises
    ------
    SettingsError : too few points for the shape.
    """

    name: str
    shape: Shape
    points: tuple[Point, ...]

    def __post_init__(self) -> None:
        least = 3 if self.shape is Shape.POLYGON else 2
        if len(self.points) < least or (self.shape is not Shape.POLYGON and len(self.points) > least):
            raise SettingsError(f"The area {self.name}: a {self.shape} needs {least} points, not {len(self.points)}.")

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right, bottom."""
        across, down = zip(*self.points, strict=True)
        return min(across), min(down), max(across), max(down)

    def moved(self, across: float, down: float) -> "Area":
        """The same area elsewhere."""
        return Area(self.name, self.shape, tuple((x + across, y + down) for x, y in self.points))

    def mask(self, width: int, height: int) -> NDArray[np.bool_]:
        """(height, width) bool: the pixels whose centres lie inside."""
        x, y = np.arange(width) + 0.5, (np.arange(height) + 0.5)[:, None]
        left, top, right, bottom = self.box
        if self.shape is Shape.RECTANGLE:
            return np.asarray((x >= left) & (x < right) & (y >= top) & (y < bottom))
        if self.shape is Shape.ELLIPSE:
            wide, high = max(right - left, 1e-9) / 2, max(bottom - top, 1e-9) / 2
            return np.asarray(((x - (left + right) / 2) / wide) ** 2 + ((y - (top + bottom) / 2) / high) ** 2 <= 1)
        inside = np.zeros((height, width), bool)
        for (x0, y0), (x1, y1) in zip(self.points, (*self.points[1:], self.points[0]), strict=True):
            if y0 == y1:
                continue
            rows = ((y >= min(y0, y1)) & (y < max(y0, y1))).ravel()
            crossing = x0 + (y.ravel()[rows] - y0) * (x1 - x0) / (y1 - y0)
            inside[rows] ^= x[None, :] > crossing[:, None]
        return inside


@dataclass(frozen=True, eq=False)
class Selection:
    """Pixels to measure, as runs: row r holds ``runs[starts[r]:starts[r + 1]]``, each from a column to the one after its last.

    ``starts``: (H + 1,) int32; ``runs``: (N, 2) int32, in order, not touching.
    """

    starts: NDArray[np.int32]
    runs: NDArray[np.int32]

    @property
    def count(self) -> int:
        """Number of pixels."""
        return int((self.runs[:, 1] - self.runs[:, 0]).sum())

    @classmethod
    def box(cls, source: SignalFormat, left: int, top: int, right: int, bottom: int) -> "Selection":
        """Columns left … right − 1 of rows top … bottom − 1, as far as the picture has them."""
        left, right = max(left, 0), min(right, source.width)
        top, bottom = max(top, 0), min(bottom, source.height)
        rows = np.arange(source.height + 1)
        high = max(bottom - top, 0) if right > left else 0
        starts = np.clip(rows - top, 0, high).astype(np.int32)
        return cls(starts, np.broadcast_to(np.array([left, right], np.int32), (high, 2)).copy())

    @classmethod
    def whole(cls, source: SignalFormat) -> "Selection":
        """Every pixel."""
        return cls.box(source, 0, 0, source.width, source.height)

    @classmethod
    def of_mask(cls, mask: NDArray[np.bool_]) -> "Selection":
        """The pixels that are True in an (H, W) mask."""
        edges = np.diff(np.pad(mask, ((0, 0), (1, 1))).astype(np.int8), axis=1)
        rows, first = np.nonzero(edges == 1)
        after = np.nonzero(edges == -1)[1]
        starts = np.searchsorted(rows, np.arange(mask.shape[0] + 1)).astype(np.int32)
        return cls(starts, np.stack([first, after], axis=1).astype(np.int32))

    def at_sites(self, source: SignalFormat) -> "Selection":
        """The chroma sites that are co-sited with, or just beside, a selected pixel's even column and row.

        Where no selected pixel has one, as on an odd line alone, those that its pixels are coloured by.
        """
        across, down = source.halved if source.model is Model.YCBCR else (False, False)
        if not across and not down:
            return self
        starts, runs = self.starts, self.runs
        if down:
            height = len(starts) - 1
            first = source.rows_of_sites if source.height == height else np.arange(0, height, 2)
            step = 2 if source.interlaced and source.height == height else 1  # the next row of the same field
            lines = [runs[starts[row] : starts[row + 1]] for row in range(height)]
            even = [lines[row] for row in first]
            odd = [lines[row + step] if row + step < height else runs[:0] for row in first]
            kept = even if any(len(part) for part in even) else odd
            starts = np.concatenate([[0], np.cumsum([len(part) for part in kept])]).astype(np.int32)
            runs = np.concatenate(kept)
        if across:
            own = (runs + 1) // 2
            runs = own if (own[:, 1] > own[:, 0]).any() else np.stack([runs[:, 0] // 2, runs[:, 0] // 2 + 1], axis=1)
        return Selection(starts, runs)


class Taken(StrEnum):
    """Which part of the picture gauges take."""

    WHOLE = "whole picture"
    AREAS = "these areas"
    OTHERS = "all but these"


@lru_cache(maxsize=32)
def _selected(areas: tuple[Area, ...], taken: Taken, width: int, height: int) -> Selection:
    mask = np.zeros((height, width), bool)
    for area in areas:
        mask |= area.mask(width, height)
    return Selection.of_mask(mask if taken is Taken.AREAS else ~mask)


def select(source: SignalFormat, areas: Sequence[Area], taken: Taken = Taken.AREAS) -> Selection:
    """The pixels of any of several areas, all but those, or the whole picture (which is also what no areas mean)."""
    if taken is Taken.WHOLE or not areas:
        return Selection.whole(source)
    return _selected(tuple(areas), taken, source.width, source.height)
