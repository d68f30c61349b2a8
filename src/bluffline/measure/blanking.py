"""What lies outside the active picture, and where a frame's own blanking ends."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import survey_kernels as kernels
from bluffline.measure.counted import Counted, Limits, count_parts
from bluffline.measure.region import Region, without
from bluffline.signal.format import Model, Planes, SignalFormat

BLACK = 2.5  # percent of luma that a line of blanking may reach in the mean, with its coding noise
FLAT = 1.2  # percent of spread (standard deviation) within a line of blanking
LIT, _LIT_RGB = 5.0, 10.0  # percent of luma and of a component: more is light in the blanking, not noise of the codec
_GUARD = 4  # samples beside the active picture, where its own edge rings
_LEAST = 8  # rows or columns of blanking that can be judged: what is narrower is all edge


@dataclass(frozen=True, slots=True)
class Blanking:
    """What lies outside the active picture, but for the samples right beside it.

    ``least``, ``greatest``: luma codes; ``pixels``: how many were looked at. ``lit``: how many of them are not black within
    the limits; the next five, outside each limit and outside any. ``spread``: the least standard deviation of luma in one of
    its sides, in percent: a side that is lit and flat is no picture.
    """

    least: int
    greatest: int
    pixels: int
    lit: int
    luma_high: int
    luma_low: int
    rgb_high: int
    rgb_low: int
    outside: int
    spread: float


BLACK_FRAME = -1, -1, -1, -1  # edges of a frame that is black throughout and has none
NO_BLANKING = Blanking(0, 0, 0, 0, 0, 0, 0, 0, 0, 0.0)


def measure_blanking(
    stored: Planes,
    planes: Planes,
    source: SignalFormat,
    region: Region,
    limits: Limits,
    left_out: Sequence[Region] = (),
    *,
    low_pass: bool = False,
) -> tuple[Blanking, NDArray[np.int64] | None]:
    """Measure what lies outside ``region`` and is not left out, as captions may be.

    Also (3, 2**depth) histograms of all that lies outside; None where the region is the whole picture.
    """
    sides, rest = _sides(source, region, tuple(left_out))
    if not rest:
        return NO_BLANKING, None
    seen: NDArray[np.int64] = np.sum([_histograms(planes, source, part) for part in rest], axis=0)
    if not sides:
        return NO_BLANKING, seen
    black = Limits((limits.luma[0], LIT), (limits.rgb[0], _LIT_RGB))
    found = [count_parts(stored, planes, source, [side], black, low_pass=low_pass) for side in sides]
    lit = sum(side.outside for side in found)
    broken: Counted | None = count_parts(stored, planes, source, sides, limits, low_pass=low_pass) if lit else None
    least, greatest = min(side.y_least for side in found), max(side.y_greatest for side in found)
    pixels = sum(side.pixels for side in found)
    if broken is None:
        return Blanking(least, greatest, pixels, 0, 0, 0, 0, 0, 0, 0.0), seen
    counts = broken.luma_high, broken.luma_low, broken.rgb_high, broken.rgb_low, broken.outside
    spread = min(_deviation(side.histograms[0]) for side in found) / source.levels.swing * 100
    return Blanking(least, greatest, pixels, lit, *counts, spread), seen


@lru_cache(maxsize=8)
def _sides(source: SignalFormat, region: Region, left_out: tuple[Region, ...]) -> tuple[list[Region], list[Region]]:
    """The sides of blanking that can be judged, a guard away from the picture, and all that lies outside the region."""
    whole = Region.whole(source)
    left, right, top, bottom = region.edges
    kept_left, kept_top = (max(edge - _GUARD, 0) if edge >= _LEAST else 0 for edge in (left, top))
    kept_right = min(right + _GUARD, source.width) if source.width - right >= _LEAST else source.width
    kept_bottom = min(bottom + _GUARD, source.height) if source.height - bottom >= _LEAST else source.height
    guarded = Region(kept_left, kept_top, kept_right - kept_left, kept_bottom - kept_top)
    cut = [[part for part in without(whole, [hole]) if part != hole] if hole != whole else [] for hole in (guarded, region)]
    # Chroma is shared by two rows and columns, so what is left has even sides.
    even = [Region(hole.x // 2 * 2, hole.y // 2 * 2, hole.width // 2 * 2 + 2, hole.height // 2 * 2 + 2) for hole in left_out]
    return [part for side in cut[0] for part in _pieces(side, even)], cut[1]


def _pieces(side: Region, left_out: Sequence[Region]) -> list[Region]:
    """A side without what is left out; nothing where that is all of it."""
    covered = any(
        hole.x <= side.x and hole.y <= side.y and hole.edges[1] >= side.edges[1] and hole.edges[3] >= side.edges[3]
        for hole in left_out
    )
    return [] if covered else without(side, left_out)


def _histograms(planes: Planes, source: SignalFormat, part: Region) -> NDArray[np.int64]:
    """(3, 2**depth) codes of a part; chroma that two parts share is counted twice, which the search for codes can bear."""
    left, right, top, bottom = part.edges
    across, down = (2 if halved and source.model is Model.YCBCR else 1 for halved in source.halved)
    bins = 1 << source.bit_depth
    luma = kernels.count_codes(planes[0], left, right, top, bottom, bins)
    sites = left // across, -(-right // across), top // down, -(-bottom // down)
    return np.stack([luma, *(kernels.count_codes(plane, *sites, bins) for plane in planes[1:])])


def _deviation(histogram: NDArray[np.int64]) -> float:
    """Standard deviation, in codes, of what a histogram holds."""
    codes, pixels = np.arange(len(histogram)), max(int(histogram.sum()), 1)
    mean = float(histogram @ codes) / pixels
    return float(np.sqrt(max(float(histogram @ (codes - mean) ** 2) / pixels, 0.0)))


def blank_edges(luma: NDArray[Any], source: SignalFormat) -> tuple[int, int, int, int]:
    """How many rows at the top and bottom and columns at the left and right of a frame are blanking; `BLACK_FRAME` if all is.

    Parameters
    ----------
    luma : (rows, stride) native codes
    """
    levels = source.levels
    top, bottom, left, right = kernels.blank_edges(
        luma, source.width, source.height, levels.code(BLACK), FLAT / 100 * levels.swing
    )
    return BLACK_FRAME if top == source.height else (top, bottom, left, right)
