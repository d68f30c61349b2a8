"""Chroma by luma: highlights or shadows drained of colour, or fed."""

from dataclasses import dataclass
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.treat.code_kernels import Code
from bluffline.treat.curves import HELD, follow_curve, table_of
from bluffline.treat.hands import Picked
from bluffline.treat.operations import Operation
from bluffline.treat.step import Curve, Float, LumaStep, Number, Points, Signal

LEVEL: Points = ((0.0, 1.0), (100.0, 1.0))


@dataclass(frozen=True)
class ChromaByLuma(LumaStep):
    """Chroma times a factor that follows from luma: a monotone cubic through points, held beyond its ends."""

    kind = "chroma-by-luma"
    title = "Chroma by luma"
    work = 64
    picks = True
    points: Annotated[
        Points, Curve("Chroma", Number("luma", "%", -20, 120, 1, 0.1), Number("chroma", "×", 0, 4, 0.02, 0.005))
    ] = LEVEL

    @property
    def _neutral(self) -> bool:
        return all(factor == 1 for _, factor in self.points)

    def curve_at(self, key: str, along: Float) -> NDArray[np.float64]:
        return follow_curve(getattr(self, key), along, HELD)

    def picked(self, colours: Picked) -> Self:
        """A point at the luma that was picked."""
        return self.with_curve_through("points", colours.luma)

    def luma(self, percent: Float, signal: Signal) -> tuple[Float, Float]:
        """Luma is left as it is."""
        return percent, np.ones_like(percent) if self._neutral else follow_curve(self.points, percent, HELD)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if self._neutral:
            return ()
        points = tuple((luma / 100, factor) for luma, factor in self.points)
        return (Operation(Code.CHROMA_BY_LUMA, (), table_of((points,), beyond=HELD)),)

    @property
    def text(self) -> str:
        if self._neutral:
            return "neutral"
        return ", ".join(f"×{factor:.2f} at {figure(luma, '.0f')} %" for luma, factor in self.points)
