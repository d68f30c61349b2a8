"""Compiled loops of a treatment. Functions only; `frame_treatment` checks and prepares what they take."""

import numba
import numpy as np

from bluffline.measure.survey_kernels import _widen

_FAST = {"nnan", "nsz", "ninf", "contract"}


@numba.njit(nogil=True, cache=True)
def map_codes(plane, width, table):
    """Each code through a table. plane: (rows, stride); returns (rows, width) of the table's dtype."""
    out = np.empty((plane.shape[0], width), table.dtype)
    for row in range(plane.shape[0]):
        for x in range(width):
            out[row, x] = table[plane[row, x]]
    return out


@numba.njit(nogil=True, cache=True, fastmath=_FAST)
def load_chroma(plane, columns, zero, per_span):
    """Chroma codes to −0.5 … 0.5. plane: (rows, stride); returns (rows, columns) float32."""
    out = np.empty((plane.shape[0], columns), np.float32)
    for row in range(plane.shape[0]):
        for k in range(columns):
            out[row, k] = (np.float32(plane[row, k]) - zero) * per_span
    return out


@numba.njit(nogil=True, cache=True)
def store_chroma(sites, zero, span, top, like):
    """−0.5 … 0.5 to rounded codes between 0 and ``top``, of the dtype of ``like``."""
    out = np.empty(sites.shape, like.dtype)
    for row in range(sites.shape[0]):
        for k in range(sites.shape[1]):
            code = np.float32(sites[row, k] * span + zero)
            out[row, k] = like.dtype.type(min(max(code, np.float32(0)), top) + np.float32(0.5))
    return out


@numba.njit(nogil=True, cache=True)
def scale_by_luma(luma, width, height, across, down, gains, cb, cr):
    """Scale chroma sites in place by the mean gain of the luma pixels each site stands for."""
    for row in range(cb.shape[0]):
        for k in range(cb.shape[1]):
            total, count = np.float32(0), np.float32(0)
            for y in range(row * down, min(row * down + down, height)):
                for x in range(k * across, min(k * across + across, width)):
                    total += gains[luma[y, x]]
                    count += np.float32(1)
            cb[row, k] *= total / count
            cr[row, k] *= total / count


@numba.njit(nogil=True, cache=True, fastmath=_FAST)
def _demand_row(luma_row, row_b, row_r, black, per_swing, gains, low, high, demand):
    """How much of the largest legal chroma each pixel asks for: above 1, R′, G′ or B′ leaves the limits."""
    red_cr, green_cb, green_cr, blue_cb = gains
    least = np.float32(1e-6)
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
        demand[x] = rise if rise > fall else fall


@numba.njit(nogil=True, cache=True)
def rein_scale(luma, cb, cr, size, halved, column_taps, rows, codes, gains, limits, knee):
    """The chroma scale that every chroma site needs, so that each luma pixel it reaches becomes legal.

    luma: treated codes (height, ≥ width); cb, cr: (rows, columns) float32 sites; codes: black, 1/swing; limits: low, high
    (0 … 1); ``knee``: demand from which chroma is rolled off, 1 for none. Returns (scale (rows, columns) float32,
    number of pixels over the knee).
    """
    width, height = size
    black, per_swing = codes
    first, second, weight = rows
    columns = cb.shape[1]
    scale = np.ones(cb.shape, np.float32)
    site_b, site_r = np.empty(columns + 2, np.float32), np.empty(columns + 2, np.float32)
    wide_b, wide_r = np.empty(2 * columns, np.float32), np.empty(2 * columns, np.float32)
    demand = np.empty(width, np.float32)
    one, room = np.float32(1), np.float32(1) - knee
    reined = 0
    for row in range(height):
        upper, lower, share = first[row], second[row], weight[row]
        for k in range(columns):
            site_b[k + 1] = cb[upper, k] + (cb[lower, k] - cb[upper, k]) * share
            site_r[k + 1] = cr[upper, k] + (cr[lower, k] - cr[upper, k]) * share
        site_b[0], site_r[0] = site_b[1], site_r[1]
        site_b[columns + 1], site_r[columns + 1] = site_b[columns], site_r[columns]
        line = luma[row, :width]
        if halved:
            _widen(site_b, column_taps, wide_b)
            _widen(site_r, column_taps, wide_r)
            _demand_row(line, wide_b, wide_r, black, per_swing, gains, limits[0], limits[1], demand)
        else:
            _demand_row(line, site_b[1:], site_r[1:], black, per_swing, gains, limits[0], limits[1], demand)
        for x in range(width):
            asked = demand[x]
            if asked <= knee:
                continue
            reined += 1
            allowed = one
            if room > 0:
                over = (asked - knee) / room
                allowed = knee + room * over / (one + over)
            part = allowed / asked
            site = x // 2 if halved else x
            for reached in (upper, lower):
                scale[reached, site] = min(scale[reached, site], part)
                if halved and x % 2 == 1 and site + 1 < columns:
                    scale[reached, site + 1] = min(scale[reached, site + 1], part)
    return scale, reined


@numba.njit(nogil=True, cache=True)
def treat_rgb(red, green, blue, width, height, weights, codes, table, table_start, table_step, rein, limits, knee, top):
    """Treat an R′G′B′ picture pixel by pixel.

    weights: Kr, Kg, Kb; codes: black, swing; table: (N, 2) float32 of treated luma (0 … 1) and chroma gain, read with
    linear interpolation from ``table_start`` in steps of ``table_step``; ``rein``: whether the limits are held.
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
                out[c, row, x] = red.dtype.type(min(max(code, np.float32(0)), top) + np.float32(0.5))
    return out
