"""The chart frame: a four-cornered grid laid over a filmed chart."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from bluffline.charts.reference import Layout
from bluffline.errors import ChartError

Point = tuple[float, float]
SURE = 0.7  # confidence from which a frame found is taken without being looked at
_UNIT = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))
_LEAST_SIDE = 8.0  # picture pixels


@dataclass(frozen=True, slots=True)
class ChartFrame:
    """Corners of the grid of cells: the chart's own upper left, upper right, lower right and lower left.

    In luma samples from the top left corner of the picture, wherever the chart is turned to; a mirrored chart runs the
    other way round. ``confidence``: 0 … 1 where the frame was found automatically, None where it was placed by hand;
    ``others``: how many more charts like it were found elsewhere in the picture.

    Raises
    ------
    ChartError : the corners do not span a convex quadrangle
    """

    corners: tuple[Point, Point, Point, Point]
    confidence: float | None = None
    others: int = 0

    def __post_init__(self) -> None:
        points = np.array(self.corners)
        sides = np.roll(points, -1, axis=0) - points
        turns = sides[:, 0] * np.roll(sides[:, 1], -1) - sides[:, 1] * np.roll(sides[:, 0], -1)
        if not ((turns > 0).all() or (turns < 0).all()) or np.hypot(*sides.T).min() < _LEAST_SIDE:
            raise ChartError("The four corners of the chart frame must span a quadrangle without a dent.")

    @classmethod
    def of(cls, numbers: Sequence[float]) -> "ChartFrame":
        """A frame from x1, y1 … x4, y4."""
        if len(numbers) != 8:
            raise ChartError(f"A chart frame has four corners, so eight numbers, not {len(numbers)}.")
        points = [(float(x), float(y)) for x, y in zip(numbers[::2], numbers[1::2], strict=True)]
        return cls((points[0], points[1], points[2], points[3]))

    @property
    def mirrored(self) -> bool:
        """Whether the chart is seen from behind or in a mirror."""
        return shoelace(np.array(self.corners)) < 0

    def with_corner(self, number: int, point: Point) -> "ChartFrame":
        """The frame with one corner placed by hand."""
        corners = list(self.corners)
        corners[number] = point
        return ChartFrame((corners[0], corners[1], corners[2], corners[3]))

    def moved(self, across: float, down: float) -> "ChartFrame":
        """The frame elsewhere."""
        a, b, c, d = ((x + across, y + down) for x, y in self.corners)
        return replace(self, corners=(a, b, c, d))

    def turned(self) -> "ChartFrame":
        """The same place, with the chart turned by a quarter."""
        a, b, c, d = self.corners
        return ChartFrame((b, c, d, a))

    def homography(self) -> NDArray[np.float64]:
        """(3, 3) from the chart's unit square to the picture."""
        return homography(np.array(_UNIT), np.array(self.corners))

    def cells(self, layout: Layout, share: float = 1.0) -> NDArray[np.float64]:
        """(N, 4, 2) corners in the picture of the middle ``share`` (of width and of height) of each patch."""
        half = (1 - np.array(layout.gap)) * share / 2
        centres = np.array([(column + 0.5, row + 0.5) for row in range(layout.rows) for column in range(layout.columns)])
        offsets = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * half
        unit = (centres[:, None] + offsets) / (layout.columns, layout.rows)
        return project(self.homography(), unit)


def homography(points: NDArray[np.float64], images: NDArray[np.float64]) -> NDArray[np.float64]:
    """(3, 3) that takes four ``points`` (4, 2) to their ``images``."""
    rows, values = [], []
    for (x, y), (u, v) in zip(points, images, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        values += [u, v]
    return np.append(np.linalg.solve(np.array(rows), np.array(values)), 1.0).reshape(3, 3)


def project(matrix: NDArray[np.float64], points: NDArray[np.float64]) -> NDArray[np.float64]:
    """(..., 2) points through a homography."""
    seen = np.concatenate([points, np.ones((*points.shape[:-1], 1))], axis=-1) @ matrix.T
    return np.asarray(seen[..., :2] / seen[..., 2:])


def shoelace(points: NDArray[np.float64]) -> float:
    """Area of a polygon of (N, 2) points; positive where it runs clockwise as seen on a screen."""
    x, y = points[:, 0], points[:, 1]
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2
