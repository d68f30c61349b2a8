"""The pass, compiled: rows of native codes to R′G′B′, through the operations, and back to codes.

Functions only; `frame_treatment` prepares what they take.
"""

import numpy as np

from bluffline.loops import free_loop, loop
from bluffline.measure.rgb_kernels import chroma_row, row_room
from bluffline.treat.colour_kernels import luma_row
from bluffline.treat.reach_kernels import key_row
from bluffline.treat.row_kernels import treat_row

_ONE, _ZERO, _HALF = np.float32(1), np.float32(0), np.float32(0.5)


@free_loop
def _decoded(line, row_b, row_r, black, per_swing, gains, red, green, blue):
    """A row of luma codes, and chroma in codes above zero times its gains."""
    red_cr, green_cb, green_cr, blue_cb = gains
    for x in range(red.shape[0]):
        luma, b, r = (np.float32(line[x]) - black) * per_swing, row_b[x], row_r[x]
        red[x], green[x], blue[x] = luma + red_cr * r, luma + green_cb * b + green_cr * r, luma + blue_cb * b


@free_loop
def _code_row(line, black, per_swing, out):
    for x in range(out.shape[0]):
        out[x] = (np.float32(line[x]) - black) * per_swing


@free_loop
def _stored_row(row, swing, black, bounds, out):
    """A row of luma or of a component as codes, rounded, within bounds."""
    shift = black + _HALF
    for x in range(row.shape[0]):
        code = min(max(row[x] * swing + shift, bounds[0] + _HALF), bounds[1] + _HALF)
        out[x] = out.dtype.type(np.int32(code))


@free_loop
def _difference_row(component, luma, site, scale, out):
    """By how much chroma has changed at every pixel."""
    for x in range(out.shape[0]):
        out[x] = (component[x] - luma[x]) * scale - site[x]


@free_loop
def _shared(changed, shares, out):
    """What a row of changes comes to at halved columns. shares: of the pixels before, at and after a site's first."""
    before, at, after = shares
    last, columns = changed.shape[0] - 1, out.shape[0]
    out[0] = changed[0] * (before + at) + changed[min(1, last)] * after
    for k in range(1, columns - 1):
        out[k] = changed[2 * k - 1] * before + changed[2 * k] * at + changed[2 * k + 1] * after
    if columns > 1:
        x = 2 * (columns - 1)
        out[columns - 1] = changed[x - 1] * before + changed[x] * at + changed[min(x + 1, last)] * after


@free_loop
def _add_row(row, share, out):
    for x in range(out.shape[0]):
        out[x] += row[x] * share


@loop
def _add_sites(changed, halved, shares, rows, row_shares, room, added):
    """Add a row of changes to the chroma rows that it feeds, so much to each of the two. room: for a row of sites."""
    line = changed
    if halved:
        _shared(changed, shares, room)
        line = room
    for n in range(2):
        if row_shares[n] != 0:
            _add_row(line, row_shares[n], added[rows[n]])


@loop
def _any_other(row, value):
    for x in range(row.shape[0]):
        if row[x] != value:
            return True
    return False


@loop
def load_row(planes, row, coded, arithmetic, sites, chroma, rgb):
    """A row of codes as R′G′B′ (3, W) float32, and where they are Y′CbCr (``coded``) its chroma in codes above zero.

    planes: three (H, ≥ W) of codes; arithmetic: of `rgb_arithmetic`; sites, chroma: of `row_room`, filled.
    """
    halved, taps, rows, (black, per_swing, zero, per_span), (red_cr, green_cb, green_cr, blue_cb) = arithmetic
    if not coded:
        for c in range(3):
            _code_row(planes[c][row], black, per_swing, rgb[c])
        return
    chroma_row(planes[1], planes[2], rows, row, zero, halved, taps, sites, chroma[0], chroma[1])
    per_code = red_cr * per_span, green_cb * per_span, green_cr * per_span, blue_cb * per_span
    _decoded(planes[0][row], chroma[0], chroma[1], black, per_swing, per_code, rgb[0], rgb[1], rgb[2])


