"""The chart fit: neutral scale, straighten, matrix and higher order, in that order, each judged in ΔE.

A camera that bakes in a tone curve tints shadows, mid-tones and highlights differently, so no one gain neutralises them;
greys that are neutral may still have the wrong brightness; and a matrix is only right on linear light. Colours are compared
in CIE Lab under D65, as the light that a camera of the programme's transfer characteristic would have seen.
"""

from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from enum import StrEnum
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from bluffline.charts.covered import covered
from bluffline.charts.reference import Reference
from bluffline.charts.sample import CLIPPED, Samples, is_uneven
from bluffline.charts.solve import STAGES, Array, Chart, Find
from bluffline.errors import ChartError
from bluffline.signal.colorimetry import camera_signal, rgb_to_xyz, xyz_to_lab
from bluffline.signal.difference import Difference, delta_e_2000, difference
from bluffline.signal.format import SignalFormat
from bluffline.treat.ladder import Treatment

_SKIN_WEIGHT = 4.0
_WORSE = 0.1  # ΔE by which a patch has to be worse to be told


class Aim(StrEnum):
    """How far a fit goes: each takes in those before it. AUTO is the highest that the chart bears out."""

    NEUTRAL = "neutral"
    STRAIGHTEN = "straighten"
    MATRIX = "matrix"
    AUTO = "auto"


_STAGES_TO = {
    Aim.NEUTRAL: ("neutral",),
    Aim.STRAIGHTEN: ("neutral", "straighten"),
    Aim.MATRIX: ("neutral", "straighten", "matrix"),
}
_GREYS_ONLY = ("neutral", "straighten")


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
    steps: Treatment
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
    def steps(self) -> Treatment:
        """The steps that were chosen."""
        return self.stages[self.chosen].steps

    @property
    def result(self) -> Stage:
        """The chart after the steps that were chosen."""
        return self.stages[self.chosen]


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
    signal = camera_signal(samples.light, source.transfer)
    hidden, doubt = _covered(signal, reference, source, wishes)
    notes += doubt
    reasons = {
        "is clipped": clipped,
        f"lies outside the programme's gamut ({source.primaries})": ~reference.in_gamut(source.primaries),
        "does not look like its patch in the reference (is it covered?)": hidden,
    }
    out = np.zeros(len(clipped), bool)
    for n, name in enumerate(reference.names):
        if why := next((words for words, holds in reasons.items() if holds[n]), None):
            notes.append(f"{name} {why} and is left out of the fit.")
            out[n] = True
    weights = np.where(out, 0.0, _weights(reference, wishes))
    chart = Chart(
        signal,
        reference.xyz,
        reference.light(source.primaries),
        reference.lab,
        weights,
        np.isin(np.arange(len(weights)), reference.layout.neutral),
        source,
        rgb_to_xyz(source.primaries),
        wishes.least_squares,
    )
    stages = [measure_chart(samples, reference, source)]
    left_out: list[dict[str, Treatment]] = [{"source": ()} for _ in weights]
    for name, (base, find) in STAGES.items():
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


def _covered(signal: Array, reference: Reference, source: SignalFormat, wishes: Wishes) -> tuple[NDArray[np.bool_], list[str]]:
    """Patches that are covered, unless the operator has given them a weight; where it is too many, a doubt of the whole."""
    wanted = np.clip(camera_signal(reference.light(source.primaries), source.transfer), 0.0, 1.1)
    named = np.array([name in wishes.weights for name in reference.names])
    found = covered(signal, wanted) & ~named
    if found.sum() <= len(found) // 3:
        return np.asarray(found), []
    words = f"{found.sum()} of {len(found)} patches don't look like theirs in {reference.title}"
    return np.zeros(len(found), bool), [f"{words}: it is another chart, or covered, or its corners are in the wrong place."]


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
    steps: Treatment,
    chart: Chart,
    left_out: list[dict[str, Treatment]],
    base: str,
    find: Find,
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
