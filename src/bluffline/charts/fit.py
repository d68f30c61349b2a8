"""The chart fit: neutral scale, straighten, matrix and higher order, in that order, each judged in ΔE.

A camera that bakes in a tone curve tints shadows, mid-tones and highlights differently, so no one gain neutralises them;
greys that are neutral may still have the wrong brightness; and a matrix is only right on linear light. Colours are compared
in CIE Lab under D65, as the light that a camera of the programme's transfer characteristic would have seen.
"""

from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from enum import StrEnum
from types import MappingProxyType

import numpy as np
import scipy  # its parts are loaded when they are first used: the desk need not wait for them
from numpy.typing import NDArray

from bluffline.charts.reference import Reference
from bluffline.charts.sample import CLIPPED, Samples, is_uneven
from bluffline.errors import ChartError
from bluffline.signal.colorimetry import camera_light, camera_signal, rgb_to_xyz, xyz_to_lab
from bluffline.signal.difference import Difference, delta_e_2000, difference
from bluffline.signal.format import SignalFormat
from bluffline.treat.colour import (
    Balance,
    ColourMatrix,
    ColourStep,
    NeutralScale,
    RootPolynomial,
    Row,
    Straighten,
    root_terms,
)
from bluffline.treat.curves import rising

Array = NDArray[np.float64]

_LEAST_PATCHES = {"matrix": 6, "root 2": 10, "root 3": 20}
_LEAST_SPREAD = 0.02  # least over greatest singular value of the patches' light, from which a matrix can be solved
_SKIN_WEIGHT = 4.0
_DARK = 0.03  # light that is added where colours are weighed by their darkness, so that black does not count for everything
_RIDGE = 1e-4  # what holds a root polynomial's coefficients near those of no change
_STEP = 1e-4  # of a coefficient, for slopes
_WORSE = 0.1  # ΔE by which a patch has to be worse to be told


class Aim(StrEnum):
    """How far a fit goes: each takes in those before it. AUTO is the highest that the chart bears out."""

    NEUTRAL = "neutral"
    STRAIGHTEN = "straighten"
    MATRIX = "matrix"
    AUTO = "auto"


@dataclass(frozen=True)
class Wishes:
    """How a chart is to be fitted.

    ``skin_first``: whether patches that the layout calls skin count four times as much; ``weights``: what patches count, by
    name, 1 where none is given and 0 to leave one out; ``even_light``: whether uneven light over the chart is taken out
    first, None for where it is uneven and the aim is AUTO; ``least_squares``: whether the matrix has the least squares on
    X, Y, Z rather than the least mean CIEDE2000.
    """

    aim: Aim = Aim.AUTO
    skin_first: bool = False
    even_light: bool | None = None
    least_squares: bool = False
    weights: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))


@dataclass(frozen=True, eq=False)
class Stage:
    """The chart after some steps: ``lab`` (N, 3) of its patches, ``difference`` from the reference.

    ``left_out``: (N,) CIEDE2000 of each patch where the steps were found without it; None where nothing was found.
    """

    name: str
    steps: tuple[ColourStep, ...]
    lab: Array
    difference: Difference
    left_out: Array | None = None

    @property
    def mean(self) -> float:
        """Mean CIEDE2000 of all patches."""
        return float(self.difference.total.mean())

    @property
    def left_out_mean(self) -> float:
        """Mean CIEDE2000 of patches that the steps were found without; not a number where nothing can be said."""
        known = self.left_out if self.left_out is not None else np.array([])
        return float(np.nanmean(known)) if np.isfinite(known).any() else float("nan")


@dataclass(frozen=True, eq=False)
class ChartFit:
    """``stages``: the source and then every step taken or tried; ``chosen``: the number of the one whose steps are the fit.

    ``used``: (N,) the patches that were fitted; ``worse``: names of patches that the fit leaves worse than they were;
    ``notes``: what there is to tell, a sentence each.
    """

    stages: tuple[Stage, ...]
    chosen: int
    used: NDArray[np.bool_]
    worse: tuple[str, ...]
    notes: tuple[str, ...]

    @property
    def steps(self) -> tuple[ColourStep, ...]:
        """The steps that were chosen."""
        return self.stages[self.chosen].steps

    @property
    def result(self) -> Stage:
        """The chart after the steps that were chosen."""
        return self.stages[self.chosen]


