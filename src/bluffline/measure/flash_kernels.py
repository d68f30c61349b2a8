"""Compiled loops of flashes. Functions only; shapes and units are checked by `flashes`."""

import numpy as np

from bluffline.loops import loop


@loop
def components(luma, cb, cr, rows, site_rows, columns, site_columns, codes, gains, found):
    """R′, G′ and B′ of the points where rows and columns meet, with the chroma that each is stored with, into (3, P) float32.

    codes and gains: of `rgb_arithmetic`.
    """
    black, fine, zero, chroma_fine = codes
    red_cr, green_cb, green_cr, blue_cb = gains
    point = 0
    for n in range(len(rows)):
        line, blues, reds = luma[rows[n]], cb[site_rows[n]], cr[site_rows[n]]
        for m in range(len(columns)):
            y = (np.float32(line[columns[m]]) - black) * fine
            b = (np.float32(blues[site_columns[m]]) - zero) * chroma_fine
            r = (np.float32(reds[site_columns[m]]) - zero) * chroma_fine
            found[0, point] = y + red_cr * r
            found[1, point] = y + green_cb * b + green_cr * r
            found[2, point] = y + blue_cb * b
            point += 1


@loop
def looked_up(signal, table, steps):
    """What a table says of a signal, (..., P) float32, so many steps to 1; what lies beyond its ends is held there."""
    found, most = np.empty_like(signal), np.float32(len(table) - 1)
    for place in np.ndindex(signal.shape):
        step = signal[place] * steps + np.float32(0.5)
        found[place] = table[np.int32(min(max(step, np.float32(0)), most))]
    return found


@loop
def _apart(dark, light, step, bright, contrast):
    """Whether two states differ by as much as counts: by a step, or in contrast where even the darker one is bright."""
    difference = light - dark
    return difference >= step and (dark < bright or difference >= contrast * (light + dark))


@loop
def _state(values, marked, newest, known, limits):
    """1 where a value has risen lately and not fallen since, −1 the other way round, else 0; see `count_flashes`."""
    step, bright, contrast, marks = limits
    now = low = high = values[newest]
    low_age = high_age = low_at = high_at = 0
    at = newest
    for age in range(1, known):
        at = at - 1 if at else len(values) - 1
        value = values[at]
        if value < low:
            low, low_age, low_at = value, age, at
        if value > high:
            high, high_age, high_at = value, age, at
    own = not marks or marked[newest]
    risen = _apart(low, now, step, bright, contrast) and (own or marked[low_at])
    fallen = _apart(now, high, step, bright, contrast) and (own or marked[high_at])
    if high_age < low_age:  # what it was at its highest is nearer
        return -1 if fallen else (1 if risen else 0)
    return 1 if risen else (-1 if fallen else 0)


@loop
def _rises(states, newest, known):
    """Whether a point that has risen had not, before: the last that it did was to fall, or it stood still."""
    at = newest
    for _ in range(1, known):
        at = at - 1 if at else len(states) - 1
        if states[at] != 0:
            return states[at] == -1
    return True


@loop
def count_flashes(values, marked, cells, together, states, rose, counts, newest, turn, known, limits):
    """Take the newest of the pictures of a ring, and count how often each point has risen within another.

    values: (R, P) float32, newest in row ``newest`` of ``known``; marked: (R, P) bool, and ``limits``: step, bright,
    contrast and whether one end of a change has to be marked. cells: (P,) the cell each point lies in, of which ``together`` is
    the share that has to go one way, of all that move. Given anew are the newest of states: (P, R) int8, column ``turn`` of
    rose: (P, S) bool, and counts: (P,) int32. Returns how many points rose in the newest.
    """
    up, down = np.zeros(cells.max() + 1, np.int32), np.zeros(cells.max() + 1, np.int32)
    least, most = values[0].copy(), values[0].copy()
    for row in range(1, known):
        for place in range(len(least)):
            value = values[row, place]
            least[place] = value if value < least[place] else least[place]
            most[place] = value if value > most[place] else most[place]
    step = np.float32(limits[0])
    for place in range(len(least)):
        state = np.int8(0)
        if most[place] - least[place] >= step:  # most points stay as they are
            state = np.int8(_state(values[:, place], marked[:, place], newest, known, limits))
        states[place, newest] = state
        up[cells[place]] += state == 1
        down[cells[place]] += state == -1
    rising = 0
    for place in range(len(least)):
        cell, state = cells[place], states[place, newest]
        if (up[cell] if state == 1 else down[cell]) < together * (up[cell] + down[cell]):
            state = 0
        states[place, newest] = state
        rises = state == 1 and _rises(states[place], newest, known)
        counts[place] += np.int32(rises) - np.int32(rose[place, turn])
        rose[place, turn] = rises
        rising += rises
    return rising
