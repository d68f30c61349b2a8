"""Level remap: the whole range moved."""

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Annotated, Self

import numpy as np

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.signal.levels import Levels, Range
from bluffline.treat.operations import Affine, Operation
from bluffline.treat.step import Float, Heading, LumaStep, Measured, Number, Signal, Told


class RemapMode(StrEnum):
    """What a level remap takes for what."""

    FULL_TO_NARROW = "full to narrow"
    NARROW_TO_FULL = "narrow to full"
    EXTREMES_TO_LIMITS = "extremes to limits"


@dataclass(frozen=True)
class LevelRemap(LumaStep):
    """Moves the whole range: ``low_in`` … ``high_in`` become ``low_out`` … ``high_out``, chroma in proportion.

    For the two tagging faults the figures follow from the file's depth: see `mistagged`; chroma's own codes are then brought
    to those of the other range.
    """

    kind = "level-remap"
    title = "Level remap"
    home = Heading.SOURCE
    mode: Annotated[RemapMode, Told("Kind")] = RemapMode.EXTREMES_TO_LIMITS
    low_in: Annotated[float, Number("Black from", "%", -1000, 1000)] = 0.0
    high_in: Annotated[float, Number("White from", "%", -1000, 1000)] = 100.0
    low_out: Annotated[float, Number("Black to", "%", -50, 100)] = 0.0
    high_out: Annotated[float, Number("White to", "%", 0, 150)] = 100.0

    def __post_init__(self) -> None:
        super().__post_init__()
        require(self.high_in - self.low_in >= 1, "Level remap: the range it takes must be at least 1 % wide.")
        require(self.high_out > self.low_out, "Level remap: the range it gives must run upwards.")

    @classmethod
    def begun(cls, shot: Measured) -> Self:
        narrow = shot.source.range is Range.NARROW
        mode = RemapMode.FULL_TO_NARROW if narrow else RemapMode.NARROW_TO_FULL
        return cls.mistagged(mode, shot.source.bit_depth, shot.source.levels)

    @classmethod
    def mistagged(cls, mode: RemapMode, bit_depth: int, shown_as: Levels) -> Self:
        """The remap that mends wrong range tagging of a file whose codes are read by ``shown_as``."""
        taken = _taken(mode, bit_depth)
        return cls(mode, shown_as.percent(taken.black), shown_as.percent(taken.white), 0.0, 100.0)

    @classmethod
    def extremes_to_limits(cls, extremes: tuple[float, float], limits: tuple[float, float]) -> Self:
        """Measured extremes brought to limits (percent)."""
        low, high = extremes
        return cls(RemapMode.EXTREMES_TO_LIMITS, low, max(high, low + 1), *limits)

    def chosen(self, key: str, word: str, shot: Measured) -> Self:
        """Another mode, with the figures of the shot."""
        mode = RemapMode(word)
        if mode is RemapMode.EXTREMES_TO_LIMITS:
            made = type(self).extremes_to_limits((shot.low, shot.high), shot.limits.luma)
        else:
            made = type(self).mistagged(mode, shot.source.bit_depth, shot.source.levels)
        return replace(made, on=self.on, heading=self.heading, reach=self.reach)

    def settable(self, key: str) -> bool:
        """Where a tagging fault is mended, figures follow from it."""
        return self.mode is RemapMode.EXTREMES_TO_LIMITS

    def luma(self, percent: Float, signal: Signal) -> tuple[Float, Float]:
        gain, chroma = self._gains(signal)
        return self.low_out + (percent - self.low_in) * gain, np.full_like(percent, chroma)

    def _gains(self, signal: Signal) -> tuple[float, float]:
        """Of luma and of chroma."""
        gain = (self.high_out - self.low_out) / (self.high_in - self.low_in)
        if self.mode is RemapMode.EXTREMES_TO_LIMITS:
            return gain, gain
        taken = _taken(self.mode, signal.bit_depth)
        shown = Levels.of(signal.bit_depth, Range.NARROW if self.mode is RemapMode.FULL_TO_NARROW else Range.FULL)
        return gain, shown.span / taken.span * gain / (shown.swing / taken.swing)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        gain, chroma = self._gains(signal)
        luma = np.outer(np.ones(3), signal.matrix.luma_weights)
        offset = (self.low_out - self.low_in * gain) / 100
        return (Affine.of(chroma * np.eye(3) + (gain - chroma) * luma, (offset, offset, offset)),)

    @property
    def text(self) -> str:
        ends = (figure(value, ".1f") for value in (self.low_in, self.high_in, self.low_out, self.high_out))
        return "{}: {} … {} % to {} … {} %".format(self.mode, *ends)


def _taken(mode: RemapMode, bit_depth: int) -> Levels:
    """The levels that the codes really are of."""
    return Levels.of(bit_depth, Range.FULL if mode is RemapMode.FULL_TO_NARROW else Range.NARROW)
