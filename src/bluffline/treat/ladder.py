"""Treatments as a whole: the order of their steps, and what they do to greys and colours, as plain arithmetic.

Luma and R′G′B′ are in percent of the nominal range where a name says so, 0 … 1 otherwise, and never clamped.
"""

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.step import Heading, LumaStep, Signal, Step

Float = NDArray[np.floating[Any]]
Treatment = tuple[Step, ...]

_HEADINGS = list(Heading)
_LIMITS: tuple[type[Step], ...] = (SoftCeiling, SoftFloor, ChromaRein)  # in the order in which they do best
_NONE = -np.inf, np.inf
_GRID = np.linspace(-30, 130, 25)  # percent: the colours from which it is told what becomes of others between them


def ordered(treatment: Sequence[Step]) -> Treatment:
    """Steps in the order in which they act: by heading, within one as they stand."""
    return tuple(sorted(treatment, key=lambda step: _HEADINGS.index(step.place)))


def with_step(treatment: Treatment, step: Step) -> Treatment:
    """The treatment with another step at the end of its heading; limits in their own order."""

    def rank(one: Step) -> tuple[int, int]:
        own = _LIMITS.index(type(one)) if type(one) in _LIMITS and type(step) in _LIMITS else 0
        return _HEADINGS.index(one.place), own

    place = next((n for n, other in enumerate(treatment) if rank(other) > rank(step)), len(treatment))
    return (*treatment[:place], step, *treatment[place:])


def shifted(treatment: Treatment, by: int) -> Treatment:
    """A treatment whose areas are followed so many frames later, as for another programme or another shot."""
    return tuple(
        replace(step, reach=replace(step.reach, areas=tuple(area.shifted(by) for area in step.reach.areas)))
        if any(area.follow for area in step.reach.areas)
        else step
        for step in treatment
    )


def in_force(treatment: Treatment) -> Treatment:
    """The steps that act, in their order."""
    return tuple(step for step in ordered(treatment) if step.on)


def acts(treatment: Treatment) -> bool:
    """Whether any step is in force."""
    return any(step.on for step in treatment)


def colours_of(treatment: Treatment) -> Treatment:
    """The steps in force that look at all of a colour and are no limits."""
    return tuple(step for step in in_force(treatment) if not isinstance(step, LumaStep) and not step.limits)


def split_limits(treatment: Treatment) -> tuple[Treatment, Treatment]:
    """A treatment, in force and in order, and the limits at its end that nothing comes after and that reach everywhere."""
    count = len(treatment)
    while count and treatment[count - 1].limits and treatment[count - 1].reach.everywhere:
        count -= 1
    return treatment[:count], treatment[count:]


def luma_bounds(treatment: Treatment) -> tuple[float, float]:
    """Least and greatest luma (percent) that the limits at the end let through; infinite where there is none."""
    _, limits = split_limits(in_force(treatment))
    bounds = [step.bounds for step in limits if isinstance(step, LumaStep)]
    return max((low for low, _ in bounds), default=-np.inf), min((high for _, high in bounds), default=np.inf)


def limits_alone(treatment: Treatment) -> Treatment:
    """The limits that a treatment keeps, without its roll-offs: for what is no picture, which they would only lift."""
    _, limits = split_limits(in_force(treatment))
    hard = [replace(step, hard=True) for step in limits if isinstance(step, SoftCeiling | SoftFloor) and step.bounds != _NONE]
    return (*hard, *(replace(step, onset=0.0) for step in limits if isinstance(step, ChromaRein) and step.holds))


def apply_to_colours(treatment: Treatment, rgb: Float, signal: Signal, *, reined: bool = False) -> Float:
    """(..., 3) R′G′B′ (0 … 1) through all steps in force, wherever areas may be; ``reined``: the last reins as well."""
    body, limits = split_limits(in_force(treatment))
    for step in (*body, *(one for one in limits if reined or not isinstance(one, ChromaRein))):
        made = step.apply(rgb, signal)
        key = step.reach.key
        if key is not None:
            weights = key.weights(rgb, signal.matrix)[..., None]
            made = rgb + (made - rgb) * (1 - weights if key.inverted else weights)
        rgb = made
    return rgb