@loop
def treat_rows(planes, coded, band, arithmetic, shares, weights, bounds, plan, masks, ends, out, added):
    """Rows of a picture through the operations, from codes to codes.

    planes, coded, arithmetic: of `load_row`; band: the first row and the one after the last; shares: a chroma site's of
    columns, and for each row the two chroma rows that it feeds and how much; weights: Kr, Kg, Kb; bounds: least and greatest
    code; plan, masks, ends: of `treat_row`. Fills ``out``, (1, H, W) luma or (3, H, W) components, and adds to ``added``,
    (2, rows, columns), by how many codes chroma changes: colours that are left alone stay exact.
    """
    halved, _, _, (black, per_swing, _, per_span), _ = arithmetic
    column_shares, row_sites, row_shares = shares
    width = out.shape[2]
    sites, row_b, row_r = row_room(width, halved)
    chroma = (row_b, row_r)
    rgb, kept = np.empty((3, width), np.float32), np.empty((9, width), np.float32)
    line, changed, weight = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    room = np.empty(added.shape[2], np.float32)
    to_b, to_r = _HALF / (_ONE - weights[2]) / per_span, _HALF / (_ONE - weights[0]) / per_span
    swing = _ONE / per_swing
    for row in range(band[0], band[1]):
        load_row(planes, row, coded, arithmetic, sites, chroma, rgb)
        treat_row(rgb, kept, weight, row, weights, plan, masks, ends)
        if not coded:
            for c in range(3):
                _stored_row(rgb[c], swing, black, bounds, out[c, row])
            continue
        luma_row(rgb[0], rgb[1], rgb[2], weights, line)
        _stored_row(line, swing, black, bounds, out[0, row])
        for n in range(2):
            component, scale = (rgb[2], to_b) if n == 0 else (rgb[0], to_r)
            _difference_row(component, line, chroma[n], scale, changed)
            _add_sites(changed, halved, column_shares, row_sites[:, row], row_shares[:, row], room, added[n])


@loop
def key_rows(planes, coded, arithmetic, weights, plan, masks, ends, figures, out):
    """The weights of a key on what operations leave: (H, W) float32, before they are cleaned and softened. See `treat_rows`."""
    height, width = out.shape
    sites, row_b, row_r = row_room(width, arithmetic[0])
    chroma = (row_b, row_r)
    rgb, kept, weight = np.empty((3, width), np.float32), np.empty((9, width), np.float32), np.empty(width, np.float32)
    for row in range(height):
        load_row(planes, row, coded, arithmetic, sites, chroma, rgb)
        treat_row(rgb, kept, weight, row, weights, plan, masks, ends)
        out[row] = _ONE
        key_row(rgb[0], rgb[1], rgb[2], weights, figures, ends, out[row])


@loop
def luma_rows(planes, coded, arithmetic, weights, plan, masks, ends, out):
    """The luma that operations leave: (H, W) float32, 0 … 1. See `treat_rows`."""
    height, width = out.shape
    sites, row_b, row_r = row_room(width, arithmetic[0])
    chroma = (row_b, row_r)
    rgb, kept, weight = np.empty((3, width), np.float32), np.empty((9, width), np.float32), np.empty(width, np.float32)
    for row in range(height):
        load_row(planes, row, coded, arithmetic, sites, chroma, rgb)
        treat_row(rgb, kept, weight, row, weights, plan, masks, ends)
        luma_row(rgb[0], rgb[1], rgb[2], weights, out[row])


@loop
def treat_luma(planes, band, arithmetic, shares, table, gains, out, added):
    """Rows of a Y′CbCr picture through steps that look at luma alone: a table of codes, and the gain of chroma at each."""
    halved, taps, rows, (_, _, zero, _), _ = arithmetic
    column_shares, row_sites, row_shares = shares
    width, luma = out.shape[1], planes[0]
    sites, row_b, row_r = row_room(width, halved)
    changed, less = np.empty(width, np.float32), np.empty(width, np.float32)
    room = np.empty(added.shape[2], np.float32)
    for row in range(band[0], band[1]):
        for x in range(width):
            out[row, x] = table[luma[row, x]]
        if gains.shape[0] == 0:
            continue
        for x in range(width):
            less[x] = gains[luma[row, x]] - _ONE
        if not _any_other(less, _ZERO):
            continue
        chroma_row(planes[1], planes[2], rows, row, zero, halved, taps, sites, row_b, row_r)
        for n in range(2):
            chroma = row_b if n == 0 else row_r
            for x in range(width):
                changed[x] = chroma[x] * less[x]
            _add_sites(changed, halved, column_shares, row_sites[:, row], row_shares[:, row], room, added[n])