@dataclass(frozen=True, eq=False)
class _Chart:
    """What a fit works on: measured R′G′B′; the reference as X, Y, Z, Lab and light; what each patch counts."""

    signal: Array
    xyz: Array
    light: Array
    lab: Array
    weights: Array
    neutral: NDArray[np.bool_]
    transfer: str
    to_xyz: Array
    least_squares: bool

    def without(self, patch: int) -> "_Chart":
        weights = self.weights.copy()
        weights[patch] = 0
        return replace(self, weights=weights)

    def light_through(self, steps: tuple[ColourStep, ...]) -> Array:
        signal = self.signal
        for step in steps:
            signal = step.apply(signal)
        return camera_light(signal, self.transfer)

    def lab_through(self, steps: tuple[ColourStep, ...]) -> Array:
        return self.lab_of(self.light_through(steps))

    def lab_of(self, light: Array) -> Array:
        return xyz_to_lab(light @ self.to_xyz.T)


def measure_chart(samples: Samples, reference: Reference, source: SignalFormat) -> Stage:
    """The chart as it was filmed, against its reference."""
    lab = xyz_to_lab(samples.light @ rgb_to_xyz(source.primaries).T)
    return Stage("source", (), lab, difference(lab, reference.lab))


def fit_chart(
    samples: Samples,
    reference: Reference,
    source: SignalFormat,
    wishes: Wishes = Wishes(),
    progress: Callable[[str], None] = lambda _: None,
) -> ChartFit:
    """The steps that bring a filmed chart to its reference; ``progress`` is told the name of each stage as it begins.

    Raises
    ------
    ChartError : too few patches or neutrals for the aim, all neutrals clipped, colours that give a singular matrix, or
        weights that can't be used
    """
    aim = wishes.aim
    clipped = samples.clipped > CLIPPED
    if clipped[list(reference.layout.neutral)].all():
        raise ChartError("The chart can't be fitted: it has no neutral patch that is not clipped.")
    even_light = aim is Aim.AUTO if wishes.even_light is None else wishes.even_light
    samples, notes = _evened(samples, even_light)
    inside = reference.in_gamut(source.primaries)
    for n, name in enumerate(reference.names):
        if clipped[n] or not inside[n]:
            why = "is clipped" if clipped[n] else f"lies outside the programme's gamut ({source.primaries})"
            notes.append(f"{name} {why} and is left out of the fit.")
    weights = np.where(clipped | ~inside, 0.0, _weights(reference, wishes))
    chart = _Chart(
        camera_signal(samples.light, source.transfer),
        reference.xyz,
        reference.light(source.primaries),
        reference.lab,
        weights,
        np.isin(np.arange(len(weights)), reference.layout.neutral),
        source.transfer,
        rgb_to_xyz(source.primaries),
        wishes.least_squares,
    )
    stages = [measure_chart(samples, reference, source)]
    left_out: list[dict[str, tuple[ColourStep, ...]]] = [{"source": ()} for _ in weights]
    for name, (base, find) in _STAGES.items():
        if aim is not Aim.AUTO and name not in _STAGES_TO[aim]:
            break
        progress(name)
        before = next(stage for stage in stages if stage.name == base).steps
        try:
            steps = (*before, find(chart, before, None))
        except ChartError as error:
            if aim is not Aim.AUTO or name == "neutral":
                raise
            notes.append(f"{error} The fit stops before it.")
            break
        stages.append(_judged(name, steps, chart, left_out, base, find))
    chosen = _chosen(stages) if aim is Aim.AUTO else len(stages) - 1
    if aim is Aim.AUTO:
        notes.append(_why(stages, chosen))
    gained = stages[0].difference.total - stages[chosen].difference.total
    worse = tuple(name for n, name in enumerate(reference.names) if gained[n] < -_WORSE)
    if worse:
        notes.append(f"Worse than before the fit: {', '.join(worse)}.")
    return ChartFit(tuple(stages), chosen, weights > 0, worse, tuple(notes))


def _weights(reference: Reference, wishes: Wishes) -> Array:
    """What each patch counts."""
    for name, weight in wishes.weights.items():
        if name not in reference.names:
            raise ChartError(f"The chart has no patch “{name}” to be weighed.")
        if not 0 <= weight < np.inf:
            raise ChartError(f"A patch's weight must be 0 or more, not {weight:g}.")
    weights = np.array([wishes.weights.get(name, 1.0) for name in reference.names])
    if wishes.skin_first:
        weights[list(reference.layout.skin)] *= _SKIN_WEIGHT
    return weights


