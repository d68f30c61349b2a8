"""Compiled loops that make a screen picture. Functions only; nothing drawn here is ever measured."""

import numpy as np

from bluffline.loops import free_loop, loop

_OPAQUE = np.uint32(0xFF000000)


@free_loop
def shrink(plane, columns, rows, scale, offset):
    """A part of a plane at another size, each pixel the mean of the samples it covers, as (code − offset) · scale.

    plane: (rows, stride) codes; columns, rows: for each column and row of the result the first sample it covers and the
    one after its last, (2, W) and (2, H) uint32. Returns (H, W) float32.
    """
    width, height = columns.shape[1], rows.shape[1]
    left, right = np.int64(columns[0, 0]), np.int64(columns[1, width - 1])
    first, after = columns[0] - np.uint32(left), columns[1] - np.uint32(left)
    out = np.empty((height, width), np.float32)
    total = np.empty(right - left, np.int32)
    sums = np.zeros(right - left + 1, np.int32)
    share = scale / (after - first).astype(np.float32)
    single = share.min() == scale
    shift = np.float32(offset * scale)
    for row in range(height):
        top, bottom = np.int64(rows[0, row]), np.int64(rows[1, row])
        line = plane[top, left:right]
        for x in range(total.shape[0]):
            total[x] = np.int32(line[x])
        for y in range(top + 1, bottom):
            line = plane[y, left:right]
            for x in range(total.shape[0]):
                total[x] += np.int32(line[x])
        high = np.float32(1) / np.float32(bottom - top)
        line_out = out[row]
        if single:
            for x in range(width):
                line_out[x] = np.float32(total[first[x]]) * scale * high - shift
            continue
        amount = np.int32(0)
        for x in range(total.shape[0]):
            amount += total[x]  # may wrap around: the differences taken below are right all the same
            sums[x + 1] = amount
        for x in range(width):
            line_out[x] = np.float32(np.int32(sums[after[x]] - sums[first[x]])) * share[x] * high - shift
    return out


@free_loop
def paint(luma, cb, cr, gains, image):
    """Y′, Cb, Cr (0 … 1 and ±0.5) to pixels of bytes B, G, R, 255.

    luma, cb, cr: (H, W) float32; image: (H, W) uint32, filled; on the little-endian machines that this runs on.
    """
    red_cr, green_cb, green_cr, blue_cb = gains
    zero, top, half = np.float32(0), np.float32(255), np.float32(0.5)
    for row in range(luma.shape[0]):
        y_row, b_row, r_row, out = luma[row], cb[row], cr[row], image[row]
        for x in range(out.shape[0]):
            y, b, r = y_row[x] * top + half, b_row[x] * top, r_row[x] * top
            red = min(max(y + red_cr * r, zero), top)
            green = min(max(y + green_cb * b + green_cr * r, zero), top)
            blue = min(max(y + blue_cb * b, zero), top)
            out[x] = np.uint32(np.int32(blue) | np.int32(green) << 8 | np.int32(red) << 16) | _OPAQUE


