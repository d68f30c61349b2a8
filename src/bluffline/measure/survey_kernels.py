"""Compiled loops of the survey. Functions only; shapes and units are checked by `frame_measure`."""

import numpy as np

from bluffline.loops import free_loop, loop
from bluffline.measure.rgb_kernels import judge_rows

_BAND = 16  # rows taken together


@loop
def _counters(bins):
    """Four counters for every code, since flat pictures would wait on one.

    Those of a code must not lie a multiple of 4096 bytes apart: the processor would take one for another and wait.
    """
    return np.zeros((4, bins + 16), np.int32)


@loop
def _count(counters, plane, left, right, top, bottom):
    """Add the codes of a part of a plane to its counters."""
    quads = (right - left) // 4 * 4
    for row in range(top, bottom):
        line = plane[row, left:right]
        for x in range(0, quads, 4):
            counters[0, line[x]] += 1
            counters[1, line[x + 1]] += 1
            counters[2, line[x + 2]] += 1
            counters[3, line[x + 3]] += 1
        for x in range(quads, right - left):
            counters[0, line[x]] += 1


@loop
def count_codes(plane, left, right, top, bottom, bins):
    """Histogram of a region. plane: (rows, stride) unsigned. Returns (bins,) int64."""
    counters = _counters(bins)
    _count(counters, plane, left, right, top, bottom)
    return counters.sum(axis=0)[:bins]


