"""Traces as pixels: density curve, colours, excess broken up, another frame's trace in outline."""

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between, OneOf
from bluffline.draw import trace_kernels as kernels
from bluffline.draw.graticule import legal_chroma
from bluffline.draw.scale import Span
from bluffline.measure.counted import Limits
from bluffline.measure.scopes import CHROMA_REACH, CIE_REACH, Instrument, Trace
from bluffline.signal.colorimetry import GAMUTS, PRIMARIES, rgb_to_xyz
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import Matrix, ycbcr_to_rgb

GROUND = 26  # grey of a gauge's field, 0 … 255
_WHITE = (245.0, 245.0, 245.0)
_COLOURS = {
    "Y′": _WHITE, "R′": (245.0, 70.0, 60.0), "G′": (60.0, 215.0, 75.0), "B′": (85.0, 120.0, 250.0),
    "Cb": (150.0, 170.0, 245.0), "Cr": (245.0, 165.0, 160.0), "chroma envelope": (150.0, 150.0, 150.0),
}  # fmt: skip
_CURVE = 1 << 13
_SKIPPED = 4  # rows at a histogram's foot that mark the codes that are skipped
_FAINTEST = 0.34  # brightness of whatever is lit at all: less is not seen at arm's length
SPOTS = (1, 2, 3)
Image = NDArray[np.uint32]


@dataclass(frozen=True, slots=True)
class TraceStyle:
    """How traces are drawn.

    ``strength`` −1 … 1: how soon a count is bright; ``log``: whether a histogram counts in decades; ``spot``: how broad the
    beam is: on gauges of colour a spot is a disc of 3, 5 or 7 pixels, on those of level 1, 3 or 5.
    """

    strength: Annotated[float, Between(-1, 1)] = 0.0
    log: bool = False
    spot: Annotated[int, OneOf(SPOTS)] = 1


def draw_trace(
    trace: Trace, size: tuple[int, int], source: SignalFormat, limits: Limits, look: TraceStyle, other: Trace | None = None,
    gamut: str | None = None,
) -> Image:  # fmt: skip
    """A trace as (H, W) pixels of bytes B, G, R, 255, without its graticule.

    Parameters
    ----------
    size : columns and rows; square for the vectorscope and the chromaticity diagram
    other : counts of the same kind to lay over it in outline
    gamut : one of `colorimetry.GAMUTS`: chromaticities outside it count as excess
    """
    image = np.full((size[1], size[0]), GROUND * 0x010101 | 0xFF000000, np.uint32)
    match trace.kind.instrument:
        case Instrument.HISTOGRAM:
            _draw_histogram(trace, image, source, limits, look, other)
        case Instrument.WAVEFORM | Instrument.PARADE:
            _draw_levels(trace, image, source, limits, look, other)
        case _:
            _draw_cells(trace, image, source, limits, look, other, gamut)
    return image


@lru_cache(maxsize=64)
def _curve(full: int) -> NDArray[np.float32]:
    """Brightness by count: logarithmic, so that one pixel shows and a flat field does not blind."""
    curve = np.clip(np.log1p(np.arange(_CURVE)) / math.log1p(max(full, 1)), _FAINTEST, 1).astype(np.float32)
    curve[0] = 0
    return curve


def _full(usual: float, look: TraceStyle) -> int:
    """The count that is as bright as can be."""
    return max(round(float(usual * 8.0**-look.strength)), 2)


def rows_to_bins(trace: Trace, span: Span, height: int, source: SignalFormat) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """For each row from the top, the first bin it shows and the one after its last; none beyond the code range."""
    levels, bins = source.levels, trace.counts.shape[2]
    ends = np.array([levels.code(span.level(1 - y / height)) for y in range(height + 1)])
    places = np.floor((ends - trace.first) / trace.step).astype(np.int64)
    first, after = places[1:], np.maximum(places[:-1], places[1:] + 1)
    return np.clip(first, 0, bins), np.clip(after, 0, bins)


def _rows_outside(component: str, span: Span, height: int, limits: Limits) -> NDArray[np.bool_]:
    low, high = {"Y′": limits.luma, "R′": limits.rgb, "G′": limits.rgb, "B′": limits.rgb}.get(component, (-1e9, 1e9))
    level = np.array([span.level(1 - (y + 0.5) / height) for y in range(height)])
    return np.asarray((level > high) | (level < low))


