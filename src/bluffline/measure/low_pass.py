"""The low-pass filter that some stations judge after: 1-2-1 across and down, at luma's sites."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.convert import upsample
from bluffline.signal.format import Model, Planes, SignalFormat

FINER = 16  # what comes out is in sixteenths of a code: the filter's weights add up to so many


def low_passed(planes: Planes, source: SignalFormat) -> Planes:
    """Native planes after the filter, chroma first brought to luma's sites.

    Returns
    -------
    three (H, W) uint32 in sixteenths of a code, exact where nothing had to be interpolated. Edges are held; rows of an
    interlaced picture are filtered within their field.
    """
    height, width = source.height, source.width
    columns, rows = source.chroma_size
    chroma = [plane[:rows, :columns] for plane in planes[1:]]
    if source.model is Model.YCBCR:
        chroma = [upsample(plane, source) for plane in chroma]
    first, second, third = (_filtered(plane[:height, :width], 2 if source.interlaced else 1) for plane in (planes[0], *chroma))
    return first, second, third


def _filtered(plane: NDArray[Any], step: int) -> NDArray[np.uint32]:
    wide = np.pad(plane.astype(np.float64), ((step, step), (1, 1)), mode="edge")
    if step == 2 and plane.shape[0] > 1:
        wide[:2], wide[-2:] = wide[2:4], wide[-4:-2]  # each field's own edge
    across = wide[:, :-2] + 2 * wide[:, 1:-1] + wide[:, 2:]
    down = across[: -2 * step] + 2 * across[step:-step] + across[2 * step :]
    return np.rint(down).astype(np.uint32)
