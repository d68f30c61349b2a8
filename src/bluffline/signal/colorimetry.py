"""Light: transfer characteristics, primaries, XYZ, CIE Lab, chromaticity."""

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.format import SignalFormat
from bluffline.signal.levels import Levels

Float = NDArray[np.floating[Any]]

D65 = (0.3127, 0.3290)
# x, y of red, green, blue [BT709, BT601, BT2020, H273].
PRIMARIES: dict[str, tuple[tuple[float, float], ...]] = {
    "bt601-525": ((0.630, 0.340), (0.310, 0.595), (0.155, 0.070)),
    "bt601-625": ((0.640, 0.330), (0.290, 0.600), (0.150, 0.060)),
    "bt709": ((0.640, 0.330), (0.300, 0.600), (0.150, 0.060)),
    "p3-d65": ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060)),
    "bt2020": ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)),
}
GAMUTS = {"bt601": "bt601-625", "bt709": "bt709", "p3": "p3-d65", "bt2020": "bt2020"}
WHITES = {  # X, Y, Z of the whites that chart references are given for [CIE15, ICC]
    "D50": (0.9642, 1.0, 0.8249),
    "D55": (0.95682, 1.0, 0.92149),
    "D65": (0.95047, 1.0, 1.08883),
    "A": (1.09850, 1.0, 0.35585),
    "C": (0.98074, 1.0, 1.18232),
}
_BRADFORD = np.array([(0.8951, 0.2664, -0.1614), (-0.7502, 1.7135, 0.0367), (0.0389, -0.0685, 1.0296)])
_CAMERA_LIFT, _CAMERA_EDGE = 1.099, 0.081  # BT.709 item 1.2: the curve, and the signal below which it is straight
HDR_WHITE, HLG_PEAK, HLG_GAMMA = 203.0, 1000.0, 1.2  # cd/m² of white, and of HLG's reference display [BT2100, BT2408]
_HLG_WHITE = 0.26496256042100724  # scene light of HLG's reference white, coded at 75 % [BT2408]
_DISPLAY_CODED = ("linear", "srgb", "pq", "hlg")
_LAB_EDGE, _LAB_SLOPE = 216 / 24389, 24389 / 27  # CIE 15:2018


TRANSFERS = ("bt709", "bt601", "bt2020", "srgb", "linear", "pq", "hlg")
_ONE_CURVE = {"bt601": "bt709", "bt2020": "bt709"}  # BT.601 and BT.2020 have the curve of BT.709
# BT.601's primaries differ from BT.709's by less than any monitor of the trade is held to, and are taken over as they are.
_ONE_GAMUT = {"bt601-625": "bt709", "bt601-525": "bt709"}


def one_light(transfer: str, primaries: str) -> tuple[str, str]:
    """Transfer characteristic and primaries, of several names of one the same: equal where two signals are of one light."""
    return _ONE_CURVE.get(transfer, transfer), _ONE_GAMUT.get(primaries, primaries)


@cache
def rgb_to_xyz(primaries: str) -> NDArray[np.float64]:
    """(3, 3) matrix from linear R, G, B (0 … 1) to X, Y, Z with Y = 1 at D65 white. P3 with another white counts as D65."""
    points = np.array(PRIMARIES["p3-d65" if primaries == "p3-dci" else primaries])
    columns = np.stack([points[:, 0], points[:, 1], 1 - points.sum(axis=1)]) / points[:, 1]
    return np.asarray(columns * np.linalg.solve(columns, white_xyz()))


def white_xyz() -> NDArray[np.float64]:
    """X, Y, Z of D65 with Y = 1."""
    x, y = D65
    return np.array([x / y, 1.0, (1 - x - y) / y])


def on_display(luminance: Any, transfer: str) -> Any:
    """Luminance of `to_light`'s light on a display, cd/m²: of PQ, and of HLG on one of 1000 cd/m²; None of SDR [BT2100].

    ``luminance``: a number, or many.
    """
    if transfer == "pq":
        return luminance * HDR_WHITE
    return HLG_PEAK * np.maximum(luminance, 0.0) ** HLG_GAMMA if transfer == "hlg" else None


def to_light(signal: Float, transfer: str) -> NDArray[np.float64]:
    """R′, G′ or B′ (0 … 1, unclamped) to the light a display makes of it, 1 being white; negative signal, negative light.

    BT.709, BT.601 and BT.2020 signals are shown by BT.1886 (gamma 2.4); PQ is scaled so that 203 cd/m² is 1 [BT2100, BT2408];
    HLG is its scene light.
    """
    value = np.asarray(signal, np.float64)
    size = np.abs(value)
    if transfer == "linear":
        light = size
    elif transfer == "srgb":
        light = np.where(size <= 0.04045, size / 12.92, ((size + 0.055) / 1.055) ** 2.4)
    elif transfer == "pq":
        power = np.minimum(size, 1.0) ** (1 / 78.84375)
        light = (np.maximum(power - 0.8359375, 0) / (18.8515625 - 18.6875 * power)) ** (1 / 0.1593017578125) * 10000 / 203
    elif transfer == "hlg":
        upper = (np.exp((size - 0.55991073) / 0.17883277) + 0.28466892) / 12
        light = np.where(size <= 0.5, size**2 / 3, upper)
    else:
        light = size**2.4
    return np.asarray(np.sign(value) * light)


