"""The histogram: how many pixels have each level."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.gauges import trace_kernels as kernels
from bluffline.gauges.graticule import Line, Point, Scale, Stroke, Word
from bluffline.gauges.instrument import Box, Instrument, Moment, Seen, Trace
from bluffline.gauges.level_gauge import WIDE, limit_lines, percents_of
from bluffline.gauges.painting import GROUND, Image, Painting, colour_of, limits_of
from bluffline.gauges.scale import Span
from bluffline.measure import scope_kernels
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import APART, FrameSignal, component_between
from bluffline.measure.reading import Reading
from bluffline.signal.format import SignalFormat

_SKIPPED = 4  # rows at the foot that mark the codes that are skipped


class Histogram(Instrument):
    """Levels from left to right, a row of the field for each component."""

    name = "histogram"
    place = 13
    modes = {"luma": "luma", "rgb": "R′G′B′"}
    sideways = True
    margins = (10, 4, 10, 20)

    @property
    def components(self) -> tuple[str, ...]:
        return ("Y′",) if self.mode == "luma" else ("R′", "G′", "B′")

    @property
    def span(self) -> Span:
        return WIDE

    def count(self, frame: FrameSignal, selection: Selection, columns: int, moment: Moment | None) -> Trace:
        """Counted in four places by turns, since one place would be waited for in flat pictures."""
        planes, room = (frame.ycbcr[:1], 0) if self.mode == "luma" else (frame.rgb, frame.room)
        bins = (1 << frame.source.bit_depth) + 2 * room
        base = (np.arange(frame.source.width) % 4 * (bins + APART)).astype(np.uint32)
        counts = np.zeros((len(planes), 4, bins + APART), np.int32)
        for plane, into in zip(planes, counts, strict=True):
            scope_kernels.count_levels(plane, selection.starts, selection.runs, base, np.uint32(0), into.ravel())
        return Trace(self, counts[:, :, :bins].sum(axis=1, keepdims=True, dtype=np.int32), -room, 1, selection.count)

    def marks(self, scale: Scale) -> Iterator[Line | Word]:
        span, rows = self.span, len(self.components)
        for level in scale.unit.marks(scale.source):
            x = span.place(level)
            yield Line(((x, 0), (x, 1)), Stroke.SCALE)
            yield Word(f"{scale.unit.of(level, scale.source):.0f}", (x, 2), 0)
        for level, stroke in limit_lines(self, scale):
            x = span.place(level)
            yield Line(((x, 0), (x, 1)), stroke)
        for guide in scale.guides:
            x = span.place(guide.level)
            yield Line(((x, 0), (x, 1)), Stroke.GUIDE)
            yield Word(guide.name, (x, 0.04), 1)
        for n, name in enumerate(self.components):
            if n:
                yield Line(((0, n / rows), (1, n / rows)), Stroke.SCALE)
            yield Word(name, (0.01, (n + 0.12) / rows), 1)

    def paint(self, trace: Trace, image: Image, by: Painting, other: Trace | None = None) -> None:
        (height, width), levels = image.shape, by.source.levels
        span, rows = self.span, len(self.components)
        ends = levels.code(span.low) + np.arange(width + 1) / width * (span.high - span.low) / 100 * levels.swing
        bins = trace.counts.shape[2]
        places = np.floor(ends - trace.first).astype(np.int64)
        first = np.clip(places[:-1], 0, bins)
        after = np.clip(np.maximum(places[1:], places[:-1] + 1), 0, bins)
        level = np.array([span.level((x + 0.5) / width) for x in range(width)])
        for n, component in enumerate(self.components):
            top, foot = n * height // rows, (n + 1) * height // rows
            amounts = np.zeros((height, width), np.float32)
            kernels.bars(_heights(trace.counts[n, 0], first, after, log=by.look.log), top + 3, foot, amounts)
            low, high = limits_of(component, by.limits)
            kernels.hatch_cells(amounts, np.broadcast_to((level > high) | (level < low), amounts.shape))
            kernels.lay(amounts * np.float32(0.8), colour_of(component), np.float32(GROUND), image)
            _mark_skipped(trace.counts[n, 0], first, after, image[foot - _SKIPPED : foot])
            if other is not None:
                amounts[:] = 0
                kernels.bars(_heights(other.counts[n, 0], first, after, log=by.look.log), top + 3, foot, amounts)
                kernels.lay(kernels.outline(amounts), colour_of("Y′"), np.float32(GROUND), image)

    def facts(self, seen: Seen) -> str:
        if seen.combing is None:
            return super().facts(seen)
        return f"combing {figure(seen.combing, '.1f')} %" if seen.roomy else f"{figure(seen.combing, '.0f')} % combed"

    def places(self, source: SignalFormat, reading: Reading, x: float) -> list[Point]:
        percents, components = percents_of(reading, source), self.components
        return [(self.span.place(percents[name]), (n + 0.5) / len(components)) for n, name in enumerate(components)]

    def pixels(self, frame: FrameSignal, box: Box) -> NDArray[np.bool_]:
        (left, top, right, bottom), rows = box, len(self.components)
        low, high = self.span.level(left), self.span.level(right)
        chosen = range(int(np.clip(top * rows, 0, rows - 1)), int(np.clip(bottom * rows, 0, rows - 1)) + 1)
        return np.asarray(np.any([component_between(frame, self.components[n], low, high) for n in chosen], axis=0))


def _mark_skipped(counts: NDArray[np.int32], first: NDArray[np.int64], after: NDArray[np.int64], foot: Image) -> None:
    """Mark at the foot the places of codes that are skipped between the least and the greatest in use."""
    used = np.flatnonzero(counts)
    if len(used) == 0:
        return
    skipped = np.zeros(len(counts) + 1, np.int64)
    skipped[1:] = np.cumsum((counts == 0) & (np.arange(len(counts)) > used[0]) & (np.arange(len(counts)) < used[-1]))
    foot[:, skipped[after] > skipped[first]] = 0xFF000000 | GROUND * 0x010101
    foot[-2:, skipped[after] > skipped[first]] = 0xFFFFFFFF


def _heights(
    counts: NDArray[np.int32], first: NDArray[np.int64], after: NDArray[np.int64], *, log: bool
) -> NDArray[np.float64]:
    """(W,) heights 0 … 1 of bars over bins, each the fullest of its bins; black and white may pile up above the top."""
    padded = np.append(counts, 0)
    most = np.where(after > first, np.maximum.reduceat(padded, np.stack([first, after], 1).ravel())[::2], 0).astype(float)
    if log:
        return np.asarray(np.log1p(most) / np.log1p(max(most.max(), 1)))
    usual = np.sort(most)[-max(len(most) // 50, 1)]
    return np.asarray(np.clip(most / max(usual, 1), 0, 1))
