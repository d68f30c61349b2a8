"""Reading a pixel, a square of them, or an area: exact codes, means, spread, colour."""

import math
from dataclasses import dataclass

import numpy as np

from bluffline.measure import scope_kernels as kernels
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.signal.colorimetry import on_display, rgb_to_xyz, xyz_to_lab
from bluffline.signal.matrix import rgb_to_ycbcr

SKIN_DEGREES = 123.0  # anticlockwise from +Cb
_NEUTRAL = 0.01  # share of chroma (1 being 100 %) below which a colour has no hue worth telling


@dataclass(frozen=True, slots=True)
class Reading:
    """What some pixels measure together.

    ``luma`` and ``rgb``: mean codes; ``luma_spread`` and ``rgb_spread``: standard deviations in codes; ``chroma``: mean Cb and
    Cr, −0.5 … 0.5, of the mean R′G′B′; ``lab``: CIE L*, a*, b* of the mean light, relative to D65; ``luminance``: of HDR, cd/m²
    of the mean light on a display (HLG's has 1000 cd/m²).
    """

    pixels: int
    luma: float
    luma_spread: float
    rgb: tuple[float, float, float]
    rgb_spread: tuple[float, float, float]
    chroma: tuple[float, float]
    lab: tuple[float, float, float]
    luminance: float | None = None

    @property
    def from_neutral(self) -> float:
        """ΔE*ab (CIE 1976) from the grey of the same lightness."""
        return math.hypot(self.lab[1], self.lab[2])

    @property
    def from_skin_line(self) -> float | None:
        """Degrees anticlockwise from the skin line on the vectorscope; None where the colour is neutral."""
        cb, cr = self.chroma
        if math.hypot(cb, cr) < _NEUTRAL:
            return None
        return (math.degrees(math.atan2(cr, cb)) - SKIN_DEGREES + 180) % 360 - 180


def read_selection(frame: FrameSignal, selection: Selection) -> Reading | None:
    """What the selected pixels measure, or None where there are none."""
    count = selection.count
    if count == 0:
        return None
    source = frame.source
    sums, squares = np.zeros(7), np.zeros(4)
    kernels.sum_signal(frame.ycbcr[0], *frame.rgb, selection.starts, selection.runs, frame.light, sums, squares)
    mean = sums / count
    spread = np.sqrt(np.maximum(squares / count - mean[:4] ** 2, 0))
    codes = mean[1:4] - frame.room
    _, cb, cr = rgb_to_ycbcr((codes - source.levels.black) / source.levels.swing, source.matrix)
    xyz = rgb_to_xyz(source.primaries) @ mean[4:]
    lab, luminance = xyz_to_lab(xyz), on_display(xyz[1], source.transfer)
    return Reading(
        count, float(mean[0]), float(spread[0]), tuple(codes.tolist()), tuple(spread[1:].tolist()), (float(cb), float(cr)),
        tuple(lab.tolist()), None if luminance is None else float(luminance),
    )  # fmt: skip


def read_square(frame: FrameSignal, x: int, y: int, size: int) -> Reading | None:
    """The square of ``size`` pixels about a pixel, as far as the picture has them."""
    left, top = x - size // 2, y - size // 2
    return read_selection(frame, Selection.box(frame.source, left, top, left + size, top + size))


def stored_codes(frame: FrameSignal, x: int, y: int) -> tuple[int, int, int]:
    """The codes stored for a pixel: Y′ and the Cb and Cr of its chroma site, or R′, G′, B′."""
    across, down = frame.source.halved
    first, second, third = frame.planes
    if frame.room == 0:
        return int(first[y, x]), int(second[y, x]), int(third[y, x])
    site = int(frame.source.sites_of_rows[y]) if down else y, x >> int(across)
    return int(first[y, x]), int(second[site]), int(third[site])
