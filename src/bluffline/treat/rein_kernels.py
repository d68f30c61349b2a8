"""What luma and chroma give where R′, G′ or B′ leaves the limits, for one pixel. Functions only; see `kinds.chroma_rein`."""

import numpy as np

from bluffline.loops import free_loop
from bluffline.treat.code_kernels import CELLS, REACH

_ZERO, _HALF, _LEAST = np.float32(0), np.float32(0.5), np.float32(1e-12)
_COLUMN = 2 * (CELLS + 1)  # entries of one Cb: for every Cr what luma takes at the high and at the low limit


@free_loop
def eased(over, ease):
    """How far over a limit a value counts that is so far over it (below 0: inside); no less, and without a kink at it."""
    near = max(over + ease, _ZERO)
    soft = near * near / max(np.float32(4) * ease, _LEAST)
    return over if over >= ease else soft


@free_loop
def asked_of(y, up, under, low, high, onset):
    """How far a pixel's R′G′B′ stand beyond a limit, and the component's distance from luma, below 0 at the low limit.

    What of its chroma fits between the limits at all comes third: 1 but for colours of more than their range, and the others
    are told of what fits. y: luma; up, under: the greatest and the least of R′ − Y′, G′ − Y′, B′ − Y′; onset: as a share of 1.
    """
    fits = (high - low) / max(up - under, high - low)
    up, under, held = up * fits, under * fits, min(max(y, low), high)
    half = _HALF * (high - low - up + under)  # no pixel is eased at both limits
    above = eased(held + up - high, min(onset * up, half))
    below = eased(low - held - under, min(-onset * under, half))
    return max(above, below), up if above >= below else under, fits


@free_loop
def share_place(away, b, r):
    """Where a colour stands in a table of `giving.luma_shares`, flat: the entry before it, and how far it is on to the next."""
    most, last = np.float32(CELLS), np.float32(CELLS - 1)
    per_cell, middle = np.float32(CELLS / (2 * REACH)), np.float32(CELLS / 2)
    x, y = min(max(b * per_cell + middle, _ZERO), most), min(max(r * per_cell + middle, _ZERO), most)
    i, j = np.int32(min(x, last)), np.int32(min(y, last))
    at = np.int32(i * np.int32(_COLUMN) + j * np.int32(2) + np.int32(0 if away > _ZERO else 1))
    return at, x - np.float32(i), y - np.float32(j)


@free_loop
def share_at(shares, at, s, t):
    """What a table says at a place of `share_place`, straight between its entries."""
    here, row, column = np.uint32(at), np.uint32(_COLUMN), np.uint32(2)
    first = shares[here] + (shares[here + row] - shares[here]) * s
    second = shares[here + column] + (shares[here + row + column] - shares[here + column]) * s
    return first + (second - first) * t


@free_loop
def luma_share(shares, away, b, r):
    """The share of an excess that luma takes; away: of `asked_of`; shares: of `giving.luma_shares`, flat."""
    at, s, t = share_place(away, b, r)
    return share_at(shares, at, s, t)
