"""Balance: a gain for each of R, G and B."""

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.colorimetry import camera_light, camera_signal
from bluffline.treat.operations import Affine, Operation, from_light, to_light
from bluffline.treat.step import Float, Number, Signal, Step, Told


@dataclass(frozen=True)
class Balance(Step):
    """Gains of R, G and B, in the light that the camera saw or on coded values."""

    kind = "balance"
    title = "Balance"
    calibrates = True
    gains: Annotated[tuple[float, float, float], Number("gain", "×", 0.1, 8, 0.01, 0.001, ("R", "G", "B"))] = (1.0, 1.0, 1.0)
    light: Annotated[bool, Told("In linear light")] = True

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        if not self.light:
            return np.asarray(rgb * np.array(self.gains), np.float64)
        return camera_signal(camera_light(rgb, signal.transfer) * np.array(self.gains), signal.transfer)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if self.gains == (1, 1, 1):
            return ()
        gains = Affine.of(np.diag(self.gains))
        return (*to_light(signal.transfer), gains, *from_light(signal.transfer)) if self.light else (gains,)

    @property
    def text(self) -> str:
        where = "in light" if self.light else "on codes"
        return " ".join(f"{name} ×{gain:.3f}" for name, gain in zip("RGB", self.gains, strict=True)) + f" {where}"
