"""HDR on a screen that is SDR: what brings its light there. Only pictures are: nothing that is measured."""

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.colorimetry import HDR_WHITE, HLG_GAMMA, HLG_PEAK, gamut_matrix, rgb_to_xyz, to_light
from bluffline.signal.format import SignalFormat

_FINE = 4096  # steps of signal, and of the square root of light
_SCREEN = 2.4  # its exponent [BT1886]
Tables = tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32], NDArray[np.uint8]]


def tone_mapped(source: SignalFormat) -> bool:
    """Whether a picture is brought to the screen's light, and does not look as it is coded."""
    return source.transfer in ("pq", "hlg")


@lru_cache(maxsize=4)
def tables(source: SignalFormat) -> Tables:
    """What `preview_kernels.paint_hdr` takes: light, the display's curve, primaries, codes of the screen."""
    light = to_light(np.arange(_FINE + 1) / _FINE, source.transfer)
    hlg = source.transfer == "hlg"
    curve = (HLG_GAMMA - 1, HLG_PEAK / HDR_WHITE) if hlg else (0.0, 1.0)
    system = np.array([*rgb_to_xyz(source.primaries)[1], *curve])
    codes = np.rint(255 * (np.arange(_FINE + 1) / _FINE) ** (2 / _SCREEN))
    singles: list[Any] = [each.astype(np.float32) for each in (light, system, gamut_matrix(source, "bt709"))]
    return singles[0], singles[1], singles[2], codes.astype(np.uint8)
