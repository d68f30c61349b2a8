"""Pulling a step on an instrument: what level each of its grips stands at behind the ladder, and what brings it to another."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.hands import Grip
from bluffline.treat.ladder import Treatment, apply_to_colours
from bluffline.treat.step import Number, Step

Colour = NDArray[np.float64]
_HALVINGS = 40
_STEPS, _CLOSE, _TINY, _STRIDE = 20, 1e-5, 1e-4, 0.5
_LUMA = 3  # its place behind R′, G′ and B′


@dataclass(frozen=True, slots=True)
class Handle:
    """A grip, and the level that it stands at behind the ladder, in percent."""

    grip: Grip
    level: float


def handles(
    ladder: Treatment, rung: int, ends: tuple[float, float, float], components: Sequence[int | None], source: SignalFormat
) -> list[Handle]:
    """What of a rung can be pulled where components are shown; nothing where it is out of force.

    Parameters
    ----------
    ends : percent, of black, grey and white as they come into the ladder
    """
    if not ladder[rung].on:
        return []
    grips = [grip for grip in ladder[rung].grips(*ends) if grip.component in components]
    found: dict[Grip, float] = {}
    for inside, steps in ((False, ladder), (True, ladder[rung + 1 :])):
        own = [grip for grip in grips if grip.inside is inside]
        if own:
            levels = _levels(steps, source, [grip.comes_in for grip in own])
            found |= {grip: float(row[_place(grip)]) for grip, row in zip(own, levels, strict=True)}
    order = {component: n for n, component in enumerate(components)}
    return [Handle(grip, found[grip]) for grip in sorted(grips, key=lambda grip: order[grip.component])]


def pulled(ladder: Treatment, rung: int, grip: Grip, level: float, source: SignalFormat) -> Step:
    """The step that brings a grip to a level, or as near as its figure's bounds let it."""
    step, after = ladder[rung], ladder[rung + 1 :]

    def stands(value: float) -> float:
        steps = after if grip.inside else (*ladder[:rung], step.gripped(grip, value), *after)
        return float(_levels(steps, source, [value if grip.inside else grip.comes_in])[0, _place(grip)])

    low, high = grip.least, grip.greatest
    rises = stands(high) > stands(low)
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        if (stands(middle) < level) == rises:
            low = middle
        else:
            high = middle
    return step.gripped(grip, round((low + high) / 2, 3))


def balanced(
    ladder: Treatment, rung: int, seen: tuple[float, float], wanted: tuple[float, float], luma: float, source: SignalFormat
) -> Step:
    """The step that brings a colour seen behind the ladder to another chroma, and leaves its luma.

    Parameters
    ----------
    seen, wanted : Cb and Cr (−0.5 … 0.5)
    luma : of the colour, in percent
    """
    step = ladder[rung]
    gains_of, key = getattr(step, step.balances), step.balances
    rest = ladder[rung + 1 :]

    def out(colour: Colour, gains: Colour) -> Colour:
        red, green, blue = (float(gain) for gain in gains)
        made = apply_to_colours((step.figured(key, (red, green, blue)), *rest), colour[None], source)
        return np.asarray(rgb_to_ycbcr(np.asarray(made, np.float64), source.matrix)[0], np.float64)

    shown = np.array([luma / 100, *seen])
    gains = np.array(gains_of, np.float64)
    comes = _solved(lambda colour: out(colour, gains), shown, np.asarray(ycbcr_to_rgb(shown, source.matrix), np.float64))
    declared = next(one.declared for one in step.figures() if one.key == key)
    assert isinstance(declared, Number), "gains are numbers"
    least, greatest = declared.least, declared.greatest

    def by(exponents: Colour) -> Colour:
        return np.asarray(np.clip(np.exp(exponents), least, greatest))

    found = by(_solved(lambda tried: out(comes, by(tried)), np.array([shown[0], *wanted]), np.log(gains)))
    red, green, blue = (round(float(gain), 4) for gain in found)
    return step.figured(key, (red, green, blue))


def _solved(function: Callable[[Colour], Colour], wanted: Colour, start: Colour) -> Colour:
    """Where a function of three figures has a value, by Newton's method; the best that it came to where that doesn't end."""
    here, best = start.astype(np.float64), (np.inf, start)
    for _ in range(_STEPS):
        value = function(here)
        off = float(np.abs(value - wanted).max())
        best = min(best, (off, here.copy()), key=lambda each: each[0])
        if off < _CLOSE:
            break
        slopes = np.stack([(function(here + _TINY * unit) - value) / _TINY for unit in np.eye(3)], axis=-1)
        here = here + np.clip(np.linalg.lstsq(slopes, wanted - value, rcond=None)[0], -_STRIDE, _STRIDE)
    return best[1]


def _levels(ladder: Treatment, source: SignalFormat, percents: Sequence[float]) -> NDArray[np.float64]:
    """(N, 4) what greys come out as, in percent: R′, G′, B′ and luma."""
    colours = np.repeat(np.array(percents, np.float64)[:, None] / 100, 3, axis=1)
    made = np.asarray(apply_to_colours(ladder, colours, source), np.float64)
    return np.column_stack([made, made @ np.array(source.matrix.luma_weights)]) * 100


def _place(grip: Grip) -> int:
    return _LUMA if grip.component is None else grip.component
