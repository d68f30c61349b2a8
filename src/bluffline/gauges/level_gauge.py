"""Gauges whose columns are the picture's and whose rows are levels: what they have in common."""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.gauges import trace_kernels as kernels
from bluffline.gauges.graticule import Line, Point, Scale, Stroke, Word
from bluffline.gauges.instrument import Box, Instrument, Moment, Trace
from bluffline.gauges.painting import GROUND, Image, Painting, brightness, colour_of, rows_outside
from bluffline.gauges.scale import Span
from bluffline.measure import scope_kernels
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import APART, FrameSignal, component_between
from bluffline.measure.reading import Reading
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.matrix import ycbcr_to_rgb

# A luma waveform has 512 bins for the code range, others 256 (they count three times as much, or reach twice as far, and have
# to stay in the processor's cache); fewer where there are fewer codes.
_LUMA_BITS, _OTHER_BITS = 9, 8
# Scaling of colour differences on a composite subcarrier [BT470]: U = 0.492 (B′−Y′), V = 0.877 (R′−Y′).
_COMPOSITE = (0.492, 0.877)
ENVELOPE = "chroma envelope"
NARROW, WIDE, WIDEST = Span(-8.0, 112.0), Span(-15.0, 125.0), Span(-40.0, 140.0)
_NAMES = {
    "luma": ("Y′",), "coloured": ("Y′",), "rgb": ("R′", "G′", "B′"), "envelope": ("Y′", ENVELOPE),
    "yrgb": ("Y′", "R′", "G′", "B′"), "ycbcr": ("Y′", "Cb", "Cr"),
}  # fmt: skip


