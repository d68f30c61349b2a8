"""Compiled loops that hold what is written within limits. Functions only; `frame_treatment` prepares what they take.

Where chroma is halved across, a row of pixels is worked with *parted*: its even pixels, then its odd ones. So the pixels that
read a site stand side by side with it, and processors take many at once.
"""

import numpy as np

from bluffline.loops import free_loop, loop
from bluffline.treat.rein_kernels import asked_of, share_at, share_place

_GREY = np.float32(1e-4)  # R′G′B′ of a pixel that differ by less are equal: its chroma is none
_ONE, _ZERO = np.float32(1), np.float32(0)
# What CIE94 counts of chroma, in terms of Cb and Cr and of luma: a little of it is seen more readily than more of much.
_SEEN, _CROWDED = np.float32(18), np.float32(13.5)
_NEAR = 4  # rows, at most, that a row may share a site with, each way
# Rows of pixels that are worked with: Cb and Cr, how far over, by which component, worth, wishes, their weights, taken.
_ROOM = 8
_BLOCK = 256  # pixels that are looked up together where any of them is illegal
_LAST = np.float32(1 + 1e-4)  # of the largest legal chroma: what asks for more is illegal
_TURNS = 2  # looks at what chroma is to give, where a row has its own: the second leaves out whom the first has helped


@free_loop
def _site_row(sites, upper, lower, share, out):
    """One row of chroma sites at a luma row's height; ``out`` has one held column on each side."""
    first, second = sites[upper], sites[lower]
    columns = first.shape[0]
    for k in range(columns):
        out[k + 1] = first[k] + (second[k] - first[k]) * share
    out[0] = out[1]
    out[columns + 1] = out[columns]


@free_loop
def _widen(sites, taps, out):
    """Chroma sites to the pixels of a parted row, by the four taps of `ColumnTaps`; ``sites`` has one more at each end."""
    even_before, even, odd, odd_after = taps
    columns = sites.shape[0] - 2
    evens, odds = out[:columns], out[columns : 2 * columns]
    for k in range(columns):
        evens[k] = even_before * sites[k] + even * sites[k + 1]
    for k in range(columns):
        odds[k] = odd * sites[k + 1] + odd_after * sites[k + 2]


@free_loop
def _part_row(line, columns, out):
    for k in range(line.shape[0] - columns):
        out[k], out[columns + k] = line[2 * k], line[2 * k + 1]
    out[columns - 1] = line[2 * columns - 2]


@free_loop
def _join_row(parted, columns, out):
    for k in range(out.shape[0] - columns):
        out[2 * k], out[2 * k + 1] = parted[k], parted[columns + k]
    out[2 * columns - 2] = parted[columns - 1]


@loop
def _parted(line, halved, columns, room):
    """A row of luma in the order that it is worked with in: itself where chroma is as wide."""
    if not halved:
        return line
    _part_row(line, columns, room)
    return room[: line.shape[0]]


@loop
def _read(cb, cr, places, share, halved, taps, read, room):
    """Cb and Cr of a row of pixels, from the two rows of sites that it reads; read: (2, columns + 2); room: (≥ 2, ≥ W)."""
    _site_row(cb, places[0], places[1], share, read[0])
    _site_row(cr, places[0], places[1], share, read[1])
    if not halved:
        return read[0, 1:], read[1, 1:]
    _widen(read[0], taps, room[0])
    _widen(read[1], taps, room[1])
    return room[0], room[1]


@free_loop
def _demand_row(line, row_b, row_r, codes, gains, limits, demand):
    """How much of the largest legal chroma each pixel has: above 1, R′, G′ or B′ leaves the limits. Returns how many do."""
    red_cr, green_cb, green_cr, blue_cb = gains
    low, high = limits
    least = np.float32(1e-6)
    count = np.int32(0)
    for x in range(line.shape[0]):
        y = (np.float32(line[x]) - codes[0]) * codes[2]
        r, g, b = red_cr * row_r[x], green_cb * row_b[x] + green_cr * row_r[x], blue_cb * row_b[x]
        up, under = max(r, g, b), min(r, g, b)
        has = max(up / max(high - y, least), -under / max(y - low, least))
        demand[x] = has
        count = np.int32(count + np.int32(has > _LAST))
    return count


@free_loop
def _ask_row(line, row_b, row_r, codes, gains, limits, onset, over, away):
    """How far each pixel of a row stands over a limit and by which component, see `asked_of`. Returns how many do."""
    red_cr, green_cb, green_cr, blue_cb = gains
    low, high = limits
    count = np.int32(0)
    for x in range(line.shape[0]):
        r, g, b = red_cr * row_r[x], green_cb * row_b[x] + green_cr * row_r[x], blue_cb * row_b[x]
        y = (np.float32(line[x]) - codes[0]) * codes[2]
        beyond, component, _ = asked_of(y, max(r, g, b), min(r, g, b), low, high, onset)
        over[x], away[x] = beyond, component
        count = np.int32(count + np.int32(beyond > _ZERO))
    return count


