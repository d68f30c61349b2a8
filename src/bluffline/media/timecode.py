"""SMPTE ST 12-1 timecode: counting frames as a clock shows them."""

import re
from dataclasses import dataclass
from fractions import Fraction

_SLOWER = 0.9995  # of a whole rate: 29.97 and 59.94, however their fractions are written
_PATTERN = re.compile(r"(\d{2}):(\d{2}):(\d{2})([:;.,])(\d{2,3})")


@dataclass(frozen=True, slots=True)
class Timecode:
    """A start label and the counting that follows from it.

    ``base`` is the whole number of frame labels in a second; ``drop`` skips labels 0 and 1 (0 to 3 at 59.94) of
    each minute that is not a tenth minute, so that 29.97 and 59.94 stay with the clock [ST12-1]. ``told``: whether the file
    says its start label, which may be 00:00:00:00.
    """

    base: int
    drop: bool = False
    start: int = 0
    told: bool = False

    @classmethod
    def parse(cls, label: str | None, rate: Fraction) -> "Timecode":
        """Counting at ``rate`` frames a second from ``label``; from zero where there is none that can be read."""
        base = max(1, round(rate))
        match = _PATTERN.fullmatch((label or "").strip())
        if match is None:
            return cls(base)
        hours, minutes, seconds, frames = (int(match[i]) for i in (1, 2, 3, 5))
        drop = match[4] in ";,." and base % 30 == 0 and float(rate) < base * _SLOWER
        skipped = drop and seconds == 0 and minutes % 10 and frames < base // 15
        if minutes > 59 or seconds > 59 or frames >= base or skipped:
            return cls(base)
        total_minutes = 60 * hours + minutes
        count = (60 * total_minutes + seconds) * base + frames
        if drop:
            count -= base // 15 * (total_minutes - total_minutes // 10)
        return cls(base, drop, count, told=True)

    @property
    def day(self) -> int:
        """Number of labels from midnight to midnight."""
        return 86_400 * self.base - (self.base // 15 * 9 * 144 if self.drop else 0)

    def label(self, frame: int) -> str:
        """The label of frame ``frame``, counted from 0 at the start label."""
        count = self.start + frame
        if self.drop:
            skipped = self.base // 15
            minute = 60 * self.base - skipped
            ten_minutes = 10 * minute + skipped
            tens, rest = divmod(count, ten_minutes)
            count += tens * 9 * skipped + (0 if rest < 60 * self.base else skipped * (1 + (rest - 60 * self.base) // minute))
        seconds, frames = divmod(count, self.base)
        separator = ";" if self.drop else ":"
        width = 3 if self.base > 100 else 2
        return f"{seconds // 3600 % 24:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{separator}{frames:0{width}d}"
