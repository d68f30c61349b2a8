"""Compiled search for R′G′B′ extremes in Y′CbCr planes. Functions only; shapes and units are checked by `frame_measure`."""

import numba
import numpy as np

# NaN never occurs and signed zeros don't matter, which lets extremes be found in vector registers.
_FAST = {"nnan", "nsz", "ninf", "contract"}
_BAND, _BLOCK = 16, 64  # rows and columns that are ruled out or looked at together
_ROUNDING = np.float32(2e-5)  # what single precision can add to a bound
_LEAST, _SURELY_UNDER, _SURELY_OVER, _GREATEST = range(4)


@numba.njit(nogil=True, cache=True)
def _column_extremes(plane, left, first, after, lowest, highest):
    """The least and greatest code of every column of rows ``first`` … ``after`` − 1."""
    columns = lowest.shape[0]
    line = plane[first, left : left + columns]
    lowest[:] = line
    highest[:] = line
    for row in range(first + 1, after):
        line = plane[row, left : left + columns]
        for x in range(columns):
            lowest[x] = line[x] if line[x] < lowest[x] else lowest[x]
            highest[x] = line[x] if line[x] > highest[x] else highest[x]


@numba.njit(nogil=True, cache=True)
def _extremes(lowest, highest, start, stop):
    """Columns folded to one least and one greatest code."""
    low, high = lowest[start:stop], highest[start:stop]
    least, greatest = low[0], high[0]
    for x in range(low.shape[0]):
        least = low[x] if low[x] < least else least
    for x in range(high.shape[0]):
        greatest = high[x] if high[x] > greatest else greatest
    return np.float32(least), np.float32(greatest)