def _evened(samples: Samples, wanted: bool) -> tuple[Samples, list[str]]:
    gradient = samples.gradient()
    if not is_uneven(gradient):
        return samples, []
    across, down = (f"{(np.exp(abs(change)) - 1) * 100:.0f} %" for change in gradient)
    sides = "left" if gradient[0] < 0 else "right", "top" if gradient[1] < 0 else "bottom"
    told = f"The light on the chart is about {across} brighter at the {sides[0]} and {down} at the {sides[1]}"
    if not wanted:
        return samples, [f"{told}; it has not been evened out."]
    return samples.evened_out(), [f"{told}; this was evened out before the fit."]


def _judged(
    name: str,
    steps: tuple[ColourStep, ...],
    chart: _Chart,
    left_out: list[dict[str, tuple[ColourStep, ...]]],
    base: str,
    find: "_Find",
) -> Stage:
    """The stage, with each patch judged by steps that were found without it; ``left_out`` grows by those steps."""
    lab = chart.lab_through(steps)
    missed = np.full(len(lab), np.nan)
    for n in np.flatnonzero(chart.weights):
        without = chart.without(int(n))
        if name in _GREYS_ONLY and not chart.neutral[n]:
            left_out[n][name] = steps  # it had no part in them
        elif (before := left_out[n].get(base)) is not None:
            with suppress(ChartError):  # too few may be left without it, so nothing can be said of it
                left_out[n][name] = (*before, find(without, before, steps[-1]))
        if name in left_out[n]:
            missed[n] = delta_e_2000(without.lab_through(left_out[n][name]), chart.lab)[n]
    return Stage(name, steps, lab, difference(lab, chart.lab), missed)


def _chosen(stages: list[Stage]) -> int:
    """The highest order whose left-out difference is still falling."""
    chosen = 1
    for n in range(2, len(stages)):
        if stages[n].name != "straighten" and not stages[n].left_out_mean < stages[chosen].left_out_mean:
            break
        chosen = n
    return chosen


def _why(stages: list[Stage], chosen: int) -> str:
    taken = stages[chosen]
    if np.isnan(taken.left_out_mean):
        return f"Taken: {taken.name}; the chart has too few patches to leave one out and judge the fit by it."
    sentence = f"Taken: {taken.name}, whose mean ΔE of patches left out is {taken.left_out_mean:.2f}"
    if chosen + 1 < len(stages):
        following = stages[chosen + 1]
        return f"{sentence}; with {following.name} it would be {following.left_out_mean:.2f}."
    return f"{sentence}."


def _neutral_scale(chart: _Chart, before: tuple[ColourStep, ...], _: ColourStep | None) -> ColourStep:
    """Each grey neutral at its own brightness; a single one by gains."""
    greys = chart.neutral & (chart.weights > 0)
    light = chart.light_through(before)[greys]
    luminance, wanted = light @ chart.to_xyz[1], chart.light[greys]
    target = wanted * (luminance / (wanted @ chart.to_xyz[1]))[:, None]
    if not greys.any() or luminance.min() <= 0:
        raise ChartError("The neutral scale needs a neutral patch that is neither clipped nor black.")
    if greys.sum() == 1:
        red, green, blue = (float(gain) for gain in (target / light)[0])
        return Balance((red, green, blue), chart.transfer)
    seen, target = (camera_signal(values, chart.transfer) for values in (light, target))
    curves = [rising(seen[:, n], target[:, n]) for n in range(3)]
    if min(len(points) for points in curves) < 2:
        raise ChartError("The neutral scale needs neutral patches of different brightness.")
    return NeutralScale(curves[0], curves[1], curves[2])


def _straighten(chart: _Chart, before: tuple[ColourStep, ...], _: ColourStep | None) -> ColourStep:
    """Each grey at its reference brightness."""
    greys = chart.neutral & (chart.weights > 0)
    pairs = (chart.light_through(before)[greys] @ chart.to_xyz[1], chart.xyz[greys, 1])
    seen, target = (camera_signal(luminance, chart.transfer) for luminance in pairs)
    points = rising(seen, target)
    if len(points) < 2:
        raise ChartError("To straighten, two neutral patches of different brightness are needed.")
    return Straighten(points)