@free_loop
def _legal_worth(over, row_b, row_r, out):
    for x in range(out.shape[0]):
        size = row_b[x] * row_b[x] + row_r[x] * row_r[x]
        crowd = _ONE + _CROWDED * np.float32(np.sqrt(size))
        worth = _SEEN * size / (crowd * crowd) + np.float32(1e-9)
        out[x] = out[x] if over[x] > _ZERO else worth


@free_loop
def _share_places(away, row_b, row_r, at, s, t):
    for x in range(at.shape[0]):
        at[x], s[x], t[x] = share_place(away[x], row_b[x], row_r[x])


@free_loop
def _illegal_worth(away, at, s, t, shares, out):
    for x in range(out.shape[0]):
        u, luma = away[x], share_at(shares, at[x], s[x], t[x])
        out[x] = u * u * luma / (_ONE - luma)


@loop
def _look_row(line, row_b, row_r, codes, gains, limits, onset, shares, room, at):
    """What pixels ask for (see `_ask_row`), and what the chroma of each is worth against luma. Returns how many ask.

    To take a share x of a pixel's chroma counts x² times its worth, to move its luma by d, d². Fills the third to fifth rows of
    ``room``; at: room too. A colour is looked up apart from what stands in the table there: so processors do it faster.
    """
    width, asks = line.shape[0], 0
    over, away, worth, s, t = room[2, :width], room[3, :width], room[4, :width], room[5, :width], room[6, :width]
    for start in range(0, width, _BLOCK):
        some = slice(start, min(start + _BLOCK, width))
        count = _ask_row(line[some], row_b[some], row_r[some], codes, gains, limits, onset, over[some], away[some])
        if count:
            asks += count
            _share_places(away[some], row_b[some], row_r[some], at[some], s[some], t[some])
            _illegal_worth(away[some], at[some], s[some], t[some], shares, worth[some])
    if asks:
        _legal_worth(over, row_b, row_r, worth)
    return asks


@free_loop
def _wish_row(over, away, worth, taken, wish, weight):
    """What more of its chroma each pixel wishes taken, times its weight; ``taken``: the share that goes already."""
    for x in range(wish.shape[0]):
        u = abs(away[x])
        rest = max(over[x] - taken[x] * u, _ZERO)
        wish[x] = u * rest - worth[x] * taken[x]
        weight[x] = worth[x] + (u * u if rest > _ZERO else _ZERO)


@free_loop
def _add_at_sites(row, halved, taps, share, out):
    """Add a row of pixels to the sites that they read, by how much they read of each."""
    columns = out.shape[0]
    if not halved:
        for x in range(columns):
            out[x] += row[x] * share
        return
    even_before, even, odd, odd_after = taps[0] * share, taps[1] * share, taps[2] * share, taps[3] * share
    evens, odds, last = row[:columns], row[columns:], columns - 1
    out[0] += evens[0] * (even_before + even)
    if last > 0:
        out[0] += odds[0] * odd + evens[1] * even_before
        out[last] += odds[last - 1] * odd_after + evens[last] * even
    for k in range(1, last):
        out[k] += odds[k - 1] * odd_after + evens[k] * even + odds[k] * odd + evens[k + 1] * even_before
    if odds.shape[0] == columns:
        out[last] += odds[last] * (odd + odd_after)


@loop
def _add_wishes(width, taken, halved, taps, rows, room, wishes, weights):
    """Add to the sums of sites what the pixels of a row wish. See `take_chroma`.

    taken: (columns + 2,) what is taken already; rows: the shares of two rows of sites in what is read; wishes, weights: for
    each of the two rows.
    """
    over, away, worth, wish, weight = room[2, :width], room[3, :width], room[4, :width], room[5, :width], room[6, :width]
    row_taken = taken[1:]
    if halved:
        _widen(taken, taps, room[7])
        row_taken = room[7]
    _wish_row(over, away, worth, row_taken, wish, weight)
    for n in range(2):
        if rows[n] > 0:
            _add_at_sites(wish, halved, taps, rows[n], wishes[n])
            _add_at_sites(weight, halved, taps, rows[n], weights[n])


@free_loop
def _take(taken, wishes, weights):
    """Take what is wished in the weighted mean; no more than there is."""
    for k in range(taken.shape[0]):
        more = wishes[k] / weights[k] if weights[k] > _ZERO else _ZERO
        taken[k] = min(max(taken[k] + more, _ZERO), _ONE)


