"""Where colours stand along the graphs of a bench: over luma, over a component, over hue."""

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.counted import ycbcr_planes
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr
from bluffline.view.preview import Preview

_BINS = 120
_LEAST_CHROMA = 3.0  # percent below which a colour has no hue
_THINNED = 4  # every so many sites are looked at


def hue_shares(preview: Preview) -> NDArray[np.float64] | None:
    """(120,) how much of a picture has each hue, from −180° on, weighted by chroma, 0 … 1; None where that is not measured."""
    signal = preview.signal
    if signal is None:
        return None
    source = signal.source
    cb, cr = (
        (plane[::_THINNED, ::_THINNED].astype(np.float64) - source.levels.zero) / source.levels.span
        for plane in ycbcr_planes(signal.planes, source)[1:]
    )
    size = np.hypot(cb, cr) * 100
    coloured = size >= _LEAST_CHROMA
    hues = np.degrees(np.arctan2(cr[coloured], cb[coloured]))
    counts, _ = np.histogram(hues, bins=_BINS, range=(-180, 180), weights=size[coloured])
    return np.asarray(np.sqrt(counts / max(counts.max(), 1e-9)))


def place_of(rgb: tuple[float, float, float], matrix: Matrix, key: str, unit: str) -> float | None:
    """Where a colour stands along a curve: its hue in degrees (None: it has none), its component or its luma in percent."""
    luma, cb, cr = (float(each) * 100 for each in rgb_to_ycbcr(np.array([rgb]), matrix)[0])
    if unit == "°":
        return float(np.degrees(np.arctan2(cr, cb))) if np.hypot(cb, cr) >= _LEAST_CHROMA else None
    components = ("red", "green", "blue")
    return rgb[components.index(key)] * 100 if key in components else luma
