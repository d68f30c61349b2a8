"""The tint of a grey scale over its brightness, and what it says of the light and the camera."""

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

_NEUTRAL = 1.5  # C*ab up to which a grey counts as neutral
_SAME = 2.5  # change of tint over the scale, C*ab, up to which one gain would serve
# Where the names of hues end, in degrees of the a*-b* plane.
_HUES = {20: "red", 65: "orange", 110: "yellow", 190: "green", 235: "cyan", 300: "blue", 345: "magenta", 360: "red"}


def hue_name(a: float, b: float) -> str:
    """What a tint is called."""
    angle = float(np.degrees(np.arctan2(b, a))) % 360
    return next(name for limit, name in _HUES.items() if angle < limit)


def describe_tint(lab: Array) -> str:
    """What the tint of greys (N, 3) CIE Lab, in any order, says, in a sentence or two."""
    lab = lab[np.argsort(lab[:, 0])]
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    if chroma.max() <= _NEUTRAL:
        return "The greys are neutral from dark to light."
    if len(lab) < 2:
        return f"The grey leans to {hue_name(*lab[0, 1:])} by {chroma[0]:.1f}."
    # A cast that is one gain in light tints greys in proportion to their lightness: compare at equal lightness.
    relative = lab[:, 1:] / np.maximum(lab[:, :1] + 16, 16) * 100
    change = np.linalg.norm(relative[-1] - relative[0])
    dark, light = (f"{hue_name(*lab[n, 1:])} by {chroma[n]:.1f}" for n in (0, -1))
    if change <= _SAME:
        return f"The greys lean to {hue_name(*lab[:, 1:].mean(axis=0))} alike from dark to light: one balance would serve."
    return (
        f"The dark greys lean to {dark}, the light ones to {light}: mixed light, or a tone curve that the camera baked in. "
        "No one balance neutralises both; the neutral scale does."
    )
