"""Light of PQ in cd/m²: how much of a picture lies over a peak, and what a frame has in the mean [BT2100, CTA861]."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import flash_kernels as kernels
from bluffline.measure.flashes import signal_at
from bluffline.measure.region import Region
from bluffline.signal.colorimetry import HDR_WHITE, to_light
from bluffline.signal.format import Planes, SignalFormat

_ACROSS, _DOWN = 480, 270  # points that are looked at in the mean
_FINE = 4096  # steps of signal to 100 %, by which light is told


def pq_light(signal: NDArray[np.float64] | float) -> NDArray[np.float64]:
    """Light of a component of PQ, 0 … 1, in cd/m² [BT2100]."""
    return np.asarray(to_light(np.clip(signal, 0, 1), "pq") * HDR_WHITE, np.float64)


@lru_cache(maxsize=1)
def _table() -> NDArray[np.float32]:
    return pq_light(np.arange(_FINE + 1) / _FINE).astype(np.float32)


def brightness(planes: Planes, source: SignalFormat, region: Region, peak: float) -> tuple[float, float]:
    """A frame of PQ: the mean over its active picture of its brightest components, cd/m², and percent of it over a peak.

    It is looked at on a grid of points.
    """
    left, right, top, bottom = region.edges
    rows = np.unique(np.linspace(top, bottom - 1, min(_DOWN, bottom - top)).round().astype(np.int64))
    columns = np.unique(np.linspace(left, right - 1, min(_ACROSS, right - left)).round().astype(np.int64))
    light = kernels.looked_up(signal_at(planes, source, rows, columns).max(axis=0), _table(), np.float32(_FINE))
    return float(light.mean()), 100.0 * float((light > peak).mean())
