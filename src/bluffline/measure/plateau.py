"""Flat tops and flat bottoms: where a picture's detail ends in a pile-up of equal, touching pixels.

A clipped highlight keeps its flat top however far a later operator has pulled it down, so the search is made at the
frame's own extreme, not at a fixed level. A smooth gradient has as many pixels just inside its extreme as at it; a
clipped one has many times more at it. A caption or a bar is flat as well, but its borders are hard and it is drawn in
thin strokes or straight lines; what was lost there was never detail.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import survey_kernels as kernels
from bluffline.signal.levels import Levels

# Half the height of the window that holds a plateau, in percent. What a camera clips is flat to the code, and coding
# keeps it so; lettering, whose strokes are all edge, is spread wider by the codec's ringing.
_HALF_WINDOW, _HALF_WINDOW_LETTERING = 0.4, 1.5
# How much fuller the plateau must be than the mean of the four windows inside it. The ridge of a smooth cylinder,
# whose density falls with the root of the distance, reaches 3.2.
_PILE_UP = 6.0
_INNER_WINDOWS = 4
# Stray pixels beyond the plateau: ringing of the codec, up to this share of the picture.
_STRAY = 0.0005
_LEAST_SHARE = 0.001
_LEAST_CONTRAST = 5.0  # percent between the 0.1 and 99.9 percentiles: below, the frame is one flat tone
_LEAST_TOUCHING = 0.75
_REACH = 4
_HARD_JUMP = 12.0  # percent, within _REACH pixels
_HARD_SHARE = 0.75
_THIN = 0.04  # mean run of a stroke, as a share of the picture's width
_STRAIGHT_SHARE = 0.6


@dataclass(frozen=True, slots=True)
class Plateau:
    """A pile-up at a frame's extreme: its level and area in percent; ``graphic`` where it looks drawn, not filmed."""

    level: float
    area: float
    graphic: bool


NO_PLATEAU = Plateau(0.0, 0.0, False)


def row_step(height: int) -> int:
    """Every how many lines a picture is looked at where some 270 of them tell as much as all."""
    return max(height // 270, 1)


def find_plateau(
    luma: NDArray[Any], histogram: NDArray[np.int64], levels: Levels, parts: Sequence[tuple[int, int, int, int]], *, top: bool
) -> Plateau:
    """The flat top (or bottom) of a frame's luma, or `NO_PLATEAU`.

    Parameters
    ----------
    luma : (rows, stride) native codes
    histogram : (2**depth,) pixel counts of the region
    parts : left, right, top, bottom of the rectangles that make up the active picture
    """
    return (
        _plateau(luma, histogram, levels, parts, top=top, lettering=False)
        or _plateau(luma, histogram, levels, parts, top=top, lettering=True)
        or NO_PLATEAU
    )


def _plateau(
    luma: NDArray[Any], histogram: NDArray[np.int64], levels: Levels, parts: Sequence[tuple[int, int, int, int]], *, top: bool,
    lettering: bool,
) -> Plateau | None:  # fmt: skip
    half = max(1, round((_HALF_WINDOW_LETTERING if lettering else _HALF_WINDOW) / 100 * levels.swing))
    inwards = histogram if top else histogram[::-1].copy()
    contrast = _LEAST_CONTRAST / 100 * levels.swing
    low, high = kernels.pile_up(inwards, half, _STRAY, contrast, _LEAST_SHARE, _PILE_UP, _INNER_WINDOWS)
    if low > high:
        return None
    low, high = (low, high) if top else (len(histogram) - 1 - high, len(histogram) - 1 - low)
    unlike = 2 * half if lettering else len(histogram) >> 11  # nothing up to 10 bits; noise of the last bits above
    jump = round(_HARD_JUMP / 100 * levels.swing)
    lefts, rights, tops, bottoms = zip(*parts, strict=True)
    step = row_step(max(bottoms) - min(tops))
    shapes = [kernels.plateau_shape(luma, *edges, step, low, high, unlike, _REACH, jump) for edges in parts]
    within, touching, ends, hard, straight = (sum(values) for values in zip(*shapes, strict=True))
    if touching <= _LEAST_TOUCHING * within:
        return None
    thin = 2 * within / max(ends, 1) < _THIN * (max(rights) - min(lefts))
    strokes = thin and hard > _HARD_SHARE * ends
    if lettering and not strokes:
        return None
    inside = int(histogram[low : high + 1].sum())
    level = float(histogram[low : high + 1] @ np.arange(low, high + 1)) / inside
    area = 100.0 * inside / int(histogram.sum())
    return Plateau(levels.percent(level), area, bool(strokes or straight > _STRAIGHT_SHARE * ends))
