"""Balance: a gain for each of R, G and B."""

from dataclasses import dataclass, replace
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.signal.colorimetry import camera_light, camera_signal, rgb_to_xyz
from bluffline.signal.white import TEMPERATURES, gains_for_light, light_for_gains
from bluffline.treat.hands import Picked
from bluffline.treat.operations import Affine, Operation, from_light, to_light
from bluffline.treat.step import Figure, Float, Number, Signal, Step, Told

TEMPERATURE = Number("Temperature", "K", TEMPERATURES[0], TEMPERATURES[1], 50, 10)
TINT = Number("Tint", "steps", -60, 60, 1, 0.2)
DAYLIGHT = 6504.0  # kelvin, of D65: what a balance that does nothing is for
_DARKEST = 0.002  # light under which a colour says nothing of the light


@dataclass(frozen=True)
class Balance(Step):
    """Gains of R, G and B, in the light that the camera saw or on coded values."""

    kind = "balance"
    title = "Balance"
    work = 30
    key = "Shift+L"
    calibrates = True
    picks = True
    balances = "gains"
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

    @classmethod
    def derived(cls) -> tuple[Figure, ...]:
        """The temperature and the tint of the light that it makes neutral."""
        return Figure("temperature", TEMPERATURE, DAYLIGHT), Figure("tint", TINT, 0.0)

    def derived_value(self, key: str, signal: Signal) -> float:
        """Of gains that are no light's, the nearest light's."""
        kelvin, tint = light_for_gains(self.gains, signal.primaries)
        return round(min(max(tint, TINT.least), TINT.greatest), 1) if key == "tint" else round(kelvin)

    def with_derived(self, key: str, value: float, signal: Signal) -> Self:
        """As it is for a light; that fails where the programme's primaries can't make it, or no balance is as strong."""
        light = {name.key: self.derived_value(name.key, signal) for name in self.derived()} | {key: value}
        red, green, blue = (round(gain, 4) for gain in gains_for_light(light["temperature"], light["tint"], signal.primaries))
        return replace(self, gains=(red, green, blue), light=True)

    def picked(self, colours: Picked) -> Self:
        """Their mean becomes neutral, and keeps its luma."""
        source, mean = colours.source, colours.mean
        light = camera_light(mean, source.transfer) if self.light else mean
        if light.min() <= _DARKEST:
            raise SettingsError("That is too dark to be balanced by.")
        weights = rgb_to_xyz(source.primaries)[1] if self.light else np.array(source.matrix.luma_weights)
        red, green, blue = (round(float(gain), 4) for gain in light @ weights / light)
        return replace(self, gains=(red, green, blue))

    @property
    def text(self) -> str:
        where = "in light" if self.light else "on codes"
        return " ".join(f"{name} ×{gain:.3f}" for name, gain in zip("RGB", self.gains, strict=True)) + f" {where}"
