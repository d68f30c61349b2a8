"""Scales: what a level is called in the unit the operator chose, and where it stands on a gauge."""

from dataclasses import dataclass
from enum import StrEnum

from bluffline.figures import figure
from bluffline.signal.format import SignalFormat
from bluffline.signal.levels import Levels

_MILLIVOLTS = 7.0  # in a percent: 100 % is 700 mV


class Unit(StrEnum):
    """What levels are told in; one switch for every gauge."""

    PERCENT = "%"
    MILLIVOLT = "mV"
    CODE_8 = "8-bit code"
    CODE_10 = "10-bit code"
    CODE_12 = "12-bit code"

    @property
    def depth(self) -> int | None:
        """Bits of a code, or None for a unit that is no code."""
        return {Unit.CODE_8: 8, Unit.CODE_10: 10, Unit.CODE_12: 12}.get(self)

    def of(self, percent: float, source: SignalFormat) -> float:
        """A level in this unit; codes are those of the programme's range."""
        if self is Unit.PERCENT:
            return percent
        if self.depth is None:
            return percent * _MILLIVOLTS
        return Levels.of(self.depth, source.range).code(percent)

    def chroma(self, share: float, source: SignalFormat) -> float:
        """Cb or Cr (−0.5 … 0.5) in this unit."""
        if self is Unit.PERCENT:
            return share * 100
        if self.depth is None:
            return share * 100 * _MILLIVOLTS
        levels = Levels.of(self.depth, source.range)
        return levels.zero + share * levels.span

    def text(self, percent: float, source: SignalFormat) -> str:
        """A level with its unit, and a true minus sign."""
        return f"{self.bare(percent, source)} {'' if self.depth else self}".rstrip()

    def bare(self, percent: float, source: SignalFormat) -> str:
        """A level as a number alone: one decimal for percent, none for millivolts and codes."""
        places = 1 if self is Unit.PERCENT else 0
        return figure(self.of(percent, source), f".{places}f")

    @property
    def marks(self) -> tuple[float, ...]:
        """Percentages that a level scale is marked at."""
        if self is Unit.MILLIVOLT:
            return tuple(100 * step / _MILLIVOLTS for step in range(8))
        return 0.0, 25.0, 50.0, 75.0, 100.0


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
