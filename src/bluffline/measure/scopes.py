"""What gauges count, read from full-size native samples: waveform, parade, vectorscope, histogram, chromaticity."""

from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import rgb_kernels
from bluffline.measure import scope_kernels as kernels
from bluffline.measure.areas import Selection
from bluffline.measure.counted import rgb_arithmetic, ycbcr_planes
from bluffline.signal.colorimetry import light_table, rgb_to_xyz
from bluffline.signal.format import Model, Planes, SignalFormat

CHROMA_REACH = 0.56  # of the vectorscope at its smallest zoom: a little more than ±50 %
CIE_REACH = {"1931": 0.85, "1976": 0.65}  # greatest x and y, u′ and v′ on the diagram
_VECTOR_CELLS = 255  # an odd number, so that no colour at all falls in the middle of a cell
_CIE_CELLS = 256
# A luma waveform has 512 bins for the code range, others 256 (they count three times as much, or reach twice as far, and have
# to stay in the processor's cache); fewer where there are fewer codes.
_LUMA_BITS, _OTHER_BITS = 9, 8
# Bins left unused at the end of a column: like levels of neighbouring columns would else lie 4096 bytes apart now and then, and
# the processor would take one for the other and wait.
_APART = 32
# Scaling of colour differences on a composite subcarrier [BT470]: U = 0.492 (B′−Y′), V = 0.877 (R′−Y′).
_COMPOSITE = (0.492, 0.877)


class Instrument(StrEnum):
    """A kind of gauge."""

    WAVEFORM = "waveform"
    PARADE = "parade"
    VECTORSCOPE = "vectorscope"
    HISTOGRAM = "histogram"
    CHROMATICITY = "chromaticity"


# The variants of each instrument: what is shown, or for the vectorscope how far it is zoomed in.
MODES: dict[Instrument, tuple[str, ...]] = {
    Instrument.WAVEFORM: ("luma", "rgb", "coloured", "envelope"),
    Instrument.PARADE: ("rgb", "yrgb", "ycbcr"),
    Instrument.VECTORSCOPE: ("1", "2", "4"),
    Instrument.HISTOGRAM: ("luma", "rgb"),
    Instrument.CHROMATICITY: ("1931", "1976"),
}


@dataclass(frozen=True, slots=True)
class Kind:
    """An instrument in one of its modes.

    Raises
    ------
    ValueError : the instrument has no such mode.
    """

    instrument: Instrument
    mode: str = ""

    def __post_init__(self) -> None:
        if not self.mode:
            object.__setattr__(self, "mode", MODES[self.instrument][0])
        if self.mode not in MODES[self.instrument]:
            raise ValueError(f"a {self.instrument} has no mode {self.mode}; it has {', '.join(MODES[self.instrument])}")

    @property
    def components(self) -> tuple[str, ...]:
        """What the planes of its counts are."""
        names = {"luma": ("Y′",), "coloured": ("Y′",), "rgb": ("R′", "G′", "B′"), "envelope": ("Y′", "chroma envelope")}
        more = {"yrgb": ("Y′", "R′", "G′", "B′"), "ycbcr": ("Y′", "Cb", "Cr")}
        return (names | more).get(self.mode, ("pixels",))


@dataclass(frozen=True, eq=False)
class Trace:
    """Counts of one frame for one gauge.

    ``counts``: (planes, columns, bins) int32. For waveform and parade a bin holds the codes from ``first`` + b·``step`` on;
    columns share the picture's width evenly. For a histogram there is one column a plane and one bin a code. For
    vectorscope and chromaticity columns and bins are Cb and Cr, x and y or u′ and v′, ``step`` each, from ``first`` on.
    ``measured``: pixels (or chroma sites) looked at; ``beyond``: those of them that are not in the counts. ``chroma``:
    (2, columns, bins) mean Cb and Cr codes of each cell, for the waveform in the picture's own colours.
    """

    kind: Kind
    counts: NDArray[np.int32]
    first: float
    step: float
    measured: int
    beyond: int = 0
    chroma: NDArray[np.float32] | None = None

    @cached_property
    def edges(self) -> NDArray[np.float64]:
        """(bins + 1,) where the bins begin and end."""
        return self.first + self.step * np.arange(self.counts.shape[2] + 1)


