"""Compiled loops that look at flat tones. Functions only; `plateau` checks and prepares what they take."""

import numpy as np

from bluffline.loops import free_loop, loop

SPAN = 4  # pixels of a row whose mean is one tone
_BLOCK = 16 * SPAN  # pixels that are passed together where none is of interest
_GAP = 2  # pixels that grain may throw out of a plateau without ending it
_REACH = 12  # pixels from where a run ends in which the plateau is left for good, after the ringing of a codec
_SIDE = 3  # pixels on either side of a drawn edge in which all of it happens, blurred by filters and coding
_ON = 6  # pixels away, light that falls off has fallen further
_TALL = 12  # of a picture's rows, the part that a straight edge stands in at the least
_SHARP = 0.75  # of the whole change, the share that happens at a drawn edge


@loop
def fullest_tone(counts, stray, contrast, searched, half, zone, share, beyond):
    """The code with the most pixels within ``half``, near the upper end of a histogram; −1 where no plateau can be there.

    stray: share of the pixels that may lie beyond an end; contrast: codes between the ends at the least; searched: codes below
    the end that are looked at; zone: codes on either side that hold the plateau, at least ``share`` of the pixels, and beyond
    which no more than ``beyond`` of those lie: else it is noisier than any grain. Returns also the number of pixels.
    """
    bins = counts.shape[0]
    held = np.zeros(bins + 1, np.int64)
    for code in range(bins):
        held[code + 1] = held[code] + counts[code]
    pixels = held[bins]
    first = last = 0
    while first < bins and held[first + 1] <= pixels * stray:
        first += 1
    while last < bins and held[last + 1] < pixels * (1 - stray):
        last += 1
    if pixels == 0 or last - first < contrast:
        return -1, pixels
    most, fullest = np.int64(-1), -1
    for code in range(max(last - searched, 0), last + 1):
        near = held[min(code + half + 1, bins)] - held[max(code - half, 0)]
        if near > most:
            most, fullest = near, code
    upper = min(fullest + zone + 1, bins)
    within = held[upper] - held[max(fullest - zone, 0)]
    if within < share * pixels or pixels - held[upper] > beyond * within:
        return -1, pixels
    return fullest, pixels


@free_loop
def _holds(line, low, high):
    """Whether any of some pixels has a code ``low`` … ``high``; in vector registers, so that what has none is soon passed."""
    found = np.int32(0)
    for x in range(line.shape[0]):
        code = np.int32(line[x])
        found |= np.int32((code >= low) & (code <= high))
    return found != 0


@loop
def count_tones(plane, low, high, sums, steps, apart):
    """Count sums of `SPAN` pixels that all lie in ``low`` … ``high``, and the differences of neighbours within them.

    plane: (rows, columns) codes; sums: counters by sum; steps: counters by size, the last for all that are larger, a row of
    them for each place in a span, since flat pictures would wait on one; apart: counters of sums that are four spans apart.
    """
    last, far = steps.shape[1] - 1, apart.shape[0] - 1
    before = np.empty(4, np.int64)
    for row in range(plane.shape[0]):
        line = plane[row]
        before[:] = -1
        for block in range(0, line.shape[0] - SPAN + 1, _BLOCK):
            if not _holds(line[block : block + _BLOCK], np.int32(low), np.int32(high)):
                before[:] = -1
                continue
            for start in range(block, min(block + _BLOCK, line.shape[0] - SPAN + 1), SPAN):
                total = np.int64(0)
                for x in range(start, start + SPAN):
                    code = np.int64(line[x])
                    if code < low or code > high:
                        total = np.int64(-1)
                        break
                    total += code
                place = start // SPAN % 4
                if total >= 0 and before[place] >= 0:
                    apart[min(abs(total - before[place]), far)] += 1
                before[place] = total
                if total < 0:
                    continue
                sums[total] += 1
                for x in range(start, start + SPAN - 1):
                    steps[x - start, min(abs(np.int64(line[x + 1]) - np.int64(line[x])), last)] += 1


@loop
def _drawn(line, start, way, level, half, jump):
    """Whether an edge was drawn: 1, or fell off as light does: 0; −1 where there is none. ``start``: the run's last pixel."""
    size = line.shape[0]
    for away in range(1, _REACH + 1):
        at = start + way * away
        if not 0 <= at + way * (_ON + 1) < size:
            return -1
        if abs(np.float64(line[at]) - level) <= jump:
            continue
        before, most = np.inf, 0.0
        for n in range(_SIDE, _SIDE + 2):
            back = at - way * n
            if 0 <= back < size:
                before = min(before, abs(np.float64(line[back]) - level))
        for n in range(_SIDE + 1):
            most = max(most, abs(np.float64(line[at + way * n]) - level))
        beyond = abs(0.5 * (np.float64(line[at + way * _ON]) + np.float64(line[at + way * (_ON + 1)])) - level)
        return np.int64(most - min(before, most) >= _SHARP * max(most, beyond))
    return 0 if abs(np.float64(line[start + way * _REACH]) - level) > half else -1


