"""Compiled loops that hold what is written within limits. Functions only; `frame_treatment` prepares what they take."""

import numpy as np

from bluffline.loops import free_loop, loop
from bluffline.measure.rgb_kernels import widen
from bluffline.treat.row_kernels import ground, ground_slope

_GREY = np.float32(1e-4)  # R′G′B′ of a pixel that differ by less are equal: its chroma is none


@free_loop
def load_chroma(plane, added, zero, per_span, out):
    """Chroma codes and what is added to them, as −0.5 … 0.5. plane: (rows, stride); added, out: (rows, columns) float32."""
    for row in range(out.shape[0]):
        for k in range(out.shape[1]):
            out[row, k] = (np.float32(plane[row, k]) + added[row, k] - zero) * per_span


@loop
def store_chroma(sites, zero, span, bounds, like):
    """−0.5 … 0.5 to rounded codes between two bounds, of the dtype of ``like``."""
    out = np.empty(sites.shape, like.dtype)
    for row in range(sites.shape[0]):
        for k in range(sites.shape[1]):
            code = np.float32(sites[row, k] * span + zero)
            out[row, k] = like.dtype.type(min(max(code, bounds[0]), bounds[1]) + np.float32(0.5))
    return out


@free_loop
def _sum_row(codes, added, low, high, out):
    for k in range(out.shape[0]):
        out[k] = out.dtype.type(np.int32(min(max(np.float32(codes[k]) + added[k] + np.float32(0.5), low), high)))


@loop
def add_chroma(plane, added, bounds):
    """Codes and what is added to them, rounded, between two bounds. plane: (rows, stride); added: (rows, columns) float32."""
    out = np.empty(added.shape, plane.dtype)
    for row in range(out.shape[0]):
        _sum_row(plane[row], added[row], bounds[0] + np.float32(0.5), bounds[1] + np.float32(0.5), out[row])
    return out


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
def _demand_row(luma_row, row_b, row_r, black, per_swing, gains, low, high, knee, demand):
    """How much of the largest legal chroma each pixel asks for: above 1, R′, G′ or B′ leaves the limits.

    Returns how many pixels ask for more than ``knee``.
    """
    red_cr, green_cb, green_cr, blue_cb = gains
    least = np.float32(1e-6)
    count = np.int32(0)
    for x in range(luma_row.shape[0]):
        y = (np.float32(luma_row[x]) - black) * per_swing
        r = red_cr * row_r[x]
        g = green_cb * row_b[x] + green_cr * row_r[x]
        b = blue_cb * row_b[x]
        up = r if r > g else g
        up = up if up > b else b
        under = r if r < g else g
        under = under if under < b else b
        above, below = high - y, y - low
        above = above if above > least else least
        below = below if below > least else least
        rise, fall = up / above, -under / below
        asked = rise if rise > fall else fall
        demand[x] = asked
        count = np.int32(count + np.int32(asked > knee))
    return count


@free_loop
def _give_row(line, row_b, row_r, codes, gains, limits, room, give, bounds):
    """Luma of a row that stands in the way of its own chroma moved inwards: see `rein_rows`."""
    red_cr, green_cb, green_cr, blue_cb = gains
    black, swing, per_swing = codes
    low, high = limits
    per_give = ground_slope(give)
    for x in range(line.shape[0]):
        r = red_cr * row_r[x]
        g = green_cb * row_b[x] + green_cr * row_r[x]
        b = blue_cb * row_b[x]
        up, under = max(r, g, b), min(r, g, b)
        y = (np.float32(line[x]) - black) * per_swing
        away = room if up - under > _GREY else np.float32(0)
        top, foot = ground(y - high, give, per_give), ground(low - y, give, per_give)
        most, least = max(high - away - up, high - top), min(low + away - under, low + foot)
        code = np.int32(line[x])
        if y > most and y > least:
            code = max(np.int32(np.floor(most * swing + black)), np.int32(bounds[0]))
        elif y < least and y < most:
            code = min(np.int32(np.ceil(least * swing + black)), np.int32(bounds[1]))
        line[x] = line.dtype.type(code)


@free_loop
def _most(demand):
    """The greatest of a row's demands."""
    bits = demand.view(np.int32)  # in the order of their values, and compared many at once
    most = bits[0]
    for x in range(bits.shape[0]):
        most = max(most, bits[x])
    return np.int32(most).view(np.float32)


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
def _give_parts(demand, knee):
    """What of its chroma each pixel may keep, in place of what it asks for: all up to the knee, then less and less."""
    one, room = np.float32(1), np.float32(1) - knee
    per_room = one / room if room > 0 else np.float32(0)
    for x in range(demand.shape[0]):
        asked = demand[x]
        over = (asked - knee) * per_room
        allowed = knee + room * over / (one + max(over, np.float32(0))) if room > 0 else one
        demand[x] = allowed / asked if asked > knee else one