class FrameSignal:
    """One frame's native planes, and what several gauges make of them, computed once when first asked for.

    ``planes``: native planes in ``source``. Not to be changed while this lives.
    """

    def __init__(self, planes: Planes, source: SignalFormat) -> None:
        self.planes, self.source = planes, source
        # R′G′B′ made of Y′CbCr goes beyond the code range; stored R′G′B′ can't.
        self.room = 0 if source.model is Model.RGB else 1 << (source.bit_depth - 1)

    @cached_property
    def ycbcr(self) -> Planes:
        """Y′, Cb, Cr codes: as stored, or computed 4:4:4 from R′G′B′."""
        return ycbcr_planes(self.planes, self.source)

    @cached_property
    def rgb(self) -> Planes:
        """R′, G′, B′ codes at luma sites, raised by ``room``; chroma is interpolated by its siting."""
        source = self.source
        if source.model is Model.RGB:
            return self.planes
        halved, column_taps, rows, (black, per_swing, zero, _), gains = rgb_arithmetic(source)
        codes = (black, per_swing, zero, np.float32(source.levels.swing / source.levels.span))
        out = np.empty((3, source.height, source.width), np.uint16 if source.bit_depth < 16 else np.uint32)
        size = (source.width, source.height)
        rgb_kernels.rgb_codes(*self.planes, size, halved, column_taps, rows, codes, gains, self.room, out)
        return out[0], out[1], out[2]

    @property
    def light(self) -> NDArray[np.float32]:
        """Linear light of each code of `rgb`."""
        return light_table(self.source.bit_depth, self.source.levels, self.source.transfer, self.room)


def measure_gauge(kind: Kind, frame: FrameSignal, selection: Selection, columns: int = 480) -> Trace:
    """The counts of one gauge.

    Parameters
    ----------
    selection : the pixels to count
    columns : trace columns of a waveform, or of each part of a parade; no more than the picture has
    """
    match kind.instrument:
        case Instrument.WAVEFORM | Instrument.PARADE:
            columns = max(min(columns, frame.source.width), 1)
            if kind.mode == "coloured":
                return _coloured(kind, frame, selection, columns)
            return _levels(kind, frame, selection, columns)
        case Instrument.HISTOGRAM:
            return _histogram(kind, frame, selection)
        case Instrument.VECTORSCOPE:
            return _vectorscope(kind, frame, selection)
        case _:
            return _chromaticity(kind, frame, selection)


