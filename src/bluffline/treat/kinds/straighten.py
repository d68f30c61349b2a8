"""Straighten: the greys of a chart given their reference brightness."""

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.treat.curves import STRAIGHT, curves, follow_curve, require_rising
from bluffline.treat.operations import Operation
from bluffline.treat.step import Float, Number, Points, Signal, Step, Told


@dataclass(frozen=True)
class Straighten(Step):
    """One curve for R′, G′ and B′ that gives the greys of a scale their reference brightness, so that light is linear again.

    ``strength``: percent of the way.
    """

    kind = "straighten"
    title = "Straighten"
    by_hand = False
    calibrates = True
    curve: Annotated[Points, Told("Curve")] = STRAIGHT
    strength: Annotated[float, Number("Strength", "%", 0, 100)] = 100.0

    def __post_init__(self) -> None:
        super().__post_init__()
        require_rising(self.curve, "Straighten")

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        return np.asarray(rgb + (follow_curve(self.curve, rgb) - rgb) * (self.strength / 100), np.float64)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        return curves(self.curve, self.curve, self.curve, self.strength / 100) if self.strength else ()

    @property
    def text(self) -> str:
        return f"curve through {len(self.curve)} greys"
