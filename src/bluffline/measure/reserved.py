"""Codes that are reserved for timing on a serial link, and may not stand in a picture."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import survey_kernels as kernels
from bluffline.measure.region import Region
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.signal.levels import Range

_NOWHERE = -1, -1


def reserved_codes(source: SignalFormat) -> int:
    """How many codes at either end are reserved: one at 8 bits, four at 10, sixteen at 12; none of full range [BT709].

    A full-range file uses all its codes, and is brought to narrow range before it reaches a serial link.
    """
    return 1 << (source.bit_depth - 8) if source.range is Range.NARROW else 0


def find_reserved(
    stored: Planes, source: SignalFormat, seen: NDArray[np.int64], left_out: Sequence[Region]
) -> tuple[int, tuple[int, int]]:
    """Samples of a stored picture with reserved codes, and the luma sample where the first of them stands.

    Parameters
    ----------
    stored : native planes
    seen : (3, 2**depth) histograms of what was measured of them as Y′, Cb, Cr; ``left_out`` are the parts that were not
    """
    ends = reserved_codes(source)
    if not ends:
        return 0, _NOWHERE
    if source.model is Model.RGB or left_out:
        size = [(source.width, source.height), *(source.chroma_size,) * 2]
        bins = seen.shape[1]
        seen = np.stack(
            [kernels.count_codes(plane, 0, wide, 0, high, bins) for plane, (wide, high) in zip(stored, size, strict=True)]
        )
    counts = seen[:, :ends].sum(axis=1) + seen[:, -ends:].sum(axis=1)
    if not counts.any():
        return 0, _NOWHERE
    number = int(np.flatnonzero(counts)[0])
    plane, scale = stored[number], (1, 1)
    width, height = source.width, source.height
    if number and source.model is Model.YCBCR:
        width, height = source.chroma_size
        scale = 1 + source.halved[0], 1 + source.halved[1]
    row, column = kernels.first_beyond(plane, width, height, ends, seen.shape[1] - ends)
    return int(counts.sum()), (column * scale[0], row * scale[1])
