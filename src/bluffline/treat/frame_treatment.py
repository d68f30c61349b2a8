"""A treatment made ready for the frames of one format, and applied to native planes."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.counted import rgb_arithmetic, rounding_allowance
from bluffline.measure.region import Region, without
from bluffline.measure.reserved import reserved_codes
from bluffline.signal.convert import downsample_columns, upsample
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat import treat_kernels as kernels
from bluffline.treat.bake import bake_cube
from bluffline.treat.colour import Lut
from bluffline.treat.steps import (
    GIVE,
    ChromaRein,
    Treatment,
    acts,
    apply_to_colours,
    colours_of,
    limits_alone,
    luma_bounds,
    rein_of,
    tone_curve,
)

# Scaling a chroma site for one pixel can push a neighbour that shares it; a second look nearly always finds none.
_REIN_ROUNDS = 4
_RGB_TABLE = (-0.25, 1.5, 1 << 14)  # luma from, luma to, entries


class FrameTreatment:
    """Applies a treatment to planes of one format. Immutable once made, so threads may share it.

    ``region``: the active picture; what lies outside it is only held within the treatment's limits. Codes are rounded inwards
    at a limit, and the rein keeps as far inside as rounding can carry a colour out again, so that what is written is within the
    limits to the letter.

    Tone steps are computed once for every code that luma can have, which is exact; the rein looks at every pixel. Where
    there are steps that look at all of a colour, every pixel goes through all steps; as a ``draft``, through a table of
    them, which is fast enough to be watched (see `bake.bake_cube`).
    """

    def __init__(
        self, treatment: Treatment, source: SignalFormat, *, region: Region | None = None, draft: bool = False
    ) -> None:
        self.active = acts(treatment)
        self._source = source
        levels = source.levels
        self._beyond = _beyond(treatment, source, region) if self.active and region is not None else []
        self._top = (1 << source.bit_depth) - 1
        dtype = np.uint8 if source.bit_depth == 8 else np.uint16
        codes = np.arange(self._top + 1, dtype=np.float64)
        luma, gain = tone_curve(treatment, (codes - levels.black) / levels.swing * 100)
        treated = np.rint(levels.black + luma / 100 * levels.swing)
        self._ends = reserved_codes(source) if limits_alone(treatment) else 0
        self._bounds = _code_bounds(treatment, source, self._ends)
        self._luma_table = np.clip(treated, *self._bounds).astype(dtype)
        self._gain_table = gain.astype(np.float32)
        self._keeps_luma = bool((self._luma_table == codes).all())
        self._keeps_chroma = bool((gain == 1).all())
        self._rein = rein_of(treatment)
        coloured = bool(colours_of(treatment))
        self._fine_table = _fine_table(() if coloured else treatment) if source.model is Model.RGB else None
        self._cube = bake_cube(treatment, source) if coloured and draft else None
        self._chain = treatment if coloured and not draft else None

    def apply(self, planes: Planes) -> Planes:
        """Treated planes of the same format; the planes themselves where no step acts.

        Parameters
        ----------
        planes : three (rows, stride) native arrays; a band of whole rows will do where chroma rows are not halved
        """
        if not self.active:
            return planes
        treated = self._treated(planes)
        if not self._beyond:
            return treated
        whole = self._source.width, self._source.height
        whole_planes = [np.array(plane[:, : whole[0]]) for plane in treated]
        for part, treatment in self._beyond:
            stored = _cropped(planes, self._source, part)
            for plane, kept in zip(_cropped(whole_planes, self._source, part), treatment.apply(stored), strict=True):
                plane[:] = kept
        return whole_planes[0], whole_planes[1], whole_planes[2]

    def _treated(self, planes: Planes) -> Planes:
        source, single = self._source, np.float32
        if source.model is Model.RGB:
            planes = self._coloured_rgb(planes) if self._cube or self._chain else planes
            return self._apply_rgb(planes)
        if self._cube or self._chain:
            return self._coloured(planes)
        levels, width = source.levels, source.width
        luma = planes[0] if self._keeps_luma else kernels.map_codes(planes[0], width, self._luma_table)
        if self._keeps_chroma and self._rein is None:
            return luma, planes[1], planes[2]
        columns, _ = source.chroma_size
        zero, per_span = single(levels.zero), single(1 / levels.span)
        cb, cr = (kernels.load_chroma(plane, columns, zero, per_span) for plane in planes[1:])
        if not self._keeps_chroma:
            across, down = (2 if halved else 1 for halved in source.halved)
            kernels.scale_by_luma(planes[0], width, across, down, self._gain_table, cb, cr)
        changed = not self._keeps_chroma
        if self._rein is not None:
            luma = np.array(luma[:, :width]) if luma is planes[0] else luma
            changed |= self._hold(luma, cb, cr)
        if not changed:
            return luma, planes[1], planes[2]
        return self._stored(luma, cb, cr)

    def _stored(self, luma: NDArray[Any], cb: NDArray[np.float32], cr: NDArray[np.float32]) -> Planes:
        levels, single = self._source.levels, np.float32
        zero, span = single(levels.zero), single(levels.span)
        bounds = single(self._ends), single(self._top - self._ends)
        stored = (kernels.store_chroma(sites, zero, span, bounds, luma) for sites in (cb, cr))
        return luma, next(stored), next(stored)

    def _coloured(self, planes: Planes) -> Planes:
        """Every pixel through all steps. Chroma sites take what their pixels change by, so colours left alone stay exact."""
        source, single = self._source, np.float32
        levels, height = source.levels, planes[0].shape[0]
        columns, _ = source.chroma_size
        cb, cr = (kernels.load_chroma(p, columns, single(levels.zero), single(1 / levels.span)) for p in planes[1:])
        luma = np.empty((height, source.width), planes[0].dtype)
        if self._cube is not None:
            halved, taps, rows, _, gains = rgb_arithmetic(source)
            added = kernels.cube_ycbcr(
                planes[0],
                cb,
                cr,
                (source.width, height),
                halved,
                taps,
                rows,
                self._codes,
                gains,
                _singles(source.matrix.luma_weights),
                *_spread(self._cube),
                luma,
            )
            np.clip(luma, *self._bounds, out=luma)
        else:
            assert self._chain is not None
            fine = [upsample(sites, source) for sites in (cb, cr)]
            signal = (planes[0][:, : source.width].astype(np.float64) - levels.black) / levels.swing
            rgb = ycbcr_to_rgb(np.stack([signal, *fine], axis=-1), source.matrix)
            treated = rgb_to_ycbcr(apply_to_colours(self._chain, rgb, source.matrix.luma_weights), source.matrix)
            luma[:] = np.clip(np.rint(treated[..., 0] * levels.swing + levels.black), *self._bounds)
            added = np.stack([downsample_columns(treated[..., n + 1] - fine[n], source) for n in (0, 1)])
        if source.halved[1]:
            below = np.concatenate([added[:, 1:], added[:, -1:]], axis=1)
            added = (added[:, ::2] + below[:, ::2]) / 2
        cb += added[0]
        cr += added[1]
        if self._rein is not None:
            self._hold(luma, cb, cr)
        return self._stored(luma, cb, cr)

    def _coloured_rgb(self, planes: Planes) -> Planes:
        """Every pixel of an R′G′B′ picture through all steps but the rein."""
        source, levels = self._source, self._source.levels
        if self._cube is not None:
            treated = kernels.cube_rgb(*planes, source.width, self._codes, *_spread(self._cube))
        else:
            assert self._chain is not None
            codes = np.stack([plane[:, : source.width] for plane in planes], axis=-1).astype(np.float64)
            rgb = apply_to_colours(self._chain, (codes - levels.black) / levels.swing, source.matrix.luma_weights)
            stored = np.clip(np.rint(rgb * levels.swing + levels.black), 0, self._top)
            treated = np.moveaxis(stored, -1, 0).astype(planes[0].dtype)
        return treated[0], treated[1], treated[2]

    @property
    def _codes(self) -> tuple[np.float32, ...]:
        levels = self._source.levels
        return _singles((levels.black, levels.swing, self._top))

    def _hold(self, luma: NDArray[Any], cb: NDArray[np.float32], cr: NDArray[np.float32]) -> bool:
        """Rein the chroma sites in place; whether any was."""
        assert self._rein is not None
        source, single = self._source, np.float32
        halved, taps, rows, (black, per_swing, _, _), gains = rgb_arithmetic(source)
        picture = luma, cb, cr, (source.width, luma.shape[0]), halved, taps, rows
        knee = 1 - self._rein.onset / 100
        low, high = self._reined
        limits = single(self._rein.low / 100), single(self._rein.high / 100)
        codes = black, single(source.levels.swing)
        kernels.give_way(*picture, codes, gains, limits, low - limits[0], single(GIVE / 100), self._bounds)
        busy = np.ones(luma.shape[0], np.bool_)
        for turn in range(_REIN_ROUNDS):
            scale = np.ones_like(cb)
            reined = kernels.rein_scale(*picture, (black, per_swing), gains, (low, high), single(knee), scale, busy)
            if not reined:
                return turn > 0
            cb *= scale
            cr *= scale
            if source.halved[1]:
                busy[:] = True  # chroma rows are shared, so a neighbour that was quiet may not be so any more
            knee = 1 + 1e-4  # the onset is spent; what is looked for now is only what is still illegal
        return True

    @property
    def _reined(self) -> tuple[np.float32, np.float32]:
        """The rein's limits, 0 … 1, less what rounding to codes can add."""
        assert self._rein is not None
        room = rounding_allowance(self._source)
        if self._rein.high - self._rein.low < 4 * 100 * room:
            room = 0.0
        return np.float32(self._rein.low / 100 + room), np.float32(self._rein.high / 100 - room)

    def _apply_rgb(self, planes: Planes) -> Planes:
        source, single = self._source, np.float32
        levels, rein = source.levels, self._rein
        start, stop, entries = _RGB_TABLE
        treated = kernels.treat_rgb(
            *planes,
            source.width,
            planes[0].shape[0],
            _singles(source.matrix.luma_weights),
            (single(levels.black), single(levels.swing)),
            self._fine_table,
            single(start),
            single((stop - start) / (entries - 1)),
            rein is not None,
            (single(rein.low / 100), single(rein.high / 100)) if rein else (single(0), single(1)),
            single(1 - rein.onset / 100) if rein else single(1),
            single(GIVE / 100),
            _rgb_bounds(rein, source, self._ends),
        )
        return treated[0], treated[1], treated[2]


