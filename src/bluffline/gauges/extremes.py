"""The extremes of many frames side by side, as one silhouette."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from bluffline.gauges import trace_kernels as kernels
from bluffline.measure.counted import Limits

Columns = Mapping[str, NDArray[np.float64]]
_TAKEN = ("y_min", "y_max", "rgb_min", "rgb_max")


def draw_extremes(
    image: NDArray[np.uint8],
    columns: tuple[Columns, Columns],
    frames: tuple[float, float],
    percent: tuple[float, float],
    limits: Limits,
) -> bool:
    """Draw luma's and R′G′B′'s extremes of a span of frames into an image, what lies outside limits hatched.

    Parameters
    ----------
    image : (H, W), changed
    columns : of the source and of what the treatments make of it: (N,) each, percent
    frames : from where to where the image shows them
    percent : at its foot and its top

    Returns
    -------
    Whether any of these frames has been measured; else nothing is drawn.
    """
    height, width = image.shape
    first = (frames[0] + np.arange(width) * (frames[1] - frames[0]) / width).astype(np.int64)
    taken = first[first < len(columns[0].get("y_max", ()))]
    if not len(taken):
        return False
    span = max(int(np.ceil((frames[1] - frames[0]) / width)), 1)
    kernels.silhouette(  # type: ignore[call-arg]  # a kernel's own arguments are not declared to the type checker
        *(_extremes(each, taken, span) for each in columns),
        np.linspace(percent[1], percent[0], height), np.array([*limits.luma, *limits.rgb]), image,
    )  # fmt: skip
    return True


def _extremes(columns: Columns, first: NDArray[np.int64], span: int) -> NDArray[np.float64]:
    """(4, W) luma low and high, R′G′B′ low and high over ``span`` frames from each of ``first``, which rise."""
    if span == 1:
        return np.stack([columns[name][first] for name in _TAKEN])
    end = min(int(first[-1]) + span, len(columns["y_max"]))
    return np.stack([
        (np.minimum if name.endswith("min") else np.maximum).reduceat(columns[name][:end], first) for name in _TAKEN
    ])  # fmt: skip
