"""A treatment made ready for the frames of one format, and applied to native planes."""

import math
from collections.abc import Iterable, Sequence
from concurrent.futures import Executor
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.counted import rgb_arithmetic, rounding_allowance
from bluffline.measure.region import Region, without
from bluffline.measure.reserved import reserved_codes
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.treat import hold_kernels, pass_kernels, site_kernels
from bluffline.treat.giving import luma_shares
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.ladder import Treatment, acts, limits_alone, luma_bounds
from bluffline.treat.plan import ENDS, LumaMask, plan_for, shares_for
from bluffline.treat.step import LumaStep

# Scaling a chroma site for one pixel can push a neighbour that shares it; a second look nearly always finds none.
_REIN_ROUNDS = 8
_FIELD_ROWS = 4  # luma rows of the least band whose chroma rows belong to it alone, in fields as well

Single = NDArray[np.float32]
_NO_CHROMA: Single = np.empty((2, 0, 0), np.float32)


class FrameTreatment:
    """Applies a treatment to planes of one format. Immutable once made, so threads may share it.

    ``region``: the active picture; what lies outside it is only held within the treatment's limits. ``shrunk``: how many times
    smaller the picture is than it was, for what is told in its pixels. Codes are rounded inwards
    at a limit, and the rein keeps as far inside as rounding can carry a colour out again, so that what is written is within the
    limits to the letter.

    A ladder that looks at luma alone is computed once for every code that luma can have, which is exact; any other takes every
    pixel through the compiled pass.
    """

    def __init__(self, treatment: Treatment, source: SignalFormat, *, region: Region | None = None, shrunk: int = 1) -> None:
        self._source, self._region, self._shrunk = source, region or Region.whole(source), shrunk
        self._plan = plan_for(treatment, source, written=source.model is Model.YCBCR)
        self._ends = reserved_codes(source) if limits_alone(treatment) else 0
        self.active = acts(treatment) and not (self._plan.idle and self._ends == 0)
        self._beyond = _beyond(treatment, source, region) if self.active and region is not None else []
        self._top = (1 << source.bit_depth) - 1
        self._weights = _singles(source.matrix.luma_weights)
        ycbcr = source.model is Model.YCBCR
        self._bounds = _code_bounds(treatment, source, self._ends) if ycbcr else _rgb_bounds(treatment, source, self._ends)
        luma = self._plan.luma
        self._tables = _code_tables(luma, source, self._bounds) if luma is not None and ycbcr else None

    def apply(self, planes: Planes, frame: int = 0, pool: Executor | None = None) -> Planes:
        """Treated planes of the same format; the planes themselves where no step acts.

        Parameters
        ----------
        planes : three (H, stride) native arrays
        frame : its number in the programme, for areas that are followed
        pool : where there is one, halves of the picture are worked on at once
        """
        if not self.active:
            return planes
        treated = self._treated(planes, frame, pool)
        if not self._beyond:
            return treated
        whole = self._source.width, self._source.height
        whole_planes = [np.array(plane[:, : whole[0]]) for plane in treated]
        for part, treatment in self._beyond:
            stored = _cropped(planes, self._source, part)
            for plane, kept in zip(_cropped(whole_planes, self._source, part), treatment.apply(stored), strict=True):
                plane[:] = kept
        return whole_planes[0], whole_planes[1], whole_planes[2]

    def _treated(self, planes: Planes, frame: int, pool: Executor | None) -> Planes:
        source, plan = self._source, self._plan
        size = source.height, source.width
        if source.model is Model.RGB:
            out = np.empty((3, *size), planes[0].dtype)
            self._pass(planes, out, _NO_CHROMA, frame, pool)
            return out[0], out[1], out[2]
        luma = np.empty(size, planes[0].dtype)
        if self._tables is not None and plan.rein is None and not self._tables[1].size:
            if self._tables[2]:
                return planes
            self._by_tables(planes, luma, _NO_CHROMA, pool)
            return luma, planes[1], planes[2]
        columns, rows = source.chroma_size
        added = np.zeros((2, rows, columns), np.float32)
        if self._tables is not None:
            self._by_tables(planes, luma, added, pool)
        else:
            self._pass(planes, luma[None], added, frame, pool)
        return self._stored(planes, luma, added, pool)

    def _pass(self, planes: Planes, out: NDArray[Any], added: Single, frame: int, pool: Executor | None) -> None:
        """Every pixel through the operations."""
        source, plan = self._source, self._plan
        masks = self._masks(planes, frame)
        arithmetic, shares, coded = rgb_arithmetic(source), shares_for(source), source.model is Model.YCBCR
        bounds = _singles(self._bounds)

        def run(band: tuple[int, int]) -> None:
            pass_kernels.treat_rows(
                planes, coded, band, arithmetic, shares, self._weights, bounds, plan.packed, masks, ENDS, out, added
            )

        _in_bands(run, source, pool)

    def _by_tables(self, planes: Planes, out: NDArray[Any], added: Single, pool: Executor | None) -> None:
        """Every code of luma through its table."""
        assert self._tables is not None
        table, gains, _ = self._tables
        arithmetic, shares = rgb_arithmetic(self._source), shares_for(self._source)
        _in_bands(
            lambda band: pass_kernels.treat_luma(planes, band, arithmetic, shares, table, gains, out, added),
            self._source,
            pool,
        )

    def _masks(self, planes: Planes, frame: int) -> Single:
        """The weights of the plan's reaches on a frame, and what steps that look at neighbours add to luma: (M, H, W)."""
        source, plan = self._source, self._plan
        masks = np.ones((len(plan.reaches), source.height, source.width), np.float32)
        for number, reach in enumerate(plan.reaches):
            weights = reach.at(frame).area_weights(source.width, source.height)
            if weights is not None:
                masks[number] = weights
        for one in plan.before:
            weights = np.empty((source.height, source.width), np.float32)
            given = planes, source.model is Model.YCBCR, rgb_arithmetic(source), self._weights, one.packed, masks, ENDS
            if isinstance(one, LumaMask):
                pass_kernels.luma_rows(*given, weights)
                masks[one.mask] = one.step.added_in(weights, self._region, source, self._shrunk)
                continue
            pass_kernels.key_rows(*given, np.array(one.key.figures(source.matrix), np.float32), weights)
            weights = one.key.finished(weights)
            masks[one.mask] *= 1 - weights if one.key.inverted else weights
        return masks

    def _stored(self, planes: Planes, luma: NDArray[Any], added: Single, pool: Executor | None) -> Planes:
        """Luma, and chroma with what is added to it, reined."""
        levels, single, rein = self._source.levels, np.float32, self._plan.rein
        bounds = single(self._ends), single(self._top - self._ends)
        if rein is None:
            cb, cr = (site_kernels.add_chroma(planes[n + 1], added[n], bounds) for n in (0, 1))
            return luma, cb, cr
        zero, span = single(levels.zero), single(levels.span)
        for n in (0, 1):
            site_kernels.load_chroma(planes[n + 1], added[n], zero, single(1 / levels.span), added[n])
        self._hold(luma, added[0], added[1], rein, pool)
        cb, cr = (site_kernels.store_chroma(sites, zero, span, bounds, luma) for sites in added)
        return luma, cb, cr

    def _hold(self, luma: NDArray[Any], cb: Single, cr: Single, rein: ChromaRein, pool: Executor | None) -> None:
        """Rein the chroma sites, and luma, in place."""
        source, single = self._source, np.float32
        halved, taps, rows, (black, per_swing, _, _), gains = rgb_arithmetic(source)
        low, high = _reined(rein, source)
        limits = single(rein.low / 100), single(rein.high / 100)
        codes = black, single(source.levels.swing), per_swing
        giving, onset = (limits, low - limits[0], self._bounds), single(rein.onset / 100)
        shares = luma_shares(source.matrix, source.transfer, source.primaries).ravel()
        size = source.width, luma.shape[0]
        if not source.halved[1]:

            def run(band: tuple[int, int]) -> None:
                rows = slice(*band)
                hold_kernels.rein_rows(
                    luma[rows], cb[rows], cr[rows], source.width, halved, taps, codes, gains, (low, high), onset, shares,
                    _REIN_ROUNDS, giving,
                )  # fmt: skip

            _in_bands(run, source, pool)
            return
        of_picture = luma, cb, cr, size, halved, taps, rows, codes, gains, (low, high)
        taken, gives = hold_kernels.take_chroma(*of_picture, onset, shares, giving)
        if not gives.any():
            return
        cb *= 1 - taken
        cr *= 1 - taken
        for _ in range(_REIN_ROUNDS):
            scale = np.ones_like(cb)
            if not hold_kernels.rein_scale(*of_picture, giving, gives, scale):
                return
            gives[:] = False
            cb *= scale
            cr *= scale


