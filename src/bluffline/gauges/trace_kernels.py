"""Compiled loops that turn counts into pixels. Functions only; nothing drawn here is ever measured.

Pixels are uint32 of bytes B, G, R, 255. A curve is a table of brightness, 0 … 1, by count; its last entry serves all above.
"""

import numpy as np

from bluffline.loops import loop

_OPAQUE = np.uint32(0xFF000000)


@loop
def _pixel(red, green, blue):
    return np.uint32(np.int32(blue) | np.int32(green) << 8 | np.int32(red) << 16) | _OPAQUE


@loop
def spread_levels(counts, first_bins, after_bins, first_column, columns, width, out):
    """Counts of a level gauge at the size of its picture.

    counts: (columns, bins) int32; first_bins, after_bins: for each row of the picture its bins, (H,) int64, none where they
    are equal; first_column, columns: the trace columns drawn over ``width``. out: (H, width) float32, filled with counts a
    trace column and bin-high row.
    """
    for x in range(width):
        column = counts[first_column + x * columns // width]
        for y in range(out.shape[0]):
            total = np.int32(0)
            for b in range(first_bins[y], after_bins[y]):
                total += column[b]
            out[y, x] = total


@loop
def brighten(amounts, curve):
    """Counts to brightness by the curve, in place. amounts: (H, W) float32."""
    last = np.int32(curve.shape[0] - 1)
    for y in range(amounts.shape[0]):
        for x in range(amounts.shape[1]):
            amounts[y, x] = curve[min(np.int32(amounts[y, x]), last)]


@loop
def broaden(brightness, reach):
    """Make every lit place a disc that reaches so many pixels from its middle; its rim a little fainter."""
    height, width = brightness.shape
    out = brightness.copy()
    rim = np.float32(0.8)
    for y in range(height):
        for x in range(width):
            value = brightness[y, x] * rim
            if value == 0:
                continue
            for down in range(max(-reach, -y), min(reach, height - 1 - y) + 1):
                for across in range(max(-reach, -x), min(reach, width - 1 - x) + 1):
                    if across * across + down * down <= reach * (reach + 1) and out[y + down, x + across] < value:
                        out[y + down, x + across] = value
    return out


@loop
def outline(amounts):
    """Brightness of the edge of what is there: 1 at pixels with a count that touch one without, 0 elsewhere."""
    height, width = amounts.shape
    out = np.zeros((height, width), np.float32)
    for y in range(height):
        for x in range(width):
            if amounts[y, x] > 0 and (
                y == 0 or x == 0 or y == height - 1 or x == width - 1
                or amounts[y - 1, x] == 0 or amounts[y + 1, x] == 0 or amounts[y, x - 1] == 0 or amounts[y, x + 1] == 0
            ):  # fmt: skip
                out[y, x] = 1
    return out


@loop
def hatch_rows(brightness, outside):
    """Break up the trace in the rows that are outside the limits, so that excess is seen without its colour."""
    for y in range(brightness.shape[0]):
        if outside[y]:
            for x in range(brightness.shape[1]):
                if brightness[y, x] > 0:
                    brightness[y, x] = 1.0 if (x + y) % 5 < 2 else 0.0


@loop
def hatch_cells(brightness, outside):
    """The same for the pixels that an (H, W) mask says are outside."""
    for y in range(brightness.shape[0]):
        for x in range(brightness.shape[1]):
            if outside[y, x] and brightness[y, x] > 0:
                brightness[y, x] = 1.0 if (x + y) % 5 < 2 else 0.0


@loop
def lay(brightness, colour, ground, image):
    """Lay a trace of one colour over an image, adding light. brightness: (H, W) 0 … 1; colour: (3,) 0 … 255 R, G, B."""
    red, green, blue = colour[0] - ground, colour[1] - ground, colour[2] - ground
    for y in range(brightness.shape[0]):
        for x in range(brightness.shape[1]):
            light = brightness[y, x]
            if light > 0:
                old = image[y, x]
                r = min(np.float32((old >> 16) & 255) + red * light, np.float32(255))
                g = min(np.float32((old >> 8) & 255) + green * light, np.float32(255))
                b = min(np.float32(old & 255) + blue * light, np.float32(255))
                image[y, x] = _pixel(r, g, b)


@loop
def lay_coloured(brightness, colours, ground, image):
    """The same with a colour for every pixel. colours: (H, W, 3) float32, 0 … 255 R, G, B."""
    for y in range(brightness.shape[0]):
        for x in range(brightness.shape[1]):
            light = brightness[y, x]
            if light > 0:
                c = colours[y, x]
                image[y, x] = _pixel(
                    ground + (c[0] - ground) * light, ground + (c[1] - ground) * light, ground + (c[2] - ground) * light
                )


@loop
def spread_cells(counts, first, after, out):
    """Counts of a cell gauge at the size of its picture: the fullest of the cells that each pixel covers.

    counts: (cells, cells), across first; first, after: cells of each picture column, (S,) int64; the picture is square and
    the second coordinate runs upwards. out: (S, S) float32, filled.
    """
    side = out.shape[0]
    for x in range(side):
        for y in range(side):
            up = side - 1 - y
            most = np.int32(0)
            for a in range(first[x], after[x]):
                for b in range(first[up], after[up]):
                    most = max(most, counts[a, b])
            out[y, x] = most


@loop
def bars(heights, row_from, row_to, out):
    """Histogram bars. heights: (W,) 0 … 1; rows row_from … row_to − 1 of out, (H, W) float32, are filled with 0 or 1."""
    tall = row_to - row_from
    for x in range(heights.shape[0]):
        top = row_to - np.int32(np.ceil(heights[x] * (tall - 1)))
        for y in range(row_from, row_to):
            out[y, x] = 1.0 if y >= top else 0.0


@loop
def silhouette(before, after, levels, limits, image):
    """The skyline's measured columns, from the left: after treatment filled, what treatment took away thinly hatched.

    before, after: (4, W) luma low and high, R′G′B′ low and high, in percent; levels: (H,) percent of each row, downwards;
    limits: luma low and high, R′G′B′ low and high. image: (H, columns) uint8 grey, its first W columns filled.
    """
    for x in range(before.shape[1]):
        for y in range(levels.shape[0]):
            level = levels[y]
            luma = after[0, x] <= level <= after[1, x]
            rgb = after[2, x] <= level <= after[3, x]
            if (luma and not limits[0] <= level <= limits[1]) or (rgb and not limits[2] <= level <= limits[3]):
                image[y, x] = 245 if (x + y) % 6 < 2 else 20
            elif luma:
                image[y, x] = np.uint8(118 + 0.36 * level)
            elif rgb:
                image[y, x] = 66
            elif (before[0, x] <= level <= before[1, x] or before[2, x] <= level <= before[3, x]) and (x + y) % 6 < 1:
                image[y, x] = 92
