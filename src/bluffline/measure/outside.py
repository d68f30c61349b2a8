"""Where in a frame the limits are broken, pixel by pixel, from the native samples."""

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import rgb_kernels
from bluffline.measure import survey_kernels as kernels
from bluffline.measure.frame_measure import Limits, Planes, rgb_arithmetic, widened_limits, ycbcr_planes
from bluffline.signal.format import Model, SignalFormat

LUMA_HIGH, LUMA_LOW, RGB_HIGH, RGB_LOW = 1, 2, 4, 8
LUMA, RGB = LUMA_HIGH | LUMA_LOW, RGB_HIGH | RGB_LOW
HIGH, LOW = LUMA_HIGH | RGB_HIGH, LUMA_LOW | RGB_LOW


def mark_outside(planes: Planes, source: SignalFormat, limits: Limits) -> NDArray[np.uint8]:
    """The rules that each pixel breaks, by the same arithmetic as the survey counts them.

    Returns
    -------
    (H, W) uint8 : bits `LUMA_HIGH`, `LUMA_LOW`, `RGB_HIGH`, `RGB_LOW`
    """
    marks = np.zeros((source.height, source.width), np.uint8)
    levels = source.levels

    def codes(percents: tuple[float, float]) -> tuple[int, int]:
        return max(round(levels.code(percents[0])), 0), round(levels.code(percents[1]))

    luma = ycbcr_planes(planes, source)[0]
    kernels.mark_codes(luma, *codes(limits.luma), np.uint8(LUMA_HIGH), np.uint8(LUMA_LOW), marks)
    if source.model is Model.RGB:
        for plane in planes:
            kernels.mark_codes(plane, *codes(limits.rgb), np.uint8(RGB_HIGH), np.uint8(RGB_LOW), marks)
    else:
        rgb_kernels.mark_outside_rgb(
            *planes,
            (source.width, source.height),
            *rgb_arithmetic(source),
            widened_limits(limits, source),
            np.uint8(RGB_HIGH),
            np.uint8(RGB_LOW),
            marks,
        )
    return marks
