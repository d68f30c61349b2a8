"""The active picture: what is left when letterbox, pillarbox and blanking are taken away."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.blanking import BLACK_FRAME, blank_edges
from bluffline.measure.region import Region
from bluffline.signal.format import Model, SignalFormat

_BLANKING = 0.02  # share of the picture that one side's blanking may take
_EVEN = 0.02  # how unequal two facing bars may be, as a share of the picture
_LEAST = 0.4  # share of width or height that the picture itself must keep
_ALIKE = 4  # samples by which edges of the same picture may differ from frame to frame
_USUAL = 0.5  # share of the frames that have to agree

Edges = tuple[int, int, int, int]  # rows of blanking at the top and bottom, columns at the left and right


def find_active_picture(pictures: Iterable[tuple[NDArray[Any], ...]], source: SignalFormat) -> Region:
    """Find the black borders that most of several frames have, or else those that are there in every one.

    Parameters
    ----------
    pictures : planes of frames from all over the programme, each (rows, stride) native codes

    Returns
    -------
    Region : see `certain_region`. A frame that is black throughout says nothing about borders.
    """
    found: list[Edges] = []
    for planes in pictures:
        # Of an R′G′B′ picture the green plane serves: black is black in all three.
        luma = planes[1 if source.model is Model.RGB else 0]
        if (edges := blank_edges(luma, source)) != BLACK_FRAME:
            found.append(edges)
    return usual_region(np.array(found).reshape(-1, 4), source)


def usual_region(edges: NDArray[np.integer[Any]], source: SignalFormat) -> Region:
    """The active picture that (N, 4) edges of frames speak for: that of most of them, else what no frame of them leaves."""
    if len(edges) == 0:
        return Region.whole(source)
    if (edges == edges[0]).all():  # as nearly always, so that it is worth its own way
        rows, counts = edges[:1], np.array([len(edges)])
    else:
        rows, counts = np.unique(edges, axis=0, return_counts=True)
    found = [
        (certain_region((int(top), int(bottom), int(left), int(right)), source), int(count))
        for (top, bottom, left, right), count in zip(rows, counts, strict=True)
    ]
    votes = {region: sum(n for other, n in found if same_picture(other, region)) for region, _ in found}
    region = max(votes, key=lambda region: votes[region])
    if votes[region] > _USUAL * len(edges):
        return region
    top, bottom, left, right = (int(edge) for edge in edges.min(axis=0))
    return certain_region((top, bottom, left, right), source)


def certain_region(edges: Edges, source: SignalFormat) -> Region:
    """What blanking leaves where it is certain to be that.

    Returns
    -------
    Region : even edges; the whole picture where no border is certain. Facing bars must be equal, and a border on one
    side alone no wider than blanking is, so that a dark scene is not taken for a box.
    """
    top, bottom = _border(edges[0], edges[1], source.height)
    left, right = _border(edges[2], edges[3], source.width)
    if not (top or bottom or left or right):
        return Region.whole(source)
    boxed_down, boxed_across = top + bottom > 0, left + right > 0
    if boxed_down and boxed_across and _same_shape(source, (left + right), (top + bottom)):
        return Region.whole(source)
    left, top = left + left % 2, top + top % 2
    return Region(left, top, (source.width - right - left) // 2 * 2, (source.height - bottom - top) // 2 * 2)


def same_picture(one: Region, other: Region) -> bool:
    """Whether two regions are the same picture, but for a few samples at its edges."""
    return all(abs(a - b) <= _ALIKE for a, b in zip(one.edges, other.edges, strict=True))


def _border(before: int, after: int, size: int) -> tuple[int, int]:
    """Empty lines at the start and the end that are certain to be a border."""
    facing = abs(before - after) <= _EVEN * size and size - before - after >= _LEAST * size
    if facing:
        return before, after
    return (before if before <= _BLANKING * size else 0), (after if after <= _BLANKING * size else 0)


def _same_shape(source: SignalFormat, across: int, down: int) -> bool:
    """Bars on all four sides that leave the frame's own shape: more likely a small object on black than a picture."""
    wide, high = across / source.width, down / source.height
    return max(wide, high) > 2 * _BLANKING and abs(wide - high) < _EVEN
