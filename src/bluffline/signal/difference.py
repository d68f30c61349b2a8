"""Colour difference: CIEDE2000 with its parts, and CIE 1976."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.floating[Any]]


@dataclass(frozen=True, slots=True)
class Difference:
    """CIEDE2000 of colours against references, (...) float64 each; its parts are weighted and signed.

    Positive lightness or chroma: more than the reference has.
    """

    total: NDArray[np.float64]
    lightness: NDArray[np.float64]
    chroma: NDArray[np.float64]
    hue: NDArray[np.float64]


def delta_e_1976(reference: Float, lab: Float) -> NDArray[np.float64]:
    """CIE 1976 ΔE*ab between (..., 3) CIE L*, a*, b*; (...) float64."""
    return np.asarray(np.linalg.norm(np.asarray(lab, np.float64) - reference, axis=-1))


def delta_e_2000(reference: Float, lab: Float) -> NDArray[np.float64]:
    """CIEDE2000 between (..., 3) CIE L*, a*, b*; (...) float64."""
    return difference(reference, lab).total


def difference(reference: Float, lab: Float) -> Difference:
    """CIEDE2000 of ``lab`` against ``reference``, both (..., 3) CIE L*, a*, b*, with kL = kC = kH = 1 [CIEDE2000]."""
    first, second = np.asarray(reference, np.float64), np.asarray(lab, np.float64)
    mean_chroma = (np.hypot(first[..., 1], first[..., 2]) + np.hypot(second[..., 1], second[..., 2])) / 2
    stretch = 1 + 0.5 * (1 - _saturating(mean_chroma))
    a1, a2 = first[..., 1] * stretch, second[..., 1] * stretch
    c1, c2 = np.hypot(a1, first[..., 2]), np.hypot(a2, second[..., 2])
    h1, h2 = (np.degrees(np.arctan2(b, a)) % 360 for a, b in ((a1, first[..., 2]), (a2, second[..., 2])))
    grey = c1 * c2 == 0
    turn = np.where(grey, 0.0, (h2 - h1 + 180) % 360 - 180)
    turn = np.where(~grey & (np.abs(h2 - h1) == 180), h2 - h1, turn)
    hue_gap = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn) / 2)
    total_hue = h1 + h2
    far = np.abs(h1 - h2) > 180
    hue = np.where(grey, total_hue, np.where(far, (total_hue + np.where(total_hue < 360, 360, -360)) / 2, total_hue / 2))
    lightness, chroma = (first[..., 0] + second[..., 0]) / 2, (c1 + c2) / 2

    def wave(times: int, shift: float) -> NDArray[np.float64]:
        return np.asarray(np.cos(np.radians(times * hue + shift)))

    t = 1 - 0.17 * wave(1, -30) + 0.24 * wave(2, 0) + 0.32 * wave(3, 6) - 0.20 * wave(4, -63)
    off = (lightness - 50) ** 2
    s_lightness = 1 + 0.015 * off / np.sqrt(20 + off)
    s_chroma, s_hue = 1 + 0.045 * chroma, 1 + 0.015 * chroma * t
    rotation = -np.sin(np.radians(60 * np.exp(-(((hue - 275) / 25) ** 2)))) * 2 * _saturating(chroma)
    lightness, chroma, hue = (second[..., 0] - first[..., 0]) / s_lightness, (c2 - c1) / s_chroma, hue_gap / s_hue
    total = np.sqrt(np.maximum(lightness**2 + chroma**2 + hue**2 + rotation * chroma * hue, 0))
    return Difference(total, lightness, chroma, hue)


def _saturating(chroma: NDArray[np.float64]) -> NDArray[np.float64]:
    power = chroma**7
    return np.asarray(np.sqrt(power / (power + 25.0**7)))
