"""Native planes of one format as native planes of another: depth, range, chroma sampling, model."""

from functools import lru_cache
from operator import attrgetter
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr, ycbcr_to_rgb

Plane = NDArray[Any]
Float = NDArray[np.float32]
_BAND = 128  # rows that are worked on at a time, so that what lies between stays small


def same_samples(source: SignalFormat, target: SignalFormat) -> bool:
    """Whether planes of ``source`` are planes of ``target`` as they stand."""
    kept = attrgetter("model", "bit_depth", "halved", "range")
    moved = source.halved[0] and source.siting.between_columns != target.siting.between_columns
    moved = moved or _moves_rows(source, target) or _changes_matrix(source, target)
    return bool(kept(source) == kept(target)) and not moved


def _moves_rows(source: SignalFormat, target: SignalFormat) -> bool:
    """Whether chroma of halved rows stands on other rows: of other fields, or sited otherwise."""
    both = source.halved[1] and target.halved[1]
    return both and (source.interlaced, source.siting.below) != (target.interlaced, target.siting.below)


def _changes_matrix(source: SignalFormat, target: SignalFormat) -> bool:
    return source.model is target.model is Model.YCBCR and source.matrix is not target.matrix


def convert(
    planes: tuple[Plane, Plane, Plane], source: SignalFormat, target: SignalFormat, *, dither: bool = False
) -> tuple[Plane, Plane, Plane]:
    """Bring native planes to another depth, range, matrix, chroma sampling or model of the same size.

    Parameters
    ----------
    planes : three (rows, stride) unsigned integer arrays in ``source``
    target : its primaries and transfer characteristic are taken to be those of ``source``
    dither : where the depth becomes less, codes between two are shared out by a fixed pattern whose mean is none, so that
        slopes don't fall into bands; a code that the target has stays as it is

    Returns
    -------
    three (rows, columns) arrays in ``target``. Between depths of narrow range codes are scaled by powers of two, as
    BT.709 and BT.2100 define them, so nothing is lost on the way up. Where nothing differs, the planes themselves.
    """
    if same_samples(source, target):
        return planes
    width, height = source.width, source.height
    dtype = np.uint8 if target.bit_depth == 8 else np.uint16
    columns, rows = source.chroma_size
    luma, cb, cr = planes[0][:height, :width], planes[1][:rows, :columns], planes[2][:rows, :columns]
    if source.model is Model.RGB and target.model is Model.YCBCR:
        luma, cb, cr = _from_rgb(luma, cb, cr, source, target.matrix)
    if _changes_matrix(source, target):
        cb, cr = (upsample(plane, source) for plane in (cb, cr))
        luma, cb, cr = _to_matrix(luma, cb, cr, source, target.matrix)
        cb, cr = (downsample(plane, target) for plane in (cb, cr))
    else:
        cb, cr = (_resample_chroma(plane, source, target) for plane in (cb, cr))
    before, after = source.levels, target.levels
    top = (1 << target.bit_depth) - 1
    spread = dither and target.bit_depth < source.bit_depth

    def stored(plane: Plane, origin: int, scale: float, new_origin: int) -> Plane:
        if plane.dtype.kind == "u" and scale >= 1 and scale.is_integer() and new_origin == origin * scale:
            return np.asarray(np.multiply(plane, int(scale), dtype=dtype))
        codes = np.empty(plane.shape, dtype)
        for first in range(0, len(plane), _BAND):
            rows = slice(first, first + _BAND)
            moved = (plane[rows].astype(np.float32) - np.float32(origin)) * np.float32(scale) + np.float32(new_origin)
            if spread:
                moved = np.floor(moved + np.float32(0.5) + _pattern(moved.shape[1])[: len(moved)])
            codes[rows] = np.clip(moved if spread else np.rint(moved), 0, top)
        return codes

    chroma_scale = after.span / before.span
    return (
        stored(luma, before.black, after.swing / before.swing, after.black),
        stored(cb, before.zero, chroma_scale, after.zero),
        stored(cr, before.zero, chroma_scale, after.zero),
    )


@lru_cache(maxsize=8)
def _pattern(columns: int) -> Float:
    """Shifts of less than half a code, spread evenly over a band and over their range: a lattice of low discrepancy [R2]."""
    y, x = np.mgrid[:_BAND, :columns]
    pattern = ((0.7548776662466927 * x + 0.5698402909980532 * y) % 1 - 0.5).astype(np.float32) * np.float32(0.998)
    pattern.setflags(write=False)
    return np.asarray(pattern)


