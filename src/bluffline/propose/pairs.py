"""Colours that become others: curves through pairs of colours, how near each pair comes, and which contradict each other."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.propose.pixels import lab_of
from bluffline.signal.difference import delta_e_2000
from bluffline.signal.format import SignalFormat
from bluffline.treat.kinds.curves import LINE, Curves
from bluffline.treat.step import Points

Colour = tuple[float, float, float]

_SAME = 1.0  # percent: levels that lie nearer each other are one point of a curve, and told where more is asked of them
_END = 8.0  # percent: a curve whose outermost point lies further from black or white keeps black or white
_IN, _OUT = (-20.0, 120.0), (-50.0, 150.0)  # percent that points may lie between


@dataclass(frozen=True, slots=True)
class Pair:
    """A colour that comes into the curves, and what it is to become: R′, G′, B′ in percent."""

    given: Colour
    wanted: Colour


@dataclass(frozen=True, slots=True)
class Paired:
    """Curves through pairs; ``rests``: CIEDE2000 left of each; ``against``: which ask for what can't be had together."""

    step: Curves
    rests: tuple[float, ...]
    against: tuple[str, ...]


def paired(pairs: Sequence[Pair], source: SignalFormat, like: Curves) -> Paired:
    """Curves of R′, G′ and B′ through pairs of colours, behind the master curve of some curves, with all else as theirs.

    A curve never falls: where pairs ask for that, or for two levels of one, it goes between them.
    """
    before = replace(like, red=LINE, green=LINE, blue=LINE)
    given, wanted = (np.array([getattr(pair, which) for pair in pairs]).reshape(-1, 3) for which in ("given", "wanted"))
    levels = before.apply(given / 100, source) * 100
    found = [_through(levels[:, n], wanted[:, n], name) for n, name in enumerate(("R′", "G′", "B′"))]
    (red, green, blue), against = (points for points, _ in found), [words for _, told in found for words in told]
    step = replace(before, red=red, green=green, blue=blue)
    made = lab_of(step.apply(given / 100, source), source)
    rests = delta_e_2000(lab_of(wanted / 100, source), made)
    return Paired(step, tuple(float(rest) for rest in rests), tuple(against))


def _through(given: NDArray[np.float64], wanted: NDArray[np.float64], name: str) -> tuple[Points, list[str]]:
    """The points of a curve, and what can't be had."""
    order = np.argsort(given, kind="stable")
    groups: list[list[int]] = []
    for place in order.tolist():
        if groups and given[place] - given[groups[-1][0]] < _SAME:
            groups[-1].append(place)
        else:
            groups.append([place])
    told = []
    for group in groups:
        low, high = min(group, key=wanted.__getitem__), max(group, key=wanted.__getitem__)
        if wanted[high] - wanted[low] > _SAME:
            first, second = sorted((low, high))
            level = figure(given[group].mean(), ".0f")
            told.append(f"pairs {first + 1} and {second + 1} want two levels of {name} for {level} %")
    for group, other in pairwise(groups):
        if wanted[other].mean() < wanted[group].mean() - _SAME:
            first, second = sorted((group[0], other[0]))
            told.append(f"pairs {first + 1} and {second + 1} want {name} to fall where it rises")
    rising = _rising([(float(given[group].mean()), float(wanted[group].mean()), len(group)) for group in groups])
    if rising and rising[0][0] > _END:
        rising.insert(0, (0.0, min(0.0, rising[0][1])))
    if rising and rising[-1][0] < 100 - _END:
        rising.append((100.0, max(100.0, rising[-1][1])))
    held = tuple((round(float(np.clip(x, *_IN)), 2), round(float(np.clip(y, *_OUT)), 2)) for x, y in rising)
    return (held if len(held) > 1 else LINE, told)


def _rising(places: Sequence[tuple[float, float, int]]) -> list[tuple[float, float]]:
    """The same levels with outputs that never fall, nearest to those wanted: neighbours that do are given their mean."""
    pools: list[tuple[float, int, list[float]]] = []
    for level, out, weight in places:
        pool = out, weight, [level]
        while pools and pools[-1][0] > pool[0]:
            value, heavy, levels = pools.pop()
            mean = (value * heavy + pool[0] * pool[1]) / (heavy + pool[1])
            pool = mean, heavy + pool[1], [*levels, *pool[2]]
        pools.append(pool)
    return [(level, out) for out, _, levels in pools for level in levels]