@free_loop
def paint_hdr(luma, cb, cr, gains, light, system, matrix, codes, image):
    """The same of HDR, its light brought to that of an SDR screen: white is half of it, 1000 cd/m² are all.

    light: (N,) of signals from 0 to 1, in multiples of reference white; system: weights of luminance, exponent and scale of the
    display's own curve; matrix: (3, 3) to the screen's primaries; codes: (M,) of the square root of light from 0 to 1.
    """
    red_cr, green_cb, green_cr, blue_cb = gains
    one, zero, half = np.float32(1), np.float32(0), np.float32(0.5)
    fine, steps = np.float32(light.shape[0] - 1), np.float32(codes.shape[0] - 1)
    curved = system[3] != zero
    top = np.float32(1000.0 / 203.0)
    for row in range(luma.shape[0]):
        y_row, b_row, r_row, out = luma[row], cb[row], cr[row], image[row]
        for x in range(out.shape[0]):
            y, b, r = y_row[x], b_row[x], r_row[x]
            red = light[np.int32(min(max(y + red_cr * r, zero), one) * fine + half)]
            green = light[np.int32(min(max(y + green_cb * b + green_cr * r, zero), one) * fine + half)]
            blue = light[np.int32(min(max(y + blue_cb * b, zero), one) * fine + half)]
            scale = system[4]
            if curved:
                shown = system[0] * red + system[1] * green + system[2] * blue
                scale *= max(shown, np.float32(1e-6)) ** system[3]
            first = max((matrix[0, 0] * red + matrix[0, 1] * green + matrix[0, 2] * blue) * scale, zero)
            second = max((matrix[1, 0] * red + matrix[1, 1] * green + matrix[1, 2] * blue) * scale, zero)
            third = max((matrix[2, 0] * red + matrix[2, 1] * green + matrix[2, 2] * blue) * scale, zero)
            most = max(first, second, third)
            gain = (one + most / (top * top)) / (one + most)  # of the brightest, and of the others with it: hue stays
            pixel = np.uint32(codes[np.int32(min(np.sqrt(third * gain), one) * steps + half)])
            pixel |= np.uint32(codes[np.int32(min(np.sqrt(second * gain), one) * steps + half)]) << np.uint32(8)
            pixel |= np.uint32(codes[np.int32(min(np.sqrt(first * gain), one) * steps + half)]) << np.uint32(16)
            out[x] = pixel | _OPAQUE


@loop
def gather_marks(marks, columns, rows, out):
    """Or together the marks that each screen pixel covers. marks: (rows, columns) uint8; out: (H, W) uint8, filled."""
    width = columns.shape[1]
    left, right = np.int64(columns[0, 0]), np.int64(columns[1, width - 1])
    first, last = columns[0] - np.uint32(left), columns[1] - np.uint32(left + 1)
    most = (columns[1] - columns[0]).max()
    line = np.empty(right - left, np.uint8)
    for row in range(out.shape[0]):
        line[:] = marks[rows[0, row], left:right]
        for y in range(rows[0, row] + 1, rows[1, row]):
            below = marks[y, left:right]
            for x in range(line.shape[0]):
                line[x] |= below[x]
        line_out = out[row]
        line_out[:] = 0
        if line.max() == 0:
            continue
        for k in range(np.uint32(most)):
            for x in range(width):
                line_out[x] |= line[min(np.uint32(first[x] + np.uint32(k)), last[x])]


@loop
def hatch(image, marks, luma, rgb, high, low):
    """Strokes over the marked pixels: rising over what is above a limit, falling over what is below, upright elsewhere.

    image: (H, W) uint32; luma, rgb, high, low: the bits that mean luma or R′G′B′ outside, above or below. Strokes for luma are
    broad, others fine. A black edge beside each white stroke keeps it visible on any picture.
    """
    for row in range(marks.shape[0]):
        for x in range(marks.shape[1]):
            mark = marks[row, x]
            if mark:
                mark = (mark & luma) or (mark & rgb) or mark
                pitch, stroke = (9, 3) if mark & luma else (6, 1)
                place = (row + x if mark & high else row - x if mark & low else x) % pitch
                if place <= stroke:
                    image[row, x] = np.uint32(0xFFFFFFFF) if place < stroke else _OPAQUE


@loop
def paint_zones(luma, edges, inks, patterns, image):
    """A picture painted by exposure zone.

    luma: (H, W) float32, 0 … 1; edges: (Z − 1,) rising levels between zones; inks: (Z, 2) uint32, ground and strokes; patterns:
    (Z,) 0 plain, 1 upright strokes, 2 dots, 3 level strokes, 4 squares. image: (H, W) uint32, filled.
    """
    for row in range(luma.shape[0]):
        for x in range(luma.shape[1]):
            zone = np.searchsorted(edges, luma[row, x], side="right")
            kind = patterns[zone]
            inked = (
                (kind == 1 and x % 5 < 2)
                or (kind == 2 and x % 5 < 2 and row % 5 < 2)
                or (kind == 3 and row % 5 < 2)
                or (kind == 4 and (x // 4 + row // 4) % 2 == 0)
            )
            image[row, x] = inks[zone, 1 if inked else 0]
