"""Counts that gauges draw, read from full-size native samples."""

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import scope_kernels as kernels
from bluffline.measure.frame_measure import Planes, ycbcr_planes
from bluffline.signal.format import SignalFormat

WAVEFORM_BINS = 256
VECTOR_BINS = 256


def waveform(planes: Planes, source: SignalFormat, columns: int) -> NDArray[np.int32]:
    """Luma waveform.

    Returns
    -------
    (columns, 256) int32 : pixel counts; bin b holds the codes b·2^(depth−8) … of the file's own depth
    """
    luma = ycbcr_planes(planes, source)[0]
    counts: NDArray[np.int32] = kernels.waveform_counts(
        luma, source.width, source.height, columns, source.bit_depth - 8, WAVEFORM_BINS
    )
    return counts


def vectorscope(planes: Planes, source: SignalFormat) -> NDArray[np.int32]:
    """Chroma counts at the stored chroma sites.

    Returns
    -------
    (256, 256) int32 : indexed by Cb, then Cr, in 8-bit steps of the file's own codes
    """
    planes = ycbcr_planes(planes, source)
    columns, rows = source.chroma_size
    counts: NDArray[np.int32] = kernels.vectorscope_counts(
        planes[1], planes[2], columns, rows, source.bit_depth - 8, VECTOR_BINS
    )
    return counts
