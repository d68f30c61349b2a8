"""The light of a shot, from what ought to be neutral in it, and how sure that is."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from bluffline.charts.tint import hue_name
from bluffline.propose.pixels import LEAST_COMPONENT, Pixels
from bluffline.signal.colorimetry import camera_light, rgb_to_xyz, xyz_to_lab

Array = NDArray[np.float64]

_LEAST_SHARE = 0.05  # of the picture that has to be left to look at
_BRIGHT, _BRIGHTEST = 0.99, 0.999  # what is brighter than so much of the picture mirrors the light, more than other things
_SMOOTH = 0.8  # samples
_POWER, _EDGE_POWER = 6, 5  # of the means that lean to what is bright, and to strong edges [SHADES, EDGES]
_AGREE = 0.15  # stops between R and G, or B and G, that the signs of a light may lie apart
_NEUTRAL, _SHARE, _RANGE = 2.5, 0.08, 40.0  # greys: C*ab up to which, how much of the picture, and over how much of L*
_NEAR, _LEAN = 12.0, 6.0  # C*ab of what is nearly grey, and how far it may lean to one side in the mean
_CLIPPED = 0.03  # of the picture: with more, the brightest of it is not seen
_ROUNDS = 3
_WHITE = 0.9  # luminance that the brightest is looked at with, so that greys have the lightness that a good picture has
_MOST_GAIN = 3.0  # between components: no light of a programme is as coloured


@dataclass(frozen=True, slots=True)
class Light:
    """The light of a shot.

    ``gains`` of R, G and B in light make what it falls on neutral, luminance kept. ``cast``: C*ab that a light grey shows under
    it. ``told``: why it is taken for sure, or why it is not; ``seen``: whether anything says something of it.
    """

    gains: tuple[float, float, float]
    cast: float
    sure: bool
    told: str
    seen: bool = True


def light_of(pixels: Pixels, neutral: Array | None = None) -> Light:
    """The light of a shot.

    It is sure where what mirrors light, the bright, and the edges agree on it, and where under it greys from dark to light are
    seen: a picture of one colour agrees with itself, but has no greys of every brightness.

    Parameters
    ----------
    neutral : (M, 3) R′G′B′ of what is known to be neutral; then it is taken at its word
    """
    weights = rgb_to_xyz(pixels.source.primaries)
    if neutral is not None:
        light = camera_light(neutral, pixels.source.transfer)
        kept = light[light.min(axis=1) > LEAST_COMPONENT]
        if len(kept):
            return _told(kept.mean(axis=0), weights, sure=True, why="by the area that is named as neutral")
    signs = _signs(pixels, weights)
    if signs is None:
        return Light((1.0, 1.0, 1.0), 0.0, False, "too little of the picture is neither dark nor clipped", seen=False)
    light, seen, apart = signs
    clipped = 1 - float(pixels.whole.mean())
    if clipped > _CLIPPED:
        return _told(light, weights, sure=False, why=f"{clipped * 100:.0f} % of the picture is clipped")
    if apart > _AGREE:
        return _told(light, weights, sure=False, why=f"what is bright and the edges lie {apart:.2f} stops apart")
    for _ in range(_ROUNDS):
        lab = _lab(seen, light, weights)
        greys = np.hypot(lab[:, 1], lab[:, 2]) < _NEUTRAL
        share = float(greys.mean())
        spread = float(np.subtract(*np.quantile(lab[greys, 0], (0.95, 0.05)))) if share >= _SHARE else 0.0
        if spread < _RANGE:
            words = f"greys from dark to light are not seen ({share * 100:.0f} % of the picture, over {spread:.0f} of L*)"
            return _told(light, weights, sure=False, why=words)
        light = seen[greys].mean(axis=0)
    lab = _lab(seen, light, weights)
    near = np.hypot(lab[:, 1], lab[:, 2]) < _NEAR
    lean = float(np.hypot(*lab[near, 1:].mean(axis=0)))
    if lean > _LEAN:
        return _told(light, weights, sure=False, why=f"what is nearly grey leans to one side by {lean:.1f}")
    if max(light) > _MOST_GAIN * min(light):
        return _told(light, weights, sure=False, why="no light is as coloured")
    return _told(light, weights, sure=True, why=f"greys over {spread:.0f} of L* on {share * 100:.0f} % of the picture agree")


def _signs(pixels: Pixels, weights: Array) -> tuple[Array, Array, float] | None:
    """Light of the brightest, light (N, 3) of all that says something, and how many stops the signs of it lie apart."""
    bright, seen, edges = [], [], []
    for smooth, usable in pixels.lit(_SMOOTH):
        slopes = np.hypot(cv2.Sobel(smooth, cv2.CV_64F, 1, 0), cv2.Sobel(smooth, cv2.CV_64F, 0, 1))
        seen.append(smooth[usable])
        bright.append((smooth @ weights[1])[usable])
        edges.append(slopes[usable])
    light, luminance, slopes = np.concatenate(seen), np.concatenate(bright), np.concatenate(edges)
    if len(light) < _LEAST_SHARE * pixels.whole.size:
        return None
    whites = [light[luminance >= np.quantile(luminance, share)].mean(axis=0) for share in (_BRIGHT, _BRIGHTEST)]
    means = [(light**_POWER).mean(axis=0) ** (1 / _POWER), (slopes**_EDGE_POWER).mean(axis=0) ** (1 / _EDGE_POWER)]
    stops = np.log2(np.maximum([*whites, *means], 1e-9))
    relative = stops[:, [0, 2]] - stops[:, [1]]
    apart = float(np.linalg.norm(relative[1:] - relative[0], axis=1).max())
    return whites[0], light, apart


def _lab(light: Array, white: Array, weights: Array) -> Array:
    """(N, 3) CIE Lab of light as it would look under a neutral one, the brightest of it near white."""
    even = light * ((white @ weights[1]) / white)
    top = np.quantile(even @ weights[1], _BRIGHT)
    return xyz_to_lab(even @ weights.T * (_WHITE / max(top, 1e-9)))


def _told(light: Array, weights: Array, *, sure: bool, why: str) -> Light:
    luminance = float(light @ weights[1])
    lab = xyz_to_lab(weights @ (light / luminance * 0.4))
    red, green, blue = (float(luminance / max(part, 1e-6)) for part in light)
    cast = float(np.hypot(lab[1], lab[2]))
    lean = f"greys lean to {hue_name(lab[1], lab[2])} by {cast:.1f}; " if cast >= 1 else ""
    return Light((red, green, blue), cast, sure, f"{lean}{why}")
