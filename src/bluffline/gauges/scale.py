"""Scales: what a level is called in the unit the operator chose, and where it stands on a gauge."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure, light_figure
from bluffline.signal.colorimetry import on_display, to_light
from bluffline.signal.format import SignalFormat
from bluffline.signal.levels import Levels

_MILLIVOLTS = 7.0  # in a percent: 100 % is 700 mV
_SDR_WHITE = 100.0  # cd/m² of a reference display for SDR [BT2035]
_LIGHTS = {"pq": (0, 1, 10, 100, 203, 1000, 4000, 10_000), "hlg": (0, 10, 50, 203, 1000)}  # cd/m² that scales are marked at
_SDR_LIGHTS, _FINE = (0, 10, 25, 50, 100), 4096


class Unit(StrEnum):
    """What levels are told in; one switch for every gauge."""

    PERCENT = "%"
    MILLIVOLT = "mV"
    CODE_8 = "8-bit code"
    CODE_10 = "10-bit code"
    CODE_12 = "12-bit code"
    LIGHT = "cd/m²"

    @property
    def depth(self) -> int | None:
        """Bits of a code, or None for a unit that is no code."""
        return {Unit.CODE_8: 8, Unit.CODE_10: 10, Unit.CODE_12: 12}.get(self)

    @property
    def wide(self) -> bool:
        """Whether its numbers have more than three digits."""
        return self.depth is not None or self is Unit.LIGHT

    def of(self, percent: float, source: SignalFormat) -> float:
        """A level in this unit; codes are those of the programme's range."""
        if self is Unit.PERCENT:
            return percent
        if self is Unit.LIGHT:
            return float(_light(np.array([percent]), source.transfer)[0])
        if self.depth is None:
            return percent * _MILLIVOLTS
        return Levels.of(self.depth, source.range).code(percent)

    def text(self, percent: float, source: SignalFormat) -> str:
        """A level with its unit, and a true minus sign."""
        return f"{self.bare(percent, source)} {'' if self.depth else self}".rstrip()

    def bare(self, percent: float, source: SignalFormat) -> str:
        """A level as a number alone: one decimal for percent, none for millivolts and codes, of light what tells something."""
        if self is Unit.LIGHT:
            return light_figure(self.of(percent, source))
        places = 1 if self is Unit.PERCENT else 0
        return figure(self.of(percent, source), f".{places}f")

    def marks(self, source: SignalFormat) -> tuple[float, ...]:
        """Percentages that a level scale is marked at."""
        if self is Unit.LIGHT:
            levels = np.linspace(0, 109, _FINE)
            lights = _light(levels, source.transfer)
            return tuple(np.interp(_LIGHTS.get(source.transfer, _SDR_LIGHTS), lights, levels).tolist())
        if self is Unit.MILLIVOLT:
            return tuple(100 * step / _MILLIVOLTS for step in range(8))
        return 0.0, 25.0, 50.0, 75.0, 100.0


def _light(percent: NDArray[np.float64], transfer: str) -> NDArray[np.float64]:
    """What a reference display makes of greys, cd/m²; of those under black, nothing."""
    lights = to_light(np.maximum(percent, 0) / 100, transfer)
    shown = on_display(lights, transfer)
    return np.asarray(lights * _SDR_WHITE if shown is None else shown, np.float64)


@dataclass(frozen=True, slots=True)
class Span:
    """The levels that a gauge has room for, in percent."""

    low: float
    high: float

    def place(self, percent: float) -> float:
        """0 at the low end, 1 at the high."""
        return (percent - self.low) / (self.high - self.low)

    def level(self, place: float) -> float:
        """The inverse of `place`."""
        return self.low + place * (self.high - self.low)
