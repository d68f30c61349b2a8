"""What a colour that was picked on the picture does to the step on the bench."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.signal.colorimetry import camera_light, rgb_to_xyz
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import rgb_to_ycbcr
from bluffline.treat.curves import AS_IT_IS, HELD, follow_curve
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.bands import MOST_BANDS, Band, Bands
from bluffline.treat.kinds.chroma_by_luma import ChromaByLuma
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.hues import NONE_BELOW, Hues, around
from bluffline.treat.step import LEAST_APART, Points, Step

Array = NDArray[np.float64]
PICKABLE = (Balance, Bands, ChromaByLuma, Curves, HueNudge, Hues)
_DARKEST = 0.002  # light under which a colour says nothing of the light
_BAND = 12.0  # percent to either side of a luma that a band about it takes in


def with_colour(step: Step, picks: Sequence[Array], source: SignalFormat, chosen: str = "") -> Step:
    """The step changed by colours that were picked, the last of them last.

    Balance makes their mean neutral; curves over luma, hue or a component get a point where the last one stands; a band is laid
    about its luma, and a hue nudge about its hue.

    Parameters
    ----------
    picks : (3,) R′G′B′ each, 0 … 1, as they come into the step
    chosen : which of the step's curves gets the point

    Raises
    ------
    SettingsError : the colour says nothing of what is asked
    """
    rgb = np.asarray(picks[-1], np.float64)
    luma, cb, cr = (float(each) * 100 for each in rgb_to_ycbcr(rgb[None], source.matrix)[0])
    if isinstance(step, Balance):
        return replace(step, gains=_neutral(np.mean(np.array(picks), axis=0), step, source))
    if isinstance(step, Bands):
        return replace(step, bands=_band_about(step, luma))
    if isinstance(step, ChromaByLuma):
        return replace(step, points=with_point(step.points, luma, float(value_on(step, "points", np.array(luma)))))
    if isinstance(step, Curves):
        name = chosen or "master"
        level = float(rgb[("red", "green", "blue").index(name)]) * 100 if name != "master" else luma
        return step.figured(name, with_point(getattr(step, name), level, float(value_on(step, name, np.array(level)))))
    hue = float(np.degrees(np.arctan2(cr, cb)))
    if np.hypot(cb, cr) < NONE_BELOW:
        raise SettingsError(f"That colour has hardly any chroma ({np.hypot(cb, cr):.1f} %): it has no hue to pick.")
    if isinstance(step, HueNudge):
        return replace(step, hue=round(hue, 1))
    if isinstance(step, Hues):
        name = chosen or "turn"
        return step.figured(name, with_point(getattr(step, name), hue, float(value_on(step, name, np.array(hue)))))
    raise SettingsError(f"{step.title} has nothing that a colour could set.")


def value_on(step: Step, name: str, along: Array) -> Array:
    """What a curve of a step has at places along it."""
    points: Points = getattr(step, name)
    if isinstance(step, Hues):
        return around(points, along, 1.0 if name == "chroma" else 0.0)
    return follow_curve(points, along, HELD if isinstance(step, ChromaByLuma) else AS_IT_IS)


def with_point(points: Points, along: float, up: float) -> Points:
    """A curve with a point more, in place of one that stands there."""
    kept = [point for point in points if abs(point[0] - along) >= LEAST_APART]
    return tuple(sorted([*kept, (round(along, 1), round(up, 3))]))


def _neutral(rgb: Array, step: Balance, source: SignalFormat) -> tuple[float, float, float]:
    light = camera_light(rgb, source.transfer) if step.light else rgb
    if light.min() <= _DARKEST:
        raise SettingsError("That is too dark to be balanced by.")
    weights = rgb_to_xyz(source.primaries)[1] if step.light else np.array(source.matrix.luma_weights)
    red, green, blue = (round(float(gain), 4) for gain in light @ weights / light)
    return red, green, blue


def _band_about(step: Bands, luma: float) -> tuple[Band, ...]:
    if len(step.bands) >= MOST_BANDS:
        raise SettingsError(f"There are {MOST_BANDS} bands already; take one away first.")
    low, high = max(luma - _BAND, -20), min(luma + _BAND, 120)
    return (*step.bands, Band(round(low, 1), round(high, 1)))