@free_loop
def _give_row(line, row_b, row_r, codes, gains, limits, room, bounds):
    """Luma of a row moved inwards by what makes room for its chroma and, but in a grey, for the chroma's rounding."""
    red_cr, green_cb, green_cr, blue_cb = gains
    black, swing, per_swing = codes
    low, high = limits
    for x in range(line.shape[0]):
        r = red_cr * row_r[x]
        g = green_cb * row_b[x] + green_cr * row_r[x]
        b = blue_cb * row_b[x]
        up, under = max(r, g, b), min(r, g, b)
        y = (np.float32(line[x]) - black) * per_swing
        away = room if up - under > _GREY else _ZERO
        most, least = high - away - up, low + away - under
        if most < least:  # no luma makes room for so much chroma; where it keeps most, both limits are reached at once
            most = least = ((low + away) * up - (high - away) * under) / (up - under)
        code = np.int32(line[x])
        if y > most:
            code = max(np.int32(np.floor(most * swing + black)), np.int32(bounds[0]))
        elif y < least:
            code = min(np.int32(np.ceil(least * swing + black)), np.int32(bounds[1]))
        line[x] = line.dtype.type(code)


@free_loop
def _any_beyond(line, black, swing, limits):
    """Whether luma itself is beyond a limit anywhere in a row."""
    lowest, highest = np.int32(np.ceil(limits[0] * swing + black)), np.int32(np.floor(limits[1] * swing + black))
    least, most = np.int32(line[0]), np.int32(line[0])
    for x in range(line.shape[0]):
        code = np.int32(line[x])
        least, most = min(least, code), max(most, code)
    return least < lowest or most > highest


@free_loop
def _legal_parts(demand):
    """What of its chroma each pixel may keep, in place of what it asks for."""
    for x in range(demand.shape[0]):
        demand[x] = _ONE / max(demand[x], _ONE)


@free_loop
def _lower_scale(parts, halved, taps, scale_row):
    """Lower the scale of every chroma site to what each pixel that reads it may keep. parts: (W,)."""
    columns = scale_row.shape[0]
    for k in range(columns):
        scale_row[k] = min(scale_row[k], parts[k])
    if not halved:
        return
    odds = parts[columns:]
    for k in range(odds.shape[0]):
        scale_row[k] = min(scale_row[k], odds[k])
    for k in range(columns - 1):
        scale_row[k + 1] = min(scale_row[k + 1], odds[k])
    if taps[0] != _ZERO:
        for k in range(columns - 1):
            scale_row[k] = min(scale_row[k], parts[k + 1])


@free_loop
def _scale_row(row, scale_row):
    for k in range(row.shape[0]):
        row[k] *= scale_row[k]


@loop
def rein_rows(luma, cb, cr, width, halved, column_taps, codes, gains, limits, onset, shares, rounds, giving):
    """Hold R′, G′ and B′ within limits by what chroma sites and luma pixels give; no two rows share a site's row.

    Chroma first: every site gives the share at which all pixels that read it are harmed least, see `giving.luma_shares`. Then
    luma moves inwards by what is still over. What is illegal after that, as no luma makes room for it or as rounding has
    carried it out, is ended by scaling the chroma of the sites that it reads.

    luma: treated codes (rows, ≥ width), changed in place; cb, cr: (rows, columns) float32 sites, changed in place; codes:
    black, swing, 1/swing; limits: low, high (0 … 1), less the room for rounding; onset: of chroma that would reach a limit,
    what is given to the roll-off, 0 … 1; shares: of `giving.luma_shares`, flat; rounds: looks for what is still illegal, at
    most; giving: outer limits, the room for rounding, least and greatest code of luma.
    """
    columns = cb.shape[1]
    read, room = np.empty((3, columns + 2), np.float32), np.empty((_ROOM, 2 * columns), np.float32)
    demand, at = room[5, :width], np.empty(2 * columns, np.int32)
    wishes, weights = np.empty((2, columns), np.float32), np.empty((2, columns), np.float32)
    taken, scale, whole = np.empty((1, columns), np.float32), np.empty(columns, np.float32), (_ONE, _ZERO)
    parted = np.empty(2 * columns, luma.dtype)
    for row in range(cb.shape[0]):
        line, places = _parted(luma[row, :width], halved, columns, parted), (row, row)
        row_b, row_r = _read(cb, cr, places, _ZERO, halved, column_taps, read, room)
        asks = _look_row(line, row_b, row_r, codes, gains, limits, onset, shares, room, at)
        if not asks and not _any_beyond(line, codes[0], codes[1], giving[0]):
            continue
        if asks:
            taken[:] = _ZERO
            for _ in range(_TURNS):
                wishes[:], weights[:] = _ZERO, _ZERO
                _site_row(taken, 0, 0, _ZERO, read[2])
                _add_wishes(width, read[2], halved, column_taps, whole, room, wishes, weights)
                _take(taken[0], wishes[0], weights[0])
            scale[:] = _ONE - taken[0]
            _scale_row(cb[row], scale)
            _scale_row(cr[row], scale)
            row_b, row_r = _read(cb, cr, places, _ZERO, halved, column_taps, read, room)
        _give_row(line, row_b, row_r, codes, gains, giving[0], giving[1], giving[2])
        if halved:
            _join_row(line, columns, luma[row, :width])
        for _ in range(rounds):
            if not _demand_row(line, row_b, row_r, codes, gains, limits, demand):
                break
            _legal_parts(demand)
            scale[:] = _ONE
            _lower_scale(demand, halved, column_taps, scale)
            _scale_row(cb[row], scale)
            _scale_row(cr[row], scale)
            row_b, row_r = _read(cb, cr, places, _ZERO, halved, column_taps, read, room)


