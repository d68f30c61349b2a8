"""Compiled counts behind the gauges. Functions only."""

import numba
import numpy as np


@numba.njit(nogil=True, cache=True)
def waveform_counts(luma, width, height, columns, shift, bins):
    """How often each level occurs in each column of the picture.

    luma: (rows, stride) codes; ``shift``: code bits folded into one bin. Returns (columns, bins) int32.
    """
    counts = np.zeros((columns, bins), np.int32)
    place = np.empty(width, np.int32)
    for x in range(width):
        place[x] = x * columns // width
    for row in range(height):
        line = luma[row]
        for x in range(width):
            counts[place[x], line[x] >> shift] += 1
    return counts


@numba.njit(nogil=True, cache=True)
def vectorscope_counts(cb, cr, width, height, shift, bins):
    """How often each pair of chroma codes occurs. Returns (bins, bins) int32: rows Cb, columns Cr."""
    counts = np.zeros((bins, bins), np.int32)
    for row in range(height):
        line_b, line_r = cb[row], cr[row]
        for x in range(width):
            counts[line_b[x] >> shift, line_r[x] >> shift] += 1
    return counts
