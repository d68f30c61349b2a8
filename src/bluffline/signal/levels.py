"""Code values of narrow- and full-range signals."""

from dataclasses import dataclass
from enum import StrEnum


class Range(StrEnum):
    """How code values stand for 0 % and 100 % (ITU-T H.273, VideoFullRangeFlag)."""

    NARROW = "narrow"
    FULL = "full"


@dataclass(frozen=True, slots=True)
class Levels:
    """The code values that carry the nominal signal [BT709, BT2100, H273].

    ``black`` and ``white`` are the luma (or R′, G′, B′) codes of 0 % and 100 %; ``zero`` is the code of
    colourless chroma and ``span`` the codes between −50 % and +50 % of Cb or Cr.
    """

    black: int
    white: int
    zero: int
    span: int

    @classmethod
    def of(cls, bit_depth: int, signal_range: Range) -> "Levels":
        """Levels of a ``bit_depth``-bit signal (8 to 16)."""
        if not 8 <= bit_depth <= 16:
            raise ValueError(f"bit depth {bit_depth} is not between 8 and 16")
        unit = 1 << (bit_depth - 8)
        if signal_range is Range.NARROW:
            return cls(16 * unit, 235 * unit, 128 * unit, 224 * unit)
        return cls(0, 256 * unit - 1, 128 * unit, 256 * unit - 1)

    @property
    def swing(self) -> int:
        """Codes between black and white."""
        return self.white - self.black

    def percent(self, code: float) -> float:
        """Luma or R′G′B′ code to percent of the nominal range."""
        return (code - self.black) / self.swing * 100.0

    def code(self, percent: float) -> float:
        """Percent of the nominal range to an unrounded luma or R′G′B′ code."""
        return self.black + percent / 100.0 * self.swing
