"""Frames that are not there: when they would be shown, in a programme whose times leave gaps."""

import numpy as np
from numpy.typing import NDArray

_ON_GRID = 0.98  # share of steps that have to be whole multiples of one step before gaps are called lost frames
_OFF = 0.05  # of a step that one may lie off the grid …
_TICK = 1.01  # … or ticks: clocks are coarse
_SLOWER = 8  # equal steps in a row that are a slower rate and no lost frames
_LEAST = 0.05  # share of steps that the least one must have, not to be a stray
_MOST = 100_000  # lost frames that are given places; a gap beyond that is a clock that jumped


def lost_times(times: NDArray[np.int64]) -> NDArray[np.int64]:
    """Presentation times of frames that were lost between those that are there.

    A rate that varies is another matter: steps that are no multiples of one, that change for a while, or that take turns as
    in 2:3 pulldown.

    Parameters
    ----------
    times : (N,) in order, ticks

    Returns
    -------
    (M,) int64 times in order, none where no frame was lost
    """
    none = np.zeros(0, np.int64)
    steps = np.diff(times)
    if len(steps) < 2 or (steps <= 0).any():
        return none
    unit = _unit(steps)
    if unit is None:
        return none
    counts = np.rint(steps / unit).astype(np.int64)
    on_grid = np.abs(steps - counts * unit) <= max(_TICK, _OFF * unit)
    if on_grid.mean() < _ON_GRID:
        return none
    gaps = (counts > 1) & on_grid & ~_slower(counts)
    if not gaps.any() or (counts[gaps] - 1).sum() > min(_MOST, 10 * len(times)):
        return none
    made = [
        np.rint(times[n] + steps[n] * np.arange(1, counts[n]) / counts[n]).astype(np.int64) for n in np.flatnonzero(gaps)
    ]
    return np.concatenate(made)


def _unit(steps: NDArray[np.int64]) -> float | None:
    """The least step that is no stray, as exactly as its multiples tell it; None where there is none."""
    ordered = np.sort(steps)
    least = float(ordered[int(_LEAST * (len(ordered) - 1))])
    near = steps[np.abs(steps - least) <= max(_TICK, _OFF * least)]
    unit = float(near.mean())
    for _ in range(2):
        counts = np.maximum(np.rint(steps / unit), 1)
        fits = np.abs(steps - counts * unit) <= max(_TICK, _OFF * unit)
        if not fits.any():
            return None
        unit = float(steps[fits].sum() / counts[fits].sum())
    return unit if unit > 0 else None


def _slower(counts: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which steps belong to a run of equal ones, long enough to be a rate of its own."""
    edges = np.flatnonzero(np.diff(counts)) + 1
    starts, ends = np.concatenate([[0], edges]), np.concatenate([edges, [len(counts)]])
    lengths = ends - starts
    return np.repeat(lengths >= _SLOWER, lengths)