@free_loop
def _site_luma(upper, lower, across, between, mean, point, wide):
    """Luma at a row of chroma sites: as it stands there, and filtered as chroma usually was; mean: room for a row of luma."""
    half, quarter, last = np.float32(0.5), np.float32(0.25), mean.shape[0] - 1
    for x in range(mean.shape[0]):
        mean[x] = half * (np.float32(upper[x]) + np.float32(lower[x]))
    for k in range(point.shape[0]):
        x = k * across
        here, beside = mean[min(x, last)], mean[min(x + 1, last)]
        point[k] = half * (here + beside) if between else here
        wide[k] = point[k] if across == 1 or between else quarter * (mean[max(x - 1, 0)] + beside) + half * here


@free_loop
def _site_row(luma, cb, cr, zero, gains, room, red, green, blue):
    """R′, G′ and B′ at a row of chroma sites, rounded and raised by ``room``; gains: codes of luma in a code of chroma."""
    red_cr, green_cb, green_cr, blue_cb = gains
    shift, none, top = np.float32(room + 0.5), np.float32(0), np.float32(4 * room - 1)
    for k in range(luma.shape[0]):
        y, b, r = luma[k] + shift, np.float32(cb[k]) - zero, np.float32(cr[k]) - zero
        red[k] = np.int32(min(max(y + red_cr * r, none), top))
        green[k] = np.int32(min(max(y + green_cb * b + green_cr * r, none), top))
        blue[k] = np.int32(min(max(y + blue_cb * b, none), top))


@loop
def site_components(luma, cb, cr, size, across, down, between, step, codes, gains, room, out):
    """R′, G′ and B′ at every ``step``-th row of chroma sites, rounded and raised by ``room``.

    size: columns and rows of chroma; across, down: luma columns and rows to a site; between: whether a site stands between
    columns; codes: zero of chroma, codes of luma in a code of chroma; out: (2, 3, rows, columns), filled:
    once with luma as it stands at the site, once filtered as chroma usually was.
    """
    columns, rows = size
    zero, per_chroma = codes
    red_cr, green_cb, green_cr, blue_cb = gains
    scaled = red_cr * per_chroma, green_cb * per_chroma, green_cr * per_chroma, blue_cb * per_chroma
    last_row = luma.shape[0] - 1
    mean = np.empty(min(across * columns, luma.shape[1]), np.float32)
    levels = np.empty((2, columns), np.float32)
    for row in range(0, rows, step):
        upper, lower = luma[row * down], luma[min(row * down + down - 1, last_row)]
        _site_luma(upper, lower, across, between, mean, levels[0], levels[1])
        at = row // step
        for n in range(2):
            made = out[n, :, at]
            _site_row(levels[n], cb[row, :columns], cr[row, :columns], zero, scaled, room, made[0], made[1], made[2])


@loop
def edges_of(plane, low, high, level, jump):
    """Edges of runs with codes ``low`` … ``high`` about ``level``, and how many are drawn: over ``jump`` within a few pixels.

    plane: (rows, columns) codes. Runs of fewer than four pixels are grain; a gap of two does not end one. Returns also how many
    of the drawn stand one below the other in a straight line; the runs and the gaps between them, and the pixels of each.
    """
    edges = drawn = runs = gaps = 0
    within = between = 0
    columns = np.zeros(plane.shape[1], np.int32)
    half = max(2 * max(high - level, level - low), 0.5 * jump)
    for row in range(plane.shape[0]):
        line = plane[row]
        x, width, before = 0, line.shape[0], -1
        while x < width:
            if not low <= line[x] <= high:
                x += 1
                while x % _BLOCK == 0 and x < width and not _holds(line[x : x + _BLOCK], np.int32(low), np.int32(high)):
                    x += _BLOCK
                continue
            first = last = x
            while x < width and x - last <= _GAP:
                if low <= line[x] <= high:
                    last = x
                x += 1
            if last - first < 3:
                continue
            runs += 1
            within += last - first + 1
            if before >= 0:
                gaps += 1
                between += first - before - 1
            before = last
            for start, way in ((first, -1), (last, 1)):
                kind = _drawn(line, start, way, level, half, jump)
                edges += kind >= 0
                drawn += kind == 1
                columns[start] += kind == 1
    straight = 0
    for x in range(columns.shape[0]):
        near = columns[max(x - 1, 0) : x + 2].sum()
        if near > plane.shape[0] // _TALL:
            straight += columns[x]
    return edges, drawn, straight, runs, within, gaps, between
