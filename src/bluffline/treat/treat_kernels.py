"""Compiled loops of a treatment. Functions only; `frame_treatment` checks and prepares what they take."""

import numpy as np

from bluffline.loops import free_loop, loop
from bluffline.measure.rgb_kernels import widen

_GREY = np.float32(1e-4)  # R′G′B′ of a pixel that differ by less are equal: its chroma is none


@loop
def map_codes(plane, width, table):
    """Each code through a table. plane: (rows, stride); returns (rows, width) of the table's dtype."""
    out = np.empty((plane.shape[0], width), table.dtype)
    for row in range(plane.shape[0]):
        for x in range(width):
            out[row, x] = table[plane[row, x]]
    return out


@free_loop
def load_chroma(plane, columns, zero, per_span):
    """Chroma codes to −0.5 … 0.5. plane: (rows, stride); returns (rows, columns) float32."""
    out = np.empty((plane.shape[0], columns), np.float32)
    for row in range(plane.shape[0]):
        for k in range(columns):
            out[row, k] = (np.float32(plane[row, k]) - zero) * per_span
    return out


@loop
def store_chroma(sites, zero, span, bounds, like):
    """−0.5 … 0.5 to rounded codes between two bounds, of the dtype of ``like``."""
    out = np.empty(sites.shape, like.dtype)
    for row in range(sites.shape[0]):
        for k in range(sites.shape[1]):
            code = np.float32(sites[row, k] * span + zero)
            out[row, k] = like.dtype.type(min(max(code, bounds[0]), bounds[1]) + np.float32(0.5))
    return out


@loop
def scale_by_luma(luma, width, across, down, gains, cb, cr):
    """Scale chroma sites in place by the mean gain of the luma pixels each site stands for."""
    last_row = luma.shape[0] - 1
    for row in range(cb.shape[0]):
        upper, lower = luma[row * down], luma[min(row * down + down - 1, last_row)]
        for k in range(cb.shape[1]):
            x = k * across
            beside = min(x + across - 1, width - 1)
            gain = gains[upper[x]] + gains[upper[beside]] if across > 1 else np.float32(2) * gains[upper[x]]
            if down > 1:
                gain = np.float32(0.5) * (gain + gains[lower[x]] + gains[lower[beside]])
            cb[row, k] *= np.float32(0.5) * gain
            cr[row, k] *= np.float32(0.5) * gain


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
def _site_row(sites, upper, lower, share, out):
    """One row of chroma sites at a luma row's height; ``out`` has one held column on each side."""
    first, second = sites[upper], sites[lower]
    columns = first.shape[0]
    for k in range(columns):
        out[k + 1] = first[k] + (second[k] - first[k]) * share
    out[0] = out[1]
    out[columns + 1] = out[columns]


@free_loop
def _ground(over, give):
    """How far inside a limit luma may be moved that is so far over it (below 0: inside); all of ``give`` near it."""
    share = (over + give) / (np.float32(0.75) * give)
    return give * min(max(share, np.float32(0)), np.float32(1)) + np.float32(2) * max(over, np.float32(0))


@free_loop
def _give_row(line, row_b, row_r, codes, gains, limits, room, give, bounds):
    """Luma of a row that stands in the way of its own chroma moved inwards: see `give_way`. Returns how many pixels were."""
    red_cr, green_cb, green_cr, blue_cb = gains
    black, swing = codes
    low, high = limits
    count = np.int32(0)
    for x in range(line.shape[0]):
        r = red_cr * row_r[x]
        g = green_cb * row_b[x] + green_cr * row_r[x]
        b = blue_cb * row_b[x]
        up, under = max(r, g, b), min(r, g, b)
        y = (np.float32(line[x]) - black) / swing
        away = room if up - under > _GREY else np.float32(0)
        top, foot = _ground(y - high, give), _ground(low - y, give)
        most, least = max(high - away - up, high - top), min(low + away - under, low + foot)
        code = np.int32(line[x])
        if y > most and y > least:
            code = max(np.int32(np.floor(most * swing + black)), np.int32(bounds[0]))
        elif y < least and y < most:
            code = min(np.int32(np.ceil(least * swing + black)), np.int32(bounds[1]))
        count = np.int32(count + np.int32(code != np.int32(line[x])))
        line[x] = line.dtype.type(code)
    return count


