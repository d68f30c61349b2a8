"""Everything the survey keeps of one frame, from its native samples."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import survey_kernels as kernels
from bluffline.measure.plateau import Plateau, find_plateau, row_step
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.matrix import ChromaGains

Planes = tuple[NDArray[Any], NDArray[Any], NDArray[Any]]
Histogram = NDArray[np.int64]

GRID_COLUMNS, GRID_ROWS = 16, 9
_COARSE = 32  # bins of luma; chroma has half as many
_COMB_GAP, _COMB_LEAST = 8, 10  # codes that one gap of a comb may skip; gaps that make a comb
_LOW_PERCENTILE, _HIGH_PERCENTILE = 0.001, 0.999


@dataclass(frozen=True, slots=True)
class Region:
    """A rectangle of the picture in luma samples; ``x`` and ``y`` are even, so that chroma sites fall inside."""

    x: int
    y: int
    width: int
    height: int

    @classmethod
    def whole(cls, source: SignalFormat) -> "Region":
        """All of the stored picture."""
        return cls(0, 0, source.width, source.height)

    @property
    def edges(self) -> tuple[int, int, int, int]:
        """Left, right, top, bottom; right and bottom are the first beyond."""
        return self.x, self.x + self.width, self.y, self.y + self.height

    def as_list(self) -> list[int]:
        """x, y, width, height."""
        return [self.x, self.y, self.width, self.height]


@dataclass(frozen=True, slots=True)
class Limits:
    """Legal luma and R′G′B′, low and high, in percent of the nominal range."""

    luma: tuple[float, float]
    rgb: tuple[float, float]


@dataclass(frozen=True, slots=True)
class AreaMeasure:
    """Luma of one area with limits of its own: extremes in codes, and percent of the area outside."""

    y_min: int
    y_max: int
    high_area: float
    low_area: float


@dataclass(frozen=True, slots=True)
class FrameMeasure:
    """Measurements of the active picture of one frame.

    Luma and chroma extremes, mean and percentiles are native code values; ``rgb_*`` are percent; areas are percent of
    the active picture. ``histograms``: Y′, Cb, Cr, each (2**depth,) int64 pixel counts. ``blocks``: (9, 16) float32 mean
    luma and ``spread``: (64,) float32 shares, the evidence by which shots are told apart. ``combing``: percent of the luma
    codes in use that are skipped by turns; ``gamut_area``: percent of the active picture outside the gamut asked for.
    """

    y_min: int
    y_max: int
    y_mean: float
    y_p01: int
    y_p999: int
    cb_min: int
    cb_max: int
    cr_min: int
    cr_max: int
    rgb_min: float
    rgb_max: float
    luma_high_area: float
    luma_low_area: float
    rgb_high_area: float
    rgb_low_area: float
    clip_high: Plateau
    clip_low: Plateau
    histograms: tuple[Histogram, Histogram, Histogram]
    blocks: NDArray[np.float32]
    spread: NDArray[np.float32]
    combing: float = 0.0
    gamut_area: float = 0.0
    areas: tuple[AreaMeasure, ...] = ()


def rounding_allowance(source: SignalFormat) -> float:
    """How far R′, G′ or B′ can stray because Y′, Cb and Cr were each rounded to a code, as a share of 0 … 1.

    A 75 % bar is legal although its rounded codes compute to −0.1 %; the limits are widened by this much and no more.
    """
    if source.model is Model.RGB:
        return 0.0
    gains, levels = ChromaGains.of(source.matrix), source.levels
    largest = max(gains.red_cr, gains.blue_cb, -gains.green_cb - gains.green_cr)
    return 0.5 / levels.swing + 0.5 * largest / levels.span


def measure_frame(
    planes: Planes, source: SignalFormat, region: Region, limits: Limits, left_out: Sequence[Region] = ()
) -> FrameMeasure:
    """Measure native planes once.

    Parameters
    ----------
    planes : three (rows, stride) uint8 or uint16 arrays in ``source``
    region : the active picture
    limits : what counts as outside; luma limits are rounded to a code, as R 103 states them
    left_out : parts of it that are not looked at, but for the evidence of shots
    """
    if planes[0].dtype != (np.uint8 if source.bit_depth == 8 else np.uint16):
        raise ValueError(f"planes of {planes[0].dtype} don't hold {source.bit_depth}-bit samples")
    levels = source.levels
    parts = [part.edges for part in without(region, left_out)]
    bins = 1 << source.bit_depth
    stored, planes = planes, ycbcr_planes(planes, source)
    extremes, histograms = zip(*(_look(stored, planes, source, edges, limits) for edges in parts), strict=True)
    summed: NDArray[np.int64] = np.sum(histograms, axis=0)
    luma_histogram, cb_histogram, cr_histogram = summed
    least, greatest, below, above = zip(*extremes, strict=True)
    pixels = max(int(luma_histogram.sum()), 1)
    y_codes, cb_codes, cr_codes = (_used(h) for h in (luma_histogram, cb_histogram, cr_histogram))
    cumulative = np.cumsum(luma_histogram)
    low_code, high_code = (round(levels.code(percent)) for percent in limits.luma)
    luma_low = int(luma_histogram[: max(low_code, 0)].sum())
    luma_high = int(luma_histogram[high_code + 1 :].sum())
    low_end = int(np.searchsorted(cumulative, _LOW_PERCENTILE * pixels, side="right"))
    high_end = int(np.searchsorted(cumulative, _HIGH_PERCENTILE * pixels))
    return FrameMeasure(
        y_min=y_codes[0],
        y_max=y_codes[1],
        y_mean=float(luma_histogram @ np.arange(bins)) / pixels,
        y_p01=low_end,
        y_p999=high_end,
        cb_min=cb_codes[0],
        cb_max=cb_codes[1],
        cr_min=cr_codes[0],
        cr_max=cr_codes[1],
        rgb_min=min(least) * 100.0,
        rgb_max=max(greatest) * 100.0,
        luma_high_area=100.0 * luma_high / pixels,
        luma_low_area=100.0 * luma_low / pixels,
        rgb_high_area=100.0 * sum(above) / pixels,
        rgb_low_area=100.0 * sum(below) / pixels,
        clip_high=find_plateau(planes[0], luma_histogram, levels, parts, top=True),
        clip_low=find_plateau(planes[0], luma_histogram, levels, parts, top=False),
        histograms=(luma_histogram, cb_histogram, cr_histogram),
        blocks=_block_means(planes[0], source, region.edges),
        spread=_spread(summed),
        combing=combing(luma_histogram, low_end, high_end),
    )


def _used(histogram: Histogram) -> tuple[int, int]:
    """The least and the greatest code that occurs; 0 and 0 where nothing was looked at."""
    codes = np.flatnonzero(histogram)
    return (int(codes[0]), int(codes[-1])) if len(codes) else (0, 0)


def without(region: Region, left_out: Sequence[Region]) -> list[Region]:
    """A region cut into rectangles that leave others out."""
    parts = [region]
    for hole in left_out:
        parts = [piece for part in parts for piece in _cut(part, hole)]
    # All of it left out: nothing to measure, so the smallest piece stands for it rather than a special case everywhere.
    return parts or [Region(region.x, region.y, 2, 2)]


def _cut(part: Region, hole: Region) -> Iterator[Region]:
    left, right, top, bottom = part.edges
    x0, x1, y0, y1 = hole.edges
    x0, x1, y0, y1 = max(x0, left), min(x1, right), max(y0, top), min(y1, bottom)
    if x0 >= x1 or y0 >= y1:
        yield part
        return
    for a, b, c, d in ((left, right, top, y0), (left, right, y1, bottom), (left, x0, y0, y1), (x1, right, y0, y1)):
        if b > a and d > c:
            yield Region(a, c, b - a, d - c)


def combing(histogram: Histogram, low: int, high: int) -> float:
    """How far a picture falls into bands: percent of the codes between two that are skipped, a few at a time, again and again.

    A stretched 8-bit picture skips a code every so often along its whole range. Bars and captions have few codes with wide
    gaps between, which are no combing.
    """
    used = np.flatnonzero(histogram[low : high + 1])
    if len(used) == high - low + 1:
        return 0.0
    gaps = np.diff(used) - 1
    narrow = gaps[(gaps > 0) & (gaps <= _COMB_GAP)]
    if len(narrow) < _COMB_LEAST or len(used) < 2 * _COMB_LEAST:
        return 0.0
    return 100.0 * float(narrow.sum()) / (high - low + 1)


def measure_area(planes: Planes, source: SignalFormat, region: Region, limits: tuple[float, float]) -> AreaMeasure:
    """Luma of one area against limits of its own (percent)."""
    luma, levels = ycbcr_planes(planes, source)[0], source.levels
    histogram = kernels.count_codes(luma, *region.edges, 1 << source.bit_depth)
    low, high = (round(levels.code(percent)) for percent in limits)
    least, greatest = _used(histogram)
    per_pixel = 100.0 / (region.width * region.height)
    return AreaMeasure(
        least, greatest, per_pixel * float(histogram[high + 1 :].sum()), per_pixel * float(histogram[: max(low, 0)].sum())
    )


def _look(
    stored: Planes, planes: Planes, source: SignalFormat, edges: tuple[int, int, int, int], limits: Limits
) -> tuple[tuple[float, float, int, int], NDArray[np.int64]]:
    """One part of the picture: least and greatest component (0 … 1), pixels below and above the limits; three histograms.

    ``planes``: Y′, Cb, Cr of what is ``stored``.
    """
    levels, bins = source.levels, 1 << source.bit_depth
    if source.model is Model.RGB:
        left, right, top, bottom = edges
        inside = [plane[top:bottom, left:right] for plane in stored]
        least, greatest = min(plane.min() for plane in inside), max(plane.max() for plane in inside)
        low, high = (round(levels.code(percent)) for percent in limits.rgb)
        below, above = kernels.count_outside(*stored, edges, max(low, 0), high)
        extremes = levels.percent(float(least)) / 100.0, levels.percent(float(greatest)) / 100.0
        return (*extremes, below, above), np.stack([kernels.count_codes(plane, *edges, bins) for plane in planes])
    arguments = (*rgb_arithmetic(source), widened_limits(limits, source), bins)
    found: tuple[tuple[float, float, int, int], NDArray[np.int64]]
    found = kernels.extremes_and_counts(*planes, edges, source.halved[1], *arguments)
    return found


@lru_cache(maxsize=8)
def rgb_arithmetic(source: SignalFormat) -> tuple[Any, ...]:
    """What kernels need to make R′G′B′ of Y′CbCr codes: halved, column taps, row taps, codes, gains, in single precision."""
    gains, taps, rows, levels = ChromaGains.of(source.matrix), source.column_taps, source.row_taps, source.levels
    single = np.float32
    return (
        source.halved[0],
        (single(taps.even_before), single(taps.even), single(taps.odd), single(taps.odd_after)),
        (rows.first, rows.second, rows.weight),
        (single(levels.black), single(1 / levels.swing), single(levels.zero), single(1 / levels.span)),
        (single(gains.red_cr), single(gains.green_cb), single(gains.green_cr), single(gains.blue_cb)),
    )


@lru_cache(maxsize=8)
def widened_limits(limits: Limits, source: SignalFormat) -> tuple[np.float32, np.float32]:
    """R′G′B′ limits, 0 … 1, widened by what rounding to codes can account for."""
    allowance = rounding_allowance(source)
    return np.float32(limits.rgb[0] / 100.0 - allowance), np.float32(limits.rgb[1] / 100.0 + allowance)


def ycbcr_planes(planes: Planes, source: SignalFormat) -> Planes:
    """Planes as Y′, Cb, Cr codes: themselves, or computed 4:4:4 at the same depth and range from R′G′B′."""
    if source.model is Model.YCBCR:
        return planes
    kr, kb = source.matrix.weights
    levels = source.levels
    per_b = levels.span / levels.swing / (2 * (1 - kb))
    per_r = levels.span / levels.swing / (2 * (1 - kr))
    single = np.float32
    converted: Planes = kernels.ycbcr_from_rgb(
        *planes,
        source.width,
        source.height,
        (single(kr), single(1 - kr - kb), single(kb), single(per_b), single(per_r)),
        single(levels.zero),
        single((1 << source.bit_depth) - 1),
    )
    return converted


def _block_means(luma: NDArray[Any], source: SignalFormat, edges: tuple[int, int, int, int]) -> NDArray[np.float32]:
    """Mean luma of a coarse grid, 0 … 1 of the nominal range."""
    step, samples = _block_samples(edges)
    sums = kernels.block_sums(luma, *edges, GRID_COLUMNS, GRID_ROWS, step)
    return np.asarray((sums / samples - source.levels.black) / source.levels.swing, np.float32)


@lru_cache(maxsize=8)
def _block_samples(edges: tuple[int, int, int, int]) -> tuple[int, NDArray[np.int64]]:
    """Every how many lines a grid is read, and the (9, 16) samples in its blocks."""
    left, right, top, bottom = edges
    step = row_step(bottom - top)
    widths = np.diff(np.arange(GRID_COLUMNS + 1) * (right - left) // GRID_COLUMNS)
    lines = np.bincount(np.arange(0, bottom - top, step) * GRID_ROWS // (bottom - top), minlength=GRID_ROWS)
    return step, np.maximum(lines[:, None] * widths[None, :], 1)


def _spread(histograms: NDArray[np.int64]) -> NDArray[np.float32]:
    """Shares of pixels in coarse bins: 32 of luma, 16 of Cb, 16 of Cr; from (3, bins)."""
    coarse = histograms.reshape(3, _COARSE, -1).sum(axis=2)
    shares = coarse / np.maximum(coarse.sum(axis=1, keepdims=True), 1)
    chroma = shares[1:, ::2] + shares[1:, 1::2]
    return np.concatenate([shares[0], chroma.ravel()]).astype(np.float32)
