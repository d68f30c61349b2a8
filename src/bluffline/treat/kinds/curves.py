"""Curves: monotone cubics through points, for R′, G′ and B′ together, for luma, and for each component."""

from dataclasses import dataclass
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray

from bluffline.treat.code_kernels import Code
from bluffline.treat.curves import AS_IT_IS, curves, follow_curve, table_of
from bluffline.treat.hands import Picked
from bluffline.treat.operations import Operation
from bluffline.treat.step import Choice, Curve, Float, Number, Points, Signal, Step

LINE: Points = ((0.0, 0.0), (100.0, 100.0))
ON = ("rgb", "luma")
_IN, _OUT = Number("in", "%", -20, 120, 1, 0.1), Number("out", "%", -50, 150, 1, 0.1)


@dataclass(frozen=True)
class Curves(Step):
    """A master curve and then one for each of R′, G′ and B′: monotone cubics through points in percent, lines beyond the ends.

    ``bends``, stored as ``on``: whether the master bends R′, G′ and B′ alike (``rgb``), or luma alone with Cb and Cr as they
    are (``luma``).
    """

    kind = "curves"
    title = "Curves"
    work = 40
    picks = True
    library = True
    transfer = True
    master: Annotated[Points, Curve("Master", _IN, _OUT)] = LINE
    bends: Annotated[str, Choice("Master on", lambda: ON, stored="on")] = "rgb"
    red: Annotated[Points, Curve("R′", _IN, _OUT)] = LINE
    green: Annotated[Points, Curve("G′", _IN, _OUT)] = LINE
    blue: Annotated[Points, Curve("B′", _IN, _OUT)] = LINE

    def curve_at(self, key: str, along: Float) -> NDArray[np.float64]:
        return follow_curve(getattr(self, key), along, AS_IT_IS)

    def picked(self, colours: Picked) -> Self:
        """A point where the colour stands: of the component whose curve is chosen, or of luma."""
        name = colours.curve or "master"
        level = colours.luma if name == "master" else float(colours.last[("red", "green", "blue").index(name)]) * 100
        return self.with_curve_through(name, level)

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        value = np.asarray(rgb, np.float64) * 100
        if self.bends == "luma":
            luma = value @ np.array(signal.matrix.luma_weights)
            value = value + (follow_curve(self.master, luma, AS_IT_IS) - luma)[..., None]
        else:
            value = follow_curve(self.master, value, AS_IT_IS)
        components = enumerate((self.red, self.green, self.blue))
        return np.stack([follow_curve(points, value[..., n], AS_IT_IS) for n, points in components], axis=-1) / 100

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        master, red, green, blue = (
            tuple((x / 100, y / 100) for x, y in points) for points in (self.master, self.red, self.green, self.blue)
        )
        apart = curves(red, green, blue, beyond=AS_IT_IS)
        if all(x == y for x, y in master):
            return apart
        if self.bends == "luma":
            return Operation(Code.LUMA_CURVE, (), table_of((master,), beyond=AS_IT_IS)), *apart
        return *curves(master, master, master, beyond=AS_IT_IS), *apart

    @property
    def text(self) -> str:
        named = (("master", self.master), ("R′", self.red), ("G′", self.green), ("B′", self.blue))
        bent = [f"{name} through {len(points)}" for name, points in named if any(x != y for x, y in points)]
        on = " on luma" if self.bends == "luma" and self.master != LINE else ""
        return ", ".join(bent) + f" points{on}" if bent else "neutral"
