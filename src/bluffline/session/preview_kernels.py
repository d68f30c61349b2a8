"""Compiled loops that make a screen picture. Functions only; nothing drawn here is ever measured."""

import numba
import numpy as np


@numba.njit(nogil=True, cache=True)
def draw_picture(luma, cb, cr, size, across, down, codes, gains, limits, width, height):
    """A screen picture of a frame, with the pixels outside limits marked.

    luma, cb, cr: (rows, stride) codes; size: source width, height; across, down: luma samples to a chroma site; codes:
    black, 1/swing, zero, 1/span; limits: luma low, high, R′G′B′ low, high (0 … 1). Every screen pixel is the mean of
    the source pixels it covers, and is marked 1 (over) or 2 (under) where most of them are outside.
    Returns (picture (height, width, 4) uint8 in B, G, R, 255; marks (height, width) uint8).
    """
    picture = np.empty((height, width, 4), np.uint8)
    marks = np.zeros((height, width), np.uint8)
    black, per_swing, zero, per_span = codes
    red_cr, green_cb, green_cr, blue_cb = gains
    luma_low, luma_high, rgb_low, rgb_high = limits
    source_width, source_height = size
    for row in range(height):
        top = row * source_height // height
        bottom = max((row + 1) * source_height // height, top + 1)
        for column in range(width):
            left = column * source_width // width
            right = max((column + 1) * source_width // width, left + 1)
            total = np.float32(0)
            total_b = np.float32(0)
            total_r = np.float32(0)
            over = under = count = 0
            for y in range(top, bottom):
                for x in range(left, right):
                    value = (np.float32(luma[y, x]) - black) * per_swing
                    b = (np.float32(cb[y // down, x // across]) - zero) * per_span
                    r = (np.float32(cr[y // down, x // across]) - zero) * per_span
                    total += value
                    total_b += b
                    total_r += r
                    red = value + red_cr * r
                    green = value + green_cb * b + green_cr * r
                    blue = value + blue_cb * b
                    over += (value > luma_high) | (max(red, green, blue) > rgb_high)
                    under += (value < luma_low) | (min(red, green, blue) < rgb_low)
                    count += 1
            share = np.float32(1) / count
            value, b, r = total * share, total_b * share, total_r * share
            red = value + red_cr * r
            green = value + green_cb * b + green_cr * r
            blue = value + blue_cb * b
            picture[row, column, 0] = np.uint8(min(max(blue, np.float32(0)), np.float32(1)) * 255 + np.float32(0.5))
            picture[row, column, 1] = np.uint8(min(max(green, np.float32(0)), np.float32(1)) * 255 + np.float32(0.5))
            picture[row, column, 2] = np.uint8(min(max(red, np.float32(0)), np.float32(1)) * 255 + np.float32(0.5))
            picture[row, column, 3] = 255
            if 2 * over > count:
                marks[row, column] = 1
            elif 2 * under > count:
                marks[row, column] = 2
    return picture, marks
