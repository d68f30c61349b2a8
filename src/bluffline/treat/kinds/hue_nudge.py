"""Hue nudge: a band of hues turned towards a neighbour."""

from dataclasses import dataclass, replace
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.code_kernels import Code
from bluffline.treat.hands import Picked
from bluffline.treat.operations import Operation
from bluffline.treat.step import Float, Number, Signal, Step

_SKIN_HUE = 123.0  # degrees on the vectorscope


@dataclass(frozen=True)
class HueNudge(Step):
    """Moves a band of hues towards a neighbour where one light in the shot was another colour.

    ``hue`` and ``width`` of the band and ``turn`` are degrees of the Cb-Cr plane, counted as on the vectorscope; ``low`` …
    ``high`` is the range of luma in percent. The borders are soft, so highlights above ``high`` are left alone.
    """

    kind = "hue-nudge"
    title = "Hue nudge"
    work = 62
    calibrates = True
    picks = True
    hue: Annotated[float, Number("Hue", "°", -360, 360, 1, 0.1)] = _SKIN_HUE
    width: Annotated[float, Number("Width ±", "°", 10, 180, 1, 0.1)] = 40.0
    turn: Annotated[float, Number("Turn", "°", -60, 60, 1, 0.1)] = 0.0
    low: Annotated[float, Number("Luma from", "%", -20, 115)] = 5.0
    high: Annotated[float, Number("Luma to", "%", -15, 120)] = 80.0

    def __post_init__(self) -> None:
        super().__post_init__()
        require(self.high - self.low >= 5, "Hue nudge: the range of luma must be at least 5 % wide.")

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        ycbcr = rgb_to_ycbcr(np.asarray(rgb, np.float64), signal.matrix)
        luma, cb, cr = ycbcr[..., 0] * 100, ycbcr[..., 1], ycbcr[..., 2]
        away = (np.degrees(np.arctan2(cr, cb)) - self.hue + 180) % 360 - 180
        border = (self.high - self.low) / 5
        weight = _soft(1 - np.abs(away) / self.width, 0.5) * _soft(luma - self.low, border) * _soft(self.high - luma, border)
        turn = np.radians(self.turn) * weight
        moved = (cb * np.cos(turn) - cr * np.sin(turn), cb * np.sin(turn) + cr * np.cos(turn))
        return np.asarray(ycbcr_to_rgb(np.stack([ycbcr[..., 0], *moved], axis=-1), signal.matrix))

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        figures = (self.hue, self.width, np.radians(self.turn), self.low / 100, self.high / 100)
        return (Operation(Code.HUE_NUDGE, tuple(map(float, figures))),) if self.turn else ()

    def picked(self, colours: Picked) -> Self:
        """The band lies about the hue that was picked."""
        return replace(self, hue=round(colours.hue, 1))

    @property
    def text(self) -> str:
        reach = f"luma {figure(self.low, '.0f')} … {figure(self.high, '.0f')} %"
        return f"{figure(self.hue, '.0f')}° ± {self.width:.0f}° by {figure(self.turn, '+.0f')}°, {reach}"


def _soft(value: Float, width: float) -> Float:
    """0 up to 0, 1 from ``width`` on, smooth between."""
    part = np.clip(value / width, 0, 1)
    return np.asarray(part * part * (3 - 2 * part))
