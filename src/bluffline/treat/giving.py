"""Which gives way at a limit of R′G′B′, luma or chroma, and by what share, so that least is seen."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.colorimetry import rgb_to_xyz, to_light, xyz_to_lab
from bluffline.signal.difference import delta_e_2000
from bluffline.signal.matrix import ChromaGains, Matrix
from bluffline.treat.code_kernels import CELLS, REACH

_EXCESSES = 0.02, 0.06, 0.12, 0.25  # how far over a limit colours are tried, as shares of 0 … 1
_SHARES = np.linspace(0.02, 0.98, 17)  # of the excess that luma takes
_FAVOUR = 0.5  # of luma, which carries a picture's texture, against what one colour alone would want


@lru_cache(maxsize=16)
def luma_shares(matrix: Matrix, transfer: str, primaries: str) -> NDArray[np.float32]:
    """(33, 33, 2) the share that luma takes of a colour's excess, at the high and at the low limit; not to be changed.

    By Cb and Cr from −0.6 to 0.6. The shares are those with the least CIEDE2000, of some excesses over 0 … 100 % in the mean,
    as a display shows the colours; limits a little wider or narrower want nearly the same.
    """
    gains, axis = ChromaGains.of(matrix), np.linspace(-REACH, REACH, CELLS + 1)
    cb, cr = np.meshgrid(axis, axis, indexing="ij")
    apart = np.stack([gains.red_cr * cr, gains.green_cb * cb + gains.green_cr * cr, gains.blue_cb * cb], axis=-1)
    best = np.stack([_shares(apart, side, transfer, primaries) for side in (1, -1)], axis=-1)
    table = (_FAVOUR * best / (_FAVOUR * best + 1 - best)).astype(np.float32)
    table.setflags(write=False)
    return table


def _shares(apart: NDArray[np.float64], side: int, transfer: str, primaries: str) -> NDArray[np.float64]:
    """The share of an excess that luma takes at one limit (1: the high one), by Cb and Cr; smoothed over neighbours."""
    away = apart.max(axis=-1) if side > 0 else -apart.min(axis=-1)
    limit = max(side, 0)
    to_xyz = rgb_to_xyz(primaries).T

    def lab(luma: NDArray[np.float64], scale: NDArray[np.float64]) -> NDArray[np.float64]:
        return xyz_to_lab(to_light(luma[..., None] + apart * scale[..., None], transfer) @ to_xyz)

    seen = np.zeros((len(_SHARES), *away.shape))
    for excess in _EXCESSES:
        luma = np.clip(limit - side * (away - excess), 0, 1)
        over = np.maximum(side * (luma - limit) + away, 0)
        wanted = lab(luma, np.ones_like(luma))
        for number, share in enumerate(_SHARES):
            kept = 1 - (1 - share) * over / np.maximum(away, 1e-6)
            moved = delta_e_2000(wanted, lab(luma - side * share * over, np.clip(kept, 0, 1)))
            seen[number] += moved / np.maximum(over, 1e-3)
    best = _SHARES[seen.argmin(axis=0)]
    wide = np.pad(best, 1, mode="edge")
    across = (wide[:-2] + 2 * wide[1:-1] + wide[2:]) / 4
    return np.asarray((across[:, :-2] + 2 * across[:, 1:-1] + across[:, 2:]) / 4)
