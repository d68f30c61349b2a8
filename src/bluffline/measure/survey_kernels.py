"""Compiled loops of the survey. Functions only; shapes and units are checked by `frame_measure`."""

import numba
import numpy as np

# NaN never occurs and signed zeros don't matter, which lets extremes be found in vector registers.
_FAST = {"nnan", "nsz", "ninf", "contract"}


@numba.njit(nogil=True, cache=True)
def count_codes(plane, left, right, top, bottom, bins):
    """Histogram of a region; four counters in turn, since flat pictures would wait on one.

    plane: (rows, stride) unsigned. Returns (bins,) int64.
    """
    counts = np.zeros((4, bins), np.int32)
    width = right - left
    quads = width // 4 * 4
    for row in range(top, bottom):
        line = plane[row, left:right]
        for x in range(0, quads, 4):
            counts[0, line[x]] += 1
            counts[1, line[x + 1]] += 1
            counts[2, line[x + 2]] += 1
            counts[3, line[x + 3]] += 1
        for x in range(quads, width):
            counts[0, line[x]] += 1
    total = np.zeros(bins, np.int64)
    for code in range(bins):
        total[code] = np.int64(counts[0, code]) + counts[1, code] + counts[2, code] + counts[3, code]
    return total


@numba.njit(nogil=True, cache=True, fastmath=_FAST)
def _outer_components(line, row_b, row_r, black, per_swing, gains, highest, lowest):
    """The greatest and least of R′, G′, B′ at each pixel of a row, in steps of 1/65536 (integers reduce in registers)."""
    red_cr, green_cb, green_cr, blue_cb = gains
    for x in range(line.shape[0]):
        y = (np.float32(line[x]) - black) * per_swing
        r = y + red_cr * row_r[x]
        g = y + green_cb * row_b[x] + green_cr * row_r[x]
        b = y + blue_cb * row_b[x]
        high = r if r > g else g
        low = r if r < g else g
        highest[x] = np.int32((high if high > b else b) * np.float32(65536.0))
        lowest[x] = np.int32((low if low < b else b) * np.float32(65536.0))


@numba.njit(nogil=True, cache=True)
def _tally(highest, lowest, floor, ceiling, extremes, outside):
    """Fold one row into the extremes (least, greatest) and the counts (below, above)."""
    greatest, least = extremes[1], extremes[0]
    for x in range(highest.shape[0]):
        greatest = highest[x] if highest[x] > greatest else greatest
        least = lowest[x] if lowest[x] < least else least
    extremes[0], extremes[1] = least, greatest
    # The sign of the difference is −1 for each pixel outside: counted without a branch.
    above, below = np.int32(0), np.int32(0)
    for x in range(highest.shape[0]):
        above = np.int32(above + ((ceiling - highest[x]) >> 31))
        below = np.int32(below + ((lowest[x] - floor) >> 31))
    outside[0] -= below
    outside[1] -= above


@numba.njit(nogil=True, cache=True, fastmath=_FAST)
def _site_row(plane, first, second, share, left, zero, per_span, out):
    """One chroma row at a luma row's height, −0.5 … 0.5; ``out`` has one held column on each side."""
    upper, lower = plane[first], plane[second]
    sites = out.shape[0] - 2
    if share == 0:
        for k in range(sites):
            out[k + 1] = (np.float32(upper[left + k]) - zero) * per_span
    else:
        for k in range(sites):
            c0, c1 = np.float32(upper[left + k]), np.float32(lower[left + k])
            out[k + 1] = (c0 + (c1 - c0) * share - zero) * per_span
    out[0] = out[1]
    out[sites + 1] = out[sites]


@numba.njit(nogil=True, cache=True, fastmath=_FAST)
def _widen(sites, taps, out):
    """Chroma sites to luma columns by the four taps of `ColumnTaps`."""
    even_before, even, odd, odd_after = taps
    for k in range(sites.shape[0] - 2):
        out[2 * k] = even_before * sites[k] + even * sites[k + 1]
        out[2 * k + 1] = odd * sites[k + 1] + odd_after * sites[k + 2]


@numba.njit(nogil=True, cache=True)
def rgb_extremes(luma, cb, cr, region, halved, column_taps, rows, codes, gains, limits):
    """R′G′B′ extremes and the pixels outside limits, chroma interpolated to luma sites.

    luma, cb, cr: (rows, stride) unsigned; region: left, right, top, bottom in luma samples, ``left`` even where chroma is
    halved; column_taps: 4 float32; rows: first, second, weight of `RowTaps`; codes: black, 1/swing, zero, 1/span;
    gains: red_cr, green_cb, green_cr, blue_cb; limits: low, high. The signal is 0 … 1, all float32.
    Chroma at the region's edge is held. Returns (least, greatest, pixels below, pixels above).
    """
    left, right, top, bottom = region
    black, per_swing, zero, per_span = codes
    first, second, weight = rows
    width = right - left
    sites = (width + 1) // 2 if halved else width
    site_left = left // 2 if halved else left
    site_b, site_r = np.empty(sites + 2, np.float32), np.empty(sites + 2, np.float32)
    wide_b, wide_r = np.empty(2 * sites, np.float32), np.empty(2 * sites, np.float32)
    highest, lowest = np.empty(width, np.int32), np.empty(width, np.int32)
    extremes = np.array([1 << 24, -(1 << 24)], np.int32)
    outside = np.zeros(2, np.int64)
    floor, ceiling = np.int32(limits[0] * 65536.0), np.int32(limits[1] * 65536.0)
    for row in range(top, bottom):
        _site_row(cb, first[row], second[row], weight[row], site_left, zero, per_span, site_b)
        _site_row(cr, first[row], second[row], weight[row], site_left, zero, per_span, site_r)
        line = luma[row, left:right]
        if halved:
            _widen(site_b, column_taps, wide_b)
            _widen(site_r, column_taps, wide_r)
            _outer_components(line, wide_b, wide_r, black, per_swing, gains, highest, lowest)
        else:
            _outer_components(line, site_b[1:], site_r[1:], black, per_swing, gains, highest, lowest)
        _tally(highest, lowest, floor, ceiling, extremes, outside)
    return extremes[0] / 65536.0, extremes[1] / 65536.0, outside[0], outside[1]


