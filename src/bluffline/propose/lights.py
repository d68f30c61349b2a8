"""Lights that a shot may stand in, to choose from where none is sure."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from bluffline.charts.tint import hue_name
from bluffline.errors import SettingsError
from bluffline.figures import figure
from bluffline.propose.pixels import Pixels
from bluffline.rules.aims import Aims
from bluffline.signal.colorimetry import camera_light, camera_signal, rgb_to_xyz, xyz_to_lab
from bluffline.signal.matrix import rgb_to_ycbcr
from bluffline.treat.kinds.balance import Balance

Array = NDArray[np.float64]

MOST_OFFERED = 3
_LEAST_PIXELS = 200
_BRIGHTEST = 0.999  # what is brighter than so much of the picture
_CLIPPED = 0.03  # of the picture: with more, the brightest of it is not seen
_EDGE_BLUR, _EDGE_POWER = 2.0, 5  # samples; of the mean that leans to strong edges [EDGES]
_BINS, _WIDEST, _SPREAD = 80, 3.0, 0.15  # of log R/G and B/G: how many, to how many stops, and what counts as one surface
_FAR = 0.4  # stops from the light of edges: a surface that lies further off is coloured
_ALIKE = 0.1  # stops between R and G, and B and G, up to which two lights are one
_NEUTRAL = 1.5  # C*ab: a light that shows less is none to correct
_SKIN_STOPS, _SKIN_STEP, _ON_LINE = 1.2, 0.03, 1.0  # of R and B, how finely they are tried; degrees


@dataclass(frozen=True, slots=True)
class Offer:
    """A light that a shot may stand in, and the balance that makes up for it.

    ``title``: what is taken to be neutral, in a few words; ``told``: by what figures.
    """

    title: str
    told: str
    step: Balance


def offered_lights(pixels: Pixels, aims: Aims, beside: tuple[str, Balance] | None = None) -> tuple[Offer, ...]:
    """Up to three lights, the likeliest first; none where nothing leans, or nothing is seen.

    What is brightest mirrors the light; edges are grey in the mean [EDGES], and what has nearly their colour may be grey; what
    fills most of the picture may be a wall. Where a face is named, the weakest light that brings it to the skin line is
    offered; and another shot's balance.

    Parameters
    ----------
    beside : what to call another shot's balance, and the balance
    """
    weights = rgb_to_xyz(pixels.source.primaries)
    of_edges = _edges(pixels)
    bright = _leaning("brightest is white", _brightest(pixels, weights[1]), weights)
    edges = _leaning("edges are grey", of_edges, weights)
    near = _leaning("near-greys are grey", _surface(pixels, weights[1], of_edges), weights)
    widest = _leaning("widest area is grey", _surface(pixels, weights[1]), weights)
    known = [_skin(pixels, aims), (beside[0], "the same light", np.array(beside[1].gains)) if beside is not None else None]
    seen_white = pixels.whole.mean() >= 1 - _CLIPPED
    found = [bright, *known, edges, near, widest] if seen_white else [edges, *known, near, widest, bright]
    offers: list[Offer] = []
    for title, told, gains in (one for one in found if one is not None):
        try:
            red, green, blue = (round(float(gain), 4) for gain in gains)
            step = Balance((red, green, blue))
        except SettingsError:
            continue  # no balance is as strong
        if all(_stops_apart(step.gains, one.step.gains) > _ALIKE for one in offers):
            offers.append(Offer(title, told, step))
    return tuple(offers[:MOST_OFFERED])


def _leaning(title: str, light: Array | None, weights: Array) -> tuple[str, str, Array] | None:
    """What is taken to be neutral, how it looks in a light, and the gains that make it so; None where it is neutral."""
    if light is None:
        return None
    luminance = float(weights[1] @ light)
    lab = xyz_to_lab(weights @ (light / luminance * 0.4))
    cast = float(np.hypot(lab[1], lab[2]))
    told = f"leans to {hue_name(lab[1], lab[2])}, C*ab {cast:.1f}"
    return (title, told, luminance / light) if cast >= _NEUTRAL else None


def _stops_apart(one: tuple[float, ...], other: tuple[float, ...]) -> float:
    ratio = np.log2(np.array(one) / np.array(other))
    return float(np.hypot(ratio[0] - ratio[1], ratio[2] - ratio[1]))


def _brightest(pixels: Pixels, luminance: Array) -> Array | None:
    light = np.concatenate([light[usable] for light, usable in pixels.lit(0.8)])
    if len(light) < _LEAST_PIXELS:
        return None
    bright = light @ luminance
    return np.asarray(light[bright >= np.quantile(bright, _BRIGHTEST)].mean(axis=0))


def _edges(pixels: Pixels) -> Array | None:
    slopes = np.concatenate(
        [
            np.hypot(cv2.Sobel(light, cv2.CV_64F, 1, 0), cv2.Sobel(light, cv2.CV_64F, 0, 1))[usable]
            for light, usable in pixels.lit(_EDGE_BLUR)
        ]
    )
    if len(slopes) < _LEAST_PIXELS:
        return None
    mean = (slopes**_EDGE_POWER).mean(axis=0) ** (1 / _EDGE_POWER)
    return mean if mean.min() > 0 else None


def _surface(pixels: Pixels, luminance: Array, edges: Array | None = None) -> Array | None:
    """Light of the colour that most of the picture has, the brighter of it counting more; near that of edges where given."""
    light = np.concatenate([light[usable] for light, usable in pixels.lit(0.8)])
    if len(light) < _LEAST_PIXELS:
        return None
    ratio = np.log2(light[:, [0, 2]] / light[:, [1]])
    axis, weight = (-_WIDEST, _WIDEST), np.sqrt(light @ luminance)
    counts, reds, blues = np.histogram2d(ratio[:, 0], ratio[:, 1], bins=_BINS, range=(axis, axis), weights=weight)
    if edges is not None:
        off = np.log2(edges[[0, 2]] / edges[1])
        far = np.hypot(*np.meshgrid(reds[:-1] - off[0], blues[:-1] - off[1], indexing="ij")) > _FAR
        counts[far] = 0
    i, j = np.unravel_index(cv2.GaussianBlur(counts, (0, 0), 1.5).argmax(), counts.shape)
    middle = np.array([reds[i] + reds[i + 1], blues[j] + blues[j + 1]]) / 2
    near = np.hypot(*(ratio - middle).T) < _SPREAD
    return np.asarray(light[near].mean(axis=0)) if near.any() else None


def _skin(pixels: Pixels, aims: Aims) -> tuple[str, str, Array] | None:
    """The weakest light that a face turns to the skin line without; none where no face is named, or it lies there."""
    face = pixels.named(aims.names.face)
    if face is None:
        return None
    source, light = pixels.source, camera_light(face.mean(axis=0), pixels.source.transfer)
    stops = np.arange(-_SKIN_STOPS, _SKIN_STOPS + _SKIN_STEP / 2, _SKIN_STEP)
    red, blue = (each.ravel() for each in np.meshgrid(stops, stops))
    tried = 2.0 ** np.stack([red, -(red + blue) / 3, blue], axis=-1)

    def off(gains: Array) -> Array:
        ycbcr = rgb_to_ycbcr(camera_signal(light * gains, source.transfer), source.matrix)
        hue = np.degrees(np.arctan2(ycbcr[..., 2], ycbcr[..., 1]))
        return np.asarray((hue - aims.colour.skin + 180) % 360 - 180)

    before, after = float(off(np.ones(3))), off(tried)
    there = np.abs(after) <= _ON_LINE
    if abs(before) <= aims.colour.skin_off or not there.any():
        return None
    best = int(np.where(there, np.hypot(red, blue), np.inf).argmin())
    return "skin on its line", f"the face {figure(before, '+.0f')}° → {figure(float(after[best]), '+.0f')}°", tried[best]