def reach_weights(treatment: Treatment, rung: int, source: SignalFormat, planes: Planes, frame: int = 0) -> Single:
    """(H, W) weights of a rung's reach on a frame of its shot: what comes into it is what the rungs before it leave."""
    size = source.height, source.width
    reach = treatment[rung].reach
    weights = reach.at(frame).area_weights(source.width, source.height)
    whole = np.ones(size, np.float32) if weights is None else weights.copy()
    if reach.key is not None:
        before = FrameTreatment(treatment[:rung], source).apply(planes, frame)
        keyed, nothing = np.empty(size, np.float32), plan_for((), source)
        pass_kernels.key_rows(
            before, source.model is Model.YCBCR, rgb_arithmetic(source), _singles(source.matrix.luma_weights), nothing.packed,
            np.empty((0, *size), np.float32), ENDS, np.array(reach.key.figures(source.matrix), np.float32), keyed,
        )  # fmt: skip
        keyed = reach.key.finished(keyed)
        whole *= 1 - keyed if reach.key.inverted else keyed
    return whole


def greyed(planes: Planes, weights: Single, source: SignalFormat) -> Planes:
    """A picture without colour where weights (H, W) are 0: what shows a reach."""
    if source.model is Model.RGB:
        luma = sum(plane[:, : source.width] * weight for plane, weight in zip(planes, source.matrix.luma_weights, strict=True))
        red, green, blue = (np.rint(luma + (plane[:, : source.width] - luma) * weights).astype(plane.dtype) for plane in planes)
        return red, green, blue
    columns, rows = source.chroma_size
    sites, zero = weights[source.rows_of_sites, :: 1 + source.halved[0]], source.levels.zero
    cb, cr = (
        np.rint(zero + (plane[:rows, :columns].astype(np.float32) - zero) * sites).astype(plane.dtype) for plane in planes[1:]
    )
    return planes[0], cb, cr


