"""Rectangles of a picture, and what is left of one when others are taken away."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from bluffline.signal.format import SignalFormat


@dataclass(frozen=True, slots=True)
class Region:
    """A rectangle of the picture in luma samples; ``x`` and ``y`` are even, so that chroma sites fall inside."""

    x: int
    y: int
    width: int
    height: int

    @classmethod
    def whole(cls, source: SignalFormat) -> "Region":
        """All of the stored picture."""
        return cls(0, 0, source.width, source.height)

    @property
    def edges(self) -> tuple[int, int, int, int]:
        """Left, right, top, bottom; right and bottom are the first beyond."""
        return self.x, self.x + self.width, self.y, self.y + self.height

    def as_list(self) -> list[int]:
        """x, y, width, height."""
        return [self.x, self.y, self.width, self.height]


def without(region: Region, left_out: Sequence[Region]) -> list[Region]:
    """A region cut into rectangles that leave others out."""
    parts = [region]
    for hole in left_out:
        parts = [piece for part in parts for piece in _cut(part, hole)]
    # All of it left out: nothing to measure, so the smallest piece stands for it rather than a special case everywhere.
    return parts or [Region(region.x, region.y, 2, 2)]


def _cut(part: Region, hole: Region) -> Iterator[Region]:
    left, right, top, bottom = part.edges
    x0, x1, y0, y1 = hole.edges
    x0, x1, y0, y1 = max(x0, left), min(x1, right), max(y0, top), min(y1, bottom)
    if x0 >= x1 or y0 >= y1:
        yield part
        return
    for a, b, c, d in ((left, right, top, y0), (left, right, y1, bottom), (left, x0, y0, y1), (x1, right, y0, y1)):
        if b > a and d > c:
            yield Region(a, c, b - a, d - c)
