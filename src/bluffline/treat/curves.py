"""Monotone curves through a few points, for signals that are never clamped."""

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.treat.code_kernels import Code
from bluffline.treat.operations import Operation
from bluffline.treat.step import Points

Float = NDArray[np.floating[Any]]
Pair = tuple[float, float]
STRAIGHT: Points = ((0.0, 0.0), (1.0, 1.0))

# Beyond its ends a curve runs on straight, at the slope that it has there, within bounds. One that a chart gives is no steeper
# or flatter than so: one bad patch at an end must not turn shadows or highlights over.
FROM_CHART, AS_IT_IS, HELD = (0.5, 2.0), (-np.inf, np.inf), (0.0, 0.0)
_LINES = 5  # figures of the lines beyond the ends


def require_rising(points: Points, what: str) -> None:
    """Refuse points that no rising curve goes through.

    Raises
    ------
    SettingsError : fewer than two points, or points that don't rise in both directions
    """
    x, y = (np.array([point[axis] for point in points]) for axis in (0, 1))
    if len(points) < 2 or not (np.diff(x) > 0).all() or not (np.diff(y) > 0).all():
        raise SettingsError(f"{what}: a curve needs at least two points, each higher than the one before.")


def follow_curve(points: Points, value: Float, beyond: Pair = FROM_CHART) -> NDArray[np.float64]:
    """The monotone cubic through ``points``, which stand from left to right, at ``value``, any shape and unclamped.

    ``beyond``: least and greatest slope of the lines beyond its ends.
    """
    x, cubics, first, last, slopes = _prepared(points, beyond)
    bounded = np.clip(value, first[0], last[0])
    piece = np.clip(np.searchsorted(x, bounded, side="right") - 1, 0, len(cubics) - 1)
    t, c = bounded - x[piece], np.moveaxis(cubics[piece], -1, 0)
    inside = c[0] + t * (c[1] + t * (c[2] + t * c[3]))
    return np.asarray(inside + np.minimum(value - first[0], 0) * slopes[0] + np.maximum(value - last[0], 0) * slopes[1])


@lru_cache(maxsize=64)
def _prepared(points: Points, beyond: Pair) -> tuple[Float, Float, Pair, Pair, Pair]:
    """Where the cubics between the points begin (N + 1,), their coefficients (N, 4), both ends, and the slopes beyond them."""
    x, y = (np.array(values, np.float64) for values in zip(*points, strict=True))
    wide = np.diff(x)
    rise = np.diff(y) / wide
    slopes = _slopes(wide, rise)
    low, high = np.clip(slopes[[0, -1]], *beyond)
    here, there = slopes[:-1], slopes[1:]
    cubics = np.stack([y[:-1], here, (3 * rise - 2 * here - there) / wide, (here + there - 2 * rise) / wide**2], axis=-1)
    return x, cubics, points[0], points[-1], (float(low), float(high))


def _slopes(wide: Float, rise: Float) -> Float:
    """The slopes at points of a curve that let it turn nowhere between them, (N + 1,) [Fritsch and Butland 1984].

    wide, rise: of the N pieces. Where the curve turns it is level; at the ends a parabola through three points gives them.
    """
    if len(wide) == 1:
        return np.repeat(rise, 2)
    before, after = wide[1:] + 2 * wide[:-1], 2 * wide[1:] + wide[:-1]
    onwards = rise[:-1] * rise[1:] > 0
    safe = np.where(onwards, rise[:-1], 1.0), np.where(onwards, rise[1:], 1.0)
    within = np.where(onwards, (before + after) / (after / safe[0] + before / safe[1]), 0.0)
    ends = [_end_slope(*wide[:2], *rise[:2]), _end_slope(*wide[:-3:-1], *rise[:-3:-1])]
    return np.array([ends[0], *within, ends[1]])


def _end_slope(wide: float, beside: float, rise: float, other: float) -> float:
    slope = ((2 * wide + beside) * rise - wide * other) / (wide + beside)
    if slope * rise <= 0:
        return 0.0
    return 3 * rise if rise * other < 0 and abs(slope) > 3 * abs(rise) else slope


def rising(x: Float, y: Float, apart: float = 1e-3) -> Points:
    """Points (N,), (N,) in any order made fit for a monotone curve: those that don't rise are averaged."""
    order = np.argsort(x)
    groups: list[list[tuple[float, float]]] = []
    for point in zip(x[order].tolist(), y[order].tolist(), strict=True):
        groups.append([point])
        while len(groups) > 1 and not _rises(groups[-2], groups[-1], apart):
            groups[-2:] = [groups[-2] + groups[-1]]
    return tuple(_middle(group) for group in groups)


def _middle(group: list[tuple[float, float]]) -> tuple[float, float]:
    x, y = np.mean(group, axis=0)
    return float(x), float(y)


def _rises(lower: list[tuple[float, float]], upper: list[tuple[float, float]], apart: float) -> bool:
    (x1, y1), (x2, y2) = _middle(lower), _middle(upper)
    return x2 - x1 > apart and y2 - y1 > apart


def curves(red: Points, green: Points, blue: Points, share: float = 1.0, beyond: Pair = FROM_CHART) -> tuple[Operation, ...]:
    """For the pass, a curve through points for each component, and so much of the way to them; none where all are straight."""
    components = red, green, blue
    if all(x == y for points in components for x, y in points):
        return ()
    return (Operation(Code.SPLINE, (), table_of(components, share, beyond)),)


def table_of(components: tuple[Points, ...], share: float = 1.0, beyond: Pair = FROM_CHART) -> NDArray[np.float64]:
    """Curves as the pass takes them, (N, figures).

    Each row holds both lines beyond the ends and then, for each cubic between two points, where it begins, how wide it is, and
    how it rises: a value is the sum of what it has passed through.
    """
    count = max(len(points) - 1 for points in components)
    table = np.zeros((len(components), _LINES + 5 * count))
    for row, points in zip(table, components, strict=True):
        x, cubics, first, last, slopes = _prepared(points, beyond)
        mixed = [1 - share + share * slope for slope in slopes]
        row[:_LINES] = first[0], first[0] + share * (first[1] - first[0]), mixed[0], last[0], mixed[1]
        pieces = row[_LINES:].reshape(count, 5)[: len(points) - 1]
        pieces[:, 0], pieces[:, 1] = x[:-1], np.diff(x)
        pieces[:, 2:] = share * cubics[:, 1:]
        pieces[:, 2] += 1 - share
    return table