@loop
def give_way(luma, cb, cr, size, halved, column_taps, rows, codes, gains, limits, room, give, bounds):
    """Move luma inwards where R′, G′ or B′ leaves the limits (0 … 1) though luma stands within ``give`` of one, or beyond it.

    It moves by what makes room for the pixel's chroma and, but in a grey, for its rounding (``room``), and no further in than
    ``give`` from the limit, twice as much as it was over it besides. luma: codes (height, ≥ width), changed in place; cb, cr:
    (rows, columns) float32 sites; codes: black, swing; bounds: least and greatest code of luma. Returns how many were moved.
    """
    width, height = size
    first, second, weight = rows
    columns = cb.shape[1]
    site_b, site_r = np.empty(columns + 2, np.float32), np.empty(columns + 2, np.float32)
    wide_b, wide_r = np.empty(2 * columns, np.float32), np.empty(2 * columns, np.float32)
    moved = 0
    for row in range(height):
        _site_row(cb, first[row], second[row], weight[row], site_b)
        _site_row(cr, first[row], second[row], weight[row], site_r)
        line = luma[row, :width]
        if halved:
            widen(site_b, column_taps, wide_b)
            widen(site_r, column_taps, wide_r)
            moved += _give_row(line, wide_b, wide_r, codes, gains, limits, room, give, bounds)
        else:
            moved += _give_row(line, site_b[1:], site_r[1:], codes, gains, limits, room, give, bounds)
    return moved


@loop
def _lower_scale(demand, knee, halved, scale_row):
    """Lower the scale of every chroma site that a demanding pixel reads, to what that pixel needs."""
    one, room = np.float32(1), np.float32(1) - knee
    columns = scale_row.shape[0]
    for x in range(demand.shape[0]):
        asked = demand[x]
        if asked <= knee:
            continue
        allowed = one
        if room > 0:
            over = (asked - knee) / room
            allowed = knee + room * over / (one + over)
        part = allowed / asked
        site = x // 2 if halved else x
        scale_row[site] = min(scale_row[site], part)
        if halved and x % 2 == 1 and site + 1 < columns:
            scale_row[site + 1] = min(scale_row[site + 1], part)


@loop
def rein_scale(luma, cb, cr, size, halved, column_taps, rows, codes, gains, limits, knee, scale, busy):
    """The chroma scale that every chroma site needs, so that each luma pixel it reaches becomes legal.

    luma: treated codes (height, ≥ width); cb, cr: (rows, columns) float32 sites; codes: black, 1/swing; limits: low, high
    (0 … 1); ``knee``: demand from which chroma is rolled off, 1 for none; ``scale``: (rows, columns) float32, lowered in
    place; ``busy``: (height,) bool, the luma rows to look at, cleared where nothing was reined. Returns the number of
    pixels over the knee.
    """
    width, height = size
    black, per_swing = codes
    first, second, weight = rows
    columns = cb.shape[1]
    site_b, site_r = np.empty(columns + 2, np.float32), np.empty(columns + 2, np.float32)
    wide_b, wide_r = np.empty(2 * columns, np.float32), np.empty(2 * columns, np.float32)
    demand = np.empty(width, np.float32)
    reined = 0
    for row in range(height):
        if not busy[row]:
            continue
        upper, lower, share = first[row], second[row], weight[row]
        _site_row(cb, upper, lower, share, site_b)
        _site_row(cr, upper, lower, share, site_r)
        line = luma[row, :width]
        if halved:
            widen(site_b, column_taps, wide_b)
            widen(site_r, column_taps, wide_r)
            count = _demand_row(line, wide_b, wide_r, black, per_swing, gains, limits[0], limits[1], knee, demand)
        else:
            count = _demand_row(line, site_b[1:], site_r[1:], black, per_swing, gains, limits[0], limits[1], knee, demand)
        busy[row] = count > 0
        if count:
            reined += count
            _lower_scale(demand, knee, halved, scale[upper])
            if lower != upper:
                _lower_scale(demand, knee, halved, scale[lower])
    return reined