def _draw_levels(
    trace: Trace, image: Image, source: SignalFormat, limits: Limits, look: TraceStyle, other: Trace | None
) -> None:
    height, width = image.shape
    span, kind = Span.of(trace.kind), trace.kind
    first, after = rows_to_bins(trace, span, height, source)
    components, columns = kind.components, trace.counts.shape[1]
    parts = len(components) if kind.instrument is Instrument.PARADE else 1
    curve = _curve(_full(trace.measured / columns / 12 / parts * min(columns / (width / parts), 4), look))
    for n, component in enumerate(components):
        left, right = (n * width // parts, (n + 1) * width // parts) if parts > 1 else (0, width)
        part = image[:, left:right]
        amounts = np.empty(part.shape, np.float32)
        kernels.spread_levels(trace.counts[n], first, after, 0, columns, right - left, amounts)
        kernels.brighten(amounts, curve)
        if look.spot > 1:
            amounts = kernels.broaden(amounts, look.spot - 1)
        kernels.hatch_rows(amounts, _rows_outside(component, span, height, limits))
        if trace.chroma is not None:
            kernels.lay_coloured(amounts, _own_colours(trace, first, right - left, source), np.float32(GROUND), part)
        else:
            kernels.lay(amounts, _colour(component), np.float32(GROUND), part)
        if other is not None:
            kernels.spread_levels(other.counts[n], first, after, 0, other.counts.shape[1], right - left, amounts)
            kernels.lay(kernels.outline(amounts), _colour("Y′"), np.float32(GROUND), part)


def _colour(component: str) -> NDArray[np.float32]:
    return np.array(_COLOURS[component], np.float32)


def _own_colours(trace: Trace, first: NDArray[np.int64], width: int, source: SignalFormat) -> NDArray[np.float32]:
    """(H, W, 3) the mean colour of the pixels in each cell, light enough to be seen."""
    assert trace.chroma is not None
    columns = np.arange(width) * trace.counts.shape[1] // width
    bins = np.minimum(first, trace.counts.shape[2] - 1)
    cb, cr = (trace.chroma[c][columns[None, :], bins[:, None]] for c in (0, 1))
    levels = source.levels
    luma = np.full_like(cb, 0.62)
    signal = np.stack([luma, (cb - levels.zero) / levels.span, (cr - levels.zero) / levels.span], axis=-1)
    return (np.clip(ycbcr_to_rgb(signal, source.matrix), 0.1, 1) * 255).astype(np.float32)


def _draw_histogram(
    trace: Trace, image: Image, source: SignalFormat, limits: Limits, look: TraceStyle, other: Trace | None
) -> None:
    height, width = image.shape
    span, rows = Span.of(trace.kind), len(trace.kind.components)
    ends = source.levels.code(span.low) + np.arange(width + 1) / width * (span.high - span.low) / 100 * source.levels.swing
    bins = trace.counts.shape[2]
    places = np.floor(ends - trace.first).astype(np.int64)
    first = np.clip(places[:-1], 0, bins)
    after = np.clip(np.maximum(places[1:], places[:-1] + 1), 0, bins)
    outside_level = np.array([span.level((x + 0.5) / width) for x in range(width)])
    for n, component in enumerate(trace.kind.components):
        top, foot = n * height // rows, (n + 1) * height // rows
        amounts = np.zeros((height, width), np.float32)
        kernels.bars(_heights(trace.counts[n, 0], first, after, look), top + 3, foot, amounts)
        low, high = limits.luma if component == "Y′" else limits.rgb
        outside = np.broadcast_to((outside_level > high) | (outside_level < low), amounts.shape)
        kernels.hatch_cells(amounts, outside)
        kernels.lay(amounts * np.float32(0.8), _colour(component), np.float32(GROUND), image)
        _mark_skipped(trace.counts[n, 0], first, after, image[foot - _SKIPPED : foot])
        if other is not None:
            amounts[:] = 0
            kernels.bars(_heights(other.counts[n, 0], first, after, look), top + 3, foot, amounts)
            kernels.lay(kernels.outline(amounts), _colour("Y′"), np.float32(GROUND), image)


def _mark_skipped(counts: NDArray[np.int32], first: NDArray[np.int64], after: NDArray[np.int64], foot: Image) -> None:
    """Mark at the foot of a histogram the places of codes that are skipped between the least and the greatest in use."""
    used = np.flatnonzero(counts)
    if len(used) == 0:
        return
    skipped = np.zeros(len(counts) + 1, np.int64)
    skipped[1:] = np.cumsum((counts == 0) & (np.arange(len(counts)) > used[0]) & (np.arange(len(counts)) < used[-1]))
    foot[:, skipped[after] > skipped[first]] = 0xFF000000 | GROUND * 0x010101
    foot[-2:, skipped[after] > skipped[first]] = 0xFFFFFFFF


def _heights(
    counts: NDArray[np.int32], first: NDArray[np.int64], after: NDArray[np.int64], look: TraceStyle
) -> NDArray[np.float64]:
    """(W,) heights 0 … 1 of bars over bins, each the fullest of its bins; black and white may pile up above the top."""
    padded = np.append(counts, 0)
    most = np.where(after > first, np.maximum.reduceat(padded, np.stack([first, after], 1).ravel())[::2], 0).astype(float)
    if look.log:
        return np.asarray(np.log1p(most) / np.log1p(max(most.max(), 1)))
    usual = np.sort(most)[-max(len(most) // 50, 1)]
    return np.asarray(np.clip(most / max(usual, 1), 0, 1))


def _draw_cells(
    trace: Trace, image: Image, source: SignalFormat, limits: Limits, look: TraceStyle, other: Trace | None, gamut: str | None
) -> None:
    side, cells = image.shape[0], trace.counts.shape[1]
    places = np.arange(side + 1) * cells // side
    first, after = places[:-1].astype(np.int64), np.maximum(places[1:], places[:-1] + 1).astype(np.int64)
    amounts = np.empty((side, side), np.float32)
    kernels.spread_cells(trace.counts[0], first, after, amounts)
    kernels.brighten(amounts, _curve(_full(trace.measured / 2500, look)))
    amounts = kernels.broaden(amounts, look.spot)
    kind = trace.kind
    if kind.instrument is Instrument.VECTORSCOPE:
        outside = _beyond_any_luma(source.matrix, limits, kind.mode, side)
        colours = _chroma_colours(kind.mode, side, source.matrix)
    else:
        outside, colours = _beyond_gamut(gamut, kind.mode, side), _cie_colours(kind.mode, side)
    kernels.hatch_cells(amounts, outside)
    kernels.lay_coloured(amounts, colours, np.float32(GROUND), image)
    if other is not None:
        kernels.spread_cells(other.counts[0], first, after, amounts)
        kernels.lay(kernels.outline(amounts), _colour("Y′"), np.float32(GROUND), image)


def _chroma_grid(mode: str, side: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Cb and Cr at each pixel of the vectorscope, (S, S)."""
    reach = CHROMA_REACH / int(mode)
    axis = ((np.arange(side) + 0.5) / side * 2 - 1) * reach
    cb, cr = np.meshgrid(axis, axis[::-1])
    return cb, cr


@lru_cache(maxsize=8)
def _beyond_any_luma(matrix: Matrix, limits: Limits, mode: str, side: int) -> NDArray[np.bool_]:
    """Chroma that no luma makes legal: outside every legal region there is between black and white."""
    cb, cr = _chroma_grid(mode, side)
    outside = np.ones((side, side), bool)
    for luma in np.linspace(*limits.rgb, 45):
        outside &= ~_inside(legal_chroma(matrix, float(luma), limits), cb, cr)
    return outside


def _inside(corners: NDArray[np.float64], x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Whether points lie in a convex polygon, whichever way round it runs."""
    if len(corners) < 3:
        return np.zeros(x.shape, bool)
    (x0, y0), (x1, y1) = corners.T, np.roll(corners, -1, axis=0).T
    turns = [(b - a) * (y - c) - (d - c) * (x - a) for a, b, c, d in zip(x0, x1, y0, y1, strict=True)]
    return np.asarray(np.all([t >= 0 for t in turns], axis=0) | np.all([t <= 0 for t in turns], axis=0))


@lru_cache(maxsize=8)
def _chroma_colours(mode: str, side: int, matrix: Matrix) -> NDArray[np.float32]:
    """(S, S, 3) the colour that each chroma has at one brightness, so that the trace has the data's own colours."""
    cb, cr = _chroma_grid(mode, side)
    rgb = ycbcr_to_rgb(np.stack([np.zeros_like(cb), cb, cr], axis=-1), matrix)
    rgb = rgb - rgb.min(axis=-1, keepdims=True)
    pure = rgb / np.maximum(rgb.max(axis=-1, keepdims=True), 1e-6)
    strength = np.clip(np.hypot(cb, cr) * 4, 0, 1)[..., None]
    return np.asarray(255 * (0.25 + 0.75 * (pure * strength + (1 - strength))), np.float32)


@lru_cache(maxsize=8)
def _cie_grid(mode: str, side: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The x and y of each pixel of the diagram, (S, S)."""
    reach = CIE_REACH[mode]
    axis = (np.arange(side) + 0.5) / side * reach
    a, b = np.meshgrid(axis, axis[::-1])
    if mode == "1931":
        return a, b
    scale = 6 * a - 16 * b + 12
    return 9 * a / scale, 4 * b / scale


@lru_cache(maxsize=8)
def _cie_colours(mode: str, side: int) -> NDArray[np.float32]:
    """(S, S, 3) the screen's nearest colour for each chromaticity."""
    x, y = _cie_grid(mode, side)
    safe = np.maximum(y, 1e-3)
    xyz = np.stack([x / safe, np.ones_like(x), (1 - x - y) / safe], axis=-1)
    rgb = np.clip(xyz @ np.linalg.inv(rgb_to_xyz("bt709")).T, 0, None)
    pure = rgb / np.maximum(rgb.max(axis=-1, keepdims=True), 1e-6)
    return np.asarray(255 * (0.2 + 0.8 * np.sqrt(pure)), np.float32)


@lru_cache(maxsize=8)
def _beyond_gamut(gamut: str | None, mode: str, side: int) -> NDArray[np.bool_]:
    x, y = _cie_grid(mode, side)
    if gamut is None:
        return np.zeros(x.shape, bool)
    return ~_inside(np.array(PRIMARIES[GAMUTS[gamut]]), x, y)
