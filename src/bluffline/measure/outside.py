"""Where in a frame the limits are broken, pixel by pixel, from the native samples."""

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import rgb_kernels
from bluffline.measure import survey_kernels as kernels
from bluffline.measure.counted import Limits, judged_limits, luma_codes, rgb_arithmetic, rgb_codes, ycbcr_planes
from bluffline.measure.region import Region
from bluffline.signal.format import Model, Planes, SignalFormat

LUMA_HIGH, LUMA_LOW, RGB_HIGH, RGB_LOW, GAMUT = 1, 2, 4, 8, 16
LUMA, RGB = LUMA_HIGH | LUMA_LOW, RGB_HIGH | RGB_LOW
HIGH, LOW = LUMA_HIGH | RGB_HIGH, LUMA_LOW | RGB_LOW


def mark_outside(planes: Planes, source: SignalFormat, limits: Limits) -> NDArray[np.uint8]:
    """The rules that each pixel breaks, by the same arithmetic as the survey counts them.

    Returns
    -------
    (H, W) uint8 : bits `LUMA_HIGH`, `LUMA_LOW`, `RGB_HIGH`, `RGB_LOW`
    """
    marks = np.zeros((source.height, source.width), np.uint8)

    luma = ycbcr_planes(planes, source)[0]
    kernels.mark_codes(luma, *luma_codes(limits, source), np.uint8(LUMA_HIGH), np.uint8(LUMA_LOW), marks)
    if source.model is Model.RGB:
        for plane in planes:
            kernels.mark_codes(plane, *rgb_codes(limits, source), np.uint8(RGB_HIGH), np.uint8(RGB_LOW), marks)
    else:
        size, bits = (source.width, source.height), (np.uint8(RGB_HIGH), np.uint8(RGB_LOW))
        arguments = (*planes, size, *rgb_arithmetic(source), judged_limits(limits, source), *bits, marks)
        rgb_kernels.mark_outside_rgb(*arguments)
    return marks


def mark_luma(
    planes: Planes, source: SignalFormat, region: Region, limits: tuple[float, float], marks: NDArray[np.uint8]
) -> None:
    """Mark, in a part of the picture, luma outside limits of its own (percent) instead of what was marked there for luma."""
    left, right, top, bottom = region.edges
    part = np.zeros((bottom - top, right - left), np.uint8)
    luma = np.ascontiguousarray(ycbcr_planes(planes, source)[0][top:bottom, left:right])
    low, high = max(round(source.levels.code(limits[0])), 0), round(source.levels.code(limits[1]))
    kernels.mark_codes(luma, low, high, np.uint8(LUMA_HIGH), np.uint8(LUMA_LOW), part)
    inside = marks[top:bottom, left:right]
    inside[:] = (inside & ~np.uint8(LUMA)) | part