def tone_curve(treatment: Treatment, luma: Float, signal: Signal) -> tuple[Float, Float]:
    """What a treatment's steps make of the luma (percent) of greys, and the gain of chroma at each.

    Reins leave greys alone. Steps that look at all of a colour have no one gain of chroma: theirs counts as 1.
    """
    gain = np.ones_like(luma)
    for step in in_force(treatment):
        if isinstance(step, ChromaRein):
            continue
        if isinstance(step, LumaStep):
            luma, own = step.luma(luma, signal)
            gain = gain * own
        else:
            grey = np.repeat(luma[..., None] / 100, 3, axis=-1)
            luma = step.apply(grey, signal) @ np.array(signal.matrix.luma_weights) * 100
    return luma, gain


def rein_of(treatment: Treatment) -> ChromaRein | None:
    """The chroma rein in force at the end of the ladder, if any."""
    _, limits = split_limits(in_force(treatment))
    return next((step for step in reversed(limits) if isinstance(step, ChromaRein)), None)


def predicted_extremes(treatment: Treatment, luma: Float, rgb: Float, signal: Signal) -> tuple[Float, Float]:
    """What least and greatest (percent) of luma and of R′G′B′ may become under a treatment, until it is measured.

    Parameters
    ----------
    luma, rgb : (..., 2) least and greatest

    Returns
    -------
    the same; luma to the letter where steps look at luma alone, else bounds, from a grid of all colours between the extremes
    """
    if not colours_of(treatment):
        treated, _ = tone_curve(treatment, luma, signal)
        alone = not any(isinstance(step, LumaStep) for step in in_force(treatment))
        bound = rgb if alone else tone_curve(treatment, rgb, signal)[0]
    else:
        treated, bound = (_overshot(each, treatment) for each in _bounds(treatment, rgb, signal))
    rein = rein_of(treatment)
    if rein is None:
        return treated, bound
    return treated, np.clip(bound, np.minimum(rein.low, treated), np.maximum(rein.high, treated))


def _overshot(extremes: Float, treatment: Treatment) -> Float:
    """Least and greatest (..., 2), further apart by as much as steps that look at neighbours may reach beyond them."""
    share = sum(step.overshoot_share for step in in_force(treatment))
    beyond = (extremes[..., 1] - extremes[..., 0]) * share
    return np.stack([extremes[..., 0] - beyond, extremes[..., 1] + beyond], axis=-1)


def _bounds(treatment: Treatment, rgb: Float, signal: Signal) -> tuple[Float, Float]:
    """Least and greatest luma and component (percent) of colours whose components lie between two extremes (..., 2)."""
    luma, colours = _made_of_all(treatment, signal)
    places = (np.asarray(rgb, np.float64).reshape(-1, 2) - _GRID[0]) / (_GRID[1] - _GRID[0])
    ends = np.clip(np.stack([np.floor(places[:, 0] + 1e-9), np.ceil(places[:, 1] - 1e-9)], axis=1), 0, len(_GRID) - 1)
    kinds, which = np.unique(ends.astype(int), axis=0, return_inverse=True)
    made = np.empty((2, len(kinds), 2))
    for n, (low, high) in enumerate(kinds):
        inside = (slice(low, max(high, low) + 1),) * 3
        made[:, n] = [(part.min(), part.max()) for part in (luma[inside], colours[inside])]
    treated, bound = made[:, which.ravel()].reshape(2, *np.shape(rgb))
    return treated, bound


@lru_cache(maxsize=16)
def _made_of_all(treatment: Treatment, signal: Signal) -> tuple[Float, Float]:
    """Luma and R′G′B′ (percent) of a grid of all colours after a treatment."""
    grid = np.stack(np.meshgrid(_GRID, _GRID, _GRID, indexing="ij"), axis=-1)
    colours = np.asarray(apply_to_colours(treatment, grid / 100, signal)) * 100
    return colours @ np.array(signal.matrix.luma_weights), colours
