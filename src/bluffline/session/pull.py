"""Pulling on an instrument: where a tone step's white, grey and black stand, and the figure that puts one elsewhere."""

from dataclasses import dataclass

import numpy as np

from bluffline.session.session import Session
from bluffline.signal.format import SignalFormat
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import Treatment, apply_to_colours
from bluffline.treat.step import Number
from bluffline.treat.transfer import MID_GREY

_HALVINGS = 40
# The figure that moves each, on luma and on one component of a parade.
_FIGURES = {"white": ("white_point", "gain"), "grey": ("gamma", "gamma"), "black": ("black_point", "lift")}


@dataclass(frozen=True, slots=True)
class Handle:
    """What can be pulled: its name, its component (None: luma), what comes in and what goes out, in percent."""

    name: str
    component: int | None
    came_in: float
    level: float


def handles(session: Session, components: tuple[int | None, ...]) -> list[Handle]:
    """The handles of the tone step on the bench, on the frame in view; none where there is none, or it does nothing there."""
    place, ladder, columns = session.place, session.document.treatment, session.source_columns()
    rung, frame = place.rung, place.frame
    if rung is None or rung >= len(ladder) or not isinstance(ladder[rung], Tone) or not ladder[rung].on:
        return []
    if frame >= len(columns.get("y_p999", ())):
        return []
    comes = {"white": float(columns["y_p999"][frame]), "grey": MID_GREY, "black": float(columns["y_p01"][frame])}
    return [
        Handle(name, component, level, _level(ladder, session.source, level, component))
        for component in components
        for name, level in comes.items()
    ]


def pulled(ladder: Treatment, rung: int, handle: Handle, level: float, source: SignalFormat) -> Tone:
    """The tone step that brings a handle to a level, or as near as its figure's bounds let it."""
    step = ladder[rung]
    assert isinstance(step, Tone), "only a tone step has handles"
    key = _FIGURES[handle.name][handle.component is not None]
    declared = next(one.declared for one in step.figures() if one.key == key)
    assert isinstance(declared, Number), "what is pulled is a number"
    field = f"{key}.{0 if handle.component is None else handle.component + 1}" if declared.parts else key

    def made(value: float) -> tuple[Tone, float]:
        tried = step.figured(field, value)
        return tried, _level((*ladder[:rung], tried, *ladder[rung + 1 :]), source, handle.came_in, handle.component)

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


def _level(ladder: Treatment, source: SignalFormat, percent: float, component: int | None) -> float:
    """What a grey comes out as, in percent: its luma, or one component."""
    colour = np.asarray(apply_to_colours(ladder, np.full((1, 3), percent / 100), source))[0]
    return float(colour @ np.array(source.matrix.luma_weights) if component is None else colour[component]) * 100
