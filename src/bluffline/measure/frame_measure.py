"""Everything the survey keeps of one frame, from its native samples."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import rgb_kernels
from bluffline.measure import survey_kernels as kernels
from bluffline.measure.plateau import Plateau, find_plateau
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.matrix import ChromaGains

Planes = tuple[NDArray[Any], NDArray[Any], NDArray[Any]]
Histogram = NDArray[np.int64]

GRID_COLUMNS, GRID_ROWS = 16, 9
_LUMA_BINS, _CHROMA_BINS = 32, 16
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

    def as_list(self) -> list[int]:
        """x, y, width, height."""
        return [self.x, self.y, self.width, self.height]


@dataclass(frozen=True, slots=True)
class Limits:
    """Legal luma and R′G′B′, low and high, in percent of the nominal range."""

    luma: tuple[float, float]
    rgb: tuple[float, float]


@dataclass(frozen=True, slots=True)
class FrameMeasure:
    """Measurements of the active picture of one frame.

    Luma and chroma extremes, mean and percentiles are native code values; ``rgb_*`` are percent; areas are percent of
    the active picture. ``histograms``: Y′, Cb, Cr, each (2**depth,) int64 pixel counts. ``blocks``: (9, 16) float32 mean
    luma and ``spread``: (64,) float32 shares, the evidence by which shots are told apart.
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


def rounding_allowance(source: SignalFormat) -> float:
    """How far R′, G′ or B′ can stray because Y′, Cb and Cr were each rounded to a code, as a share of 0 … 1.

    A 75 % bar is legal although its rounded codes compute to −0.1 %; the limits are widened by this much and no more.
    """
    if source.model is Model.RGB:
        return 0.0
    gains, levels = ChromaGains.of(source.matrix), source.levels
    largest = max(gains.red_cr, gains.blue_cb, -gains.green_cb - gains.green_cr)
    return 0.5 / levels.swing + 0.5 * largest / levels.span


def measure_frame(planes: Planes, source: SignalFormat, region: Region, limits: Limits) -> FrameMeasure:
    """Measure native planes once.

    Parameters
    ----------
    planes : three (rows, stride) uint8 or uint16 arrays in ``source``
    region : the active picture
    limits : what counts as outside; luma limits are rounded to a code, as R 103 states them
    """
    if planes[0].dtype != (np.uint8 if source.bit_depth == 8 else np.uint16):
        raise ValueError(f"planes of {planes[0].dtype} don't hold {source.bit_depth}-bit samples")
    levels = source.levels
    edges = (region.x, region.x + region.width, region.y, region.y + region.height)
    rgb = _measure_rgb(planes, source, edges, limits)
    halved = source.halved
    planes = ycbcr_planes(planes, source)
    bins = 1 << source.bit_depth
    luma_histogram = kernels.count_codes(planes[0], *edges, bins)
    across, down = (2 if halved[0] else 1), (2 if halved[1] else 1)
    chroma_edges = (edges[0] // across, -(-edges[1] // across), edges[2] // down, -(-edges[3] // down))
    cb_histogram, cr_histogram = (kernels.count_codes(plane, *chroma_edges, bins) for plane in planes[1:])
    pixels = region.width * region.height
    y_codes, cb_codes, cr_codes = (np.flatnonzero(h) for h in (luma_histogram, cb_histogram, cr_histogram))
    cumulative = np.cumsum(luma_histogram)
    low_code, high_code = (round(levels.code(percent)) for percent in limits.luma)
    luma_low = int(luma_histogram[: max(low_code, 0)].sum())
    luma_high = int(luma_histogram[high_code + 1 :].sum())
    return FrameMeasure(
        y_min=int(y_codes[0]),
        y_max=int(y_codes[-1]),
        y_mean=float(luma_histogram @ np.arange(bins)) / pixels,
        y_p01=int(np.searchsorted(cumulative, _LOW_PERCENTILE * pixels, side="right")),
        y_p999=int(np.searchsorted(cumulative, _HIGH_PERCENTILE * pixels)),
        cb_min=int(cb_codes[0]),
        cb_max=int(cb_codes[-1]),
        cr_min=int(cr_codes[0]),
        cr_max=int(cr_codes[-1]),
        rgb_min=rgb[0] * 100.0,
        rgb_max=rgb[1] * 100.0,
        luma_high_area=100.0 * luma_high / pixels,
        luma_low_area=100.0 * luma_low / pixels,
        rgb_high_area=100.0 * rgb[3] / pixels,
        rgb_low_area=100.0 * rgb[2] / pixels,
        clip_high=find_plateau(planes[0], luma_histogram, levels, edges, top=True),
        clip_low=find_plateau(planes[0], luma_histogram, levels, edges, top=False),
        histograms=(luma_histogram, cb_histogram, cr_histogram),
        blocks=_block_means(planes[0], source, edges),
        spread=_spread(luma_histogram, cb_histogram, cr_histogram),
    )


def _measure_rgb(
    planes: Planes, source: SignalFormat, edges: tuple[int, int, int, int], limits: Limits
) -> tuple[float, float, int, int]:
    """Least and greatest component (0 … 1), pixels below and above the limits."""
    levels = source.levels
    if source.model is Model.RGB:
        codes = [round(levels.code(percent)) for percent in limits.rgb]
        below, above = kernels.count_outside(*planes, edges, max(codes[0], 0), codes[1])
        left, right, top, bottom = edges
        inside = [plane[top:bottom, left:right] for plane in planes]
        least, greatest = min(p.min() for p in inside), max(p.max() for p in inside)
        return levels.percent(float(least)) / 100.0, levels.percent(float(greatest)) / 100.0, below, above
    result: tuple[float, float, int, int] = rgb_kernels.rgb_extremes(
        *planes, edges, *rgb_arithmetic(source), widened_limits(limits, source)
    )
    return result


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
    left, right, top, bottom = edges
    sums = kernels.block_sums(luma, *edges, GRID_COLUMNS, GRID_ROWS, 2)
    widths = np.diff(np.arange(GRID_COLUMNS + 1) * (right - left) // GRID_COLUMNS)
    lines = np.bincount(np.arange(0, bottom - top, 2) * GRID_ROWS // (bottom - top), minlength=GRID_ROWS)
    samples = np.maximum(lines[:, None] * widths[None, :], 1)
    return np.asarray((sums / samples - source.levels.black) / source.levels.swing, np.float32)


def _spread(luma: Histogram, cb: Histogram, cr: Histogram) -> NDArray[np.float32]:
    """Shares of pixels in coarse bins: 32 of luma, 16 of Cb, 16 of Cr."""
    parts = [
        histogram.reshape(bins, -1).sum(axis=1) / max(int(histogram.sum()), 1)
        for histogram, bins in ((luma, _LUMA_BINS), (cb, _CHROMA_BINS), (cr, _CHROMA_BINS))
    ]
    return np.concatenate(parts).astype(np.float32)
