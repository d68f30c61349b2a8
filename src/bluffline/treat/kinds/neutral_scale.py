"""Neutral scale: the greys of a chart made neutral."""

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.treat.curves import STRAIGHT, curves, follow_curve, require_rising
from bluffline.treat.operations import Operation
from bluffline.treat.step import Float, Points, Signal, Step, Told


@dataclass(frozen=True)
class NeutralScale(Step):
    """A curve for each of R′, G′ and B′ that makes the greys of a scale neutral, each at its own brightness."""

    kind = "neutral-scale"
    title = "Neutral scale"
    by_hand = False
    calibrates = True
    red: Annotated[Points, Told("R′")] = STRAIGHT
    green: Annotated[Points, Told("G′")] = STRAIGHT
    blue: Annotated[Points, Told("B′")] = STRAIGHT

    def __post_init__(self) -> None:
        super().__post_init__()
        for points in (self.red, self.green, self.blue):
            require_rising(points, "Neutral scale")

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        components = enumerate((self.red, self.green, self.blue))
        return np.stack([follow_curve(points, rgb[..., n]) for n, points in components], axis=-1)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        return curves(self.red, self.green, self.blue)

    @property
    def text(self) -> str:
        return f"curves through {len(self.green)} greys"
