"""Graticules: the lines, boxes and words of a gauge, as data that any painter can draw.

Coordinates run from 0, 0 at the top left of the gauge's field to 1, 1 at its bottom right.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from bluffline.draw.scale import Span, Unit
from bluffline.measure.counted import Limits
from bluffline.measure.reading import SKIN_DEGREES
from bluffline.measure.scopes import CHROMA_REACH, CIE_REACH, Instrument, Kind
from bluffline.signal.colorimetry import D65, GAMUTS, PRIMARIES
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import ChromaGains, Matrix, rgb_to_ycbcr

TARGETS = (("R", (1, 0, 0)), ("Mg", (1, 0, 1)), ("B", (0, 0, 1)), ("Cy", (0, 1, 1)), ("G", (0, 1, 0)), ("Yl", (1, 1, 0)))
_TARGET_BOX = 0.025  # half a tolerance box: 2.5 % of chroma either way
Point = tuple[float, float]

# x and y of the spectrum: 400 to 480 nm by 20 nm, 490 to 630 by 10, and 700 (CIE 1931 standard observer, CIE 15:2018).
_SPECTRUM = (
    (0.1733, 0.0048), (0.1714, 0.0051), (0.1644, 0.0109), (0.1440, 0.0297), (0.0913, 0.1327), (0.0454, 0.2950),
    (0.0082, 0.5384), (0.0139, 0.7502), (0.0743, 0.8338), (0.1547, 0.8059), (0.2296, 0.7543), (0.3016, 0.6923),
    (0.3731, 0.6245), (0.4441, 0.5547), (0.5125, 0.4866), (0.5752, 0.4242), (0.6270, 0.3725), (0.6658, 0.3340),
    (0.6915, 0.3083), (0.7079, 0.2920), (0.7347, 0.2653),
)  # fmt: skip


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


def graticule(
    kind: Kind, source: SignalFormat, limits: Limits, unit: Unit = Unit.PERCENT, guides: Sequence[Guide] = (),
    luma: float = 50.0,
) -> Graticule:  # fmt: skip
    """The graticule of a gauge.

    Parameters
    ----------
    guides : levels to mark beside the scale
    luma : percent, at which the vectorscope shows what chroma is legal
    """
    match kind.instrument:
        case Instrument.VECTORSCOPE:
            parts = list(_vectorscope(source, limits, CHROMA_REACH / int(kind.mode), luma))
        case Instrument.CHROMATICITY:
            parts = list(_chromaticity(kind.mode, source))
        case Instrument.HISTOGRAM:
            parts = list(_across(kind, source, limits, unit, guides))
        case _:
            parts = list(_up(kind, source, limits, unit, guides))
    return Graticule(
        tuple(part for part in parts if isinstance(part, Line)), tuple(part for part in parts if isinstance(part, Word))
    )


def _limit_lines(kind: Kind, limits: Limits) -> list[tuple[float, Stroke]]:
    """The limits that apply to what a level gauge shows."""
    found = []
    if "Y′" in kind.components:
        found += [(level, Stroke.LIMIT) for level in limits.luma]
    if "R′" in kind.components:
        found += [(level, Stroke.RGB_LIMIT) for level in limits.rgb]
    return found


def _up(kind: Kind, source: SignalFormat, limits: Limits, unit: Unit, guides: Sequence[Guide]) -> Iterator[Line | Word]:
    span = Span.of(kind)
    for level in unit.marks:
        y = 1 - span.place(level)
        yield Line(((0, y), (1, y)), Stroke.SCALE)
        yield Word(f"{unit.of(level, source):.0f}", (-1, y), -1)
    for level, stroke in _limit_lines(kind, limits):
        y = 1 - span.place(level)
        yield Line(((0, y), (1, y)), stroke)
    for guide in guides:
        y = 1 - span.place(guide.level)
        yield Line(((0, y), (1, y)), Stroke.GUIDE)
        yield Word(f"{guide.name} {unit.text(guide.level, source)}", (0.01, y - 0.04), 1)
    if kind.instrument is Instrument.PARADE:
        parts = len(kind.components)
        for n, name in enumerate(kind.components):
            if n:
                yield Line(((n / parts, 0), (n / parts, 1)), Stroke.SCALE)
            yield Word(name, ((n + 0.5) / parts, 0.03), 0)


def _across(kind: Kind, source: SignalFormat, limits: Limits, unit: Unit, guides: Sequence[Guide]) -> Iterator[Line | Word]:
    span, rows = Span.of(kind), len(kind.components)
    for level in unit.marks:
        x = span.place(level)
        yield Line(((x, 0), (x, 1)), Stroke.SCALE)
        yield Word(f"{unit.of(level, source):.0f}", (x, 2), 0)
    for level, stroke in _limit_lines(kind, limits):
        x = span.place(level)
        yield Line(((x, 0), (x, 1)), stroke)
    for guide in guides:
        x = span.place(guide.level)
        yield Line(((x, 0), (x, 1)), Stroke.GUIDE)
        yield Word(guide.name, (x, 0.04), 1)
    for n, name in enumerate(kind.components):
        if n:
            yield Line(((0, n / rows), (1, n / rows)), Stroke.SCALE)
        yield Word(name, (0.01, (n + 0.12) / rows), 1)


def _vectorscope(source: SignalFormat, limits: Limits, reach: float, luma: float) -> Iterator[Line | Word]:
    def place(cb: float, cr: float) -> Point:
        return 0.5 + cb / reach / 2, 0.5 - cr / reach / 2

    turn = np.linspace(0, 2 * math.pi, 73)
    for radius in (0.25, 0.5):
        yield Line(tuple(place(radius * math.cos(t), radius * math.sin(t)) for t in turn), Stroke.SCALE)
    yield Line((place(-0.5, 0), place(0.5, 0)), Stroke.SCALE)
    yield Line((place(0, -0.5), place(0, 0.5)), Stroke.SCALE)
    angle = math.radians(SKIN_DEGREES)
    yield Line((place(0, 0), place(0.5 * math.cos(angle), 0.5 * math.sin(angle))), Stroke.GUIDE)
    far = min(0.545, 0.9 * reach)
    yield Word("skin", place(far * math.cos(angle), far * math.sin(angle)), -1)
    for name, rgb in TARGETS:
        for level, stroke in ((0.75, Stroke.TARGET), (1.0, Stroke.FAINT)):
            _, cb, cr = (float(v) for v in rgb_to_ycbcr(np.array(rgb, float) * level, source.matrix))
            corners = ((-1, -1), (1, -1), (1, 1), (-1, 1), (-1, -1))
            yield Line(tuple(place(cb + a * _TARGET_BOX, cr + b * _TARGET_BOX) for a, b in corners), stroke)
            if stroke is Stroke.TARGET:
                side = 1 if cb > 0 else -1  # outwards, clear of the target's own lines
                yield Word(name, place(cb + side * 2.2 * _TARGET_BOX, cr), side)
    boundary = legal_chroma(source.matrix, luma, limits)
    if len(boundary):
        yield Line(tuple(place(float(cb), float(cr)) for cb, cr in (*boundary, boundary[0])), Stroke.RGB_LIMIT)


def legal_chroma(matrix: Matrix, luma: float, limits: Limits) -> np.ndarray:
    """Corners of the chroma plane (N, 2: Cb, Cr, −0.5 … 0.5) where R′, G′ and B′ are legal at one luma (percent).

    The region is convex: each limit of each component cuts a half-plane off. Empty where nothing is legal.
    """
    gains, y = ChromaGains.of(matrix), luma / 100
    low, high = limits.rgb[0] / 100, limits.rgb[1] / 100
    corners: list[Point] = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)]
    for cb_gain, cr_gain in ((0.0, gains.red_cr), (gains.green_cb, gains.green_cr), (gains.blue_cb, 0.0)):
        for sign, room in ((1.0, high - y), (-1.0, y - low)):
            corners = _cut(corners, sign * cb_gain, sign * cr_gain, room)
    return np.array(corners).reshape(-1, 2)


def _cut(corners: list[Point], a: float, b: float, room: float) -> list[Point]:
    """What is left of a convex polygon where a·x + b·y is at most ``room``."""
    kept: list[Point] = []
    for (x0, y0), (x1, y1) in zip(corners, (*corners[1:], *corners[:1]), strict=True):
        d0, d1 = a * x0 + b * y0 - room, a * x1 + b * y1 - room
        if d0 <= 0:
            kept.append((x0, y0))
        if (d0 < 0 < d1) or (d1 < 0 < d0):
            t = d0 / (d0 - d1)
            kept.append((x0 + t * (x1 - x0), y0 + t * (y1 - y0)))
    return kept


def uniform(x: float, y: float) -> Point:
    """CIE 1931 x, y to CIE 1976 u′, v′."""
    scale = -2 * x + 12 * y + 3
    return 4 * x / scale, 9 * y / scale


def _chromaticity(mode: str, source: SignalFormat) -> Iterator[Line | Word]:
    reach = CIE_REACH[mode]

    def place(x: float, y: float) -> Point:
        a, b = uniform(x, y) if mode == "1976" else (x, y)
        return a / reach, 1 - b / reach

    for step in range(1, 9):
        value = step / 10
        if value < reach:
            yield Line(((value / reach, 0), (value / reach, 1)), Stroke.FAINT)
            yield Line(((0, 1 - value / reach), (1, 1 - value / reach)), Stroke.FAINT)
            if step % 2 == 0:
                yield Word(f"{value:.1f}", (value / reach, 2), 0)
            yield Word(f"{value:.1f}", (-1, 1 - value / reach), -1)
    yield Line(tuple(place(x, y) for x, y in (*_SPECTRUM, _SPECTRUM[0])), Stroke.SCALE)
    own = "p3-d65" if source.primaries == "p3-dci" else source.primaries
    for label, name in GAMUTS.items():
        corners = PRIMARIES[name]
        yield Line(tuple(place(*point) for point in (*corners, corners[0])), Stroke.TARGET if name == own else Stroke.FAINT)
        if name == "bt601-625" and own != name:
            continue  # its words would stand on those of BT.709
        x, y = place(*corners[1])
        yield Word(label.upper().replace("BT", "BT."), (x + 0.012, y - 0.008), 1)
    x, y = place(*D65)
    yield Line(((x - 0.012, y), (x + 0.012, y)), Stroke.TARGET)
    yield Line(((x, y - 0.012), (x, y + 0.012)), Stroke.TARGET)
    yield Word("D65", (x + 0.015, y + 0.03), 1)
