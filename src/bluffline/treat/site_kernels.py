"""Compiled loops from stored codes to chroma sites and back. Functions only; `frame_treatment` prepares what they take."""

import numpy as np

from bluffline.loops import free_loop, loop


@free_loop
def load_chroma(plane, added, zero, per_span, out):
    """Chroma codes and what is added to them, as −0.5 … 0.5. plane: (rows, stride); added, out: (rows, columns) float32."""
    for row in range(out.shape[0]):
        for k in range(out.shape[1]):
            out[row, k] = (np.float32(plane[row, k]) + added[row, k] - zero) * per_span


@loop
def store_chroma(sites, zero, span, bounds, like):
    """−0.5 … 0.5 to rounded codes between two bounds, of the dtype of ``like``."""
    out = np.empty(sites.shape, like.dtype)
    for row in range(sites.shape[0]):
        for k in range(sites.shape[1]):
            code = np.float32(sites[row, k] * span + zero)
            out[row, k] = like.dtype.type(min(max(code, bounds[0]), bounds[1]) + np.float32(0.5))
    return out


@free_loop
def _sum_row(codes, added, low, high, out):
    for k in range(out.shape[0]):
        out[k] = out.dtype.type(np.int32(min(max(np.float32(codes[k]) + added[k] + np.float32(0.5), low), high)))


@loop
def add_chroma(plane, added, bounds):
    """Codes and what is added to them, rounded, between two bounds. plane: (rows, stride); added: (rows, columns) float32."""
    out = np.empty(added.shape, plane.dtype)
    for row in range(out.shape[0]):
        _sum_row(plane[row], added[row], bounds[0] + np.float32(0.5), bounds[1] + np.float32(0.5), out[row])
    return out
