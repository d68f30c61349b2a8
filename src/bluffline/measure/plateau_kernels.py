"""Compiled loops that look at flat tones. Functions only; `plateau` checks and prepares what they take."""

import numpy as np

from bluffline.loops import loop

_GAP = 2  # pixels that grain may throw out of a plateau without ending it
_REACH = 12  # pixels from where a run ends in which the plateau is left for good, after the ringing of a codec
_SIDE = 3  # pixels on either side of a drawn edge in which all of it happens, blurred by filters and coding
_ON = 6  # pixels away, light that falls off has fallen further
_TALL = 12  # of a picture's rows, the part that a straight edge stands in at the least
_SHARP = 0.75  # of the whole change, the share that happens at a drawn edge


@loop
def count_tones(plane, low, high, span, sums, steps, apart):
    """Count sums of ``span`` pixels that all lie in ``low`` … ``high``, and the differences of neighbours within them.

    plane: (rows, columns) codes; sums: counters by sum; steps: counters by size, the last for all that are larger; apart: of
    the same kind, of sums that are four spans apart.
    """
    last, far = steps.shape[0] - 1, apart.shape[0] - 1
    before = np.empty(4, np.int64)
    for row in range(plane.shape[0]):
        line = plane[row]
        before[:] = -1
        for start in range(0, line.shape[0] - span + 1, span):
            total = 0
            for x in range(start, start + span):
                code = np.int64(line[x])
                if code < low or code > high:
                    total = -1
                    break
                total += code
            place = start // span % 4
            if total >= 0 and before[place] >= 0:
                apart[min(abs(total - before[place]), far)] += 1
            before[place] = total
            if total < 0:
                continue
            sums[total] += 1
            for x in range(start, start + span - 1):
                steps[min(abs(np.int64(line[x + 1]) - np.int64(line[x])), last)] += 1


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
    last_row, last = luma.shape[0] - 1, across * columns - 1
    top = np.float32(4 * room - 1)
    for row in range(0, rows, step):
        upper, lower = luma[row * down], luma[min(row * down + down - 1, last_row)]
        for k in range(columns):
            x = min(k * across, last)
            before, after = max(x - 1, 0), min(x + 1, last)
            here = np.float32(0.5) * (np.float32(upper[x]) + np.float32(lower[x]))
            beside = np.float32(0.5) * (np.float32(upper[after]) + np.float32(lower[after]))
            behind = np.float32(0.5) * (np.float32(upper[before]) + np.float32(lower[before]))
            point = np.float32(0.5) * (here + beside) if between else here
            wide = point if across == 1 or between else np.float32(0.25) * (behind + beside) + np.float32(0.5) * here
            b, r = (np.float32(cb[row, k]) - zero) * per_chroma, (np.float32(cr[row, k]) - zero) * per_chroma
            for n in range(2):
                y = (point if n == 0 else wide) + np.float32(room + 0.5)
                at = row // step
                out[n, 0, at, k] = np.int32(min(max(y + red_cr * r, np.float32(0)), top))
                out[n, 1, at, k] = np.int32(min(max(y + green_cb * b + green_cr * r, np.float32(0)), top))
                out[n, 2, at, k] = np.int32(min(max(y + blue_cb * b, np.float32(0)), top))


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