@loop
def take_chroma(luma, cb, cr, size, halved, column_taps, rows, codes, gains, limits, onset, shares, giving):
    """The first part of `rein_rows` where rows share sites: the share of its chroma that each site gives.

    rows: for each luma row the two rows of sites that it reads, and the share of the second. Returns (rows, columns) float32,
    and for each luma row whether its luma is to give way after that.
    """
    width, height = size
    first, second, share_of_second = rows
    columns = cb.shape[1]
    read, room = np.empty((3, columns + 2), np.float32), np.empty((_ROOM, 2 * columns), np.float32)
    over, away, at = room[2, :width], room[3, :width], np.empty(2 * columns, np.int32)
    asks, gives, taken = np.zeros(height, np.bool_), np.zeros(height, np.bool_), np.zeros_like(cb)
    parted = np.empty(2 * columns, luma.dtype)
    for row in range(height):
        line, places = _parted(luma[row, :width], halved, columns, parted), (first[row], second[row])
        row_b, row_r = _read(cb, cr, places, share_of_second[row], halved, column_taps, read, room)
        asks[row] = _ask_row(line, row_b, row_r, codes, gains, limits, onset, over, away) > 0
        gives[row] = asks[row] or _any_beyond(line, codes[0], codes[1], giving[0])
    if not asks.any():
        return taken, gives
    wishes, weights, lines = np.zeros_like(cb), np.zeros_like(cb), np.empty((2, 2, columns), np.float32)
    read[2] = _ZERO
    for row in range(height):
        if not asks[max(row - _NEAR, 0) : row + _NEAR + 1].any():
            continue
        places, share = (first[row], second[row]), share_of_second[row]
        row_b, row_r = _read(cb, cr, places, share, halved, column_taps, read, room)
        line = _parted(luma[row, :width], halved, columns, parted)
        _look_row(line, row_b, row_r, codes, gains, limits, onset, shares, room, at)
        lines[:] = _ZERO
        _add_wishes(width, read[2], halved, column_taps, (_ONE - share, share), room, lines[0], lines[1])
        for n in range(2):
            wishes[places[n]] += lines[0, n]
            weights[places[n]] += lines[1, n]
    for row in range(cb.shape[0]):
        _take(taken[row], wishes[row], weights[row])
    return taken, gives


@loop
def rein_scale(luma, cb, cr, size, halved, column_taps, rows, codes, gains, limits, giving, gives, scale):
    """One round of the rest where rows share sites: the scale that every site needs.

    rows: as for `take_chroma`; gives: for each row whether luma gives way first; scale: (rows, columns) float32, lowered in
    place. Returns the number of pixels that are illegal.
    """
    width, height = size
    first, second, share_of_second = rows
    columns = cb.shape[1]
    read, room = np.empty((2, columns + 2), np.float32), np.empty((2, 2 * columns), np.float32)
    demand, reined, parted = np.empty(width, np.float32), 0, np.empty(2 * columns, luma.dtype)
    for row in range(height):
        line, places = _parted(luma[row, :width], halved, columns, parted), (first[row], second[row])
        row_b, row_r = _read(cb, cr, places, share_of_second[row], halved, column_taps, read, room)
        if gives[row]:
            _give_row(line, row_b, row_r, codes, gains, giving[0], giving[1], giving[2])
            if halved:
                _join_row(line, columns, luma[row, :width])
        count = _demand_row(line, row_b, row_r, codes, gains, limits, demand)
        if count:
            reined += count
            _legal_parts(demand)
            _lower_scale(demand, halved, column_taps, scale[places[0]])
            if places[1] != places[0]:
                _lower_scale(demand, halved, column_taps, scale[places[1]])
    return reined