@loop
def treat_rgb(
    red, green, blue, width, height, weights, codes, table, table_start, table_step, rein, limits, knee, give, bounds
):
    """Treat an R′G′B′ picture pixel by pixel.

    weights: Kr, Kg, Kb; codes: black, swing; table: (N, 2) float32 of treated luma (0 … 1) and chroma gain, read with
    linear interpolation from ``table_start`` in steps of ``table_step``; ``rein``: whether the limits are held, with luma
    giving way first (see `give_way`); bounds: least and greatest code that is stored.
    Returns three (height, width) planes.
    """
    kr, kg, kb = weights
    black, swing = codes
    out = np.empty((3, height, width), red.dtype)
    value = np.empty(3, np.float32)
    one, least = np.float32(1), np.float32(1e-6)
    for row in range(height):
        for x in range(width):
            value[0] = (np.float32(red[row, x]) - black) / swing
            value[1] = (np.float32(green[row, x]) - black) / swing
            value[2] = (np.float32(blue[row, x]) - black) / swing
            luma = kr * value[0] + kg * value[1] + kb * value[2]
            place = (luma - table_start) / table_step
            index = min(max(int(place), 0), table.shape[0] - 2)
            part = np.float32(place - index)
            treated = table[index, 0] + (table[index + 1, 0] - table[index, 0]) * part
            gain = table[index, 1] + (table[index + 1, 1] - table[index, 1]) * part
            demand = np.float32(0)
            for c in range(3):
                value[c] = (value[c] - luma) * gain
            if rein:
                most = max(limits[1] - max(value[0], value[1], value[2]), limits[1] - _ground(treated - limits[1], give))
                under = min(limits[0] - min(value[0], value[1], value[2]), limits[0] + _ground(limits[0] - treated, give))
                if treated > most and treated > under:
                    treated = most
                elif treated < under and treated < most:
                    treated = under
            for c in range(3):
                space = limits[1] - treated if value[c] > 0 else treated - limits[0]
                demand = max(demand, abs(value[c]) / max(space, least))
            scale = one
            if rein and demand > knee:
                allowed = one
                if knee < one:
                    over = (demand - knee) / (one - knee)
                    allowed = knee + (one - knee) * over / (one + over)
                scale = allowed / demand
            for c in range(3):
                code = (treated + value[c] * scale) * swing + black
                out[c, row, x] = red.dtype.type(min(max(code, bounds[0]), bounds[1]) + np.float32(0.5))
    return out


@free_loop
def _look_up(table, size, red, green, blue):
    """One colour through a cube by tetrahedral interpolation; places are in cells. See `colour.tetrahedral`.

    table: (size³, 3) float32. Returns three float32.
    """
    one, zero, most = np.float32(1), np.float32(0), np.float32(size - 1)
    red, green, blue = min(max(red, zero), most), min(max(green, zero), most), min(max(blue, zero), most)
    last = np.int32(size - 2)
    r, g, b = min(np.int32(red), last), min(np.int32(green), last), min(np.int32(blue), last)
    x, y, z = red - np.float32(r), green - np.float32(g), blue - np.float32(b)
    by_red, by_green = size * size, size
    if x >= y:
        if y >= z:
            high, middle, low, first, second = x, y, z, by_red, by_red + by_green
        elif x >= z:
            high, middle, low, first, second = x, z, y, by_red, by_red + 1
        else:
            high, middle, low, first, second = z, x, y, 1, by_red + 1
    elif y < z:
        high, middle, low, first, second = z, y, x, 1, by_green + 1
    elif x >= z:
        high, middle, low, first, second = y, x, z, by_green, by_red + by_green
    else:
        high, middle, low, first, second = y, z, x, by_green, by_green + 1
    at = r * by_red + g * by_green + b
    one_on, two_on, far = table[at + first], table[at + second], table[at + by_red + by_green + 1]
    near = table[at]
    w0, w1, w2 = one - high, high - middle, middle - low
    return (
        near[0] * w0 + one_on[0] * w1 + two_on[0] * w2 + far[0] * low,
        near[1] * w0 + one_on[1] * w1 + two_on[1] * w2 + far[1] * low,
        near[2] * w0 + one_on[2] * w1 + two_on[2] * w2 + far[2] * low,
    )