@numba.njit(nogil=True, cache=True)
def _bounds(luma, cb, cr, region, halved, rows, codes, gains):
    """What R′, G′ and B′ can reach in each block, from the extremes of its luma and of the chroma it reads.

    Interpolation never leaves the range of its inputs. Returns (4, bands, blocks) float32: the least any component can be;
    what the least component of every pixel surely stays under; what the greatest of every pixel surely reaches; the
    greatest any component can be.
    """
    left, right, top, bottom = region
    black, per_swing, zero, per_span = codes
    red_cr, green_cb, green_cr, blue_cb = gains
    first, second, _ = rows
    width = right - left
    sites, site_left = ((width + 1) // 2, left // 2) if halved else (width, left)
    y_low, y_high = np.empty(width, luma.dtype), np.empty(width, luma.dtype)
    b_low, b_high = np.empty(sites, luma.dtype), np.empty(sites, luma.dtype)
    r_low, r_high = np.empty(sites, luma.dtype), np.empty(sites, luma.dtype)
    shape = ((bottom - top + _BAND - 1) // _BAND, (width + _BLOCK - 1) // _BLOCK)
    bounds = np.empty((4, *shape), np.float32)
    for band in range(shape[0]):
        start = top + band * _BAND
        stop = min(start + _BAND, bottom)
        upper_site, lower_site = first[start:stop].min(), second[start:stop].max() + 1
        _column_extremes(luma, left, start, stop, y_low, y_high)
        _column_extremes(cb, site_left, upper_site, lower_site, b_low, b_high)
        _column_extremes(cr, site_left, upper_site, lower_site, r_low, r_high)
        for block in range(shape[1]):
            x, after = block * _BLOCK, min((block + 1) * _BLOCK, width)
            k, behind = (max(x // 2 - 1, 0), min(after // 2 + 1, sites)) if halved else (x, after)
            y0, y1 = _extremes(y_low, y_high, x, after)
            b0, b1 = _extremes(b_low, b_high, k, behind)
            r0, r1 = _extremes(r_low, r_high, k, behind)
            b0, b1 = (b0 - zero) * per_span, (b1 - zero) * per_span
            r0, r1 = (r0 - zero) * per_span, (r1 - zero) * per_span
            y0, y1 = (y0 - black) * per_swing, (y1 - black) * per_swing
            bounds[_LEAST, band, block] = y0 + min(red_cr * r0, green_cb * b1 + green_cr * r1, blue_cb * b0) - _ROUNDING
            bounds[_SURELY_UNDER, band, block] = y1 + min(red_cr * r1, green_cb * b0 + green_cr * r0, blue_cb * b1) + _ROUNDING
            bounds[_SURELY_OVER, band, block] = y0 + max(red_cr * r0, green_cb * b1 + green_cr * r1, blue_cb * b0) - _ROUNDING
            bounds[_GREATEST, band, block] = y1 + max(red_cr * r1, green_cb * b0 + green_cr * r0, blue_cb * b1) + _ROUNDING
    return bounds


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
def _site_row(upper, lower, share, start, zero, per_span, out):
    """Chroma sites at a luma row's height, −0.5 … 0.5, from ``start`` − 1 on; sites beyond either end of the row are held.

    upper, lower: the two chroma rows that the luma row reads, the sites of the region only.
    """
    last = upper.shape[0] - 1
    count = out.shape[0]
    inner = upper[max(start - 1, 0) : min(start - 1 + count, last + 1)]
    beneath = lower[max(start - 1, 0) : min(start - 1 + count, last + 1)]
    offset = 1 if start == 0 else 0
    if share == 0:
        for k in range(inner.shape[0]):
            out[k + offset] = (np.float32(inner[k]) - zero) * per_span
    else:
        for k in range(inner.shape[0]):
            c0, c1 = np.float32(inner[k]), np.float32(beneath[k])
            out[k + offset] = (c0 + (c1 - c0) * share - zero) * per_span
    out[0] = out[offset]
    for k in range(inner.shape[0] + offset, count):
        out[k] = out[k - 1]


@numba.njit(nogil=True, cache=True, fastmath=_FAST)
def widen(sites, taps, out):
    """Chroma sites to luma columns by the four taps of `ColumnTaps`; ``sites`` has one more at each end."""
    even_before, even, odd, odd_after = taps
    for k in range(sites.shape[0] - 2):
        out[2 * k] = even_before * sites[k] + even * sites[k + 1]
        out[2 * k + 1] = odd * sites[k + 1] + odd_after * sites[k + 2]


@numba.njit(nogil=True, cache=True)
def row_buffers(width, halved):
    """Room for one row of up to ``width`` pixels: chroma at its sites, chroma at luma columns, outer components."""
    count = (width + 1) // 2 if halved else width
    return (
        np.empty((2, count + 2), np.float32),
        np.empty((2, 2 * count), np.float32),
        np.empty(width, np.int32),
        np.empty(width, np.int32),
    )


@numba.njit(nogil=True, cache=True)
def _component_row(luma, cb, cr, region, halved, column_taps, rows, codes, gains, row, start, stop, buffers):
    """The outer components of columns ``start`` … ``stop`` − 1 (of the region) of a row, in steps of 1/65536.

    Returns (highest, lowest), both (columns,) int32, which live in ``buffers``.
    """
    left, right, _, _ = region
    black, per_swing, zero, per_span = codes
    first, second, weight = rows
    at_sites, wide, highest, lowest = buffers
    sites, site_left, site = ((right - left + 1) // 2, left // 2, start // 2) if halved else (right - left, left, start)
    count = (stop - start + 1) // 2 if halved else stop - start
    site_b, site_r = at_sites[0, : count + 2], at_sites[1, : count + 2]
    inside = slice(site_left, site_left + sites)
    upper, lower, share = first[row], second[row], weight[row]
    _site_row(cb[upper, inside], cb[lower, inside], share, site, zero, per_span, site_b)
    _site_row(cr[upper, inside], cr[lower, inside], share, site, zero, per_span, site_r)
    line = luma[row, left + start : left + stop]
    high, low = highest[: stop - start], lowest[: stop - start]
    if halved:
        wide_b, wide_r = wide[0, : 2 * count], wide[1, : 2 * count]
        widen(site_b, column_taps, wide_b)
        widen(site_r, column_taps, wide_r)
        _outer_components(line, wide_b, wide_r, black, per_swing, gains, high, low)
    else:
        _outer_components(line, site_b[1:], site_r[1:], black, per_swing, gains, high, low)
    return high, low


@numba.njit(nogil=True, cache=True)
def _look(luma, cb, cr, region, halved, column_taps, rows, codes, gains, span, floor, ceiling, extremes, outside):
    """Fold columns span[0] … span[1] − 1 of rows span[2] … span[3] − 1 into the extremes and the counts outside."""
    start, stop, top, bottom = span
    buffers = row_buffers(stop - start, halved)
    for row in range(top, bottom):
        high, low = _component_row(luma, cb, cr, region, halved, column_taps, rows, codes, gains, row, start, stop, buffers)
        _tally(high, low, floor, ceiling, extremes, outside)


@numba.njit(nogil=True, cache=True)
def _judge(bounds, extremes, limits):
    """Whether all of a block's pixels are surely under, surely over the limits, and whether nothing else need be known."""
    least, greatest = extremes[0] / np.float32(65536.0), extremes[1] / np.float32(65536.0)
    all_under, all_over = bounds[_SURELY_UNDER] < limits[0] - _ROUNDING, bounds[_SURELY_OVER] > limits[1] + _ROUNDING
    known = (
        (bounds[_LEAST] >= least)
        and (bounds[_GREATEST] <= greatest)
        and (all_under or bounds[_LEAST] >= limits[0])
        and (all_over or bounds[_GREATEST] <= limits[1])
    )
    return all_under, all_over, known


@numba.njit(nogil=True, cache=True)
def rgb_extremes(luma, cb, cr, region, halved, column_taps, rows, codes, gains, limits):
    """R′G′B′ extremes and the pixels outside limits, chroma interpolated to luma sites.

    luma, cb, cr: (rows, stride) unsigned; region: left, right, top, bottom in luma samples, ``left`` even where chroma is
    halved; column_taps: 4 float32; rows: first, second, weight of `RowTaps`; codes: black, 1/swing, zero, 1/span;
    gains: red_cr, green_cb, green_cr, blue_cb; limits: low, high. The signal is 0 … 1, all float32.
    Chroma at the region's edge is held. Returns (least, greatest, pixels below, pixels above).

    The result is that of looking at every pixel. A block is not looked at where its bounds show that it holds no extreme
    and that all of its pixels, or none, are outside. The most promising block for either extreme comes first, so that
    most others can be ruled out.
    """
    left, right, top, bottom = region
    bounds = _bounds(luma, cb, cr, region, halved, rows, codes, gains)
    bands, blocks = bounds.shape[1:]
    extremes = np.array([1 << 24, -(1 << 24)], np.int32)
    outside, ignored = np.zeros(2, np.int64), np.zeros(2, np.int64)
    floor, ceiling = np.int32(limits[0] * 65536.0), np.int32(limits[1] * 65536.0)
    for place in (np.argmin(bounds[_LEAST]), np.argmax(bounds[_GREATEST])):
        start, block = top + place // blocks * _BAND, place % blocks
        span = (block * _BLOCK, min((block + 1) * _BLOCK, right - left), start, min(start + _BAND, bottom))
        _look(luma, cb, cr, region, halved, column_taps, rows, codes, gains, span, floor, ceiling, extremes, ignored)
    for band in range(bands):
        start = top + band * _BAND
        stop = min(start + _BAND, bottom)
        begin = 0
        for block in range(blocks + 1):
            if block < blocks:
                all_under, all_over, known = _judge(bounds[:, band, block], extremes, limits)
                if not known:
                    continue
            if begin < block:
                span = (begin * _BLOCK, min(block * _BLOCK, right - left), start, stop)
                _look(luma, cb, cr, region, halved, column_taps, rows, codes, gains, span, floor, ceiling, extremes, outside)
            if block < blocks:
                pixels = (min((block + 1) * _BLOCK, right - left) - block * _BLOCK) * (stop - start)
                outside[0] += pixels * all_under
                outside[1] += pixels * all_over
            begin = block + 1
    return extremes[0] / 65536.0, extremes[1] / 65536.0, outside[0], outside[1]


@numba.njit(nogil=True, cache=True)
def mark_outside_rgb(luma, cb, cr, size, halved, column_taps, rows, codes, gains, limits, above, below, marks):
    """Or ``above`` and ``below`` into the marks of every pixel with a component over or under the limits.

    size: width, height; marks: (height, width) uint8; the rest as for `rgb_extremes`.
    """
    width, height = size
    region = (0, width, 0, height)
    bounds = _bounds(luma, cb, cr, region, halved, rows, codes, gains)
    floor, ceiling = np.int32(limits[0] * 65536.0), np.int32(limits[1] * 65536.0)
    bands, blocks = bounds.shape[1:]
    buffers = row_buffers(width, halved)
    for band in range(bands):
        top = band * _BAND
        begin = 0
        for block in range(blocks + 1):
            if block < blocks and (bounds[_LEAST, band, block] < limits[0] or bounds[_GREATEST, band, block] > limits[1]):
                continue
            if begin < block:
                start, stop = begin * _BLOCK, min(block * _BLOCK, width)
                for row in range(top, min(top + _BAND, height)):
                    high, low = _component_row(
                        luma, cb, cr, region, halved, column_taps, rows, codes, gains, row, start, stop, buffers
                    )
                    line = marks[row, start:stop]
                    for x in range(line.shape[0]):
                        line[x] |= (above if high[x] > ceiling else np.uint8(0)) | (below if low[x] < floor else np.uint8(0))
            begin = block + 1


@numba.njit(nogil=True, cache=True, fastmath=_FAST)
def _code_row(line, row_b, row_r, gains, room, red, green, blue):
    """R′, G′, B′ of a row, rounded to codes and raised by ``room``; row_b, row_r: chroma in codes of luma."""
    red_cr, green_cb, green_cr, blue_cb = gains
    shift, zero, top = np.float32(room + 0.5), np.float32(0), np.float32(4 * room - 1)
    for x in range(line.shape[0]):
        y = np.float32(line[x]) + shift
        red[x] = np.int32(min(max(y + red_cr * row_r[x], zero), top))
        green[x] = np.int32(min(max(y + green_cb * row_b[x] + green_cr * row_r[x], zero), top))
        blue[x] = np.int32(min(max(y + blue_cb * row_b[x], zero), top))


@numba.njit(nogil=True, cache=True)
def rgb_codes(luma, cb, cr, size, halved, column_taps, rows, codes, gains, room, out):
    """R′G′B′ of a Y′CbCr picture at its luma sites, rounded to codes and raised by ``room``, half the code range.

    codes: black, (unused), zero, codes of luma in a code of chroma; out: (3, height, width) unsigned, filled.
    """
    _, _, zero, per_span = codes
    first, second, weight = rows
    width, height = size
    at_sites, wide, _, _ = row_buffers(width, halved)
    site_b, site_r = at_sites[0], at_sites[1]
    count = site_b.shape[0] - 2
    for row in range(height):
        upper, lower, share = first[row], second[row], weight[row]
        _site_row(cb[upper, :count], cb[lower, :count], share, 0, zero, per_span, site_b)
        _site_row(cr[upper, :count], cr[lower, :count], share, 0, zero, per_span, site_r)
        red, green, blue = out[0, row], out[1, row], out[2, row]
        if halved:
            widen(site_b, column_taps, wide[0])
            widen(site_r, column_taps, wide[1])
            _code_row(luma[row, :width], wide[0], wide[1], gains, room, red, green, blue)
        else:
            _code_row(luma[row, :width], site_b[1:], site_r[1:], gains, room, red, green, blue)
