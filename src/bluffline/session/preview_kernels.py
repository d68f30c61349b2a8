"""Compiled loops that make a screen picture. Functions only; nothing drawn here is ever measured."""

import numba
import numpy as np

_FAST = {"nnan", "nsz", "ninf", "contract"}
_PITCH, _STROKE = 7, 2  # of the hatching, in screen pixels


@numba.njit(nogil=True, cache=True)
def shrink(plane, size, width, height, scale, offset):
    """A plane at another size, each pixel the mean of those it covers, as (code − offset) · scale.

    plane: (rows, stride) codes; size: columns and rows in use. Returns (height, width) float32.
    """
    columns, rows = size
    out = np.empty((height, width), np.float32)
    total = np.empty(columns, np.int32)
    left = np.empty(width + 1, np.int64)
    for x in range(width + 1):
        left[x] = x * columns // width
    for row in range(height):
        top = row * rows // height
        bottom = max((row + 1) * rows // height, top + 1)
        line = plane[top]
        for x in range(columns):
            total[x] = np.int32(line[x])
        for y in range(top + 1, bottom):
            line = plane[y]
            for x in range(columns):
                total[x] += np.int32(line[x])
        share = scale / np.float32(bottom - top)
        for x in range(width):
            first = left[x]
            after = max(left[x + 1], first + 1)
            amount = total[first]
            for k in range(first + 1, after):
                amount += total[k]
            out[row, x] = np.float32(amount) * share / np.float32(after - first) - offset * scale
    return out


@numba.njit(nogil=True, cache=True, fastmath=_FAST)
def colour(luma, cb, cr, gains, limits, image, marks):
    """Shrunk Y′, Cb, Cr to B, G, R, 255 and to marks: 1 over, 2 under the limits.

    luma, cb, cr: (H, W) float32, the signal 0 … 1 and ±0.5; limits: luma low, high, R′G′B′ low, high; image: (H, W, 4)
    uint8 and marks: (H, W) uint8 are filled.
    """
    red_cr, green_cb, green_cr, blue_cb = gains
    luma_low, luma_high, rgb_low, rgb_high = limits
    zero, one, half = np.float32(0), np.float32(1), np.float32(0.5)
    for row in range(luma.shape[0]):
        for x in range(luma.shape[1]):
            y, b, r = luma[row, x], cb[row, x], cr[row, x]
            red = y + red_cr * r
            green = y + green_cb * b + green_cr * r
            blue = y + blue_cb * b
            image[row, x, 0] = np.uint8(min(max(blue, zero), one) * np.float32(255) + half)
            image[row, x, 1] = np.uint8(min(max(green, zero), one) * np.float32(255) + half)
            image[row, x, 2] = np.uint8(min(max(red, zero), one) * np.float32(255) + half)
            image[row, x, 3] = 255
            over = (y > luma_high) | (max(red, green, blue) > rgb_high)
            under = (y < luma_low) | (min(red, green, blue) < rgb_low)
            marks[row, x] = 1 if over else 2 if under else 0


@numba.njit(nogil=True, cache=True)
def hatch(image, marks):
    """Strokes over the marked pixels, rising over what is above the limits, falling over what is below.

    A black edge beside each white stroke keeps them visible on any picture.
    """
    for row in range(marks.shape[0]):
        for x in range(marks.shape[1]):
            mark = marks[row, x]
            if mark:
                place = (row + x if mark == 1 else row - x) % _PITCH
                if place <= _STROKE:
                    image[row, x, :3] = 255 if place < _STROKE else 0
