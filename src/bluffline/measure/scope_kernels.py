"""Compiled counts behind the gauges. Functions only.

In each, starts and runs are those of a `Selection`. Code planes are (rows, stride) unsigned; ``red``, ``green``, ``blue``
hold R′, G′, B′ codes raised by ``room``, so that none is negative.
"""

import math

import numpy as np

from bluffline.loops import free_loop, loop


@loop
def count_levels(plane, starts, runs, base, shift, counts):
    """How often each level occurs in each trace column.

    base: (W,) uint32, where the counts of each picture column begin in ``counts``, integers, added to; a bin holds 2**shift
    codes.
    """
    for row in range(starts.shape[0] - 1):
        line = plane[row]
        for n in range(starts[row], starts[row + 1]):
            codes, places = line[runs[n, 0] : runs[n, 1]], base[runs[n, 0] : runs[n, 1]]
            for x in range(codes.shape[0]):
                counts[places[x] + (np.uint32(codes[x]) >> shift)] += 1


@loop
def count_pairs(cb, cr, starts, runs, cell_of, counts):
    """How often each pair of chroma codes occurs. counts: (cells, cells), rows Cb, columns Cr.

    cell_of: the cell of each code, −1 for none. Returns how many sites fall beyond the cells.
    """
    beyond = 0
    for row in range(starts.shape[0] - 1):
        line_b, line_r = cb[row], cr[row]
        for n in range(starts[row], starts[row + 1]):
            for x in range(runs[n, 0], runs[n, 1]):
                b, r = cell_of[line_b[x]], cell_of[line_r[x]]
                if b >= 0 and r >= 0:
                    counts[b, r] += 1
                else:
                    beyond += 1
    return beyond


@loop
def count_coloured(planes, halved, starts, runs, base, shift, cells):
    """Luma levels, and the sums of the chroma codes found at each. cells: (columns · bins, 3) int32: count, Cb, Cr."""
    across, down = halved
    for row in range(starts.shape[0] - 1):
        line, line_b, line_r = planes[0][row], planes[1][row >> down], planes[2][row >> down]
        for n in range(starts[row], starts[row + 1]):
            left = runs[n, 0]
            codes, places = line[left : runs[n, 1]], base[left : runs[n, 1]]
            for x in range(codes.shape[0]):
                cell = cells[places[x] + (np.uint32(codes[x]) >> shift)]
                site = (left + x) >> across
                cell[0] += 1
                cell[1] += np.int32(line_b[site])
                cell[2] += np.int32(line_r[site])


@free_loop
def composite_envelope(red, green, blue, width, weights, top, foot):
    """Luma plus and minus the amplitude of composite chroma, in codes raised by ``room``.

    weights: Kr, Kg, Kb and the scaling of B′−Y′ and R′−Y′ on a subcarrier; top, foot: (rows, width) uint16, filled.
    """
    kr, kg, kb, scale_b, scale_r = weights
    half, greatest = np.float32(0.5), np.float32(65535)
    for row in range(top.shape[0]):
        r_row, g_row, b_row = red[row], green[row], blue[row]
        for x in range(width):
            r, g, b = np.float32(r_row[x]), np.float32(g_row[x]), np.float32(b_row[x])
            y = kr * r + kg * g + kb * b
            b, r = (b - y) * scale_b, (r - y) * scale_r
            amplitude = np.float32(math.sqrt(b * b + r * r))
            top[row, x] = np.uint16(np.int32(min(y + amplitude, greatest) + half))
            foot[row, x] = np.uint16(np.int32(max(y - amplitude, np.float32(0)) + half))


@loop
def _look_up(codes, linear, out):
    """Light of each code of a row."""
    for x in range(out.shape[0]):
        out[x] = linear[codes[x]]