def _in_bands(run: Any, source: SignalFormat, pool: Executor | None) -> None:
    """Do it for the whole picture, or for its halves at once where no chroma row belongs to both."""
    height = source.height
    middle = height // 2 // _FIELD_ROWS * _FIELD_ROWS
    shared = source.halved[1] and source.siting.below != 0.5
    if pool is None or shared or middle == 0:
        run((0, height))
        return
    upper = pool.submit(run, (0, middle))
    run((middle, height))
    upper.result()


def _code_tables(steps: Sequence[LumaStep], source: SignalFormat, bounds: tuple[int, int]) -> tuple[NDArray[Any], Single, bool]:
    """The code that each luma code becomes, the gain of chroma at each (none where it is left alone), and whether luma is."""
    levels, top = source.levels, (1 << source.bit_depth) - 1
    codes = np.arange(top + 1, dtype=np.float64)
    luma: NDArray[np.floating[Any]] = (codes - levels.black) / levels.swing * 100
    gain: NDArray[np.floating[Any]] = np.ones(top + 1)
    for step in steps:
        luma, own = step.luma(luma, source)
        gain = gain * own
    treated = np.clip(np.rint(levels.black + luma / 100 * levels.swing), *bounds)
    gains = np.zeros(0) if (gain == 1).all() else gain
    dtype = np.uint8 if source.bit_depth == 8 else np.uint16
    return treated.astype(dtype), gains.astype(np.float32), bool((treated == codes).all())


def _reined(rein: ChromaRein, source: SignalFormat) -> tuple[np.float32, np.float32]:
    """A rein's limits, 0 … 1, less what rounding to codes can add."""
    room = rounding_allowance(source)
    if rein.high - rein.low < 4 * 100 * room:
        room = 0.0
    return np.float32(rein.low / 100 + room), np.float32(rein.high / 100 - room)


def _code_bounds(treatment: Treatment, source: SignalFormat, ends: int) -> tuple[int, int]:
    """The least and greatest luma code that a treatment leaves: inside its limits, and none of so many at either end."""
    levels = source.levels
    low, high = luma_bounds(treatment)
    top = (1 << source.bit_depth) - 1
    least = ends if low == -np.inf else max(ends, math.ceil(levels.code(low)))
    greatest = top - ends if high == np.inf else min(top - ends, math.floor(levels.code(high)))
    return min(least, top), max(min(greatest, top), min(least, top))


def _rgb_bounds(treatment: Treatment, source: SignalFormat, ends: int) -> tuple[int, int]:
    """The least and greatest code of R′, G′ and B′ that is stored: inside the rein's limits, none of so many at the ends."""
    levels, top = source.levels, (1 << source.bit_depth) - 1
    reins = [step for step in limits_alone(treatment) if isinstance(step, ChromaRein) and step.holds]
    low = max((math.ceil(levels.code(rein.low)) for rein in reins), default=0)
    high = min((math.floor(levels.code(rein.high)) for rein in reins), default=top)
    return max(ends, low), min(top - ends, high)


def _beyond(treatment: Treatment, source: SignalFormat, region: Region) -> list[tuple[Region, "FrameTreatment"]]:
    """The parts outside the active picture, and what holds each within the limits."""
    whole = Region.whole(source)
    if region == whole:
        return []
    hard = limits_alone(treatment)
    parts = [part for part in without(whole, [region]) if part != region]
    return [(part, FrameTreatment(hard, replace(source, width=part.width, height=part.height))) for part in parts]


def _cropped(planes: Sequence[NDArray[Any]], source: SignalFormat, part: Region) -> Planes:
    """Native planes of a part of the picture; its edges are even."""
    left, right, top, bottom = part.edges
    cut = [planes[0][top:bottom, left:right]]
    across, down = (2 if halved else 1 for halved in source.halved)
    cut += [plane[top // down : -(-bottom // down), left // across : -(-right // across)] for plane in planes[1:]]
    return cut[0], cut[1], cut[2]


def _singles(values: Iterable[float]) -> tuple[np.float32, ...]:
    return tuple(np.float32(value) for value in values)
