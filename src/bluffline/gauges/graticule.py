"""Graticules: the lines, boxes and words of a gauge, as data that any painter can draw.

Coordinates run from 0, 0 at the top left of the gauge's field to 1, 1 at its bottom right.
"""

from dataclasses import dataclass
from enum import StrEnum

from bluffline.gauges.scale import Unit
from bluffline.measure.counted import Limits
from bluffline.signal.format import SignalFormat

Point = tuple[float, float]


class Stroke(StrEnum):
    """What a line is, which decides how it is drawn."""

    SCALE = "scale"
    LIMIT = "limit"
    RGB_LIMIT = "R′G′B′ limit"
    GUIDE = "guide"
    TARGET = "target"
    FAINT = "faint"


@dataclass(frozen=True, slots=True)
class Line:
    """A polyline; closed where its last point is its first."""

    points: tuple[Point, ...]
    stroke: Stroke


@dataclass(frozen=True, slots=True)
class Word:
    """A word at a place: left of it, right of it, or centred on it (−1, 1, 0); outside the field where x is under 0."""

    text: str
    at: Point
    side: int = 1


@dataclass(frozen=True, slots=True)
class Guide:
    """A named level that the operator wants to see, in percent."""

    name: str
    level: float


@dataclass(frozen=True, slots=True)
class Graticule:
    """Everything of a gauge but its trace."""

    lines: tuple[Line, ...]
    words: tuple[Word, ...]


@dataclass(frozen=True, slots=True)
class Scale:
    """What a graticule is drawn by.

    ``guides``: levels to mark beside the scale; ``luma``: percent, at which the vectorscope shows what chroma is legal.
    """

    source: SignalFormat
    limits: Limits
    unit: Unit = Unit.PERCENT
    guides: tuple[Guide, ...] = ()
    luma: float = 50.0