@cache
def light_table(bit_depth: int, levels: Levels, transfer: str, room: int) -> NDArray[np.float32]:
    """Light of every R′, G′ or B′ code from −``room`` to ``room`` past the greatest."""
    codes = np.arange(-room, (1 << bit_depth) + room)
    return to_light((codes - levels.black) / levels.swing, transfer).astype(np.float32)


def camera_light(signal: Float, transfer: str) -> NDArray[np.float64]:
    """R′, G′ or B′ (0 … 1, unclamped) to the light the camera saw, 1 being reference white: 40.9 % is 18 % grey [BT709].

    BT.709, BT.601 and BT.2020 signals are taken back through the camera curve, on in a straight line below black; others
    have one curve for both ends (see `to_light`), but HLG's reference white is at 75 % [BT2408].
    """
    if transfer in _DISPLAY_CODED:
        return to_light(signal, transfer) / (_HLG_WHITE if transfer == "hlg" else 1.0)
    value = np.asarray(signal, np.float64)
    power = (np.maximum(value, _CAMERA_EDGE) + _CAMERA_LIFT - 1) / _CAMERA_LIFT
    return np.where(value < _CAMERA_EDGE, value / 4.5, power ** (1 / 0.45))


def camera_signal(light: Float, transfer: str) -> NDArray[np.float64]:
    """The inverse of `camera_light`, with the same shapes and units."""
    value = np.asarray(light, np.float64) * (_HLG_WHITE if transfer == "hlg" else 1.0)
    size = np.abs(value)
    if transfer == "linear":
        return value
    if transfer == "srgb":
        coded = np.where(size <= 0.0031308, size * 12.92, 1.055 * size ** (1 / 2.4) - 0.055)
    elif transfer == "pq":
        power = (size * 203 / 10000) ** 0.1593017578125
        coded = ((0.8359375 + 18.8515625 * power) / (1 + 18.6875 * power)) ** 78.84375
    elif transfer == "hlg":
        upper = 0.17883277 * np.log(np.maximum(12 * size - 0.28466892, 1e-9)) + 0.55991073
        coded = np.where(size <= 1 / 12, np.sqrt(3 * size), upper)
    else:
        bright = _CAMERA_LIFT * np.maximum(value, _CAMERA_EDGE / 4.5) ** 0.45 - (_CAMERA_LIFT - 1)
        return np.where(value < _CAMERA_EDGE / 4.5, 4.5 * value, bright)
    return np.asarray(np.sign(value) * coded)


def xyz_to_lab(xyz: Float, white: Float | None = None) -> NDArray[np.float64]:
    """(..., 3) X, Y, Z relative to ``white`` (D65 where None) to CIE L*, a*, b* [CIE15]."""
    ratio = np.asarray(xyz, np.float64) / (white_xyz() if white is None else white)
    f = np.where(ratio > _LAB_EDGE, np.cbrt(ratio), (_LAB_SLOPE * ratio + 16) / 116)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def lab_to_xyz(lab: Float, white: Float | None = None) -> NDArray[np.float64]:
    """The inverse of `xyz_to_lab`, with the same shapes and units."""
    lab = np.asarray(lab, np.float64)
    middle = (lab[..., 0] + 16) / 116
    f = np.stack([middle + lab[..., 1] / 500, middle, middle - lab[..., 2] / 200], axis=-1)
    ratio = np.where(f**3 > _LAB_EDGE, f**3, (116 * f - 16) / _LAB_SLOPE)
    return np.asarray(ratio * (white_xyz() if white is None else white))


def adapt(xyz: Float, white: Float) -> NDArray[np.float64]:
    """(..., 3) X, Y, Z seen under ``white`` to those that look the same under D65, by the linear Bradford method [ICC]."""
    ours, theirs = _BRADFORD @ white_xyz(), _BRADFORD @ np.asarray(white, np.float64)
    matrix = np.linalg.solve(_BRADFORD, np.diag(ours / theirs) @ _BRADFORD)
    return np.asarray(np.asarray(xyz, np.float64) @ matrix.T)


def gamut_matrix(source: SignalFormat, gamut: str) -> NDArray[np.float64]:
    """(3, 3) from linear R, G, B of the programme to those of a gamut named in `GAMUTS`."""
    return np.asarray(np.linalg.solve(rgb_to_xyz(GAMUTS[gamut]), rgb_to_xyz(source.primaries)))