@numba.njit(nogil=True, cache=True, fastmath=_FAST)
def ycbcr_from_rgb(red, green, blue, width, height, weights, zero, top):
    """Y′, Cb and Cr codes of an R′G′B′ picture at its own depth, 4:4:4, rounded.

    weights: Kr, Kg, Kb, then codes of Cb and of Cr for each code of B′−Y′ and R′−Y′; ``zero``: code of no chroma; ``top``: the
    greatest code. All float32. Returns three (height, width) planes.
    """
    kr, kg, kb, per_b, per_r = weights
    luma = np.empty((height, width), red.dtype)
    cb = np.empty((height, width), red.dtype)
    cr = np.empty((height, width), red.dtype)
    half, least = np.float32(0.5), np.float32(0.0)
    for row in range(height):
        for x in range(width):
            r, g, b = np.float32(red[row, x]), np.float32(green[row, x]), np.float32(blue[row, x])
            y = kr * r + kg * g + kb * b
            luma[row, x] = red.dtype.type(y + half)
            cb[row, x] = red.dtype.type(min(max((b - y) * per_b + zero, least), top) + half)
            cr[row, x] = red.dtype.type(min(max((r - y) * per_r + zero, least), top) + half)
    return luma, cb, cr


@numba.njit(nogil=True, cache=True)
def count_outside(red, green, blue, region, low, high):
    """Pixels of an R′G′B′ picture with any component under ``low`` or over ``high`` (codes)."""
    left, right, top, bottom = region
    below = above = np.int64(0)
    for row in range(top, bottom):
        r, g, b = red[row, left:right], green[row, left:right], blue[row, left:right]
        row_below = row_above = np.int32(0)
        for x in range(right - left):
            row_below += np.int32((r[x] < low) | (g[x] < low) | (b[x] < low))
            row_above += np.int32((r[x] > high) | (g[x] > high) | (b[x] > high))
        below += row_below
        above += row_above
    return below, above


@numba.njit(nogil=True, cache=True)
def block_sums(plane, left, right, top, bottom, columns, rows, row_step):
    """Sums of a plane over a grid of blocks, reading every ``row_step``-th line. Returns (rows, columns) int64."""
    sums = np.zeros((rows, columns), np.int64)
    width, height = right - left, bottom - top
    for row in range(top, bottom, row_step):
        block = (row - top) * rows // height
        for column in range(columns):
            part = plane[row, left + column * width // columns : left + (column + 1) * width // columns]
            total = np.int64(0)
            for x in range(part.shape[0]):
                total += np.int64(part[x])
            sums[block, column] += total
    return sums


@numba.njit(nogil=True, cache=True)
def plateau_shape(luma, left, right, top, bottom, low, high, unlike, reach, jump):
    """How the pixels with codes ``low`` … ``high`` lie in the picture.

    A pixel touches when its right and lower neighbours are in the window too, no more than ``unlike`` codes away. An
    edge is where a run of window pixels begins or ends in its row, and is hard when the picture ``reach`` pixels
    further out is more than ``jump`` codes away. Straight edges stand in columns that hold one on most rows of the
    picture. Returns (pixels touching, edges, hard edges, straight edges).
    """
    width = right - left
    touching = edges = hard = np.int64(0)
    columns = np.zeros(width, np.int32)
    for row in range(top, bottom):
        line = luma[row, left:right]
        under = luma[min(row + 1, bottom - 1), left:right]
        count = np.int32(0)
        for x in range(width - 1):
            here, right_code, under_code = np.int32(line[x]), np.int32(line[x + 1]), np.int32(under[x])
            inside = (here >= low) & (here <= high)
            alike = (abs(right_code - here) <= unlike) & (abs(under_code - here) <= unlike)
            together = (right_code >= low) & (right_code <= high) & (under_code >= low) & (under_code <= high)
            count += np.int32(inside & alike & together)
        touching += count
        for x in range(width - 1):
            here = (line[x] >= low) and (line[x] <= high)
            if here == ((line[x + 1] >= low) and (line[x + 1] <= high)):
                continue
            beyond = np.int64(line[min(x + reach, width - 1)] if here else line[max(x + 1 - reach, 0)])
            edges += 1
            columns[x] += 1
            if beyond > np.int64(high) + jump or beyond < np.int64(low) - jump:
                hard += 1
    straight = np.int64(0)
    tall = (bottom - top) * 57 // 100  # the coloured part of RP 219 bars is 7/12 of the picture's height
    for x in range(width):
        near = columns[x]
        if x > 0:
            near += columns[x - 1]
        if x + 1 < width:
            near += columns[x + 1]
        if near > tall:
            straight += columns[x]
    return touching, edges, hard, straight
