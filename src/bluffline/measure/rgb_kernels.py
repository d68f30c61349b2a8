"""Compiled search for R′G′B′ extremes in Y′CbCr planes. Functions only; shapes and units are checked by `frame_measure`."""

import numpy as np

from bluffline.loops import free_loop, loop

_BLOCK = 64  # pixels that are passed together where none is in doubt


@free_loop
def _site_row(upper, lower, share, zero, out):
    """Chroma sites at a luma row's height, in codes above ``zero``; upper, lower: the two chroma rows that it reads."""
    if share == 0:
        for k in range(upper.shape[0]):
            out[k] = np.float32(upper[k]) - zero
    else:
        for k in range(upper.shape[0]):
            code = np.float32(upper[k])
            out[k] = code + (np.float32(lower[k]) - code) * share - zero


@free_loop
def widen(sites, taps, out):
    """Chroma sites to luma columns by the four taps of `ColumnTaps`; ``sites`` has one more at each end."""
    even_before, even, odd, odd_after = taps
    for k in range(sites.shape[0] - 2):
        out[2 * k] = even_before * sites[k] + even * sites[k + 1]
        out[2 * k + 1] = odd * sites[k + 1] + odd_after * sites[k + 2]


@loop
def site_buffer(columns, halved):
    """Room for the Cb and Cr sites of a row of so many pixels, and one site more at each end."""
    return np.empty((2, ((columns + 1) // 2 if halved else columns) + 2), np.float32)


@loop
def site_rows(cb, cr, inside, upper, lower, share, zero, sites):
    """Both rows of sites, in codes above ``zero``, their ends held; inside: the slice of the chroma rows that is read."""
    last = inside.stop - inside.start
    _site_row(cb[upper, inside], cb[lower, inside], share, zero, sites[0, 1:])
    _site_row(cr[upper, inside], cr[lower, inside], share, zero, sites[1, 1:])
    sites[0, 0], sites[1, 0] = sites[0, 1], sites[1, 1]
    sites[0, last + 1], sites[1, last + 1] = sites[0, last], sites[1, last]


@free_loop
def _outer(code, b, r, black, gains):
    """The greatest and least of R′, G′, B′ of a pixel, in steps of 1/65536 (integers reduce in registers)."""
    per_luma, red_cr, green_cb, green_cr, blue_cb = gains
    y = np.float32(code) * per_luma - black * per_luma
    red, green, blue = y + red_cr * r, y + green_cb * b + green_cr * r, y + blue_cb * b
    return np.int32(max(red, green, blue)), np.int32(min(red, green, blue))


@loop
def _outer_gains(codes, gains):
    """What a code of luma above black and a code of chroma above zero add to components in steps of 1/65536."""
    _, per_swing, _, per_span = codes
    red_cr, green_cb, green_cr, blue_cb = gains
    steps = np.float32(65536.0)
    chroma = per_span * steps
    return per_swing * steps, red_cr * chroma, green_cb * chroma, green_cr * chroma, blue_cb * chroma


@free_loop
def _span_halved(line, site_b, site_r, taps, black, gains, least, greatest):
    """Fold a row, two pixels to a chroma site, into the extremes of R′, G′ and B′."""
    even_before, even, odd, odd_after = taps
    pairs = line.shape[0] // 2
    for k in range(pairs):
        b, r = even_before * site_b[k] + even * site_b[k + 1], even_before * site_r[k] + even * site_r[k + 1]
        high, low = _outer(line[2 * k], b, r, black, gains)
        b, r = odd * site_b[k + 1] + odd_after * site_b[k + 2], odd * site_r[k + 1] + odd_after * site_r[k + 2]
        next_high, next_low = _outer(line[2 * k + 1], b, r, black, gains)
        least, greatest = min(least, low, next_low), max(greatest, high, next_high)
    if line.shape[0] > 2 * pairs:
        b = even_before * site_b[pairs] + even * site_b[pairs + 1]
        r = even_before * site_r[pairs] + even * site_r[pairs + 1]
        high, low = _outer(line[2 * pairs], b, r, black, gains)
        least, greatest = min(least, low), max(greatest, high)
    return least, greatest


@free_loop
def _span(line, row_b, row_r, black, gains, least, greatest):
    """Fold a row with chroma at every pixel into the extremes of R′, G′ and B′."""
    for x in range(line.shape[0]):
        high, low = _outer(line[x], row_b[x], row_r[x], black, gains)
        least, greatest = min(least, low), max(greatest, high)
    return least, greatest


@free_loop
def _luma_span(line):
    """The least and greatest code of a row; on its own, since with the rest the compiler finds no vector code."""
    least, greatest = np.int32(1 << 24), np.int32(0)
    for x in range(line.shape[0]):
        least, greatest = min(least, np.int32(line[x])), max(greatest, np.int32(line[x]))
    return least, greatest


@free_loop
def _outer_row(line, row_b, row_r, black, gains, high, low, least, greatest):
    """What `_outer` finds of every pixel of a row, folded into the extremes."""
    for x in range(line.shape[0]):
        most, last = _outer(line[x], row_b[x], row_r[x], black, gains)
        high[x], low[x] = most, last
        least, greatest = min(least, last), max(greatest, most)
    return least, greatest


@free_loop
def _tally(line, high, low, near, far, luma):
    """Pixels of a row that are surely outside: below, above, and either or with their luma."""
    below = above = outside = np.int32(0)
    for x in range(line.shape[0]):
        most, least, code = high[x], low[x], np.int32(line[x])
        under, over = np.int32(least < near[0]), np.int32(most > near[1])
        sure = np.int32(least < far[0]) | np.int32(most > far[1])
        below = np.int32(below + (under & sure))
        above = np.int32(above + (over & sure))
        outside = np.int32(outside + (sure | np.int32(code < luma[0]) | np.int32(code > luma[1])))
    return below, above, outside


@free_loop
def _doubtful(high, low, near, far):
    """How many of some pixels may be outside, or may not."""
    count = np.int32(0)
    for x in range(high.shape[0]):
        beyond = np.int32(low[x] < near[0]) | np.int32(high[x] > near[1])
        sure = np.int32(low[x] < far[0]) | np.int32(high[x] > far[1])
        count = np.int32(count + (beyond & np.int32(1 - sure)))
    return count


@loop
def a_legal_colour_rounds_here(y, b, r, half, gains, legal):
    """Whether any legal colour, in luma and in R′, G′ and B′, has codes that round to those of a pixel.

    y, b, r: the pixel's Y′, Cb, Cr, 0 … 1 and −0.5 … 0.5; half: half a code of luma and of chroma; legal: least and greatest
    R′G′B′, least and greatest Y′. Along Y′ each condition holds on an interval: red and blue bound it through Cr and Cb, and
    green grows with Y′ whatever Cb and Cr do within their bounds.
    """
    red_cr, green_cb, green_cr, blue_cb = gains
    half_y, half_c = half
    low, high, dark, light = legal
    slack = 1e-6
    low, high = low - slack, high + slack
    least = max(y - half_y, dark, low - red_cr * (r + half_c), low - blue_cb * (b + half_c)) - slack
    most = min(y + half_y, light, high - red_cr * (r - half_c), high - blue_cb * (b - half_c)) + slack
    if least > most:
        return False
    b_least, r_least = max(b - half_c, (low - most) / blue_cb), max(r - half_c, (low - most) / red_cr)
    b_most, r_most = min(b + half_c, (high - least) / blue_cb), min(r + half_c, (high - least) / red_cr)
    return most + green_cb * b_least + green_cr * r_least >= low and least + green_cb * b_most + green_cr * r_most <= high


@loop
def _excused(code, b, r, codes, gains, limits):
    """Whether rounding alone can account for a pixel; b, r: codes above zero."""
    black, per_swing, _, per_span = codes
    _, _, _, half, legal = limits
    y = (np.float64(code) - black) * per_swing
    return a_legal_colour_rounds_here(y, np.float64(b) * per_span, np.float64(r) * per_span, half, gains, legal)


@loop
def _settle_row(line, row_b, row_r, high, low, codes, gains, limits):
    """The doubtful pixels of a row that are outside after all: below, above, and those not counted for their luma."""
    near, far, luma, _, _ = limits
    below = above = outside = 0
    for start in range(0, line.shape[0], _BLOCK):
        stop = min(start + _BLOCK, line.shape[0])
        if not _doubtful(high[start:stop], low[start:stop], near, far):
            continue
        for x in range(start, stop):
            under, over = low[x] < near[0], high[x] > near[1]
            if not (under or over) or low[x] < far[0] or high[x] > far[1]:
                continue
            if not _excused(line[x], row_b[x], row_r[x], codes, gains, limits):
                below += under
                above += over
                outside += luma[0] <= line[x] <= luma[1]
    return below, above, outside


@loop
def judge_rows(luma, cb, cr, region, halved, column_taps, rows, codes, gains, limits):
    """R′G′B′ extremes and the pixels outside limits, chroma interpolated to luma sites.

    luma, cb, cr: (rows, stride) unsigned; region: left, right, top, bottom in luma samples, ``left`` even where chroma is
    halved; column_taps: 4 float32; rows: first, second, weight of `RowTaps`; codes: black, 1/swing, zero, 1/span;
    gains: red_cr, green_cb, green_cr, blue_cb. The signal is 0 … 1, all float32.
    limits: R′G′B′ limits in steps of 1/65536, as they are and so far out that no rounding accounts for it; luma limits in
    codes; and what `a_legal_colour_rounds_here` needs.
    Chroma at the region's edge is held. Returns (least, greatest, pixels below, above, and outside any limit).
    """
    left, right, top, bottom = region
    first, second, weight = rows
    black, zero = codes[0], codes[2]
    near, far, bounds, _, _ = limits
    per_code = _outer_gains(codes, gains)
    inside = slice(left // 2, (right + 1) // 2) if halved else slice(left, right)
    sites = site_buffer(right - left, halved)
    wide = np.empty((2, 2 * (sites.shape[1] - 2)), np.float32)
    site_b, site_r = sites[0], sites[1]
    highest, lowest = np.empty(right - left, np.int32), np.empty(right - left, np.int32)
    row_b, row_r = (wide[0], wide[1]) if halved else (sites[0, 1:], sites[1, 1:])
    least, greatest = never_least, never_greatest = np.int32(1 << 24), np.int32(-(1 << 24))
    below = above = outside = np.int64(0)
    clean = True  # whether the row before was: the next is likely to be
    for row in range(top, bottom):
        site_rows(cb, cr, inside, first[row], second[row], weight[row], zero, sites)
        line = luma[row, left:right]
        if clean:
            if halved:
                low, high = _span_halved(line, site_b, site_r, column_taps, black, per_code, never_least, never_greatest)
            else:
                low, high = _span(line, row_b, row_r, black, per_code, never_least, never_greatest)
            dark, light = _luma_span(line)
            least, greatest = min(least, low), max(greatest, high)
            clean = low >= near[0] and high <= near[1] and dark >= bounds[0] and light <= bounds[1]
            if clean:
                continue
        if halved:
            widen(site_b, column_taps, row_b)
            widen(site_r, column_taps, row_r)
        low, high = _outer_row(line, row_b, row_r, black, per_code, highest, lowest, never_least, never_greatest)
        least, greatest = min(least, low), max(greatest, high)
        under, over, out = _tally(line, highest, lowest, near, far, bounds)
        below, above, outside = below + under, above + over, outside + out
        clean = out == 0 and low >= near[0] and high <= near[1]
        if clean:
            continue
        more = _settle_row(line, row_b, row_r, highest, lowest, codes, gains, limits)
        below, above, outside = below + more[0], above + more[1], outside + more[2]
    return least / 65536.0, greatest / 65536.0, below, above, outside


@loop
def row_room(width, halved):
    """Room for the sites of a whole row, and for its Cb and Cr at every pixel (the sites themselves where chroma is whole)."""
    sites = site_buffer(width, halved)
    wide = np.empty((2, 2 * (sites.shape[1] - 2)), np.float32)
    row_b, row_r = (wide[0], wide[1]) if halved else (sites[0, 1:], sites[1, 1:])
    return sites, row_b, row_r


@loop
def chroma_row(cb, cr, rows, row, zero, halved, column_taps, sites, row_b, row_r):
    """Chroma of a whole luma row at every pixel, in codes above ``zero``; the last three are of `row_room`, filled."""
    first, second, weight = rows
    site_rows(cb, cr, slice(0, sites.shape[1] - 2), first[row], second[row], weight[row], zero, sites)
    if halved:
        widen(sites[0], column_taps, row_b)
        widen(sites[1], column_taps, row_r)


@loop
def _mark_row(line, row_b, row_r, codes, gains, per_code, limits, above, below, out):
    """Mark the pixels of a row with chroma at every pixel."""
    near, far, _, _, _ = limits
    for x in range(out.shape[0]):
        high, low = _outer(line[x], row_b[x], row_r[x], codes[0], per_code)
        under, over = low < near[0], high > near[1]
        if not (under or over):
            continue
        if low < far[0] or high > far[1] or not _excused(line[x], row_b[x], row_r[x], codes, gains, limits):
            out[x] |= (above if over else np.uint8(0)) | (below if under else np.uint8(0))


@loop
def mark_outside_rgb(luma, cb, cr, size, halved, column_taps, rows, codes, gains, limits, above, below, marks):
    """Or ``above`` and ``below`` into the marks of every pixel with a component over or under the limits.

    size: width, height; marks: (height, width) uint8; the rest as for `judge_rows`.
    """
    width, height = size
    zero = codes[2]
    per_code = _outer_gains(codes, gains)
    sites, row_b, row_r = row_room(width, halved)
    for row in range(height):
        chroma_row(cb, cr, rows, row, zero, halved, column_taps, sites, row_b, row_r)
        _mark_row(luma[row, :width], row_b, row_r, codes, gains, per_code, limits, above, below, marks[row])


@free_loop
def _code_row(line, row_b, row_r, gains, room, red, green, blue):
    """R′, G′, B′ of a row, rounded to codes and raised by ``room``; gains: codes of luma in a code of chroma."""
    red_cr, green_cb, green_cr, blue_cb = gains
    shift, zero, top = np.float32(room + 0.5), np.float32(0), np.float32(4 * room - 1)
    for x in range(line.shape[0]):
        y = np.float32(line[x]) + shift
        red[x] = np.int32(min(max(y + red_cr * row_r[x], zero), top))
        green[x] = np.int32(min(max(y + green_cb * row_b[x] + green_cr * row_r[x], zero), top))
        blue[x] = np.int32(min(max(y + blue_cb * row_b[x], zero), top))


@loop
def rgb_codes(luma, cb, cr, size, halved, column_taps, rows, codes, gains, room, out):
    """R′G′B′ of a Y′CbCr picture at its luma sites, rounded to codes and raised by ``room``, half the code range.

    codes: black, (unused), zero, codes of luma in a code of chroma; out: (3, height, width) unsigned, filled.
    """
    _, _, zero, per_chroma = codes
    width, height = size
    red_cr, green_cb, green_cr, blue_cb = gains
    scaled = red_cr * per_chroma, green_cb * per_chroma, green_cr * per_chroma, blue_cb * per_chroma
    sites, row_b, row_r = row_room(width, halved)
    for row in range(height):
        chroma_row(cb, cr, rows, row, zero, halved, column_taps, sites, row_b, row_r)
        _code_row(luma[row, :width], row_b, row_r, scaled, room, out[0, row], out[1, row], out[2, row])