def _matrix(chart: _Chart, before: tuple[ColourStep, ...], start: ColourStep | None) -> ColourStep:
    """The least squares on X, Y, Z; from there (or from a solution with a patch more) the least mean CIEDE2000 is sought."""
    light = _spanning(chart, before, "matrix")
    if chart.least_squares:
        return ColourMatrix(_as_rows(_least_squares(chart, light, _EVENLY)), chart.transfer)
    rows = np.array(start.rows) if isinstance(start, ColourMatrix) else _least_squares(chart, light, _EVENLY)
    used = chart.weights > 0
    weights = chart.weights[used] / chart.weights[used].sum()
    light, lab = light[used], chart.lab[used]

    def judged(numbers: Array) -> tuple[float, Array]:
        """Mean difference and its slopes, from one look at seven matrices."""
        tried = numbers + np.concatenate([np.zeros((1, 6)), np.eye(6) * _STEP])
        seen = chart.lab_of(np.einsum("tij,nj->tni", _rows_of(tried), light))
        means = delta_e_2000(seen, lab) @ weights
        return float(means[0]), (means[1:] - means[0]) / _STEP

    options = {"maxiter": 2 if isinstance(start, ColourMatrix) else 60, "gtol": 1e-3}  # a patch less moves little
    found = scipy.optimize.minimize(judged, rows[:, :2].ravel(), jac=True, method="BFGS", options=options)
    return ColourMatrix(_as_rows(_rows_of(found.x)), chart.transfer)


def _rows_of(numbers: Array) -> Array:
    """(..., 6) the first two of each row to (..., 3, 3) rows that add up to 1."""
    first = numbers.reshape(*numbers.shape[:-1], 3, 2)
    return np.concatenate([first, 1 - first.sum(axis=-1, keepdims=True)], axis=-1)


def _root(degree: int) -> "_Find":
    def find(chart: _Chart, before: tuple[ColourStep, ...], _: ColourStep | None) -> ColourStep:
        terms = root_terms(_spanning(chart, before, f"root {degree}"), degree)
        return RootPolynomial(_as_rows(_least_squares(chart, terms, _BY_EYE)), degree, chart.transfer)

    return find


def _spanning(chart: _Chart, before: tuple[ColourStep, ...], name: str) -> Array:
    """Light of all patches, where those in use are enough and different enough."""
    light, used = chart.light_through(before), chart.weights > 0
    least = _LEAST_PATCHES[name]
    if used.sum() < least:
        raise ChartError(f"The fit “{name}” needs {least} patches that are not clipped; the chart has {used.sum()}.")
    spread = np.linalg.svd(light[used] / light[used].max(axis=1, keepdims=True), compute_uv=False)
    if spread[2] < _LEAST_SPREAD * spread[0]:
        raise ChartError(f"The fit “{name}” needs patches of different colours: with these its matrix is singular.")
    return light


_EVENLY, _BY_EYE = 0.0, 2 / 3  # powers of luminance by which patches are weighed: by light, and about as CIE Lab sees them


def _least_squares(chart: _Chart, terms: Array, power: float) -> Array:
    """(3, K) coefficients of terms (N, K) of light, each row adding up to 1, with the least squares on X, Y, Z."""
    count = terms.shape[1]
    free = np.concatenate([np.eye(count - 1), -np.ones((1, count - 1))])  # what leaves the sum of a row as it is
    identity = np.eye(3, count)
    weights = np.sqrt(chart.weights) / (chart.xyz[:, 1] + _DARK) ** power
    left = (chart.xyz - terms @ identity.T @ chart.to_xyz.T) * weights[:, None]
    design = np.einsum("ij,nk->nijk", chart.to_xyz, terms @ free) * weights[:, None, None, None]
    design = design.reshape(left.size, -1)
    if count > 3:
        design = np.concatenate([design, np.eye(design.shape[1]) * np.sqrt(_RIDGE)])
        left = np.append(left, np.zeros(design.shape[1]))
    numbers = np.linalg.lstsq(design, left.ravel(), rcond=None)[0]
    return np.asarray(identity + numbers.reshape(3, count - 1) @ free.T)


def _as_rows(rows: Array) -> tuple[Row, Row, Row]:
    red, green, blue = (tuple(map(float, row)) for row in rows)
    return red, green, blue


_Find = Callable[[_Chart, tuple[ColourStep, ...], ColourStep | None], ColourStep]
_STAGES: dict[str, tuple[str, _Find]] = {
    "neutral": ("source", _neutral_scale),
    "straighten": ("neutral", _straighten),
    "matrix": ("straighten", _matrix),
    "root 2": ("straighten", _root(2)),
    "root 3": ("straighten", _root(3)),
}
_STAGES_TO = {
    Aim.NEUTRAL: ("neutral",),
    Aim.STRAIGHTEN: ("neutral", "straighten"),
    Aim.MATRIX: ("neutral", "straighten", "matrix"),
}
_GREYS_ONLY = ("neutral", "straighten")
