"""The level over time: how far luma and R′G′B′ reach in each frame around the one in view."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from bluffline.gauges import trace_kernels as kernels
from bluffline.gauges.graticule import Line, Point, Scale, Stroke, Word
from bluffline.gauges.instrument import Instrument, Moment, Seen, Trace
from bluffline.gauges.level_gauge import WIDE, level_marks
from bluffline.gauges.painting import GROUND, UNKNOWN, Image, Painting, colour_of, rows_outside
from bluffline.gauges.scale import Span
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal

HEAD = 0.09  # of the field, for what is told of the trace
_BAND = 0.42  # brightness of what lies between the extremes of luma
_RGB = np.array((235.0, 165.0, 90.0), np.float32)


@dataclass(frozen=True, eq=False)
class TimeTrace(Trace):
    """Levels of the frames around one: (N,) each in percent by their names, NaN where none are known.

    ``frame``: the first, of ``wide``. ``asked``: what the rules ask of them, by its name.
    """

    levels: dict[str, NDArray[np.float64]] = field(default_factory=dict)
    frame: int = 0
    wide: int = 1
    asked: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Columns:
    """The frames that each column of pixels stands for, (W,): from ``first`` to before ``after``; ``known``: (N,) which are."""

    first: NDArray[np.int64]
    after: NDArray[np.int64]
    known: NDArray[np.bool_]

    @property
    def seen(self) -> NDArray[np.bool_]:
        """(W,) where any is known."""
        return self.any_of(self.known)

    def any_of(self, frames: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(W,) whether any of (N,) frames that a column stands for is one of these."""
        total = np.concatenate([[0], np.cumsum(frames)])
        return np.asarray(total[self.after] > total[self.first])


class LevelOverTime(Instrument):
    """A band from luma's least to its greatest, its mean, and the extremes of R′G′B′; a click goes to the frame there."""

    name = "time"
    place = 15
    modes = {"10": "10 s", "60": "1 min", "300": "5 min"}
    margins = (40, 6, 6, 20)

    @property
    def title(self) -> str:
        return f"Level over time, {self.modes[self.mode]}"

    @property
    def components(self) -> tuple[str, ...]:
        return "Y′", "R′", "G′", "B′"

    @property
    def around(self) -> float:
        return float(self.mode)

    @property
    def span(self) -> Span:
        return WIDE

    def shown(self, moment: Moment) -> Mapping[str, NDArray[np.float64]]:
        """What it shows of the frames around."""
        return moment.levels

    def count(self, frame: FrameSignal, selection: Selection, columns: int, moment: Moment | None) -> TimeTrace:
        assert moment is not None, "what is around the frame is asked for"
        half = round(self.around / 2 * moment.rate)
        first, wide = moment.frame - half, 2 * half + 1
        levels = {}
        for name, column in self.shown(moment).items():
            levels[name] = np.full(wide, np.nan)
            here, after = max(first, moment.first), min(first + wide, moment.first + len(column))
            if after > here:
                levels[name][here - first : after - first] = column[here - moment.first : after - moment.first]
        known = int(np.isfinite(next(iter(levels.values()))).sum()) if levels else 0
        return TimeTrace(self, np.zeros((1, 1, 1), np.int32), 0.0, 1.0, known, levels=levels, frame=first, wide=wide)

    def table(self, trace: Trace) -> Iterator[tuple[object, ...]]:
        assert isinstance(trace, TimeTrace), "it was counted here"
        levels = trace.levels
        yield "frame", *(f"{name} %" for name in levels)
        yield from self.rows(trace, tuple(levels))

    def rows(self, trace: TimeTrace, names: tuple[str, ...]) -> Iterator[tuple[object, ...]]:
        """A row for each frame of which the first of some levels is known; the others are empty where they are not."""
        levels = [trace.levels.get(name, np.zeros(0)) for name in names]
        for n, row in enumerate(zip(*levels, strict=True)):
            if np.isfinite(row[0]):
                yield trace.frame + n, *(f"{value:.3f}" if np.isfinite(value) else "" for value in row)

    def marks(self, scale: Scale) -> Iterator[Line | Word]:
        yield from level_marks(self, scale)
        yield from self.time_marks()
        yield Word("band Y′, lines R′G′B′", (0.01, HEAD / 2), 1)

    def time_marks(self) -> Iterator[Line | Word]:
        """Where the frame in view is, and how far it is to the ends."""
        half = f"{self.around / 2:g}"
        yield Line(((0.5, HEAD), (0.5, 1)), Stroke.GUIDE)
        yield Word(f"−{half} s", (0, 2), 1)
        yield Word("in view", (0.5, 2), 0)
        yield Word(f"+{half} s", (1, 2), -1)

    def paint(self, trace: Trace, image: Image, by: Painting, other: Trace | None = None) -> None:
        assert isinstance(trace, TimeTrace), "it was counted here"
        height, width = image.shape
        levels = trace.levels
        columns = self.columns(trace, width)
        seen = columns.seen
        image[:, ~seen] = UNKNOWN
        if not seen.any():
            return
        row = np.arange(height)[:, None]
        rows = {name: self.level_rows(levels[name], columns, height, greatest=not name.endswith("min")) for name in levels}
        band = np.where(seen & (row >= rows["y_max"]) & (row <= rows["y_min"]), np.float32(_BAND), np.float32(0))
        for name in ("y_min", "y_max", "y_mean"):
            if name in rows:
                band[seen & (np.abs(row - rows[name]) < (1 if name == "y_mean" else 0.5))] = 1
        kernels.hatch_rows(band, rows_outside("Y′", self.span, height, by.limits))
        kernels.lay(band, colour_of("Y′"), np.float32(GROUND), image)
        lines = np.zeros_like(band)
        outside = rows_outside("R′", self.span, height, by.limits)
        for name in ("rgb_min", "rgb_max"):  # a thin line can't be broken up: excess is heavier
            lines[seen & (np.abs(row - rows[name]) < np.where(outside[rows[name]], 3, 1))] = 1
        kernels.lay(lines, _RGB, np.float32(GROUND), image)

    def columns(self, trace: TimeTrace, width: int) -> Columns:
        """What frames so many columns of pixels stand for."""
        known = np.isfinite(next(iter(trace.levels.values()), np.full(1, np.nan)))
        ends = np.arange(width + 1) * len(known) // width
        return Columns(ends[:-1], np.maximum(ends[1:], ends[:-1] + 1), known)

    def level_rows(self, level: NDArray[np.float64], columns: Columns, height: int, *, greatest: bool) -> NDArray[np.int64]:
        """(W,) the row of the extreme of the frames that each column of pixels stands for; the edge's where it lies beyond."""
        safe = np.where(np.isfinite(level), level, -np.inf if greatest else np.inf)
        ends = np.stack([columns.first, columns.after], 1).ravel()
        most = (np.maximum if greatest else np.minimum).reduceat(np.append(safe, safe[-1]), ends)[::2]
        places = (np.clip(most, self.span.low, self.span.high) - self.span.low) / (self.span.high - self.span.low)
        return np.asarray(np.rint((1 - places) * (height - 1)), np.int64)

    def frame_at(self, trace: Trace, place: Point) -> int:
        assert isinstance(trace, TimeTrace), "it was counted here"
        return trace.frame + min(int(np.clip(place[0], 0, 1) * trace.wide), trace.wide - 1)

    def facts(self, seen: Seen) -> str:
        return f"{seen.unit} · {seen.words}" if seen.roomy else str(seen.unit)
