"""Compiled operations of the pass: each over a row of R′G′B′, three (W,) float32, changed in place.

Functions only; `plan` prepares what they take. Operations and their figures: `operations`, and the kinds that compile to them.
"""

import numpy as np

from bluffline.loops import free_loop, loop
from bluffline.treat.code_kernels import Code
from bluffline.treat.colour_kernels import bands_row, gained_row, gamut_row, hue_nudge_row, hues_row, luma_row, shifted_row
from bluffline.treat.power_kernels import LEAST, camera_row, exp2, log2, power_row
from bluffline.treat.reach_kernels import key_row
from bluffline.treat.rein_kernels import asked_of, luma_share

_ONE, _ZERO, _HALF = np.float32(1), np.float32(0), np.float32(0.5)


@free_loop
def _affine_row(red, green, blue, m):
    """m: (12,) a 3×4 matrix."""
    for x in range(red.shape[0]):
        r, g, b = red[x], green[x], blue[x]
        red[x] = m[0] * r + m[1] * g + m[2] * b + m[3]
        green[x] = m[4] * r + m[5] * g + m[6] * b + m[7]
        blue[x] = m[8] * r + m[9] * g + m[10] * b + m[11]


@free_loop
def _line_row(row, gain, offset):
    for x in range(row.shape[0]):
        row[x] = row[x] * gain + offset


@free_loop
def _spline_row(row, own, sums):
    """One component along a curve: see `curves.curves`. own: its part of the table; sums: room for a row."""
    first, start, below, last, above = own[0], own[1], own[2], own[3], own[4]
    for x in range(row.shape[0]):
        value = row[x]
        sums[x] = start + min(value - first, _ZERO) * below + max(value - last, _ZERO) * above
    rest = 5 + (own.shape[0] - 5) // 20 * 20
    for n in range(5, rest, 20):
        x0, w0, a0, b0, c0 = own[n], own[n + 1], own[n + 2], own[n + 3], own[n + 4]
        x1, w1, a1, b1, c1 = own[n + 5], own[n + 6], own[n + 7], own[n + 8], own[n + 9]
        x2, w2, a2, b2, c2 = own[n + 10], own[n + 11], own[n + 12], own[n + 13], own[n + 14]
        x3, w3, a3, b3, c3 = own[n + 15], own[n + 16], own[n + 17], own[n + 18], own[n + 19]
        for x in range(row.shape[0]):
            value = row[x]
            t0, t1 = min(max(value - x0, _ZERO), w0), min(max(value - x1, _ZERO), w1)
            t2, t3 = min(max(value - x2, _ZERO), w2), min(max(value - x3, _ZERO), w3)
            near = t0 * (a0 + t0 * (b0 + t0 * c0)) + t1 * (a1 + t1 * (b1 + t1 * c1))
            sums[x] += near + t2 * (a2 + t2 * (b2 + t2 * c2)) + t3 * (a3 + t3 * (b3 + t3 * c3))
    for n in range(rest, own.shape[0], 5):
        x0, w0, a0, b0, c0 = own[n], own[n + 1], own[n + 2], own[n + 3], own[n + 4]
        for x in range(row.shape[0]):
            t0 = min(max(row[x] - x0, _ZERO), w0)
            sums[x] += t0 * (a0 + t0 * (b0 + t0 * c0))
    for x in range(row.shape[0]):
        row[x] = sums[x]


@free_loop
def _table_row(row, low, per_unit, table):
    """One component through a table, straight between its entries, held at its ends."""
    last = np.float32(table.shape[0] - 1)
    most = np.uint32(table.shape[0] - 2)
    for x in range(row.shape[0]):
        place = min(max((row[x] - low) * per_unit, _ZERO), last)
        index = min(np.uint32(place), most)
        value = table[index]
        row[x] = value + (table[index + np.uint32(1)] - value) * (place - np.float32(index))


