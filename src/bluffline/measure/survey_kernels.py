"""Compiled loops of the survey. Functions only; shapes and units are checked by `frame_measure`."""

import numpy as np

from bluffline.loops import free_loop, loop
from bluffline.measure.rgb_kernels import judge_rows

_BAND = 16  # rows taken together
_NONE_INSIDE, _ALL_INSIDE = np.uint64(0), np.uint64(0x0101010101010101)  # eight marks of a row at once


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
def pile_up(histogram, half, stray, contrast, share, fuller, windows):
    """First and last code of a pile-up at the upper end of a histogram, ``half`` codes about its fullest.

    histogram: (bins,) int64; stray: share of the pixels that may lie beyond it, and at the other end; contrast: least codes
    between the two ends; share: of the pixels that it must hold; fuller: how much more than the mean of as many codes
    as ``windows`` of its size have below it. Returns a last code below the first where there is none.
    """
    pixels, size = histogram.sum(), 2 * half + 1
    total, bottom, last = np.int64(0), -1, -1
    for code in range(histogram.shape[0]):
        total += histogram[code]
        if bottom < 0 and total > pixels * stray:
            bottom = code
        if total >= pixels * (1 - stray):
            last = code
            break
    first = max(0, last - 2 * size)
    centre = first + np.argmax(histogram[first : last + 1])
    low, high = max(0, centre - half), min(histogram.shape[0] - 1, centre + half)
    count, inner = histogram[low : high + 1].sum(), histogram[max(0, low - windows * size) : low]
    mean_inner = inner.sum() * size / max(len(inner), 1)
    if last - bottom < contrast or count < share * pixels or count < fuller * mean_inner:
        return 0, -1
    return low, high


@loop
def _mark_window(line, low, high, inside):
    """Mark the pixels of a row with codes ``low`` … ``high``. Returns how many there are."""
    count = np.int32(0)
    for x in range(line.shape[0]):
        flag = (line[x] >= low) & (line[x] <= high)
        inside[x] = flag
        count = np.int32(count + np.int32(flag))
    return count


@loop
def _count_touching(line, under, low, high, unlike):
    """Pixels in the window whose right and lower neighbours are in it too, no more than ``unlike`` codes away."""
    count = np.int32(0)
    if unlike == 0:  # the neighbours are the same code, so they are in the window if the pixel is
        for x in range(line.shape[0] - 1):
            here = line[x]
            count = np.int32(count + np.int32((here == line[x + 1]) & (here == under[x]) & (here >= low) & (here <= high)))
        return count
    for x in range(line.shape[0] - 1):
        here, right_code, under_code = np.int32(line[x]), np.int32(line[x + 1]), np.int32(under[x])
        inside = (here >= low) & (here <= high)
        alike = (abs(right_code - here) <= unlike) & (abs(under_code - here) <= unlike)
        together = (right_code >= low) & (right_code <= high) & (under_code >= low) & (under_code <= high)
        count = np.int32(count + np.int32(inside & alike & together))
    return count


@loop
def plateau_shape(luma, left, right, top, bottom, row_step, low, high, unlike, reach, jump):
    """How the pixels with codes ``low`` … ``high`` lie in every ``row_step``-th row.

    A pixel touches when its right and lower neighbours are in the window too, no more than ``unlike`` codes away. An
    edge is where a run of window pixels begins or ends in its row, and is hard when the picture ``reach`` pixels
    further out is more than ``jump`` codes away. Straight edges stand in columns that hold one on most of the rows.
    Returns (pixels in the window, pixels touching, edges, hard edges, straight edges).
    """
    width = right - left
    first, last = luma.dtype.type(low), luma.dtype.type(high)
    within = touching = edges = hard = np.int64(0)
    columns = np.zeros(width, np.int32)
    inside = np.zeros(width // 8 * 8 + 16, np.uint8)
    eights = inside.view(np.uint64)
    for row in range(top, bottom, row_step):
        line = luma[row, left:right]
        count = _mark_window(line, first, last, inside)
        if count == 0:
            continue
        within += count
        touching += _count_touching(line, luma[min(row + 1, bottom - 1), left:right], first, last, unlike)
        for eight in range(eights.shape[0] - 1):
            alike = eights[eight]
            if alike == eights[eight + 1] and alike in (_NONE_INSIDE, _ALL_INSIDE):
                continue
            for x in range(8 * eight, min(8 * eight + 8, width - 1)):
                if inside[x] == inside[x + 1]:
                    continue
                beyond = np.int64(line[min(x + reach, width - 1)] if inside[x] else line[max(x + 1 - reach, 0)])
                edges += 1
                columns[x] += 1
                if beyond > np.int64(high) + jump or beyond < np.int64(low) - jump:
                    hard += 1
    straight = np.int64(0)
    tall = (bottom - top) // row_step * 57 // 100  # the coloured part of RP 219 bars is 7/12 of the picture's height
    for x in range(width):
        near = columns[x]
        if x > 0:
            near += columns[x - 1]
        if x + 1 < width:
            near += columns[x + 1]
        if near > tall:
            straight += columns[x]
    return within, touching, edges, hard, straight
