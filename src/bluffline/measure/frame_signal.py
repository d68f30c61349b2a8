"""One frame as gauges read it, from full-size native samples: what several of them make of it is computed once."""

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import rgb_kernels
from bluffline.measure.counted import rgb_arithmetic, ycbcr_planes
from bluffline.signal.colorimetry import light_table
from bluffline.signal.format import Model, Planes, SignalFormat

# Bins left unused at the end of a column: like levels of neighbouring columns would else lie 4096 bytes apart now and then, and
# the processor would take one for the other and wait.
APART = 32


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


def component_between(frame: FrameSignal, component: str, low: float, high: float) -> NDArray[np.bool_]:
    """(H, W) pixels with a component, as gauges name it, between two percentages."""
    source = frame.source
    if component in ("Cb", "Cr"):
        number = 1 if component == "Cb" else 2
        share = [(source.levels.code(level) - source.levels.zero) / source.levels.span for level in (low, high)]
        return at_luma(chroma_between(frame, number, *share), source)
    if component == "Y′":
        plane, room = frame.ycbcr[0][: source.height, : source.width], 0
    else:
        plane, room = frame.rgb["RGB".index(component[0])][: source.height, : source.width], frame.room
    codes = [source.levels.code(level) + room for level in (low, high)]
    return np.asarray((plane >= codes[0]) & (plane <= codes[1]))


def chroma_between(frame: FrameSignal, number: int, low: float, high: float) -> NDArray[np.bool_]:
    """Chroma sites with Cb (1) or Cr (2) between two shares, at their own resolution."""
    source = frame.source
    columns, rows = source.chroma_size if source.model is Model.YCBCR else (source.width, source.height)
    plane, levels = frame.ycbcr[number][:rows, :columns], source.levels
    return np.asarray((plane >= levels.zero + low * levels.span) & (plane <= levels.zero + high * levels.span))


def at_luma(sites: NDArray[np.bool_], source: SignalFormat) -> NDArray[np.bool_]:
    """A mask of chroma sites as the luma pixels that they belong to."""
    across, down = source.halved if source.model is Model.YCBCR else (False, False)
    wide = sites.repeat(2, axis=1) if across else sites
    tall = wide.repeat(2, axis=0) if down else wide
    return tall[: source.height, : source.width]