@free_loop
def _root_polynomial_row(red, green, blue, degree, rows):
    """rows: (39,) three of 13. See `kinds.root_polynomial.root_terms`."""
    third = np.float32(1 / 3)
    for x in range(red.shape[0]):
        r, g, b = red[x], green[x], blue[x]
        r0, g0, b0 = max(r, _ZERO), max(g, _ZERO), max(b, _ZERO)
        rg, gb, rb = np.float32(np.sqrt(r0 * g0)), np.float32(np.sqrt(g0 * b0)), np.float32(np.sqrt(r0 * b0))
        out_r = rows[0] * r + rows[1] * g + rows[2] * b + rows[3] * rg + rows[4] * gb + rows[5] * rb
        out_g = rows[13] * r + rows[14] * g + rows[15] * b + rows[16] * rg + rows[17] * gb + rows[18] * rb
        out_b = rows[26] * r + rows[27] * g + rows[28] * b + rows[29] * rg + rows[30] * gb + rows[31] * rb
        if degree > 2:
            lr = log2(max(r0, LEAST)) * third
            lg = log2(max(g0, LEAST)) * third
            lb = log2(max(b0, LEAST)) * third
            two = np.float32(2)
            t0, t1, t2 = exp2(lr + two * lg), exp2(lg + two * lb), exp2(lb + two * lr)
            t3, t4, t5, t6 = exp2(lg + two * lr), exp2(lb + two * lg), exp2(lr + two * lb), exp2(lr + lg + lb)
            out_r += rows[6] * t0 + rows[7] * t1 + rows[8] * t2 + rows[9] * t3 + rows[10] * t4 + rows[11] * t5 + rows[12] * t6
            out_g += (
                rows[19] * t0 + rows[20] * t1 + rows[21] * t2 + rows[22] * t3 + rows[23] * t4 + rows[24] * t5 + rows[25] * t6
            )
            out_b += (
                rows[32] * t0 + rows[33] * t1 + rows[34] * t2 + rows[35] * t3 + rows[36] * t4 + rows[37] * t5 + rows[38] * t6
            )
        red[x], green[x], blue[x] = out_r, out_g, out_b


@free_loop
def look_up(table, size, red, green, blue):
    """One colour through a cube by tetrahedral interpolation; places are in cells. See `kinds.lut.tetrahedral`.

    table: (3 · size³,) float32. Returns three float32.
    """
    most = np.float32(size - 1)
    red, green, blue = min(max(red, _ZERO), most), min(max(green, _ZERO), most), min(max(blue, _ZERO), most)
    last = np.int32(size - 2)
    r, g, b = min(np.int32(red), last), min(np.int32(green), last), min(np.int32(blue), last)
    x, y, z = red - np.float32(r), green - np.float32(g), blue - np.float32(b)
    by_red, by_green = size * size, size
    if x >= y:
        if y >= z:
            high, middle, low, first, second = x, y, z, by_red, by_red + by_green
        elif x >= z:
            high, middle, low, first, second = x, z, y, by_red, by_red + 1
        else:
            high, middle, low, first, second = z, x, y, 1, by_red + 1
    elif y < z:
        high, middle, low, first, second = z, y, x, 1, by_green + 1
    elif x >= z:
        high, middle, low, first, second = y, x, z, by_green, by_red + by_green
    else:
        high, middle, low, first, second = y, z, x, by_green, by_green + 1
    at = (r * by_red + g * by_green + b) * 3
    one_on, two_on, far = at + first * 3, at + second * 3, at + (by_red + by_green + 1) * 3
    w0, w1, w2 = _ONE - high, high - middle, middle - low
    return (
        table[at] * w0 + table[one_on] * w1 + table[two_on] * w2 + table[far] * low,
        table[at + 1] * w0 + table[one_on + 1] * w1 + table[two_on + 1] * w2 + table[far + 1] * low,
        table[at + 2] * w0 + table[one_on + 2] * w1 + table[two_on + 2] * w2 + table[far + 2] * low,
    )


@free_loop
def _cube_row(red, green, blue, start, per_unit, size, table):
    for x in range(red.shape[0]):
        red[x], green[x], blue[x] = look_up(
            table, size, (red[x] - start) * per_unit, (green[x] - start) * per_unit, (blue[x] - start) * per_unit
        )


@free_loop
def _roll_off_row(red, green, blue, weights, figures):
    """See `kinds.soft_ceiling.rolling`: chroma follows luma at the ceiling, and is left alone at the floor."""
    kr, kg, kb = weights
    sign, knee, peak, limit, softness = figures[0], figures[1], figures[2], figures[3], figures[4]
    top, reach = sign > _ZERO, peak - knee
    for x in range(red.shape[0]):
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        value = y * sign
        if value <= knee and value <= limit:
            continue
        treated = value
        if softness > _ZERO and value > knee:
            over = min(value - knee, reach)
            treated = knee + over / (_ONE + over / softness)
        treated = min(treated, limit) * sign
        gain = _ONE
        if top and treated < y:
            gain = treated / (y if y > np.float32(0.01) else np.float32(0.01))
        red[x] = treated + (red[x] - y) * gain
        green[x] = treated + (green[x] - y) * gain
        blue[x] = treated + (blue[x] - y) * gain


