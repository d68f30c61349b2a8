"""Where a curve that holds luma begins: as far from its limit as its excess asks for, unless that moves much that is legal."""

from collections.abc import Sequence
from dataclasses import replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.format import SignalFormat
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor

Curve = TypeVar("Curve", SoftCeiling, SoftFloor)
_SEEN = 1.5  # percent of luma: what moves by more is seen, about ΔE2000 1 near white
_MOST = 3.0  # percent of what is legal in a frame, that may move so far for what is not
_ROOMS = 12  # tried between what the excess asks for and what moves nothing that far


def sparing(
    curve: Curve, frames: Sequence[NDArray[np.int64]], source: SignalFormat, legal: tuple[float, float]
) -> Curve:
    """A curve that begins nearer its limit where much of a frame stands there that is legal; else the same curve.

    What is over is then pressed closer together, which harms the few that are over rather than the many that are not.

    Parameters
    ----------
    frames : how many pixels stand at each luma code, (2**depth,) each
    legal : least and greatest luma, in percent
    """
    percent = (np.arange(1 << source.bit_depth) - source.levels.black) / source.levels.swing * 100
    inside = (percent >= legal[0]) & (percent <= legal[1])
    room = curve.knee - curve.limit
    for share in np.geomspace(1, min(_SEEN / abs(room), 1), _ROOMS):
        tried = replace(curve, knee=round(curve.limit + room * float(share), 1))
        moved = inside & (np.abs(tried.luma(percent, source)[0] - percent) > _SEEN)
        if all(100 * counts[moved].sum() <= _MOST * counts[inside].sum() for counts in frames):
            return tried
    return tried
