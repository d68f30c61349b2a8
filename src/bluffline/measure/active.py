"""The active picture: what is left when letterbox, pillarbox and blanking are taken away."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.frame_measure import Region
from bluffline.signal.format import Model, SignalFormat

_BLACK = 2.5  # percent of luma that blanking may reach, with its coding noise
_FLAT = 1.2  # percent of spread (standard deviation) within a line of blanking
_BLANKING = 0.02  # share of the picture that one side's blanking may take
_EVEN = 0.02  # how unequal two facing bars may be, as a share of the picture
_LEAST = 0.4  # share of width or height that the picture itself must keep


def find_active_picture(pictures: Iterable[tuple[NDArray[Any], ...]], source: SignalFormat) -> Region:
    """Find black borders that are there in every one of several frames.

    Parameters
    ----------
    pictures : planes of frames from all over the programme, each (rows, stride) native codes

    Returns
    -------
    Region : even edges; the whole picture where no border is certain. Facing bars must be equal, and a border on one
    side alone no wider than blanking is, so that a dark scene is not taken for a box.
    """
    empty_rows = np.ones(source.height, bool)
    empty_columns = np.ones(source.width, bool)
    for planes in pictures:
        # Of an R′G′B′ picture the green plane serves: black is black in all three.
        luma = planes[1 if source.model is Model.RGB else 0][: source.height, : source.width]
        rows, columns = _blank(luma, source, 1), _blank(luma, source, 0)
        if rows.all():
            continue  # an all-black frame says nothing about borders
        empty_rows &= rows
        empty_columns &= columns
    if empty_rows.all():
        return Region.whole(source)
    top, bottom = _border(empty_rows)
    left, right = _border(empty_columns)
    if not (top or bottom or left or right):
        return Region.whole(source)
    boxed_down, boxed_across = top + bottom > 0, left + right > 0
    if boxed_down and boxed_across and _same_shape(source, (left + right), (top + bottom)):
        return Region.whole(source)
    left, top = left + left % 2, top + top % 2
    return Region(left, top, (source.width - right - left) // 2 * 2, (source.height - bottom - top) // 2 * 2)


def _blank(luma: NDArray[Any], source: SignalFormat, axis: int) -> NDArray[np.bool_]:
    levels = source.levels
    step = luma[:, ::4] if axis == 1 else luma[::4]
    ceiling = levels.code(_BLACK)
    return np.asarray((step.mean(axis=axis) < ceiling) & (step.std(axis=axis) < _FLAT / 100 * levels.swing))


def _border(empty: NDArray[np.bool_]) -> tuple[int, int]:
    """Empty lines at the start and the end that are certain to be a border."""
    filled = np.flatnonzero(~empty)
    size = len(empty)
    before, after = int(filled[0]), int(size - 1 - filled[-1])
    facing = abs(before - after) <= _EVEN * size and size - before - after >= _LEAST * size
    if facing:
        return before, after
    return (before if before <= _BLANKING * size else 0), (after if after <= _BLANKING * size else 0)


def _same_shape(source: SignalFormat, across: int, down: int) -> bool:
    """Bars on all four sides that leave the frame's own shape: more likely a small object on black than a picture."""
    wide, high = across / source.width, down / source.height
    return max(wide, high) > 2 * _BLANKING and abs(wide - high) < _EVEN
