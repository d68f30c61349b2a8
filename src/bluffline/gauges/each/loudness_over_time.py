"""Loudness over time: momentary, short-term and true peak of the programme sound around the frame in view [R128]."""

from collections.abc import Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.gauges import trace_kernels as kernels
from bluffline.gauges.each.level_over_time import HEAD, LevelOverTime, TimeTrace
from bluffline.gauges.graticule import Line, Scale, Stroke, Word
from bluffline.gauges.instrument import Moment, Seen, Trace
from bluffline.gauges.painting import GROUND, UNKNOWN, Image, Painting
from bluffline.gauges.scale import Span
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal

_MARKS = -50, -40, -30, -20, -10, 0
_PEAK = np.array((165.0, 165.0, 165.0), np.float32)
_LIGHT = np.array((245.0, 245.0, 245.0), np.float32)
_TINT = np.array((216.0, 199.0, 154.0), np.float32)  # of what is asked for
_DASH = 9  # pixels


class LoudnessOverTime(LevelOverTime):
    """Short-term loudness as a line, momentary as a band, true peaks as dots; what the rules ask for dashed."""

    name = "loudness"
    place = 16
    hears = True

    @property
    def title(self) -> str:
        return f"Loudness over time, {self.modes[self.mode]}"

    @property
    def components(self) -> tuple[str, ...]:
        return ("sound",)

    @property
    def span(self) -> Span:
        return Span(-60.0, 6.0)

    def shown(self, moment: Moment) -> Mapping[str, NDArray[np.float64]]:
        return moment.heard.columns if moment.heard is not None else {}

    def count(self, frame: FrameSignal, selection: Selection, columns: int, moment: Moment | None) -> TimeTrace:
        trace = super().count(frame, selection, columns, moment)
        assert moment is not None, "what is around the frame is asked for"
        if moment.heard is not None:
            trace.asked.update(moment.heard.asked)
        return trace

    def table(self, trace: Trace) -> Iterator[tuple[object, ...]]:
        assert isinstance(trace, TimeTrace), "it was counted here"
        yield "frame", "momentary LUFS", "short-term LUFS", "true peak dBTP"
        yield from self.rows(trace, ("momentary", "short_term", "peak"))

    def marks(self, scale: Scale) -> Iterator[Line | Word]:
        for level in _MARKS:
            y = 1 - self.span.place(level)
            yield Line(((0, y), (1, y)), Stroke.SCALE)
            yield Word(figure(level), (-1, y), -1)
        yield from self.time_marks()
        yield Word("line 3 s, band 0.4 s, dots true peak", (0.01, HEAD / 2), 1)

    def paint(self, trace: Trace, image: Image, by: Painting, other: Trace | None = None) -> None:
        assert isinstance(trace, TimeTrace), "it was counted here"
        height, width = image.shape
        levels, columns = trace.levels, self.columns(trace, width)
        seen = columns.seen
        image[:, ~seen] = UNKNOWN
        row = np.arange(height)[:, None]
        if seen.any():
            rows = {name: self.level_rows(levels[name], columns, height, greatest=True) for name in levels}
            told = {name: seen & columns.any_of(np.isfinite(levels[name])) for name in levels}
            band = np.where(told["momentary"] & (row >= rows["momentary"]), np.float32(0.30), np.float32(0))
            band[told["peak"] & (np.abs(row - rows["peak"]) < 1)] = 0.6
            kernels.lay(band, _PEAK, np.float32(GROUND), image)
            line = np.where(told["short_term"] & (np.abs(row - rows["short_term"]) < 2), np.float32(1), np.float32(0))
            kernels.lay(line, _LIGHT, np.float32(GROUND), image)
        dashed = np.zeros(image.shape, np.float32)
        for level in trace.asked.values():
            at = round((1 - self.span.place(level)) * (height - 1))
            if 0 <= at < height:
                dashed[at, np.arange(width) % (2 * _DASH) < _DASH] = 1
        kernels.lay(dashed, _TINT, np.float32(GROUND), image)

    def facts(self, seen: Seen) -> str:
        return "LUFS, dBTP" if seen.heard else "no sound measured"
