"""Counting what breaks the limits in parts of a picture, from its native samples."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import rgb_kernels
from bluffline.measure import survey_kernels as kernels
from bluffline.measure.low_pass import FINER, low_passed
from bluffline.measure.region import Region
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.signal.matrix import ChromaGains

Histogram = NDArray[np.int64]
_SURELY = 4  # steps of 1/65536 that single precision may be off: what is nearer to a bound is looked at in double precision


@dataclass(frozen=True, slots=True)
class Limits:
    """Legal luma and R′G′B′, low and high, in percent of the nominal range.

    ``exact``: no code is excused because it was rounded; what is written is held to that.
    """

    luma: tuple[float, float]
    rgb: tuple[float, float]
    exact: bool = False


@dataclass(frozen=True, slots=True)
class Counted:
    """What was found in parts of a picture.

    ``y_least``, ``y_greatest``: luma codes; ``rgb_least``, ``rgb_greatest``: percent; the others are numbers of pixels: outside
    one limit, outside any of them, and all. ``histograms``: (3, 2**depth) int64 of Y′, Cb and Cr.
    """

    y_least: int
    y_greatest: int
    rgb_least: float
    rgb_greatest: float
    luma_high: int
    luma_low: int
    rgb_high: int
    rgb_low: int
    outside: int
    pixels: int
    histograms: NDArray[np.int64]


def count_parts(
    stored: Planes, planes: Planes, source: SignalFormat, parts: Sequence[Region], limits: Limits, *, low_pass: bool = False
) -> Counted:
    """Look at parts of a picture.

    Parameters
    ----------
    stored, planes : native planes, and the same as Y′, Cb, Cr (see `ycbcr_planes`)
    limits : luma limits are rounded to a code, as R 103 states them; those of R′G′B′ as well where that is stored. Of Y′CbCr a
        pixel is excused only where a legal colour rounds to its codes.
    low_pass : luma and R′G′B′ are judged after a 1-2-1 filter in both directions
    """
    looked = [_look(stored, planes, source, part.edges, limits) for part in parts]
    extremes = [found for found, _ in looked]
    summed: NDArray[np.int64] = np.sum([histograms for _, histograms in looked], axis=0)
    luma = summed[0]
    dark, light = luma_codes(limits, source)
    y_least, y_greatest = used_codes(luma)
    luma_low, luma_high = int(luma[:dark].sum()), int(luma[light + 1 :].sum())
    if low_pass:
        fine, extremes = _look_low_passed(stored, source, parts, limits)
        inside = [fine[part.y : part.y + part.height, part.x : part.x + part.width] for part in parts]
        y_least = round(min(int(part.min()) for part in inside) / FINER)
        y_greatest = round(max(int(part.max()) for part in inside) / FINER)
        luma_low = sum(int((part < dark * FINER - FINER // 2).sum()) for part in inside)
        luma_high = sum(int((part > light * FINER + FINER // 2).sum()) for part in inside)
    least, greatest, below, above, outside = zip(*extremes, strict=True)
    return Counted(
        y_least=y_least,
        y_greatest=y_greatest,
        rgb_least=min(least) * 100.0,
        rgb_greatest=max(greatest) * 100.0,
        luma_high=luma_high,
        luma_low=luma_low,
        rgb_high=int(sum(above)),
        rgb_low=int(sum(below)),
        outside=int(sum(outside)),
        pixels=max(int(luma.sum()), 1),
        histograms=summed,
    )


def rounding_allowance(source: SignalFormat) -> float:
    """The furthest that R′, G′ or B′ can stray because Y′, Cb and Cr were each rounded to a code, as a share of 0 … 1.

    A 75 % bar is legal although its rounded codes compute to −0.1 %. What is further out is not looked at more closely.
    """
    if source.model is Model.RGB:
        return 0.0
    gains, levels = ChromaGains.of(source.matrix), source.levels
    largest = max(gains.red_cr, gains.blue_cb, -gains.green_cb - gains.green_cr)
    return 0.5 / levels.swing + 0.5 * largest / levels.span


def luma_codes(limits: Limits, source: SignalFormat) -> tuple[int, int]:
    """The least and the greatest luma code that is legal."""
    low, high = _rounded(limits.luma, source, exact=limits.exact)
    return max(low, 0), min(high, (1 << source.bit_depth) - 1)


def rgb_codes(limits: Limits, source: SignalFormat) -> tuple[int, int]:
    """The least and the greatest code of R′, G′ and B′ that is legal, where they are stored."""
    low, high = _rounded(limits.rgb, source, exact=limits.exact)
    return max(low, 0), high


def _rounded(limits: tuple[float, float], source: SignalFormat, *, exact: bool) -> tuple[int, int]:
    low, high = (round(source.levels.code(percent), 6) for percent in limits)
    return (math.ceil(low), math.floor(high)) if exact else (round(low), round(high))


def used_codes(histogram: Histogram) -> tuple[int, int]:
    """The least and the greatest code that occurs; 0 and 0 where nothing was looked at."""
    codes = np.flatnonzero(histogram)
    return (int(codes[0]), int(codes[-1])) if len(codes) else (0, 0)


def _look(
    stored: Planes, planes: Planes, source: SignalFormat, edges: tuple[int, int, int, int], limits: Limits
) -> tuple[tuple[float, float, int, int, int], NDArray[np.int64]]:
    """One part of the picture: least and greatest component (0 … 1), pixels below, above and outside; three histograms."""
    levels, bins = source.levels, 1 << source.bit_depth
    if source.model is Model.RGB:
        left, right, top, bottom = edges
        inside = [plane[top:bottom, left:right] for plane in stored]
        least, greatest = min(plane.min() for plane in inside), max(plane.max() for plane in inside)
        counts = kernels.count_outside(*stored, planes[0], edges, *rgb_codes(limits, source), *luma_codes(limits, source))
        extremes = levels.percent(float(least)) / 100.0, levels.percent(float(greatest)) / 100.0
        return (*extremes, *counts), np.stack([kernels.count_codes(plane, *edges, bins) for plane in planes])
    arguments = (*rgb_arithmetic(source), judged_limits(limits, source), bins)
    found: tuple[tuple[float, float, int, int, int], NDArray[np.int64]]
    found = kernels.extremes_and_counts(*planes, edges, source.halved[1], *arguments)
    return found


def _look_low_passed(
    stored: Planes, source: SignalFormat, parts: Sequence[Region], limits: Limits
) -> tuple[NDArray[Any], list[tuple[float, float, int, int, int]]]:
    """Luma in sixteenths of a code after the filter, and for each part what `_look` tells of R′G′B′."""
    fine = low_passed(stored, source)
    levels, half = source.levels, FINER // 2
    dark, light = luma_codes(limits, source)
    bounds = dark * FINER - half, light * FINER + half
    if source.model is Model.RGB:
        kr, kg, kb = source.matrix.luma_weights
        luma = np.rint(kr * fine[0] + kg * fine[1] + kb * fine[2]).astype(np.uint32)
        low, high = rgb_codes(limits, source)
        found = []
        for part in parts:
            left, right, top, bottom = part.edges
            inside = [plane[top:bottom, left:right] for plane in fine]
            least, greatest = min(plane.min() for plane in inside), max(plane.max() for plane in inside)
            counts = kernels.count_outside(*fine, luma, part.edges, low * FINER - half, high * FINER + half, *bounds)
            found.append((levels.percent(least / FINER) / 100, levels.percent(greatest / FINER) / 100, *counts))
        return luma, found
    near, far, _, halves, legal = judged_limits(limits, source)
    whole = np.arange(source.height), np.arange(source.height), np.zeros(source.height, np.float32)
    _, taps, _, _, gains = rgb_arithmetic(source)
    codes = tuple(
        np.float32(value)
        for value in (levels.black * FINER, 1 / levels.swing / FINER, levels.zero * FINER, 1 / levels.span / FINER)
    )
    steps = near, far, (np.int32(bounds[0]), np.int32(bounds[1])), halves, legal
    return fine[0], [rgb_kernels.judge_rows(*fine, part.edges, False, taps, whole, codes, gains, steps) for part in parts]


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
def judged_limits(limits: Limits, source: SignalFormat) -> tuple[Any, ...]:
    """Limits as `rgb_kernels.judge_rows` takes them."""
    levels = source.levels
    low, high = (percent / 100 for percent in limits.rgb)
    most = 0.0 if limits.exact else rounding_allowance(source)

    def steps(value: float) -> np.int32:
        return np.int32(value * 65536.0)

    near = steps(low), steps(high)
    far = np.int32(steps(low - most) - _SURELY), np.int32(steps(high + most) + _SURELY)
    dark, light = luma_codes(limits, source)
    halves = (0.0, 0.0) if limits.exact else (0.5 / levels.swing, 0.5 / levels.span)
    return near, far, (np.int32(dark), np.int32(light)), halves, (low, high, limits.luma[0] / 100, limits.luma[1] / 100)


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
