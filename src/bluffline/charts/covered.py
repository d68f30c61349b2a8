"""Patches that don't look like theirs in the reference: a hand or a shadow lies on them, or they are soiled or faded."""

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

_LEAST = 9  # patches from which the others tell what one of them should look like
_UNLIKE = 0.25  # distance in R′G′B′ from what the others tell; cameras' curves and matrices stay below
_DRAWS = 300
_HOLDING = 0.7  # share of the patches that a draw should hold for


def covered(seen: Array, wanted: Array) -> NDArray[np.bool_]:
    """Which of (N, 3) patches seen, R′G′B′, are unlike the reference's, by one affine map that holds for most of them.

    Maps are drawn from a few patches each, always the same; the one that most patches are near to is taken, and fitted again to
    those. With too few patches nothing can be said, and nothing is.
    """
    count = len(seen)
    if count < _LEAST:
        return np.zeros(count, bool)
    rng = np.random.default_rng(0)
    drawn = np.array([rng.choice(count, max(count // 3, 6), replace=False) for _ in range(_DRAWS)])
    terms = np.column_stack([np.ones(count), seen])
    maps = np.linalg.pinv(terms[drawn], rcond=1e-6) @ wanted[drawn]
    off = np.linalg.norm(wanted - terms @ maps, axis=2)
    best = np.sort(off, axis=1)[:, int(count * _HOLDING)].argmin()
    unlike = off[best] > _UNLIKE
    for _ in range(3):
        fitted = np.linalg.lstsq(terms[~unlike], wanted[~unlike], rcond=None)[0]
        unlike = np.linalg.norm(wanted - terms @ fitted, axis=1) > _UNLIKE
    return np.asarray(unlike)
