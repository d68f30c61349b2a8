"""Delivery rules: the limits and tolerances that a programme is judged by."""

from dataclasses import dataclass, field
from typing import Any

from bluffline.measure.counted import Limits
from bluffline.measure.region import Region

GAP = 1.0  # seconds that runs may lie apart and still be one finding, where a rule file doesn't say
FILTERS = ("none", "low-pass")


@dataclass(frozen=True, slots=True)
class RuleArea:
    """A part of the picture with rules of its own.

    ``box``: left, top, width and height in percent of the picture; ``luma``: its own limits, in percent, or None where
    nothing inside it counts against any limit.
    """

    name: str
    box: tuple[float, float, float, float]
    luma: tuple[float, float] | None

    def region(self, width: int, height: int) -> Region:
        """The pixels of a picture of that size; edges are even, so that chroma sites fall inside."""
        left, top, wide, high = self.box
        x, y = (2 * round(share / 200 * size) for share, size in ((left, width), (top, height)))
        right, bottom = (2 * round(share / 200 * size) for share, size in ((left + wide, width), (top + high, height)))
        return Region(x, y, max(min(right, width) - x, 2), max(min(bottom, height) - y, 2))


@dataclass(frozen=True, slots=True)
class Rules:
    """The delivery rules in force: what all of them share, and the sections of those that are asked for.

    Areas are percent of the active picture. ``gamut``: one of `colorimetry.GAMUTS` that colours have to stay in, or None.
    ``reserved``: whether codes that a serial link reserves are forbidden. ``low_pass``: whether luma and R′G′B′ are judged
    after that filter. ``gap``: seconds that two runs may lie apart and still be one finding. ``sections``: what the file asks
    of single rules, see `Rule.asked`. ``checksum``: SHA-256 of the file's text; ``shipped``: the name of the shipped rules that
    it is to the letter, or empty; ``text``: the file's own.
    """

    name: str
    title: str
    limits: Limits
    area: float
    frames: int
    gamut: str | None = None
    areas: tuple[RuleArea, ...] = ()
    reserved: bool = True
    low_pass: bool = False
    gap: float = GAP
    sections: tuple[Any, ...] = ()
    checksum: str = ""
    shipped: str = ""
    text: str = field(default="", repr=False, compare=False)

    @property
    def filter(self) -> str:
        """What luma and R′G′B′ are filtered by before they are judged, in the word of the rule file."""
        return FILTERS[self.low_pass]

    @property
    def left_out(self) -> tuple[RuleArea, ...]:
        """The areas that count against no limit."""
        return tuple(area for area in self.areas if area.luma is None)

    @property
    def limited(self) -> tuple[RuleArea, ...]:
        """The areas that have limits of their own."""
        return tuple(area for area in self.areas if area.luma is not None)

    def outside(self, area: float) -> bool:
        """Whether an area outside the limits is more than is tolerated."""
        return area > self.area
