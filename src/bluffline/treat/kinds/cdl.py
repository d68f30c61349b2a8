"""CDL: the exchange form of a primary correction."""

from dataclasses import dataclass
from typing import Annotated, ClassVar

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.signal.matrix import Matrix
from bluffline.treat.operations import Affine, Operation, powers
from bluffline.treat.step import Float, Number, Signal, Step

_COMPONENTS = ("R", "G", "B")


@dataclass(frozen=True)
class Cdl(Step):
    """Slope, offset, power and saturation [CDL]; signals below black keep their sign where they are raised to the power."""

    kind = "cdl"
    title = "CDL"
    calibrates = True
    slope: Annotated[tuple[float, float, float], Number("slope", "×", 0, 8, 0.01, 0.001, _COMPONENTS)] = (1.0, 1.0, 1.0)
    offset: Annotated[tuple[float, float, float], Number("offset", "", -1, 1, 0.005, 0.001, _COMPONENTS)] = (0.0, 0.0, 0.0)
    power: Annotated[tuple[float, float, float], Number("power", "", 0.1, 8, 0.01, 0.001, _COMPONENTS)] = (1.0, 1.0, 1.0)
    saturation: Annotated[float, Number("Saturation", "×", 0, 4, 0.01, 0.001)] = 1.0
    weights: ClassVar[tuple[float, float, float]] = Matrix.BT709.luma_weights

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        value = np.asarray(rgb, np.float64) * np.array(self.slope) + np.array(self.offset)
        value = np.sign(value) * np.abs(value) ** np.array(self.power)
        luma = (value @ np.array(self.weights))[..., None]
        return np.asarray(luma + (value - luma) * self.saturation)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        line = Affine.of(np.diag(self.slope), self.offset)
        power = () if self.power == (1, 1, 1) else (powers(self.power, both_signs=True),)
        return (line, *power, saturating(self.saturation, self.weights))

    @property
    def text(self) -> str:
        named = (("slope", self.slope), ("offset", self.offset), ("power", self.power))
        told = [f"{name} " + " ".join(figure(value, ".3f") for value in values) for name, values in named]
        return ", ".join([*told, f"saturation {self.saturation:.3f}"])


def saturating(factor: float, weights: tuple[float, float, float]) -> Affine:
    """Colours moved away from their luma by a factor."""
    return Affine.of(np.eye(3) * factor + (1 - factor) * np.array(weights)[None, :])
