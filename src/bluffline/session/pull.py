"""Pulling on an instrument: a tone step's white, grey and black, limits of bands, a balance's middle, and where to."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from bluffline.session.session import Session
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.bands import Bands
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import Treatment, apply_to_colours
from bluffline.treat.step import Number, Step
from bluffline.treat.transfer import MID_GREY

Colour = NDArray[np.float64]
_HALVINGS = 40
_STEPS, _CLOSE, _TINY, _STRIDE = 20, 1e-5, 1e-4, 0.5
# The figure that moves each, on luma and on one component of a parade.
_FIGURES = {"white": ("white_point", "gain"), "grey": ("gamma", "gamma"), "black": ("black_point", "lift")}


@dataclass(frozen=True, slots=True)
class Handle:
    """What can be pulled: its name, its component (None: luma), what comes in and what goes out, in percent.

    ``limit``: of a band, its number and which limit; it is a line across the gauge.
    """

    name: str
    component: int | None
    came_in: float
    level: float
    limit: tuple[int, str] | None = None


def handles(session: Session, components: tuple[int | None, ...]) -> list[Handle]:
    """The handles of the tone step or the bands on the bench, on the frame in view; none where there are none in force."""
    place, ladder, columns = session.place, session.document.treatment, session.source_columns()
    rung, frame = place.rung, place.frame
    if rung is not None and rung < len(ladder) and isinstance(ladder[rung], Bands) and ladder[rung].on and None in components:
        return _limits(ladder, rung, session.source)
    if rung is None or rung >= len(ladder) or not isinstance(ladder[rung], Tone) or not ladder[rung].on:
        return []
    if frame >= len(columns.get("y_p999", ())):
        return []
    comes = {"white": float(columns["y_p999"][frame]), "grey": MID_GREY, "black": float(columns["y_p01"][frame])}
    levels = _levels(ladder, session.source, list(comes.values()))
    return [
        Handle(name, component, level, float(levels[n, 3 if component is None else component]))
        for component in components
        for n, (name, level) in enumerate(comes.items())
    ]


def _limits(ladder: Treatment, rung: int, source: SignalFormat) -> list[Handle]:
    """The limits of bands, where greys at them stand behind the rungs that come after."""
    step = ladder[rung]
    assert isinstance(step, Bands), "only bands have limits"
    ends = [(n, end) for n in range(len(step.bands)) for end in ("low", "high")]
    came = [float(getattr(step.bands[n], end)) for n, end in ends]
    levels = _levels(ladder[rung + 1 :], source, came)[:, 3] if ends else np.zeros(0)
    return [
        Handle(f"band {n + 1} {'from' if end == 'low' else 'to'}", None, comes, float(level), (n, end))
        for (n, end), comes, level in zip(ends, came, levels, strict=True)
    ]


def _pulled_limit(ladder: Treatment, rung: int, limit: tuple[int, str], level: float, source: SignalFormat) -> Bands:
    """Bands with a limit where a grey comes in that stands at a level behind the rungs after; none runs downwards."""
    step, (number, end) = ladder[rung], limit
    assert isinstance(step, Bands), "only bands have limits"
    low, high = -20.0, 120.0
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        if float(_levels(ladder[rung + 1 :], source, [middle])[0, 3]) < level:
            low = middle
        else:
            high = middle
    band, comes = step.bands[number], round((low + high) / 2, 2)
    moved = replace(band, low=min(comes, band.high)) if end == "low" else replace(band, high=max(comes, band.low))
    return replace(step, bands=(*step.bands[:number], moved, *step.bands[number + 1 :]))


def pulled(ladder: Treatment, rung: int, handle: Handle, level: float, source: SignalFormat) -> Step:
    """The step that brings a handle to a level, or as near as its figure's bounds let it."""
    if handle.limit is not None:
        return _pulled_limit(ladder, rung, handle.limit, level, source)
    step = ladder[rung]
    assert isinstance(step, Tone), "only a tone step has handles"
    key = _FIGURES[handle.name][handle.component is not None]
    declared = next(one.declared for one in step.figures() if one.key == key)
    assert isinstance(declared, Number), "what is pulled is a number"
    field = f"{key}.{0 if handle.component is None else handle.component + 1}" if declared.parts else key

    def made(value: float) -> tuple[Tone, float]:
        tried = step.figured(field, value)
        levels = _levels((*ladder[:rung], tried, *ladder[rung + 1 :]), source, [handle.came_in])
        return tried, float(levels[0, 3 if handle.component is None else handle.component])

    low, high = declared.least, declared.greatest
    if key == "white_point":
        low = max(low, step.black_point + 1)
    elif key == "black_point":
        high = min(high, step.white_point - 1)
    rises = made(high)[1] > made(low)[1]
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        if (made(middle)[1] < level) == rises:
            low = middle
        else:
            high = middle
    return made(round((low + high) / 2, 3))[0]


def balance_of(session: Session) -> Balance | None:
    """The balance on the bench, where it is in force."""
    rung, ladder = session.place.rung, session.document.treatment
    step = ladder[rung] if rung is not None and rung < len(ladder) else None
    return step if isinstance(step, Balance) and step.on else None


def balanced(
    ladder: Treatment, rung: int, seen: tuple[float, float], wanted: tuple[float, float], luma: float, source: SignalFormat
) -> Balance:
    """The balance that brings a colour seen behind the ladder to another chroma, and leaves its luma.

    Parameters
    ----------
    seen, wanted : Cb and Cr (−0.5 … 0.5)
    luma : of the colour, in percent
    """
    step = ladder[rung]
    assert isinstance(step, Balance), "only a balance has a middle"
    rest = ladder[rung + 1 :]

    def out(colour: Colour, gains: Colour) -> Colour:
        red, green, blue = (float(gain) for gain in gains)
        made = apply_to_colours((replace(step, gains=(red, green, blue)), *rest), colour[None], source)
        return np.asarray(rgb_to_ycbcr(np.asarray(made, np.float64), source.matrix)[0], np.float64)

    shown = np.array([luma / 100, *seen])
    gains = np.array(step.gains, np.float64)
    comes = _solved(lambda colour: out(colour, gains), shown, np.asarray(ycbcr_to_rgb(shown, source.matrix), np.float64))
    declared = step.figures()[0].declared
    assert isinstance(declared, Number), "gains are numbers"
    least, greatest = declared.least, declared.greatest

    def by(exponents: Colour) -> Colour:
        return np.asarray(np.clip(np.exp(exponents), least, greatest))

    found = by(_solved(lambda tried: out(comes, by(tried)), np.array([shown[0], *wanted]), np.log(gains)))
    red, green, blue = (round(float(gain), 4) for gain in found)
    return replace(step, gains=(red, green, blue))


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
