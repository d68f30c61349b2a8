"""Differences of colours as eyes see them, and the least that legality costs: for judging, written apart from the product."""

import numpy as np
from skimage.color import deltaE_ciede2000

_LIGHT = np.array([(0.4123908, 0.3575843, 0.1804808), (0.2126390, 0.7151687, 0.0721923), (0.0193308, 0.1191948, 0.9505322)])
_WHITE = _LIGHT.sum(axis=1)
WEIGHTS = np.array([0.2126, 0.7152, 0.0722])
_EDGE, _SLOPE = 216 / 24389, 24389 / 27
_TURNS = 60


def lab(rgb):
    """(..., 3) R′G′B′ of BT.709 on a BT.1886 display to CIE Lab; what is negative goes on in the straight part."""
    light = np.sign(rgb) * np.abs(rgb) ** 2.4
    xyz = light @ _LIGHT.T / _WHITE
    f = np.where(xyz > _EDGE, np.cbrt(np.maximum(xyz, _EDGE)), (_SLOPE * xyz + 16) / 116)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def difference(one, other):
    """ΔE2000 of R′G′B′ pictures."""
    return deltaE_ciede2000(lab(one), lab(other))


def outside(rgb, limits, slack=0.0):
    """Which pixels break a limit by more than ``slack`` (0 … 1)."""
    luma, (dark, light), (low, high) = rgb @ WEIGHTS, limits.luma, limits.rgb
    least, most = rgb.min(axis=-1), rgb.max(axis=-1)
    beyond = (luma < dark / 100 - slack) | (luma > light / 100 + slack)
    return beyond | (least < low / 100 - slack) | (most > high / 100 + slack)


def _legal(rgb, limits):
    """Colours moved inside: components clipped, then luma held."""
    low, high = limits.rgb[0] / 100, limits.rgb[1] / 100
    held = np.clip(rgb, low, high)
    luma = held @ WEIGHTS
    held = held + (np.clip(luma, limits.luma[0] / 100, limits.luma[1] / 100) - luma)[..., None]
    return np.clip(held, low, high)


def least_difference(rgb, limits, rng):
    """(N,) the least ΔE2000 at which any legal colour stands from each of (N, 3) colours, by search from three beginnings."""
    luma = rgb @ WEIGHTS
    grey = np.clip(luma, limits.luma[0] / 100, limits.luma[1] / 100)[:, None]
    apart = rgb - luma[:, None]
    above, below = limits.rgb[1] / 100 - grey, limits.rgb[0] / 100 - grey
    room = np.where(apart > 0, above / np.maximum(apart, 1e-6), below / np.minimum(apart, -1e-6))
    reined = grey + apart * np.clip(room.min(axis=-1), 0, 1)[:, None]
    begun = [_legal(rgb, limits), _legal(reined, limits), _legal((rgb + reined) / 2, limits)]
    wanted, best = lab(rgb), np.full(len(rgb), np.inf)
    for start in begun:
        colours, least = start, deltaE_ciede2000(wanted, lab(start))
        step = 0.05
        for _ in range(_TURNS):
            tried = _legal(colours + rng.normal(0, step, colours.shape), limits)
            told = deltaE_ciede2000(wanted, lab(tried))
            better = told < least
            colours, least = np.where(better[:, None], tried, colours), np.where(better, told, least)
            step *= 0.94
        best = np.minimum(best, least)
    return best