@free_loop
def cube_ycbcr(luma, cb, cr, size, halved, column_taps, rows, codes, gains, weights, table, spread, out):
    """A Y′CbCr picture through a cube. Writes luma to ``out`` and returns what is to be added to chroma.

    luma: codes (height, ≥ width); cb, cr: (rows, columns) float32 sites; codes: black, swing, top; weights: Kr, Kg, Kb;
    table: (size³, 3) float32; spread: R′G′B′ of its first entry, entries per unit. Returns (2, height, columns) float32, at
    chroma's columns and luma's rows.
    """
    width, height = size
    black, swing, top = codes
    red_cr, green_cb, green_cr, blue_cb = gains
    kr, kg, kb = weights
    start, per_unit = spread
    first, second, weight = rows
    columns = cb.shape[1]
    site_b, site_r = np.empty(columns + 2, np.float32), np.empty(columns + 2, np.float32)
    wide_b, wide_r = np.empty(2 * columns, np.float32), np.empty(2 * columns, np.float32)
    changed = np.empty((2, width), np.float32)
    added = np.empty((2, height, columns), np.float32)
    side = round(table.shape[0] ** (1 / 3))
    half, quarter = np.float32(0.5), np.float32(0.25)
    to_b, to_r = half / (np.float32(1) - kb), half / (np.float32(1) - kr)
    for row in range(height):
        _site_row(cb, first[row], second[row], weight[row], site_b)
        _site_row(cr, first[row], second[row], weight[row], site_r)
        if halved:
            widen(site_b, column_taps, wide_b)
            widen(site_r, column_taps, wide_r)
        else:
            wide_b[:columns], wide_r[:columns] = site_b[1:-1], site_r[1:-1]
        for x in range(width):
            y, b, r = (np.float32(luma[row, x]) - black) / swing, wide_b[x], wide_r[x]
            red, green, blue = _look_up(
                table,
                side,
                (y + red_cr * r - start) * per_unit,
                (y + green_cb * b + green_cr * r - start) * per_unit,
                (y + blue_cb * b - start) * per_unit,
            )
            treated = kr * red + kg * green + kb * blue
            code = treated * swing + black + half
            out[row, x] = out.dtype.type(min(max(code, np.float32(0)), top))
            changed[0, x] = (blue - treated) * to_b - b
            changed[1, x] = (red - treated) * to_r - r
        for n in range(2):
            for k in range(columns):
                if halved:
                    x = 2 * k
                    before, after = max(x - 1, 0), min(x + 1, width - 1)
                    added[n, row, k] = quarter * (changed[n, before] + changed[n, after]) + half * changed[n, x]
                else:
                    added[n, row, k] = changed[n, k]
    return added


@loop
def cube_rgb(red, green, blue, width, codes, table, spread):
    """An R′G′B′ picture through a cube: (3, rows, width) codes. codes and spread as for `cube_ycbcr`."""
    black, swing, top = codes
    start, per_unit = spread
    out = np.empty((3, red.shape[0], width), red.dtype)
    side = round(table.shape[0] ** (1 / 3))
    for row in range(red.shape[0]):
        for x in range(width):
            r = ((np.float32(red[row, x]) - black) / swing - start) * per_unit
            g = ((np.float32(green[row, x]) - black) / swing - start) * per_unit
            b = ((np.float32(blue[row, x]) - black) / swing - start) * per_unit
            for n, value in enumerate(_look_up(table, side, r, g, b)):
                code = value * swing + black + np.float32(0.5)
                out[n, row, x] = red.dtype.type(min(max(code, np.float32(0)), top))
    return out