def _from_rgb(red: Plane, green: Plane, blue: Plane, source: SignalFormat, matrix: Matrix) -> tuple[Float, Float, Float]:
    """R′G′B′ codes to Y′CbCr codes of the same depth and range, unrounded."""
    levels = source.levels
    rgb = (np.stack([red, green, blue], axis=-1).astype(np.float32) - levels.black) / levels.swing
    ycbcr = rgb_to_ycbcr(rgb, matrix).astype(np.float32)
    scaled = ycbcr * np.array([levels.swing, levels.span, levels.span], np.float32)
    shifted = scaled + np.array([levels.black, levels.zero, levels.zero], np.float32)
    return shifted[..., 0], shifted[..., 1], shifted[..., 2]


def _to_matrix(luma: Plane, cb: Plane, cr: Plane, source: SignalFormat, matrix: Matrix) -> tuple[Float, Float, Float]:
    """Y′CbCr codes at full sampling to those of another matrix, of the same depth and range, unrounded."""
    levels = source.levels
    origin, scale = (levels.black, levels.zero, levels.zero), (levels.swing, levels.span, levels.span)
    ycbcr = (np.stack([luma, cb, cr], axis=-1).astype(np.float64) - origin) / scale
    moved = (rgb_to_ycbcr(ycbcr_to_rgb(ycbcr, source.matrix), matrix) * scale + origin).astype(np.float32)
    return moved[..., 0], moved[..., 1], moved[..., 2]


def _resample_chroma(plane: Plane, source: SignalFormat, target: SignalFormat) -> Plane:
    """Chroma to the sites of ``target``: linear interpolation up, a triangle filter down."""
    (narrow, short), (to_narrow, to_short) = source.halved, target.halved
    result: Plane = plane
    rows_move = _moves_rows(source, target)
    if short and (rows_move or not to_short):
        result = _upsample_rows(result, source)
    moved = narrow and to_narrow and source.siting.between_columns != target.siting.between_columns
    if narrow and (moved or not to_narrow):
        result = upsample_columns(result, source)
    if to_narrow and (moved or not narrow):
        result = downsample_columns(result.astype(np.float32), target)
    if to_short and (rows_move or not short):
        result = downsample_rows(result.astype(np.float32), target)
    return result


def upsample_columns(plane: Plane, source: SignalFormat) -> Float:
    """(rows, columns/2) chroma to (rows, width) luma columns by the format's siting; edges are held."""
    taps = source.column_taps
    chroma = plane.astype(np.float32)
    before = np.concatenate([chroma[:, :1], chroma[:, :-1]], axis=1)
    after = np.concatenate([chroma[:, 1:], chroma[:, -1:]], axis=1)
    wide = np.empty((chroma.shape[0], 2 * chroma.shape[1]), np.float32)
    wide[:, 0::2] = taps.even_before * before + taps.even * chroma
    wide[:, 1::2] = taps.odd * chroma + taps.odd_after * after
    return wide[:, : source.width]


def upsample(plane: Plane, source: SignalFormat) -> Plane:
    """Chroma of a whole picture to every luma site, by the format's siting."""
    result = _upsample_rows(plane, source) if source.halved[1] else plane
    return upsample_columns(result, source) if source.halved[0] else result


def _upsample_rows(plane: Plane, source: SignalFormat) -> Float:
    taps = source.row_taps
    low, high = plane[taps.first].astype(np.float32), plane[taps.second].astype(np.float32)
    return np.asarray(low + (high - low) * taps.weight[:, None], np.float32)


def downsample(plane: Plane, target: SignalFormat) -> Plane:
    """Chroma at every luma site to the sites of ``target``."""
    return downsample_rows(downsample_columns(plane, target), target)


def downsample_rows(plane: Plane, target: SignalFormat) -> Plane:
    """(height, columns) to the rows that chroma has in ``target``, by its siting; fields are kept apart."""
    if not target.halved[1]:
        return plane
    shares = target.site_shares
    made = np.zeros((target.chroma_size[1], plane.shape[1]), np.float32)
    for sites, weights in zip(shares.sites, shares.rows, strict=True):
        np.add.at(made, sites, plane * weights[:, None])
    return made


def downsample_columns(plane: Plane, target: SignalFormat) -> Plane:
    """(rows, width) to the columns that chroma has in ``target``, by a triangle filter; edges are held."""
    if not target.halved[0]:
        return plane
    edge = np.pad(plane, ((0, 0), (1, 1)), mode="edge")
    return np.asarray((0.25 * edge[:, :-2] + 0.5 * edge[:, 1:-1] + 0.25 * edge[:, 2:])[:, ::2])