def _code_bounds(treatment: Treatment, source: SignalFormat, ends: int) -> tuple[int, int]:
    """The least and greatest luma code that a treatment leaves: inside its limits, and none of so many at either end."""
    levels = source.levels
    low, high = luma_bounds(treatment)
    top = (1 << source.bit_depth) - 1
    least = ends if low == -np.inf else max(ends, math.ceil(levels.code(low)))
    greatest = top - ends if high == np.inf else min(top - ends, math.floor(levels.code(high)))
    return min(least, top), max(min(greatest, top), min(least, top))


def _rgb_bounds(rein: ChromaRein | None, source: SignalFormat, ends: int) -> tuple[np.float32, np.float32]:
    """The least and greatest code of R′, G′ and B′ that is stored: inside the rein's limits, none of so many at the ends."""
    levels, top = source.levels, (1 << source.bit_depth) - 1
    low = math.ceil(levels.code(rein.low)) if rein else 0
    high = math.floor(levels.code(rein.high)) if rein else top
    return np.float32(max(ends, low)), np.float32(min(top - ends, high))


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


def _spread(cube: Lut) -> tuple[NDArray[np.float32], tuple[np.float32, ...]]:
    """A cube's table (size³, 3), and for the kernels where it begins and how many entries there are in one unit of R′G′B′."""
    return cube.table.reshape(-1, 3), _singles((cube.low, (cube.size - 1) / (cube.high - cube.low)))


def _fine_table(treatment: Treatment) -> NDArray[np.float32]:
    """(N, 2) treated luma, 0 … 1, and gain of chroma, for the luma of R′G′B′ pixels, which is no code."""
    start, stop, entries = _RGB_TABLE
    luma, gain = tone_curve(treatment, np.linspace(start, stop, entries) * 100)
    return np.stack([luma / 100, gain], axis=1).astype(np.float32)