@free_loop
def _lower_scale(parts, halved, scale_row):
    """Lower the scale of every chroma site to what each pixel that reads it may keep. parts: (W,)."""
    columns, last = scale_row.shape[0], parts.shape[0] - 1
    if not halved:
        for k in range(columns):
            scale_row[k] = min(scale_row[k], parts[k])
        return
    for end in (0, columns - 1):
        for x in range(max(2 * end - 1, 0), min(2 * end + 1, last) + 1):
            scale_row[end] = min(scale_row[end], parts[x])
    for k in range(1, columns - 1):
        scale_row[k] = min(scale_row[k], parts[2 * k - 1], parts[2 * k], parts[2 * k + 1])


@loop
def _asked(line, site_b, site_r, halved, column_taps, codes, gains, limits, knee, giving, gives, room, demand):
    """What the pixels of a row ask for, see `_demand_row`, luma having given way before where ``gives``. Returns the count.

    site_b, site_r: the row's sites, one held on each side; giving: of `rein_rows`; room: (2, W) for the chroma of pixels.
    """
    black, swing, per_swing = codes
    outer, away, give, bounds = giving
    row_b, row_r = site_b[1:], site_r[1:]
    if halved:
        widen(site_b, column_taps, room[0])
        widen(site_r, column_taps, room[1])
        row_b, row_r = room[0], room[1]
    count = _demand_row(line, row_b, row_r, black, per_swing, gains, limits[0], limits[1], knee, demand)
    if gives and ((count and _most(demand) > 1) or _any_beyond(line, black, swing, outer)):
        _give_row(line, row_b, row_r, codes, gains, outer, away, give, bounds)
        count = _demand_row(line, row_b, row_r, black, per_swing, gains, limits[0], limits[1], knee, demand)
    return count


@free_loop
def _scale_row(row, scale_row):
    for k in range(row.shape[0]):
        row[k] *= scale_row[k]


@loop
def rein_rows(luma, cb, cr, size, halved, column_taps, codes, gains, limits, knees, giving):
    """Scale the chroma of every site so that each luma pixel that reads it becomes legal; no two rows share a site's row.

    Before, luma moves inwards where R′, G′ or B′ leaves the outer limits though luma stands within ``give`` of one, or beyond
    it. It moves by what makes room for the pixel's chroma and, but in a grey, for its rounding, and no further in than
    ``give`` from the limit, twice as much as it was over it besides.

    luma: treated codes (height, ≥ width), changed in place; cb, cr: (rows, columns) float32 sites, changed in place; codes:
    black, swing, 1/swing; limits: low, high (0 … 1); knees: for each round the demand from which chroma is rolled off, 1 for
    none; giving: outer limits, the room for rounding, ``give``, least and greatest code of luma.
    """
    width, height = size
    columns = cb.shape[1]
    site_b, site_r = np.empty(columns + 2, np.float32), np.empty(columns + 2, np.float32)
    room, demand, scale = np.empty((2, 2 * columns), np.float32), np.empty(width, np.float32), np.empty(columns, np.float32)
    for row in range(height):
        for turn in range(len(knees)):
            _site_row(cb, row, row, np.float32(0), site_b)
            _site_row(cr, row, row, np.float32(0), site_r)
            line, knee = luma[row, :width], knees[turn]
            if not _asked(
                line, site_b, site_r, halved, column_taps, codes, gains, limits, knee, giving, turn == 0, room, demand
            ):
                break
            _give_parts(demand, knee)
            scale[:] = np.float32(1)
            _lower_scale(demand, halved, scale)
            _scale_row(cb[row], scale)
            _scale_row(cr[row], scale)


@loop
def rein_scale(luma, cb, cr, size, halved, column_taps, rows, codes, gains, limits, knee, giving, gives, scale):
    """One round of the same where rows share sites: the scale that every site needs.

    rows: for each luma row the two rows of sites that it reads, and the share of the second; ``gives``: whether luma gives
    way; ``scale``: (rows, columns) float32, lowered in place. Returns the number of pixels over the knee.
    """
    width, height = size
    first, second, weight = rows
    columns = cb.shape[1]
    site_b, site_r = np.empty(columns + 2, np.float32), np.empty(columns + 2, np.float32)
    room, demand = np.empty((2, 2 * columns), np.float32), np.empty(width, np.float32)
    reined = 0
    for row in range(height):
        upper, lower, share = first[row], second[row], weight[row]
        _site_row(cb, upper, lower, share, site_b)
        _site_row(cr, upper, lower, share, site_r)
        line = luma[row, :width]
        count = _asked(line, site_b, site_r, halved, column_taps, codes, gains, limits, knee, giving, gives, room, demand)
        if count:
            reined += count
            _give_parts(demand, knee)
            _lower_scale(demand, halved, scale[upper])
            if lower != upper:
                _lower_scale(demand, halved, scale[lower])
    return reined
