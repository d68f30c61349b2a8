"""Bring to reference: the steps that make a shot look like another, and how far apart they were and are."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from bluffline.propose.pixels import Pixels, lab_of
from bluffline.signal.difference import delta_e_2000
from bluffline.signal.format import SignalFormat
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import Treatment, apply_to_colours

Array = NDArray[np.float64]
Model = Callable[[Array], Treatment]

_MOST_PIXELS, _FITTED = 8000, 1500  # that are compared, and of those that a fit works on
_DIRECTIONS, _QUANTILES = 32, 65
_FIT_DIRECTIONS, _FIT_QUANTILES = 10, 33
_ROUNDS, _TINY = 10, 1e-3
_PLAIN = 1.5  # of distance that a figure of 1 is held to be worth, so that figures don't work against one another
_BORNE_OUT = 0.12  # of what is left: by how much more has to fall, in what was left out, for another rung to be worth it
_LEAST_FALL = 0.02  # of the distance
_MOST_LEFT, _UNLIKE = 0.35, 2.6  # of a distance, and distance, that remain where two shots show different things
_NEAR = 0.4  # distance from which two shots look alike
_HUES = (-150.0, -90.0, -30.0, 30.0, 90.0, 150.0)
_AREA_PIXELS = 1500


@dataclass(frozen=True, slots=True)
class Match:
    """Steps that bring a shot to a reference, none where nothing brings it nearer.

    ``before``, ``after``: distance in CIE Lab, see `distance`; ``areas``: for each name that both have, CIEDE2000 between the
    means before and after. ``at_best``: the distance that steps would come to which were left out, since so much of it remains
    that the two must show different things.
    """

    treatment: Treatment
    before: float
    after: float
    areas: tuple[tuple[str, float, float], ...] = ()
    at_best: float | None = None

    @property
    def told(self) -> str:
        """What it comes to, for a person."""
        each = "".join(f"; {name} ΔE {before:.1f} → {after:.1f}" for name, before, after in self.areas)
        if self.at_best is not None:
            return (
                f"left alone: at a distance of {self.before:.1f}, which nothing brings under {self.at_best:.1f}, both show too "
                f"little that is alike; give an area of each that shows the same thing one name{each}"
            )
        if not self.treatment:
            return f"at a distance of {self.before:.1f} nothing brings it nearer{each}"
        return f"distance {self.before:.1f} → {self.after:.1f}{each}"


def distance(first: Array, second: Array) -> float:
    """Sliced Wasserstein distance of order 1 between colours (N, 3) and (M, 3) CIE Lab, over fixed directions [SLICED]."""
    ways, parts = _directions(_DIRECTIONS), np.linspace(0, 1, _QUANTILES)
    return float(np.abs(_levels(first @ ways.T, parts) - _levels(second @ ways.T, parts)).mean())


def _levels(values: Array, parts: Array) -> Array:
    """Quantiles of columns (N, K), between their neighbours."""
    ordered, places = np.sort(values, axis=0), parts * (len(values) - 1)
    below = np.minimum(places.astype(int), max(len(values) - 2, 0))
    above = np.minimum(below + 1, len(values) - 1)
    return np.asarray(ordered[below] + (ordered[above] - ordered[below]) * (places - below)[:, None])


def bring(pixels: Pixels, reference: Pixels, *, by_areas: bool = False) -> Match:
    """The steps that bring a shot to a reference: tone, then balance, then hues if what was left out of the fit bears them out.

    Parameters
    ----------
    by_areas : only areas count that both have under one name; the whole picture else, and where there are none
    """
    source = pixels.source
    names = [name for name in pixels.areas if len(pixels.areas[name]) and len(reference.areas.get(name, ()))]
    if by_areas and names:
        given = np.concatenate([_thinned(pixels.areas[name], _AREA_PIXELS) for name in names])
        wanted = np.concatenate([_thinned(reference.areas[name], _AREA_PIXELS) for name in names])
    else:
        given, wanted = (_thinned(each.rgb.reshape(-1, 3), _MOST_PIXELS) for each in (pixels, reference))
    lab, aim = lab_of(given, source), lab_of(wanted, reference.source)
    before = distance(lab, aim)
    treatment = _fitted(given, aim, source) if before > _NEAR else ()
    after = distance(lab_of(_through(treatment, given, source), source), aim)
    at_best = None
    if after > before * (1 - _LEAST_FALL):
        treatment, after = (), before
    elif not (by_areas and names) and (after > before * _MOST_LEFT or after > _UNLIKE):
        treatment, after, at_best = (), before, after
    areas = tuple((name, *_apart(pixels.areas[name], reference.areas[name], treatment, pixels, reference)) for name in names)
    return Match(treatment, before, after, areas, at_best)


def _fitted(given: Array, aim: Array, source: SignalFormat) -> Treatment:
    """The plainest of some models that brings colours to an aim; one more rung has to be borne out by what was left out."""
    fit_rgb, left_rgb, fit_aim, left_aim = given[::2], given[1::2], aim[::2], aim[1::2]
    best: Treatment = ()
    least = distance(lab_of(left_rgb, source), left_aim)
    start = np.zeros(0)
    for model, count in _MODELS:
        start = np.concatenate([start, np.zeros(count - len(start))])
        found = _least_squares(model, start, fit_rgb, fit_aim, source)
        made = model(found)
        far = distance(lab_of(_through(made, left_rgb, source), source), left_aim)
        if far < least * (1 - _BORNE_OUT):
            best, least, start = made, far, found
        if least < _NEAR:
            break
    return best


def _least_squares(model: Model, start: Array, given: Array, aim: Array, source: SignalFormat) -> Array:
    """The figures with which a model brings colours nearest an aim, by the damped method of Gauss and Newton."""
    ways, parts = _directions(_FIT_DIRECTIONS), np.linspace(0.01, 0.99, _FIT_QUANTILES)
    given = _thinned(given, _FITTED)
    wanted = _levels(aim @ ways.T, parts).ravel()

    def off(figures: Array) -> Array:
        lab = lab_of(_through(model(figures), given, source), source)
        return np.concatenate([_levels(lab @ ways.T, parts).ravel() - wanted, _PLAIN * figures])

    here, damping = start.copy(), 1e-2
    value = off(here)
    for _ in range(_ROUNDS):
        slopes = np.stack([(off(here + _TINY * unit) - value) / _TINY for unit in np.eye(len(here))], axis=1)
        square = slopes.T @ slopes
        room = damping * np.diag(np.diag(square) + 1e-6)
        onwards = np.clip(here - np.linalg.solve(square + room, slopes.T @ value), -_MOST, _MOST)
        tried = off(onwards)
        if (tried**2).sum() < (value**2).sum():
            done = (value**2).sum() - (tried**2).sum() < 1e-5 * (value**2).sum()
            here, value, damping = onwards, tried, damping / 4
            if done:
                break
        else:
            damping *= 8
    return here


_MOST = 2.5  # of any figure of a model: a stop, or as much


def _balanced(figures: Array) -> Treatment:
    """Exposure and two relative gains, in stops."""
    exposure, red, blue = (float(each) for each in figures[:3])
    gains = np.clip(2.0 ** np.array([red, -(red + blue) / 3, blue]), 0.1, 8)
    r, g, b = (round(float(gain), 4) for gain in gains)
    return Tone(round(exposure, 3)), Balance((r, g, b))


def _toned(figures: Array) -> Treatment:
    """Black and white points, gamma and saturation as well."""
    tone, balance = _balanced(figures)
    assert isinstance(tone, Tone)
    black, white, gamma, saturation = (float(each) for each in figures[3:7])
    low = round(float(np.clip(20 * black, -50, 60)), 2)
    made = replace(
        tone,
        black_point=low,
        white_point=round(float(np.clip(100 + 40 * white, max(low, 0) + 10, 200)), 2),
        gamma=(_factor(gamma, 0.2, 5), 1.0, 1.0, 1.0),
        saturation=_factor(saturation, 0, 4),
    )
    return made, balance


def _apart_toned(figures: Array) -> Treatment:
    """Lift and gamma of R′, G′ and B′ apart as well."""
    tone, balance = _toned(figures)
    assert isinstance(tone, Tone)
    lift = [round(float(np.clip(20 * each, -50, 50)), 2) for each in figures[7:10]]
    gamma = [_factor(float(each), 0.2, 5) for each in figures[10:13]]
    made = replace(tone, lift=(0.0, lift[0], lift[1], lift[2]), gamma=(tone.gamma[0], gamma[0], gamma[1], gamma[2]))
    return made, balance


def _hued(figures: Array) -> Treatment:
    """Hues turned, and their chroma, as well."""
    turn = tuple((hue, round(float(30 * each), 1)) for hue, each in zip(_HUES, figures[13:19], strict=True))
    turn = turn if any(abs(by) >= 1 for _, by in turn) else ()
    chroma = tuple((hue, _factor(float(each), 0, 4)) for hue, each in zip(_HUES, figures[19:25], strict=True))
    return *_apart_toned(figures), Hues(turn, chroma)


def _factor(power: float, least: float, most: float) -> float:
    return round(float(np.clip(2.0**power, least, most)), 3)


_MODELS: tuple[tuple[Model, int], ...] = ((_balanced, 3), (_toned, 7), (_apart_toned, 13), (_hued, 25))


def _through(treatment: Treatment, rgb: Array, source: SignalFormat) -> Array:
    return np.asarray(apply_to_colours(treatment, rgb, source), np.float64)


def _thinned(rgb: Array, most: int) -> Array:
    """So many colours at most, taken from all over."""
    if len(rgb) <= most:
        return rgb
    return rgb[np.random.default_rng(len(rgb)).choice(len(rgb), most, replace=False)]


def _apart(mine: Array, theirs: Array, treatment: Treatment, pixels: Pixels, reference: Pixels) -> tuple[float, float]:
    """CIEDE2000 between the means of two areas, before and after."""
    aim = lab_of(theirs.mean(axis=0)[None], reference.source)
    both = [lab_of(each.mean(axis=0)[None], pixels.source) for each in (mine, _through(treatment, mine, pixels.source))]
    before, after = (float(delta_e_2000(aim, lab)[0]) for lab in both)
    return before, after


def _directions(count: int) -> Array:
    """(N, 3) unit vectors evenly over half a sphere, the axes of Lab first."""
    n = np.arange(count - 3) + 0.5
    height, angle = n / (count - 3), np.pi * (1 + 5**0.5) * n
    across = np.sqrt(1 - height**2)
    rest = np.stack([height, across * np.cos(angle), across * np.sin(angle)], axis=1)
    return np.concatenate([np.eye(3), rest])
