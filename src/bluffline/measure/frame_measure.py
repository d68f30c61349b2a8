"""Everything the survey keeps of one frame, from its native samples."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import survey_kernels as kernels
from bluffline.measure.blanking import BLACK_FRAME, NO_BLANKING, Blanking, blank_edges, measure_blanking
from bluffline.measure.counted import Histogram, Limits, count_parts, used_codes, ycbcr_planes
from bluffline.measure.flashes import Light
from bluffline.measure.level_evidence import NO_EVIDENCE, LevelEvidence, level_evidence
from bluffline.measure.plateau import NOT_LOOKED, Plateau, find_component_plateaus, find_luma_plateaus, row_step
from bluffline.measure.region import Region, without
from bluffline.measure.reserved import find_reserved
from bluffline.signal.format import Planes, SignalFormat

GRID_COLUMNS, GRID_ROWS = 16, 9
_SAMPLED = 240  # pixels of a line, or nearly, by which a frame is held against the one before
_BLOCK_ROWS = 120  # lines that tell the means of blocks as well as all
_COARSE = 32  # bins of luma; chroma has half as many
_COMB_GAP, _COMB_LEAST = 8, 10  # codes that one gap of a comb may skip; gaps that make a comb
_LOW_PERCENTILE, _HIGH_PERCENTILE = 0.001, 0.999


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
    ``outside_area``: percent of it that breaks any limit of luma or R′G′B′. ``reserved``: samples of the whole stored picture
    with codes that are reserved for timing on a serial link, the first at ``reserved_x``, ``reserved_y`` in luma samples.
    ``edges``: how many rows at the top and bottom and columns at the left and right are blanking by themselves; all −1 in a
    frame that is black throughout, which says nothing about edges. ``blanking``: what lies outside the active picture.
    ``level``: the range that it seems to have been made in. ``light_mean``: cd/m² of its brightest components in the mean, and
    ``light_area``: percent of it over the peak, where light is asked for. ``lights``: of the whole picture, where flashes are.
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
    samples: NDArray[Any]
    percent: float
    spread: NDArray[np.float32]
    combing: float = 0.0
    gamut_area: float = 0.0
    areas: tuple[AreaMeasure, ...] = ()
    outside_area: float = 0.0
    reserved: int = 0
    reserved_x: int = -1
    reserved_y: int = -1
    edges: tuple[int, int, int, int] = BLACK_FRAME
    blanking: Blanking = NO_BLANKING
    level: LevelEvidence = NO_EVIDENCE
    clip_red: Plateau = NOT_LOOKED
    clip_green: Plateau = NOT_LOOKED
    clip_blue: Plateau = NOT_LOOKED
    light_mean: float = 0.0
    light_area: float = 0.0
    lights: tuple[Light, ...] = ()


def measure_frame(
    planes: Planes,
    source: SignalFormat,
    region: Region,
    limits: Limits,
    left_out: Sequence[Region] = (),
    *,
    low_pass: bool = False,
    thorough: bool = True,
) -> FrameMeasure:
    """Measure native planes once.

    Parameters
    ----------
    planes : three (rows, stride) uint8 or uint16 arrays in ``source``
    region : the active picture
    limits : what counts as outside; see `count_parts`
    left_out : parts of it that are not looked at, but for the evidence of shots and for reserved codes
    low_pass : judge luma and R′G′B′ after a low-pass filter
    thorough : look for flat tops of R′, G′ and B′ and for evidence of the range too
    """
    if planes[0].dtype != (np.uint8 if source.bit_depth == 8 else np.uint16):
        raise ValueError(f"planes of {planes[0].dtype} don't hold {source.bit_depth}-bit samples")
    levels = source.levels
    parts = without(region, left_out)
    bins = 1 << source.bit_depth
    stored, planes = planes, ycbcr_planes(planes, source)
    found = count_parts(stored, planes, source, parts, limits, low_pass=low_pass)
    luma_histogram, cb_histogram, cr_histogram = found.histograms
    cb_codes, cr_codes = used_codes(cb_histogram), used_codes(cr_histogram)
    cumulative = np.cumsum(luma_histogram)
    low_end = int(np.searchsorted(cumulative, _LOW_PERCENTILE * found.pixels, side="right"))
    high_end = int(np.searchsorted(cumulative, _HIGH_PERCENTILE * found.pixels))
    edges = [part.edges for part in parts]
    clip_high, clip_low = find_luma_plateaus(planes[0], luma_histogram, levels, parts)
    flat = find_component_plateaus(stored, source, parts) if thorough else (NOT_LOOKED,) * 3
    share = 100.0 / found.pixels
    blanking, beyond = measure_blanking(stored, planes, source, region, limits, left_out, low_pass=low_pass)
    seen = found.histograms if beyond is None else found.histograms + beyond
    reserved, at = find_reserved(stored, source, seen, left_out)
    return FrameMeasure(
        y_min=found.y_least,
        y_max=found.y_greatest,
        y_mean=float(luma_histogram @ np.arange(bins)) / found.pixels,
        y_p01=low_end,
        y_p999=high_end,
        cb_min=cb_codes[0],
        cb_max=cb_codes[1],
        cr_min=cr_codes[0],
        cr_max=cr_codes[1],
        rgb_min=found.rgb_least,
        rgb_max=found.rgb_greatest,
        luma_high_area=share * found.luma_high,
        luma_low_area=share * found.luma_low,
        rgb_high_area=share * found.rgb_high,
        rgb_low_area=share * found.rgb_low,
        clip_high=clip_high,
        clip_low=clip_low,
        clip_red=flat[0],
        clip_green=flat[1],
        clip_blue=flat[2],
        histograms=(luma_histogram, cb_histogram, cr_histogram),
        blocks=_block_means(planes[0], source, region.edges),
        samples=_samples(planes[0], region.edges),
        percent=100 / source.levels.swing,
        spread=_spread(found.histograms),
        combing=combing(luma_histogram, low_end, high_end),
        outside_area=share * found.outside,
        reserved=reserved,
        reserved_x=at[0],
        reserved_y=at[1],
        edges=blank_edges(planes[0], source),
        blanking=blanking,
        level=level_evidence(planes, luma_histogram, source, edges) if thorough else NO_EVIDENCE,
    )


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
    least, greatest = used_codes(histogram)
    per_pixel = 100.0 / (region.width * region.height)
    return AreaMeasure(
        least, greatest, per_pixel * float(histogram[high + 1 :].sum()), per_pixel * float(histogram[: max(low, 0)].sum())
    )


def _block_means(luma: NDArray[Any], source: SignalFormat, edges: tuple[int, int, int, int]) -> NDArray[np.float32]:
    """Mean luma of a coarse grid, 0 … 1 of the nominal range."""
    step, samples = _block_samples(edges)
    sums = kernels.block_sums(luma, *edges, GRID_COLUMNS, GRID_ROWS, step)
    return np.asarray((sums / samples - source.levels.black) / source.levels.swing, np.float32)


@lru_cache(maxsize=8)
def _block_samples(edges: tuple[int, int, int, int]) -> tuple[int, NDArray[np.int64]]:
    """Every how many lines a grid is read, and the (9, 16) samples in its blocks."""
    left, right, top, bottom = edges
    step = row_step(bottom - top, _BLOCK_ROWS)
    widths = np.diff(np.arange(GRID_COLUMNS + 1) * (right - left) // GRID_COLUMNS)
    lines = np.bincount(np.arange(0, bottom - top, step) * GRID_ROWS // (bottom - top), minlength=GRID_ROWS)
    return step, np.maximum(lines[:, None] * widths[None, :], 1)


def _samples(luma: NDArray[Any], edges: tuple[int, int, int, int]) -> NDArray[Any]:
    """Codes of luma of single pixels on a grid."""
    left, right, top, bottom = edges
    step = max((right - left) // _SAMPLED, 1)
    return luma[top + step // 2 : bottom : step, left + step // 2 : right : step].copy()


def _spread(histograms: NDArray[np.int64]) -> NDArray[np.float32]:
    """Shares of pixels in coarse bins: 32 of luma, 16 of Cb, 16 of Cr; from (3, bins)."""
    coarse = histograms.reshape(3, _COARSE, -1).sum(axis=2)
    shares = coarse / np.maximum(coarse.sum(axis=1, keepdims=True), 1)
    chroma = shares[1:, ::2] + shares[1:, 1::2]
    return np.concatenate([shares[0], chroma.ravel()]).astype(np.float32)
