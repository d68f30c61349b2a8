"""Flashes [BT1702]: what of a picture brightens and darkens, or turns red and back, how often within a second."""

from dataclasses import dataclass
from functools import lru_cache
from math import ceil
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import flash_kernels as kernels
from bluffline.measure.counted import rgb_arithmetic
from bluffline.signal.colorimetry import HDR_WHITE, HLG_GAMMA, HLG_PEAK, rgb_to_xyz, to_light
from bluffline.signal.format import Model, Planes, Scan, SignalFormat

_STEP, _BRIGHT, _CONTRAST = 20.0, 160.0, 1 / 17  # cd/m² that count; from where contrast counts instead, and how much [BT1702]
_RED_STEP, _RED_SHARE, _RED_SCALE = 20.0, 0.8, 320.0  # of R − G − B, and of R in all three where red is saturated [WCAG22]
_ACROSS = 120  # points of a line at most
_COLUMNS, _ROWS, _TOGETHER = 16, 9, 0.85  # cells, and the share of their points that change which has to go one way
_LATELY = 0.24  # seconds in which a change has to have come about; that is longer than half of any flash that counts
_SHORTEST_LATELY = 13  # pictures
_FINE = 4096  # steps of signal to 100 %, by which light is told
Single = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class FlashLimits:
    """``area``: percent of the screen that may flash; ``flashes``: a second; ``white``: cd/m² of a display for SDR."""

    area: float
    flashes: int
    white: float


@dataclass(frozen=True, slots=True)
class FlashMeasure:
    """Of a frame: how often the area asked for has flashed within the last second, at least, and what share flashed too often.

    ``count``: flashes; ``area``: percent of the screen; ``rise``: percent that brightens in this frame; the same for red.
    """

    count: int = 0
    area: float = 0.0
    rise: float = 0.0
    red_count: int = 0
    red_area: float = 0.0
    red_rise: float = 0.0