@free_loop
def _rein_row(red, green, blue, weights, figures, shares):
    """See `kinds.chroma_rein`. figures: low, high, onset (0 … 1), what R′ and B′ have of Cr and Cb; shares: flat."""
    kr, kg, kb = weights
    low, high, onset, per_red, per_blue = figures[0], figures[1], figures[2], _ONE / figures[3], _ONE / figures[4]
    for x in range(red.shape[0]):
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        r, g, b = red[x] - y, green[x] - y, blue[x] - y
        up, under = max(r, g, b), min(r, g, b)
        over, away, scale = asked_of(y, up, under, low, high, onset)
        if over <= _ZERO and scale >= _ONE and low <= y <= high:
            continue
        if over > _ZERO:
            scale -= scale * (_ONE - luma_share(shares, away, b * per_blue, r * per_red)) * over / abs(away)
        y = min(max(y, low - scale * under), high - scale * up)
        red[x], green[x], blue[x] = y + r * scale, y + g * scale, y + b * scale


@free_loop
def _soft_ends_row(row, pivot, contrast):
    """See `kinds.tone`: an S about the pivot."""
    less = contrast - _ONE
    for x in range(row.shape[0]):
        room = _ONE - pivot if row[x] >= pivot else -pivot
        part = min(max((row[x] - pivot) / room, _ZERO), _ONE)
        row[x] = pivot + room * contrast * part / (_ONE + less * part)


@free_loop
def _hold_chroma_row(red, green, blue, kept, weights, figures):
    """See `kinds.tone`: chroma raised to stand to luma as it did in ``kept`` (3, W)."""
    kr, kg, kb = weights
    per_dark, most = _ONE / figures[0], figures[1]
    small = np.float32(1e-6)
    for x in range(red.shape[0]):
        before = kr * kept[0, x] + kg * kept[1, x] + kb * kept[2, x]
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        if y <= before or before <= _ZERO:
            continue
        r, g, b = kept[0, x] - before, kept[1, x] - before, kept[2, x] - before
        wanted = np.float32(np.sqrt(r * r + g * g + b * b)) * y / before
        r, g, b = red[x] - y, green[x] - y, blue[x] - y
        size = np.float32(np.sqrt(r * r + g * g + b * b))
        if wanted > size and size > small:
            scale = _ONE + (min(wanted / size, most) - _ONE) * min(before * per_dark, _ONE)
            red[x], green[x], blue[x] = y + r * scale, y + g * scale, y + b * scale


@free_loop
def _mix_row(row, kept, weights):
    for x in range(row.shape[0]):
        row[x] = kept[x] + (row[x] - kept[x]) * weights[x]


@loop
def _transfer_row(row, back, which):
    """Light and signal of sRGB (0), PQ (1) and HLG (2): see `signal.colorimetry`; by the library's powers, seldom wanted."""
    hlg = 0.26496256042100724
    for x in range(row.shape[0]):
        value = float(row[x])
        size = abs(value)
        if back:
            size *= hlg if which == 2 else 1.0
            if which == 0:
                coded = size * 12.92 if size <= 0.0031308 else 1.055 * size ** (1 / 2.4) - 0.055
            elif which == 1:
                power = (size * 203 / 10000) ** 0.1593017578125
                coded = ((0.8359375 + 18.8515625 * power) / (1 + 18.6875 * power)) ** 78.84375
            else:
                upper = 0.17883277 * np.log(max(12 * size - 0.28466892, 1e-9)) + 0.55991073
                coded = np.sqrt(3 * size) if size <= 1 / 12 else upper
        elif which == 0:
            coded = size / 12.92 if size <= 0.04045 else ((size + 0.055) / 1.055) ** 2.4
        elif which == 1:
            power = min(size, 1.0) ** (1 / 78.84375)
            coded = (max(power - 0.8359375, 0.0) / (18.8515625 - 18.6875 * power)) ** (1 / 0.1593017578125) * 10000 / 203
        else:
            coded = size * size / 3 if size <= 0.5 else (np.exp((size - 0.55991073) / 0.17883277) + 0.28466892) / 12
            coded /= hlg
        row[x] = np.float32(-coded if value < 0 else coded)


