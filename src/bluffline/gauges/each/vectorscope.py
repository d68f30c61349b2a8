"""The vectorscope: Cb to the right, Cr upwards."""

import math
from collections.abc import Iterator
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bluffline.gauges.colour_gauge import ColourGauge, inside
from bluffline.gauges.graticule import Line, Point, Scale, Stroke, Word
from bluffline.gauges.instrument import Box, Moment, Seen, Trace
from bluffline.gauges.painting import Painting
from bluffline.measure import scope_kernels
from bluffline.measure.areas import Selection
from bluffline.measure.counted import Limits
from bluffline.measure.frame_signal import FrameSignal, at_luma, chroma_between
from bluffline.measure.reading import SKIN_DEGREES
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import ChromaGains, Matrix, rgb_to_ycbcr, ycbcr_to_rgb

CHROMA_REACH = 0.56  # at its smallest zoom: a little more than ±50 %
TARGETS = (("R", (1, 0, 0)), ("Mg", (1, 0, 1)), ("B", (0, 0, 1)), ("Cy", (0, 1, 1)), ("G", (0, 1, 0)), ("Yl", (1, 1, 0)))
_TARGET_BOX = 0.025  # half a tolerance box: 2.5 % of chroma either way
_CELLS = 255  # an odd number, so that no colour at all falls in the middle of a cell


class Vectorscope(ColourGauge):
    """Chroma, and how far it is zoomed in."""

    name = "vectorscope"
    place = 12
    modes = {"1": "×1", "2": "×2", "4": "×4"}
    margins = (4, 4, 4, 4)

    @property
    def reach(self) -> float:
        return 2 * CHROMA_REACH / int(self.mode)

    def count(self, frame: FrameSignal, selection: Selection, columns: int, moment: Moment | None) -> Trace:
        source, half = frame.source, self.reach / 2
        levels, sites = source.levels, selection.at_sites(source)
        step = self.reach / _CELLS
        codes = (np.arange(1 << source.bit_depth) - levels.zero) / levels.span
        cells = np.floor((codes + half) / step).astype(np.int32)
        cells[(cells < 0) | (cells >= _CELLS)] = -1
        counts = np.zeros((1, _CELLS, _CELLS), np.int32)
        beyond = scope_kernels.count_pairs(frame.ycbcr[1], frame.ycbcr[2], sites.starts, sites.runs, cells, counts[0])
        return Trace(self, counts, -half, step, sites.count, int(beyond))

    def marks(self, scale: Scale) -> Iterator[Line | Word]:
        half, matrix = self.reach / 2, scale.source.matrix

        def place(cb: float, cr: float) -> Point:
            return 0.5 + cb / half / 2, 0.5 - cr / half / 2

        turn = np.linspace(0, 2 * math.pi, 73)
        for radius in (0.25, 0.5):
            yield Line(tuple(place(radius * math.cos(t), radius * math.sin(t)) for t in turn), Stroke.SCALE)
        yield Line((place(-0.5, 0), place(0.5, 0)), Stroke.SCALE)
        yield Line((place(0, -0.5), place(0, 0.5)), Stroke.SCALE)
        angle = math.radians(SKIN_DEGREES)
        yield Line((place(0, 0), place(0.5 * math.cos(angle), 0.5 * math.sin(angle))), Stroke.GUIDE)
        far = min(0.545, 0.9 * half)
        yield Word("skin", place(far * math.cos(angle), far * math.sin(angle)), -1)
        for name, rgb in TARGETS:
            for level, stroke in ((0.75, Stroke.TARGET), (1.0, Stroke.FAINT)):
                _, cb, cr = (float(v) for v in rgb_to_ycbcr(np.array(rgb, float) * level, matrix))
                corners = ((-1, -1), (1, -1), (1, 1), (-1, 1), (-1, -1))
                yield Line(tuple(place(cb + a * _TARGET_BOX, cr + b * _TARGET_BOX) for a, b in corners), stroke)
                if stroke is Stroke.TARGET:
                    side = 1 if cb > 0 else -1  # outwards, clear of the target's own lines
                    yield Word(name, place(cb + side * 2.2 * _TARGET_BOX, cr), side)
        boundary = legal_chroma(matrix, scale.luma, scale.limits)
        if len(boundary):
            yield Line(tuple(place(float(cb), float(cr)) for cb, cr in (*boundary, boundary[0])), Stroke.RGB_LIMIT)

    def outside(self, side: int, by: Painting) -> NDArray[np.bool_]:
        return _beyond_any_luma(by.source.matrix, by.limits, self.reach, side)

    def colours(self, side: int, by: Painting) -> NDArray[np.float32]:
        return _colours(by.source.matrix, self.reach, side)

    def facts(self, seen: Seen) -> str:
        return seen.told(f"legal at Y′ {seen.luma:.0f} %" if seen.roomy else "")

    def place_of(self, source: SignalFormat, rgb: NDArray[np.floating]) -> Point:
        _, cb, cr = (float(value) for value in rgb_to_ycbcr(rgb, source.matrix))
        return 0.5 + cb / self.reach, 0.5 - cr / self.reach

    def pixels(self, frame: FrameSignal, box: Box) -> NDArray[np.bool_]:
        (left, top, right, bottom), reach = box, self.reach
        chosen = chroma_between(frame, 1, (left - 0.5) * reach, (right - 0.5) * reach)
        chosen &= chroma_between(frame, 2, (0.5 - bottom) * reach, (0.5 - top) * reach)
        return at_luma(chosen, frame.source)


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


def _grid(reach: float, side: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Cb and Cr at each pixel of the field, (S, S)."""
    axis = ((np.arange(side) + 0.5) / side * 2 - 1) * reach / 2
    cb, cr = np.meshgrid(axis, axis[::-1])
    return cb, cr


@lru_cache(maxsize=8)
def _beyond_any_luma(matrix: Matrix, limits: Limits, reach: float, side: int) -> NDArray[np.bool_]:
    """Chroma that no luma makes legal: outside every legal region there is between black and white."""
    cb, cr = _grid(reach, side)
    outside = np.ones((side, side), bool)
    for luma in np.linspace(*limits.rgb, 45):
        outside &= ~inside(legal_chroma(matrix, float(luma), limits), cb, cr)
    return outside


@lru_cache(maxsize=8)
def _colours(matrix: Matrix, reach: float, side: int) -> NDArray[np.float32]:
    """(S, S, 3) the colour that each chroma has at one brightness, so that the trace has the data's own colours."""
    cb, cr = _grid(reach, side)
    rgb = ycbcr_to_rgb(np.stack([np.zeros_like(cb), cb, cr], axis=-1), matrix)
    rgb = rgb - rgb.min(axis=-1, keepdims=True)
    pure = rgb / np.maximum(rgb.max(axis=-1, keepdims=True), 1e-6)
    strength = np.clip(np.hypot(cb, cr) * 4, 0, 1)[..., None]
    return np.asarray(255 * (0.25 + 0.75 * (pure * strength + (1 - strength))), np.float32)