@free_loop
def _chromaticity_row(light, weights, cells, across, up):
    """The cell of each pixel of a row. light: (3, W) float32; across, up: (W,) int32; across is −1 where there is no light.

    weights: (3, 3) float32 that make of R, G, B the numerators of both coordinates, in cells, and their denominator.
    """
    red, green, blue = light[0], light[1], light[2]
    w00, w01, w02 = weights[0, 0], weights[0, 1], weights[0, 2]
    w10, w11, w12 = weights[1, 0], weights[1, 1], weights[1, 2]
    w20, w21, w22 = weights[2, 0], weights[2, 1], weights[2, 2]
    zero, one, last, least = np.float32(0), np.float32(1), np.float32(cells - 1), np.float32(1e-4)
    for x in range(across.shape[0]):
        r, g, b = red[x], green[x], blue[x]
        total = w20 * r + w21 * g + w22 * b
        lit = total > least
        share = one / (total if lit else one)
        first = min(max((w00 * r + w01 * g + w02 * b) * share, zero), last)
        second = min(max((w10 * r + w11 * g + w12 * b) * share, zero), last)
        across[x] = np.int32(first) if lit else np.int32(-1)
        up[x] = np.int32(second)


@loop
def count_chromaticities(red, green, blue, width, starts, runs, linear, weights, counts):
    """Chromaticities in linear light. counts: (cells, cells), x or u′ first.

    linear: light of each code, float32; weights: as `_chromaticity_row` takes them. Colours beyond the cells are counted in
    the outermost ones. Returns the pixels too dark to have a colour.
    """
    light = np.empty((3, width), np.float32)
    across, up = np.empty(width, np.int32), np.empty(width, np.int32)
    dark = 0
    for row in range(starts.shape[0] - 1):
        if starts[row] == starts[row + 1]:
            continue
        _look_up(red[row], linear, light[0])
        _look_up(green[row], linear, light[1])
        _look_up(blue[row], linear, light[2])
        _chromaticity_row(light, weights, counts.shape[0], across, up)
        for n in range(starts[row], starts[row + 1]):
            for x in range(runs[n, 0], runs[n, 1]):
                if across[x] < 0:
                    dark += 1
                else:
                    counts[np.uint32(across[x]), np.uint32(up[x])] += 1
    return dark


@free_loop
def _least_row(light, to_gamut, least):
    """The least of a gamut's R, G and B at each pixel of a row. light: (3, W); least: (W,), both float32."""
    red, green, blue = light[0], light[1], light[2]
    g00, g01, g02 = to_gamut[0, 0], to_gamut[0, 1], to_gamut[0, 2]
    g10, g11, g12 = to_gamut[1, 0], to_gamut[1, 1], to_gamut[1, 2]
    g20, g21, g22 = to_gamut[2, 0], to_gamut[2, 1], to_gamut[2, 2]
    for x in range(least.shape[0]):
        r, g, b = red[x], green[x], blue[x]
        first = g00 * r + g01 * g + g02 * b
        second = g10 * r + g11 * g + g12 * b
        third = g20 * r + g21 * g + g22 * b
        lower = first if first < second else second
        least[x] = lower if lower < third else third


@loop
def mark_outside_gamut(red, green, blue, width, starts, runs, linear, to_gamut, slack, bit, marks):
    """Or ``bit`` into the marks of pixels whose light a smaller gamut can't make. Returns how many there are.

    to_gamut: (3, 3) float32 from the programme's R, G, B to the gamut's; a component under −slack is outside.
    """
    light, least = np.empty((3, width), np.float32), np.empty(width, np.float32)
    count = 0
    for row in range(starts.shape[0] - 1):
        if starts[row] == starts[row + 1]:
            continue
        _look_up(red[row], linear, light[0])
        _look_up(green[row], linear, light[1])
        _look_up(blue[row], linear, light[2])
        _least_row(light, to_gamut, least)
        line = marks[row]
        for n in range(starts[row], starts[row + 1]):
            for x in range(runs[n, 0], runs[n, 1]):
                if least[x] < -slack:
                    count += 1
                    line[x] |= bit
    return count


@loop
def sum_signal(luma, red, green, blue, starts, runs, linear, sums, squares):
    """Sums over the selected pixels of Y′, R′, G′, B′ codes and of their squares, and of linear R, G and B.

    luma: codes as stored; linear: light of each R′G′B′ code; sums: (7,) and squares: (4,) float64, added to.
    """
    for row in range(starts.shape[0] - 1):
        for n in range(starts[row], starts[row + 1]):
            for x in range(runs[n, 0], runs[n, 1]):
                y = np.float64(luma[row, x])
                sums[0] += y
                squares[0] += y * y
                for c, code in ((1, red[row, x]), (2, green[row, x]), (3, blue[row, x])):
                    value = np.float64(code)
                    sums[c] += value
                    squares[c] += value * value
                    sums[3 + c] += linear[code]