def _bases(width: int, columns: int, bins: int) -> NDArray[np.uint32]:
    """Where the counts of each picture column begin, trace columns sharing the picture's width evenly."""
    return (np.arange(width) * columns // width * bins).astype(np.uint32)


def _levels(kind: Kind, frame: FrameSignal, selection: Selection, columns: int) -> Trace:
    """Levels in each trace column, one plane of counts a component, all with the same bins."""
    source = frame.source
    beyond = kind.mode in ("rgb", "yrgb", "envelope")
    shift = max(source.bit_depth - (_OTHER_BITS if beyond else _LUMA_BITS), 0)
    room = frame.room if beyond else 0
    bins = ((1 << source.bit_depth) + 2 * room) >> shift
    # Half as wide where no count can overflow: twice as many of them are in the processor's cache.
    most = 2 * source.height * -(-source.width // columns)
    counts = np.zeros((len(kind.components), columns, bins + _APART), np.uint16 if most < 1 << 16 else np.int32)
    base = _bases(source.width, columns, bins + _APART)

    def count(plane: NDArray[Any], into: NDArray[Any], raised: int = 0) -> None:
        first = base + np.uint32(raised >> shift)
        kernels.count_levels(plane, selection.starts, selection.runs, first, np.uint32(shift), into.ravel())

    if kind.mode in ("luma", "ycbcr", "yrgb", "envelope"):
        count(frame.ycbcr[0], counts[0], room)
    if kind.mode == "ycbcr":
        sites, first = selection.at_sites(source), _bases(_site_columns(source), columns, bins + _APART)
        for plane, into in zip(frame.ycbcr[1:], counts[1:], strict=True):
            kernels.count_levels(plane, sites.starts, sites.runs, first, np.uint32(shift), into.ravel())
    elif kind.mode == "envelope":
        for plane in _envelope(frame):
            count(plane, counts[1])
    elif kind.mode in ("rgb", "yrgb"):
        for plane, into in zip(frame.rgb, counts[-3:], strict=True):
            count(plane, into)
    return Trace(kind, counts[:, :, :bins].astype(np.int32), -room, 1 << shift, selection.count)


def _histogram(kind: Kind, frame: FrameSignal, selection: Selection) -> Trace:
    """Pixels of every code; counted in four places by turns, since one place would be waited for in flat pictures."""
    planes, room = (frame.ycbcr[:1], 0) if kind.mode == "luma" else (frame.rgb, frame.room)
    bins = (1 << frame.source.bit_depth) + 2 * room
    base = (np.arange(frame.source.width) % 4 * (bins + _APART)).astype(np.uint32)
    counts = np.zeros((len(planes), 4, bins + _APART), np.int32)
    for plane, into in zip(planes, counts, strict=True):
        kernels.count_levels(plane, selection.starts, selection.runs, base, np.uint32(0), into.ravel())
    return Trace(kind, counts[:, :, :bins].sum(axis=1, keepdims=True, dtype=np.int32), -room, 1, selection.count)


def _site_columns(source: SignalFormat) -> int:
    return source.width if source.model is Model.RGB else source.chroma_size[0]


def _envelope(frame: FrameSignal) -> tuple[NDArray[np.uint16], NDArray[np.uint16]]:
    """(H, W) codes, raised by the frame's room: the upper and the lower end of what a composite encoder makes of it."""
    source = frame.source
    weights = tuple(np.float32(weight) for weight in (*source.matrix.luma_weights, *_COMPOSITE))
    top, foot = (np.empty((source.height, source.width), np.uint16) for _ in range(2))
    kernels.composite_envelope(*frame.rgb, source.width, weights, top, foot)
    return top, foot


def _coloured(kind: Kind, frame: FrameSignal, selection: Selection, columns: int) -> Trace:
    source = frame.source
    shift = max(source.bit_depth - _OTHER_BITS, 0)
    bins = 1 << (source.bit_depth - shift)
    cells = np.zeros((columns, bins + _APART, 3), np.int32)
    halved = source.halved if source.model is Model.YCBCR else (False, False)
    luma, cb, cr = frame.ycbcr
    if halved[1] and source.interlaced:  # each field has chroma of its own
        cb, cr, halved = cb[source.sites_of_rows], cr[source.sites_of_rows], (halved[0], False)
    kernels.count_coloured(
        (luma, cb, cr), (int(halved[0]), int(halved[1])), selection.starts, selection.runs,
        _bases(source.width, columns, bins + _APART), np.uint32(shift), cells.reshape(-1, 3),
    )  # fmt: skip
    counts, cb, cr = np.moveaxis(cells[:, :bins], 2, 0)
    mean = np.stack([cb, cr]).astype(np.float32) / np.maximum(counts, 1, dtype=np.float32)
    return Trace(kind, counts[np.newaxis].copy(), 0, 1 << shift, selection.count, chroma=mean)


def _vectorscope(kind: Kind, frame: FrameSignal, selection: Selection) -> Trace:
    source = frame.source
    levels, sites = source.levels, selection.at_sites(source)
    reach = CHROMA_REACH / int(kind.mode)
    step = 2 * reach / _VECTOR_CELLS
    codes = (np.arange(1 << source.bit_depth) - levels.zero) / levels.span
    cells = np.floor((codes + reach) / step).astype(np.int32)
    cells[(cells < 0) | (cells >= _VECTOR_CELLS)] = -1
    counts = np.zeros((1, _VECTOR_CELLS, _VECTOR_CELLS), np.int32)
    beyond = kernels.count_pairs(frame.ycbcr[1], frame.ycbcr[2], sites.starts, sites.runs, cells, counts[0])
    return Trace(kind, counts, -reach, step, sites.count, int(beyond))


def _chromaticity(kind: Kind, frame: FrameSignal, selection: Selection) -> Trace:
    counts = np.zeros((1, _CIE_CELLS, _CIE_CELLS), np.int32)
    reach = CIE_REACH[kind.mode]
    parts = {"1931": ((1, 0, 0), (0, 1, 0), (1, 1, 1)), "1976": ((4, 0, 0), (0, 9, 0), (1, 15, 3))}[kind.mode]
    weights = np.array(parts, float) @ rgb_to_xyz(frame.source.primaries)
    weights[:2] *= _CIE_CELLS / reach
    dark = kernels.count_chromaticities(
        *frame.rgb, frame.source.width, selection.starts, selection.runs, frame.light, weights.astype(np.float32), counts[0]
    )
    return Trace(kind, counts, 0.0, reach / _CIE_CELLS, selection.count, int(dark))
