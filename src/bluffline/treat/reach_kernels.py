"""Compiled loops of a step's reach. Functions only; `reach` checks and prepares what they take."""

import numpy as np

from bluffline.loops import free_loop, loop


@loop
def feather(corners, width, weights):
    """Raise weights about a closed line of corners, so that they fall smoothly to 0 at a distance of ``width`` from it.

    corners: (N, 2) float64 x, y in samples, pixel centres at halves; weights: (H, W) float32, 1 inside.
    """
    count = corners.shape[0]
    for n in range(count):
        x0, y0 = corners[n, 0], corners[n, 1]
        x1, y1 = corners[(n + 1) % count, 0], corners[(n + 1) % count, 1]
        along_x, along_y = x1 - x0, y1 - y0
        length = max(along_x * along_x + along_y * along_y, 1e-12)
        top = max(int(np.floor(min(y0, y1) - width)), 0)
        bottom = min(int(np.ceil(max(y0, y1) + width)), weights.shape[0])
        left = max(int(np.floor(min(x0, x1) - width)), 0)
        right = min(int(np.ceil(max(x0, x1) + width)), weights.shape[1])
        for row in range(top, bottom):
            y = row + 0.5
            for column in range(left, right):
                x = column + 0.5
                part = min(max(((x - x0) * along_x + (y - y0) * along_y) / length, 0.0), 1.0)
                off_x, off_y = x - x0 - part * along_x, y - y0 - part * along_y
                away = np.sqrt(off_x * off_x + off_y * off_y) / width
                if away < 1.0:
                    weight = np.float32(1.0 - away * away * (3.0 - 2.0 * away))
                    if weight > weights[row, column]:
                        weights[row, column] = weight


@free_loop
def _falling(over, border):
    """1 up to 0, falling smoothly to 0 at ``border``."""
    one, zero = np.float32(1), np.float32(0)
    if over <= zero:
        return one
    if over >= border:
        return zero
    part = over / border
    return one - part * part * (np.float32(3) - np.float32(2) * part)


@free_loop
def _within(value, low, high, border, least, most):
    weight = np.float32(1)
    if low > least:
        weight = weight * _falling(low - value, border)
    if high < most:
        weight = weight * _falling(value - high, border)
    return weight


@free_loop
def key_row(red, green, blue, luma_weights, figures, ends, out):
    """Multiply a row of weights by a key's: see `Key.weights`. figures: of `Key.figures`; ends: least, most chroma and luma."""
    kr, kg, kb = luma_weights
    centre, half, border = figures[0], figures[1], figures[2]
    percent, grey = figures[9], figures[10]
    to_b, to_r = np.float32(0.5) / (np.float32(1) - kb), np.float32(0.5) / (np.float32(1) - kr)
    turn, straight = np.float32(360), np.float32(180)
    for x in range(out.shape[0]):
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        cb, cr = (blue[x] - y) * to_b, (red[x] - y) * to_r
        weight = out[x] * _within(y * np.float32(100), figures[6], figures[7], figures[8], ends[2], ends[3])
        if weight > 0:
            size = np.float32(np.sqrt(cb * cb + cr * cr))
            weight = weight * _within(size * percent, figures[3], figures[4], figures[5], ends[0], ends[1])
            if weight > 0 and half < straight:
                away = np.float32(np.arctan2(cr, cb)) * np.float32(57.29577951308232) - centre
                away = abs(away - turn * np.float32(np.floor((away + straight) / turn)))
                weight = np.float32(0) if size <= grey else weight * _falling(away - half, border)
        out[x] = weight
