"""Gauges whose field is a plane of colours: what they have in common."""

from abc import abstractmethod
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from bluffline.gauges import trace_kernels as kernels
from bluffline.gauges.graticule import Point
from bluffline.gauges.instrument import Instrument, Trace
from bluffline.gauges.painting import GROUND, Image, Painting, brightness, colour_of
from bluffline.measure.reading import Reading
from bluffline.signal.format import SignalFormat


class ColourGauge(Instrument):
    """A square field; each of its cells counts the pixels of a colour."""

    square = True

    @abstractmethod
    def outside(self, side: int, by: Painting) -> NDArray[np.bool_]:
        """(S, S) what counts as excess."""

    @abstractmethod
    def colours(self, side: int, by: Painting) -> NDArray[np.float32]:
        """(S, S, 3) what each place of the field is painted in, 0 … 255."""

    def paint(self, trace: Trace, image: Image, by: Painting, other: Trace | None = None) -> None:
        side, cells = image.shape[0], trace.counts.shape[1]
        places = np.arange(side + 1) * cells // side
        first, after = places[:-1].astype(np.int64), np.maximum(places[1:], places[:-1] + 1).astype(np.int64)
        amounts = np.empty((side, side), np.float32)
        kernels.spread_cells(trace.counts[0], first, after, amounts)
        kernels.brighten(amounts, brightness(by.full(trace.measured / 2500)))
        amounts = kernels.broaden(amounts, by.look.spot)
        kernels.hatch_cells(amounts, self.outside(side, by))
        kernels.lay_coloured(amounts, self.colours(side, by), np.float32(GROUND), image)
        if other is not None:
            kernels.spread_cells(other.counts[0], first, after, amounts)
            kernels.lay(kernels.outline(amounts), colour_of("Y′"), np.float32(GROUND), image)

    def places(self, source: SignalFormat, reading: Reading, x: float) -> list[Point]:
        levels = source.levels
        place = self.place_of(source, (np.array(reading.rgb) - levels.black) / levels.swing)
        return [] if place is None else [place]

    def table(self, trace: Trace) -> Iterator[tuple[object, ...]]:
        yield "component", "first", "second", "count"
        for column, level in zip(*np.nonzero(trace.counts[0]), strict=True):
            across, up = (round(trace.first + place * trace.step, 5) for place in (column, level))
            yield self.components[0], across, up, trace.counts[0, column, level]


def inside(corners: NDArray[np.float64], x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Whether points lie in a convex polygon, whichever way round it runs."""
    if len(corners) < 3:
        return np.zeros(x.shape, bool)
    (x0, y0), (x1, y1) = corners.T, np.roll(corners, -1, axis=0).T
    turns = [(b - a) * (y - c) - (d - c) * (x - a) for a, b, c, d in zip(x0, x1, y0, y1, strict=True)]
    return np.asarray(np.all([t >= 0 for t in turns], axis=0) | np.all([t <= 0 for t in turns], axis=0))