@loop
def treat_row(rgb, kept, weight, row, weights, plan, masks, ends):
    """Run the operations over a row. rgb: (3, W) float32, changed in place.

    kept: (9, W) room: what came into a reach, what came into a tone, sums, luma, a line; weight: (W,) room; row: its number
    in ``masks`` (M, H, W) float32, the weights of reaches and what is added to luma; weights: Kr, Kg, Kb; plan: operations
    (N, 4) int32 (code, where its figures begin, where its table begins and ends), figures, tables, all flat; ends: those of a
    key's ranges.
    """
    operations, figures, tables = plan
    red, green, blue = rgb[0], rgb[1], rgb[2]
    for n in range(operations.shape[0]):
        code, at = operations[n, 0], operations[n, 1]
        own = figures[at:]
        table = tables[operations[n, 2] : operations[n, 3]]
        if code == Code.AFFINE:
            if table[1] == 0 and table[2] == 0 and table[4] == 0 and table[6] == 0 and table[8] == 0 and table[9] == 0:
                _line_row(red, table[0], table[3])
                _line_row(green, table[5], table[7])
                _line_row(blue, table[10], table[11])
            else:
                _affine_row(red, green, blue, table)
        elif code == Code.POWER:
            for c in range(3):
                if own[8 + 10 * c] != 1:  # an exponent of 1 leaves its component as it is
                    power_row(rgb[c], own[1 + 10 * c :], own[0] != 0)
        elif code == Code.CAMERA:
            for c in range(3):
                camera_row(rgb[c], own)
        elif code == Code.SPLINE:
            count = table.shape[0] // 3
            for c in range(3):
                _spline_row(rgb[c], table[c * count : (c + 1) * count], kept[6])
        elif code == Code.TABLE:
            entries = table.shape[0] // 3
            for c in range(3):
                _table_row(rgb[c], own[0], own[1], table[c * entries : (c + 1) * entries])
        elif code == Code.ROOT_POLYNOMIAL:
            _root_polynomial_row(red, green, blue, own[0], table)
        elif code == Code.HUE_NUDGE:
            hue_nudge_row(red, green, blue, weights, own)
        elif code == Code.HUES:
            hues_row(red, green, blue, weights, own, table, kept[6:9])
        elif code == Code.GAMUT:
            gamut_row(red, green, blue, weights, own)
        elif code == Code.BANDS:
            bands_row(red, green, blue, weights, own)
        elif code == Code.LUMA_CURVE:
            luma_row(red, green, blue, weights, kept[7])
            kept[8] = kept[7]
            _spline_row(kept[8], table, kept[6])
            shifted_row(red, green, blue, kept[8], kept[7])
        elif code == Code.CHROMA_BY_LUMA:
            luma_row(red, green, blue, weights, kept[7])
            kept[8] = kept[7]
            _spline_row(kept[8], table, kept[6])
            gained_row(red, green, blue, kept[7], kept[8])
        elif code == Code.LUMA_MASK:
            kept[7] = _ZERO
            shifted_row(red, green, blue, masks[int(own[0]), row], kept[7])
        elif code == Code.CUBE:
            _cube_row(red, green, blue, own[0], own[1], int(own[2]), table)
        elif code == Code.ROLL_OFF:
            _roll_off_row(red, green, blue, weights, own)
        elif code == Code.REIN:
            _rein_row(red, green, blue, weights, own, table)
        elif code == Code.SOFT_ENDS:
            for c in range(3):
                _soft_ends_row(rgb[c], own[0], own[1])
        elif code == Code.KEEP:
            kept[3:6] = rgb
        elif code == Code.HOLD_CHROMA:
            _hold_chroma_row(red, green, blue, kept[3:6], weights, own)
        elif code == Code.REACH:
            kept[:3] = rgb
            reach_row(rgb, weight, row, weights, own, masks, ends)
        elif code == Code.MIX:
            for c in range(3):
                _mix_row(rgb[c], kept[c], weight)
        elif code == Code.TRANSFER:
            for c in range(3):
                _transfer_row(rgb[c], own[0] != 0, int(own[1]))


@loop
def reach_row(rgb, weight, row, weights, figures, masks, ends):
    """The weights of a reach. figures: its mask (−1: none), strength, whether it has a key, is it inverted, the key's own."""
    mask = int(figures[0])
    weight[:] = _ONE
    if figures[2] != 0:
        key_row(rgb[0], rgb[1], rgb[2], weights, figures[4:], ends, weight)
        if figures[3] != 0:
            weight[:] = _ONE - weight
    if figures[1] != 1:
        weight *= figures[1]
    if mask >= 0:
        weight *= masks[mask, row]