class LevelGauge(Instrument):
    """A waveform, whole or in parts side by side."""

    across = True
    margins = (40, 6, 6, 6)
    in_parts = False

    @property
    def components(self) -> tuple[str, ...]:
        return _NAMES[self.mode]

    @property
    def parts(self) -> int:
        """How many parts its field has, side by side."""
        return len(self.components) if self.in_parts else 1

    @property
    def span(self) -> Span:
        """Room for every legal level and the usual excess; composite chroma and R′G′B′ reach further than luma."""
        return WIDEST if self.mode == "envelope" else WIDE if "R′" in self.components else NARROW

    # What it counts ------------------------------------------------------------------------------------------------

    def count(self, frame: FrameSignal, selection: Selection, columns: int, moment: Moment | None) -> Trace:
        columns = max(min(columns // self.parts, frame.source.width), 1)
        return self._coloured(frame, selection, columns) if self.mode == "coloured" else self._levels(frame, selection, columns)

    def _levels(self, frame: FrameSignal, selection: Selection, columns: int) -> Trace:
        """Levels in each trace column, one plane of counts a component, all with the same bins."""
        source, mode = frame.source, self.mode
        beyond = mode in ("rgb", "yrgb", "envelope")
        shift = max(source.bit_depth - (_OTHER_BITS if beyond else _LUMA_BITS), 0)
        room = frame.room if beyond else 0
        bins = ((1 << source.bit_depth) + 2 * room) >> shift
        # Half as wide where no count can overflow: twice as many of them are in the processor's cache.
        most = 2 * source.height * -(-source.width // columns)
        counts = np.zeros((len(self.components), columns, bins + APART), np.uint16 if most < 1 << 16 else np.int32)
        base = _bases(source.width, columns, bins + APART)

        def count(plane: NDArray[Any], into: NDArray[Any], raised: int = 0) -> None:
            first = base + np.uint32(raised >> shift)
            scope_kernels.count_levels(plane, selection.starts, selection.runs, first, np.uint32(shift), into.ravel())

        if "Y′" in self.components:
            count(frame.ycbcr[0], counts[0], room)
        if mode == "ycbcr":
            sites, first = selection.at_sites(source), _bases(_site_columns(source), columns, bins + APART)
            for plane, into in zip(frame.ycbcr[1:], counts[1:], strict=True):
                scope_kernels.count_levels(plane, sites.starts, sites.runs, first, np.uint32(shift), into.ravel())
        elif mode == "envelope":
            for plane in _envelope(frame):
                count(plane, counts[1])
        elif "R′" in self.components:
            for plane, into in zip(frame.rgb, counts[-3:], strict=True):
                count(plane, into)
        return Trace(self, counts[:, :, :bins].astype(np.int32), -room, 1 << shift, selection.count)

    def _coloured(self, frame: FrameSignal, selection: Selection, columns: int) -> Trace:
        source = frame.source
        shift = max(source.bit_depth - _OTHER_BITS, 0)
        bins = 1 << (source.bit_depth - shift)
        cells = np.zeros((columns, bins + APART, 3), np.int32)
        halved = source.halved if source.model is Model.YCBCR else (False, False)
        luma, cb, cr = frame.ycbcr
        if halved[1] and source.interlaced:  # each field has chroma of its own
            cb, cr, halved = cb[source.sites_of_rows], cr[source.sites_of_rows], (halved[0], False)
        scope_kernels.count_coloured(
            (luma, cb, cr), (int(halved[0]), int(halved[1])), selection.starts, selection.runs,
            _bases(source.width, columns, bins + APART), np.uint32(shift), cells.reshape(-1, 3),
        )  # fmt: skip
        counts, cb, cr = np.moveaxis(cells[:, :bins], 2, 0)
        mean = np.stack([cb, cr]).astype(np.float32) / np.maximum(counts, 1, dtype=np.float32)
        return Trace(self, counts[np.newaxis].copy(), 0, 1 << shift, selection.count, chroma=mean)

    # How it looks --------------------------------------------------------------------------------------------------

    def marks(self, scale: Scale) -> Iterator[Line | Word]:
        yield from level_marks(self, scale)
        for n, name in enumerate(self.components if self.in_parts else ()):
            if n:
                yield Line(((n / self.parts, 0), (n / self.parts, 1)), Stroke.SCALE)
            yield Word(name, ((n + 0.5) / self.parts, 0.03), 0)

    def paint(self, trace: Trace, image: Image, by: Painting, other: Trace | None = None) -> None:
        height, width = image.shape
        first, after = rows_to_bins(trace, self.span, height, by.source)
        columns, parts = trace.counts.shape[1], self.parts
        curve = brightness(by.full(trace.measured / columns / 12 / parts * min(columns / (width / parts), 4)))
        for n, component in enumerate(self.components):
            left, right = (n * width // parts, (n + 1) * width // parts) if parts > 1 else (0, width)
            part = image[:, left:right]
            amounts = np.empty(part.shape, np.float32)
            kernels.spread_levels(trace.counts[n], first, after, 0, columns, right - left, amounts)
            kernels.brighten(amounts, curve)
            if by.look.spot > 1:
                amounts = kernels.broaden(amounts, by.look.spot - 1)
            kernels.hatch_rows(amounts, rows_outside(component, self.span, height, by.limits))
            if trace.chroma is not None:
                kernels.lay_coloured(amounts, _own_colours(trace, first, right - left, by.source), np.float32(GROUND), part)
            else:
                kernels.lay(amounts, colour_of(component), np.float32(GROUND), part)
            if other is not None:
                kernels.spread_levels(other.counts[n], first, after, 0, other.counts.shape[1], right - left, amounts)
                kernels.lay(kernels.outline(amounts), colour_of("Y′"), np.float32(GROUND), part)

    # Places --------------------------------------------------------------------------------------------------------

    def places(self, source: SignalFormat, reading: Reading, x: float) -> list[Point]:
        percents, across = percents_of(reading, source), x / source.width
        named = [(n, percents[name]) for n, name in enumerate(self.components) if name in percents]
        return [
            (((n if self.parts > 1 else 0) + across) / self.parts, 1 - self.span.place(level)) for n, level in named
        ]

    def pixels(self, frame: FrameSignal, box: Box) -> NDArray[np.bool_]:
        (left, top, right, bottom), source, parts = box, frame.source, self.parts
        low, high = self.span.level(1 - bottom), self.span.level(1 - top)
        found = np.zeros((source.height, source.width), bool)
        for n, component in enumerate(self.components):
            first, after = (left * parts - n, right * parts - n) if parts > 1 else (left, right)
            columns = slice(*(int(np.clip(edge * source.width, 0, source.width)) for edge in (first, after + 1 / source.width)))
            if columns.stop > columns.start and component != ENVELOPE:
                found[:, columns] |= component_between(frame, component, low, high)[:, columns]
        return found


def level_marks(gauge: Instrument, scale: Scale) -> Iterator[Line | Word]:
    """A scale of levels at the left, the limits of what a gauge shows, and guides."""
    assert gauge.span is not None, "a gauge without levels has no scale of them"
    unit, source, span = scale.unit, scale.source, gauge.span
    for level in unit.marks(source):
        y = 1 - span.place(level)
        yield Line(((0, y), (1, y)), Stroke.SCALE)
        yield Word(f"{unit.of(level, source):.0f}", (-1, y), -1)
    for level, stroke in limit_lines(gauge, scale):
        y = 1 - span.place(level)
        yield Line(((0, y), (1, y)), stroke)
    for guide in scale.guides:
        y = 1 - span.place(guide.level)
        yield Line(((0, y), (1, y)), Stroke.GUIDE)
        yield Word(f"{guide.name} {unit.text(guide.level, source)}", (0.01, y - 0.04), 1)


def limit_lines(gauge: Instrument, scale: Scale) -> list[tuple[float, Stroke]]:
    """The limits that apply to what a level gauge shows."""
    found = []
    if "Y′" in gauge.components:
        found += [(level, Stroke.LIMIT) for level in scale.limits.luma]
    if "R′" in gauge.components:
        found += [(level, Stroke.RGB_LIMIT) for level in scale.limits.rgb]
    return found


def percents_of(reading: Reading, source: SignalFormat) -> dict[str, float]:
    """What was read, in percent, by the names of components; Cb and Cr as if they were levels."""
    levels = source.levels
    percents = {"Y′": levels.percent(reading.luma)}
    percents |= dict(zip(("R′", "G′", "B′"), (levels.percent(code) for code in reading.rgb), strict=True))
    for name, value in zip(("Cb", "Cr"), reading.chroma, strict=True):
        percents[name] = levels.percent(levels.zero + value * levels.span)
    return percents


def rows_to_bins(trace: Trace, span: Span, height: int, source: SignalFormat) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """For each row from the top, the first bin it shows and the one after its last; none beyond the code range."""
    levels, bins = source.levels, trace.counts.shape[2]
    ends = np.array([levels.code(span.level(1 - y / height)) for y in range(height + 1)])
    places = np.floor((ends - trace.first) / trace.step).astype(np.int64)
    first, after = places[1:], np.maximum(places[:-1], places[1:] + 1)
    return np.clip(first, 0, bins), np.clip(after, 0, bins)


def _own_colours(trace: Trace, first: NDArray[np.int64], width: int, source: SignalFormat) -> NDArray[np.float32]:
    """(H, W, 3) the mean colour of the pixels in each cell, light enough to be seen."""
    assert trace.chroma is not None
    columns = np.arange(width) * trace.counts.shape[1] // width
    bins = np.minimum(first, trace.counts.shape[2] - 1)
    cb, cr = (trace.chroma[c][columns[None, :], bins[:, None]] for c in (0, 1))
    levels = source.levels
    luma = np.full_like(cb, 0.62)
    signal = np.stack([luma, (cb - levels.zero) / levels.span, (cr - levels.zero) / levels.span], axis=-1)
    return (np.clip(ycbcr_to_rgb(signal, source.matrix), 0.1, 1) * 255).astype(np.float32)


def _bases(width: int, columns: int, bins: int) -> NDArray[np.uint32]:
    """Where the counts of each picture column begin, trace columns sharing the picture's width evenly."""
    return (np.arange(width) * columns // width * bins).astype(np.uint32)


def _site_columns(source: SignalFormat) -> int:
    return source.width if source.model is Model.RGB else source.chroma_size[0]


def _envelope(frame: FrameSignal) -> tuple[NDArray[np.uint16], NDArray[np.uint16]]:
    """(H, W) codes, raised by the frame's room: the upper and the lower end of what a composite encoder makes of it."""
    source = frame.source
    weights = tuple(np.float32(weight) for weight in (*source.matrix.luma_weights, *_COMPOSITE))
    top, foot = (np.empty((source.height, source.width), np.uint16) for _ in range(2))
    scope_kernels.composite_envelope(*frame.rgb, source.width, weights, top, foot)
    return top, foot