@dataclass(frozen=True, slots=True)
class Light:
    """One picture in time on a display, on a grid of points, (P,) each.

    ``luminance``: cd/m²; ``red``: how far red goes beyond green and blue together, 320 for pure red as bright as white has it;
    ``saturated``: where red is four fifths of all light.
    """

    luminance: NDArray[np.float32]
    red: NDArray[np.float32]
    saturated: NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class _Grid:
    """Rows and columns of points, (rows,) for each field in the order they are shown, and the cell of each point."""

    rows: tuple[NDArray[np.int64], ...]
    columns: NDArray[np.int64]
    cells: NDArray[np.int64]

    @classmethod
    def of(cls, source: SignalFormat) -> "_Grid":
        step = -(-source.width // _ACROSS)
        columns = np.arange(step // 2, source.width, step)
        rows = np.arange(step // 2, source.height, step)
        cells = (rows * _ROWS // source.height)[:, None] * _COLUMNS + columns * _COLUMNS // source.width
        fields = (0,) if source.scan is Scan.PROGRESSIVE else (0, 1) if source.scan is Scan.TOP_FIRST else (1, 0)
        if len(fields) > 1:
            rows = np.minimum(rows // 2 * 2, source.height // 2 * 2 - 2)
        return cls(tuple(rows + field for field in fields), columns, cells.ravel())


_grid = lru_cache(maxsize=8)(_Grid.of)


def lights(planes: Planes, source: SignalFormat, white: float) -> tuple[Light, ...]:
    """A frame as a display of so many cd/m² shows it: at once, or one field after the other."""
    grid = _grid(source)
    return tuple(_shown(signal_at(planes, source, rows, grid.columns), source, white) for rows in grid.rows)


def signal_at(planes: Planes, source: SignalFormat, rows: NDArray[np.int64], columns: NDArray[np.int64]) -> Single:
    """R′, G′ and B′ of points, (3, P), 0 … 1; each point has the chroma that it is stored with."""
    levels, single = source.levels, np.float32
    if source.model is Model.RGB:
        parts = np.stack([plane[np.ix_(rows, columns)].ravel().astype(single) for plane in planes])
        return (parts - single(levels.black)) * single(1 / levels.swing)
    *_, codes, gains = rgb_arithmetic(source)
    sites = source.sites_of_rows[rows], columns // 2 if source.halved[0] else columns
    found = np.empty((3, len(rows) * len(columns)), single)
    kernels.components(*planes, rows, sites[0], columns, sites[1], codes, gains, found)
    return found


@lru_cache(maxsize=8)
def _light_of(transfer: str) -> Single:
    """Light of signals from 0 up, `_FINE` steps to 1."""
    return to_light(np.arange(2 * _FINE) / _FINE, transfer).astype(np.float32)


def _shown(signal: Single, source: SignalFormat, white: float) -> Light:
    weights = [np.float32(weight) for weight in rgb_to_xyz(source.primaries)[1]]
    red, green, blue = kernels.looked_up(signal, _light_of(source.transfer), np.float32(_FINE))
    luminance = weights[0] * red + weights[1] * green + weights[2] * blue
    scale: Any = np.float32(white)
    if source.transfer == "pq":
        scale, white = np.float32(HDR_WHITE), HDR_WHITE
    elif source.transfer == "hlg":
        scale, white = HLG_PEAK * np.maximum(luminance, 1e-9) ** (HLG_GAMMA - 1), HLG_PEAK
    over = np.maximum(red - green - blue, 0) * scale * np.float32(_RED_SCALE / white)
    saturated = (red >= np.float32(_RED_SHARE) * (red + green + blue)) & (red > 0)
    return Light(np.asarray(luminance * scale, np.float32), np.asarray(over, np.float32), saturated)


class _Counting:
    """Counts how often each point has risen within a second, of one figure."""

    def __init__(self, limits: tuple[float, float, float, bool], lately: int, second: int) -> None:
        self._limits, self._lately, self._second = limits, lately, second
        self._taken = 0
        self._values = self._marked = self._states = self._rose = np.zeros((0, 0))
        self.counts = np.zeros(0, np.int32)

    def add(self, values: NDArray[np.float32], marked: NDArray[np.bool_], cells: NDArray[np.int64]) -> int:
        """How many points rise in the next picture; a picture of another size begins anew."""
        if len(values) != len(self.counts):
            points, lately = len(values), self._lately
            self._values, self._marked = np.zeros((lately, points), np.float32), np.zeros((lately, points), np.bool_)
            self._states, self._rose = np.zeros((points, lately), np.int8), np.zeros((points, self._second), np.bool_)
            self.counts = np.zeros(points, np.int32)
            self._taken = 0
        newest, turn = self._taken % self._lately, self._taken % self._second
        self._values[newest], self._marked[newest] = values, marked
        self._taken += 1
        rising: int = kernels.count_flashes(
            self._values, self._marked, cells, _TOGETHER, self._states, self._rose, self.counts, newest, turn,
            min(self._taken, self._lately), self._limits,
        )  # fmt: skip
        return rising


class FlashHistory:
    """What the frames so far mean for the flashes of the next one.

    A point flashes each time that it brightens, where it has darkened before or stood still: by 20 cd/m² where the darker of
    both is under 160, else by a contrast of a seventeenth; or that it turns to or from saturated red. What changes in its part
    of the picture has to go the same way: what moves past, or glitters, goes both. It is told of a frame from no more than
    `frames` before it.
    """

    def __init__(self, limits: FlashLimits, rate: float, source: SignalFormat) -> None:
        self._limits = limits
        self._fields = 1 if source.scan is Scan.PROGRESSIVE else 2
        pictures = rate * self._fields
        self._second = max(ceil(pictures - 1e-6), 1)
        self._lately = max(_SHORTEST_LATELY, ceil(pictures * _LATELY) + 1)
        self.clear()

    @property
    def frames(self) -> int:
        """How many frames before one tell of its flashes."""
        return -(-(self._second + 2 * self._lately) // self._fields)

    def clear(self) -> None:
        """Begin anew."""
        self._light = _Counting((_STEP, _BRIGHT, _CONTRAST, False), self._lately, self._second)
        self._red = _Counting((_RED_STEP, np.inf, 0.0, True), self._lately, self._second)

    def add(self, shown: tuple[Light, ...], source: SignalFormat) -> FlashMeasure:
        """What a frame, read by ``source``, adds: of its fields, what is worst."""
        told = [self._field(each, _grid(source).cells) for each in shown]
        return FlashMeasure(*(max(figures) for figures in zip(*told, strict=True)))

    def _field(self, shown: Light, cells: NDArray[np.int64]) -> tuple[Any, ...]:
        found: list[Any] = []
        for counting, values in ((self._light, shown.luminance), (self._red, shown.red)):
            share = 100 / len(values)
            rise = counting.add(values, shown.saturated, cells) * share
            of_each = np.cumsum(np.bincount(counting.counts)[::-1])[::-1] * share  # percent that flashed so often at least
            enough = np.flatnonzero(of_each > self._limits.area)
            many = self._limits.flashes + 1
            found += [int(enough[-1]) if len(enough) else 0, float(of_each[many]) if len(of_each) > many else 0.0, rise]
        return tuple(found)