@loop
def extremes_and_counts(luma, cb, cr, region, halved_down, halved, column_taps, rows, codes, gains, limits, bins):
    """What `judge_rows` finds of a region, and its histograms of Y′, Cb and Cr: in bands, each still in the cache.

    Returns (least, greatest, pixels below, above, outside) and (3, bins) int64.
    """
    left, right, top, bottom = region
    site_left, site_right = (left // 2, (right + 1) // 2) if halved else (left, right)
    y, b, r = _counters(bins), _counters(bins), _counters(bins)
    least, greatest, below, above, outside = np.inf, -np.inf, np.int64(0), np.int64(0), np.int64(0)
    for start in range(top, bottom, _BAND):
        stop = min(start + _BAND, bottom)
        band = (left, right, start, stop)
        found = judge_rows(luma, cb, cr, band, halved, column_taps, rows, codes, gains, limits)
        least, greatest = min(least, found[0]), max(greatest, found[1])
        below, above, outside = below + found[2], above + found[3], outside + found[4]
        site_top, site_bottom = ((start + (start > top)) // 2, (stop + 1) // 2) if halved_down else (start, stop)
        _count(y, luma, left, right, start, stop)
        _count(b, cb, site_left, site_right, site_top, site_bottom)
        _count(r, cr, site_left, site_right, site_top, site_bottom)
    histograms = np.empty((3, bins), np.int64)
    histograms[0], histograms[1], histograms[2] = y.sum(axis=0)[:bins], b.sum(axis=0)[:bins], r.sum(axis=0)[:bins]
    return (least, greatest, below, above, outside), histograms


@free_loop
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


@loop
def count_outside(red, green, blue, luma, region, low, high, dark, light):
    """Pixels of an R′G′B′ picture with any component under ``low`` or over ``high``, and outside those or luma's limits."""
    left, right, top, bottom = region
    below = above = outside = np.int64(0)
    for row in range(top, bottom):
        r, g, b, y = red[row, left:right], green[row, left:right], blue[row, left:right], luma[row, left:right]
        row_below = row_above = row_outside = np.int32(0)
        for x in range(right - left):
            under = (r[x] < low) | (g[x] < low) | (b[x] < low)
            over = (r[x] > high) | (g[x] > high) | (b[x] > high)
            row_below += np.int32(under)
            row_above += np.int32(over)
            row_outside += np.int32(under | over | (y[x] < dark) | (y[x] > light))
        below += row_below
        above += row_above
        outside += row_outside
    return below, above, outside


@loop
def _beside_no_edge(luma, row, x, least, most):
    """Whether all pixels up to 7 away, along the row, down the column and across both, are from ``least`` to ``most``."""
    for down, across in ((0, 1), (1, 0), (1, 1), (1, -1)):
        for away in range(-7, 8):
            code = luma[row + down * away, x + across * away]
            if code < least or code > most:
                return False
    return True


@loop
def count_free(luma, left, right, top, bottom, first, after, least, most, step):
    """Pixels with codes from ``first`` to before ``after`` that lie beside no edge: of every ``step``-th in row and column."""
    count = np.int64(0)
    for row in range(top + 7, bottom - 7, step):
        for x in range(left + 7, right - 7, step):
            code = luma[row, x]
            if code >= first and code < after and _beside_no_edge(luma, row, x, least, most):
                count += 1
    return count


@loop
def first_beyond(plane, width, height, low, high):
    """Row and column of the first code under ``low`` or from ``high`` on; the height and 0 where there is none."""
    for row in range(height):
        for x in range(width):
            if plane[row, x] < low or plane[row, x] >= high:
                return row, x
    return height, 0


@loop
def blank_edges(luma, width, height, ceiling, flat):
    """How many rows at the top and bottom, and columns at the left and right, are blanking: dark in the mean, and flat.

    luma: (rows, stride) codes; ceiling: of the mean; flat: greatest standard deviation, both in codes. Every fourth sample of a
    line is read. Returns (top, bottom, left, right); top is the height where every row is blank.
    """
    top, bottom, left, right = 0, 0, 0, 0
    while top < height and _blank_line(luma[top, :width], ceiling, flat):
        top += 1
    if top == height:
        return top, 0, 0, 0
    while _blank_line(luma[height - 1 - bottom, :width], ceiling, flat):
        bottom += 1
    inner = luma[top : height - bottom]
    while left < width - 1 and _blank_line(inner[:, left], ceiling, flat):
        left += 1
    while right < width - 1 - left and _blank_line(inner[:, width - 1 - right], ceiling, flat):
        right += 1
    return top, bottom, left, right


@loop
def _blank_line(line, ceiling, flat):
    total, squares, count = 0.0, 0.0, 0
    for x in range(0, line.shape[0], 4):
        code = np.float64(line[x])
        total += code
        squares += code * code
        count += 1
    mean = total / count
    return mean < ceiling and squares / count - mean * mean < flat * flat


@loop
def mark_codes(plane, low, high, above, below, marks):
    """Or ``above`` and ``below`` into the marks of pixels with codes over ``high`` or under ``low``.

    plane: (rows, stride); marks: (rows, columns) uint8.
    """
    for row in range(marks.shape[0]):
        line, out = plane[row], marks[row]
        for x in range(out.shape[0]):
            out[x] |= (above if line[x] > high else np.uint8(0)) | (below if line[x] < low else np.uint8(0))


@loop
def block_sums(plane, left, right, top, bottom, columns, rows, row_step):
    """Sums of a plane over a grid of blocks, reading every ``row_step``-th line. Returns (rows, columns) int64."""
    sums = np.zeros((rows, columns), np.int64)
    width, height = right - left, bottom - top
    for row in range(top, bottom, row_step):
        block = (row - top) * rows // height
        for column in range(columns):
            part = plane[row, left + column * width // columns : left + (column + 1) * width // columns]
            total = np.uint32(0)  # of one line: never too large
            for x in range(part.shape[0]):
                total = np.uint32(total + np.uint32(part[x]))
            sums[block, column] += total
    return sums


@loop
def _apart(line, before, first, after):
    total = np.int64(0)
    for x in range(first, after):
        total += abs(np.int64(line[x]) - np.int64(before[x]))
    return total


@loop
def ends_of_full(luma, cb, cr, region, every, apart, codes, gains, near, beyond, coloured):
    """How R′G′B′ meets its ends, of every ``every``-th column and row of a region, with the chroma that each is stored with.

    apart: luma samples from one chroma site to the next, across and down. codes and gains: of `rgb_arithmetic`. Returns, as
    pixels: coloured ones whose least component lies within ``near`` of 0, those that lie more than ``beyond`` under it, the
    same of the greatest at and over 1, and all that were looked at.
    """
    left, right, top, bottom = region
    across, down = apart
    black, fine, zero, chroma_fine = codes
    red_cr, green_cb, green_cr, blue_cb = gains
    one = np.float32(1)
    met_black = passed_black = met_white = passed_white = looked = np.int64(0)
    for row in range(-(-top // every) * every, bottom, every):
        for column in range(-(-left // every) * every, right, every):
            site_row, site = row // down, column // across
            y = (np.float32(luma[row, column]) - black) * fine
            b = (np.float32(cb[site_row, site]) - zero) * chroma_fine
            r = (np.float32(cr[site_row, site]) - zero) * chroma_fine
            red, green, blue = y + red_cr * r, y + green_cb * b + green_cr * r, y + blue_cb * b
            least, greatest = min(red, green, blue), max(red, green, blue)
            has_colour = max(abs(b), abs(r)) > coloured
            met_black += has_colour and abs(least) < near
            passed_black += least < -beyond
            met_white += has_colour and abs(greatest - one) < near
            passed_white += greatest > one + beyond
            looked += 1
    return met_black, passed_black, met_white, passed_white, looked


@loop
def change(samples, before, tile):
    """How far samples (H, W) are from those before: the sum of all differences, and the greatest mean of a square of ``tile``.

    What is left over at the right and below belongs to no square.
    """
    height, width = samples.shape
    columns = max(width // tile, 1)
    sums = np.zeros(columns, np.int64)
    total, most = np.int64(0), 0.0
    for y in range(height):
        for place in range(columns):
            apart = _apart(samples[y], before[y], place * tile, min((place + 1) * tile, width))
            total += apart
            sums[place] += apart
        total += _apart(samples[y], before[y], min(columns * tile, width), width)
        if (y + 1) % tile == 0:
            most = max(most, sums.max() / (tile * tile))
            sums[:] = 0
    return total, most
