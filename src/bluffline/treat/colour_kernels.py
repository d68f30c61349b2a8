"""Compiled operations of the pass that change colours by their luma and hue, over rows of R′G′B′; see `row_kernels`.

Functions only.
"""

import numpy as np

from bluffline.loops import free_loop, loop
from bluffline.treat.power_kernels import LEAST

_ONE, _ZERO, _HALF = np.float32(1), np.float32(0), np.float32(0.5)
_TWO, _THREE = np.float32(2), np.float32(3)


@free_loop
def luma_row(red, green, blue, weights, out):
    """Luma of a row."""
    kr, kg, kb = weights
    for x in range(out.shape[0]):
        out[x] = kr * red[x] + kg * green[x] + kb * blue[x]


@free_loop
def shifted_row(red, green, blue, after, before):
    """Luma moved by so much as lies between two rows, chroma left as it is."""
    for x in range(red.shape[0]):
        by = after[x] - before[x]
        red[x] += by
        green[x] += by
        blue[x] += by


@free_loop
def gained_row(red, green, blue, luma, gain):
    """Chroma times a gain at each pixel."""
    for x in range(red.shape[0]):
        y, times = luma[x], gain[x]
        red[x] = y + (red[x] - y) * times
        green[x] = y + (green[x] - y) * times
        blue[x] = y + (blue[x] - y) * times


@free_loop
def _smooth(t):
    """0 … 1 with level ends."""
    bounded = min(max(t, _ZERO), _ONE)
    return bounded * bounded * (_THREE - _TWO * bounded)


@free_loop
def _in_band(y, low, high, per_softness):
    """The weight of a band: 1 between its limits, falling to 0 within its softness."""
    return _smooth(_ONE - max(low - y, y - high) * per_softness)


@free_loop
def bands_row(red, green, blue, weights, f):
    """See `kinds.bands`. f: of five bands low, high, 1 / softness, Cb, Cr, luma and gain of chroma less 1 (0 … 1)."""
    kr, kg, kb = weights
    from_b, from_r, per_g = (_ONE - kb) / _HALF, (_ONE - kr) / _HALF, _ONE / kg
    for x in range(red.shape[0]):
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        w0, w1 = _in_band(y, f[0], f[1], f[2]), _in_band(y, f[7], f[8], f[9])
        w2, w3 = _in_band(y, f[14], f[15], f[16]), _in_band(y, f[21], f[22], f[23])
        w4 = _in_band(y, f[28], f[29], f[30])
        share = _ONE / max(w0 + w1 + w2 + w3 + w4, _ONE)
        cb = (w0 * f[3] + w1 * f[10] + w2 * f[17] + w3 * f[24] + w4 * f[31]) * share
        cr = (w0 * f[4] + w1 * f[11] + w2 * f[18] + w3 * f[25] + w4 * f[32]) * share
        luma = (w0 * f[5] + w1 * f[12] + w2 * f[19] + w3 * f[26] + w4 * f[33]) * share
        more = (w0 * f[6] + w1 * f[13] + w2 * f[20] + w3 * f[27] + w4 * f[34]) * share
        to_r, to_b = cr * from_r, cb * from_b
        to_g = -(kr * to_r + kb * to_b) * per_g
        red[x] += luma + (red[x] - y) * more + to_r
        green[x] += luma + (green[x] - y) * more + to_g
        blue[x] += luma + (blue[x] - y) * more + to_b


@free_loop
def gamut_row(red, green, blue, weights, figures):
    """See `kinds.log`: chroma brought within 0 and a top, its hue and luma held. figures: top, knee, least room."""
    kr, kg, kb = weights
    top, knee, least = figures[0], figures[1], figures[2]
    per_room = _ONE / (_ONE - knee)
    for x in range(red.shape[0]):
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        r, g, b = red[x] - y, green[x] - y, blue[x] - y
        demand = max(max(r, g, b) / max(top - y, least), -min(r, g, b) / max(y, least))
        wanted = max(demand, knee)
        over = (wanted - knee) * per_room
        scale = (knee + (_ONE - knee) * over / (_ONE + over)) / wanted if demand > knee else _ONE
        red[x], green[x], blue[x] = y + r * scale, y + g * scale, y + b * scale


@free_loop
def hue_of(cb, cr):
    """The angle of a chroma in degrees, within 1e-5: a series about the nearer axis; 0 where there is none."""
    across, up = abs(cb), abs(cr)
    long, short = max(across, up), min(across, up)
    t = short / max(long, LEAST)
    z = t * t
    high = np.float32(0.09642194956541061) + z * (
        np.float32(-0.05591227859258652) + z * (np.float32(0.02186291664838791) + z * np.float32(-0.004054554272443056))
    )
    low = np.float32(-0.33329859375953674) + z * (
        np.float32(0.19946566224098206) + z * (np.float32(-0.1390862911939621) + z * high)
    )
    angle = t * (np.float32(0.9999993443489075) + z * low) * np.float32(57.29577951308232)
    angle = np.float32(90) - angle if up > across else angle
    angle = np.float32(180) - angle if cb < _ZERO else angle
    return -angle if cr < _ZERO else angle


@free_loop
def hue_nudge_row(red, green, blue, weights, figures):
    """See `kinds.hue_nudge`. figures: hue, width in degrees, turn in radians, low, high of luma (0 … 1)."""
    kr, kg, kb = weights
    hue, width, turn, low, high = figures[0], figures[1], figures[2], figures[3], figures[4]
    to_b, to_r = _HALF / (_ONE - kb), _HALF / (_ONE - kr)
    from_b, from_r, per_g = _ONE / to_b, _ONE / to_r, _ONE / kg
    per_border, per_width = np.float32(5) / (high - low), _ONE / width
    whole, straight, three, two = np.float32(360), np.float32(180), np.float32(3), np.float32(2)
    for x in range(red.shape[0]):
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        cb, cr = (blue[x] - y) * to_b, (red[x] - y) * to_r
        away = abs(hue_of(cb, cr) - hue)
        away = away - whole if away >= whole else away
        away = whole - away if away > straight else away
        near = min(max((_ONE - away * per_width) * two, _ZERO), _ONE)
        over = min(max((y - low) * per_border, _ZERO), _ONE)
        under = min(max((high - y) * per_border, _ZERO), _ONE)
        weight = near * near * (three - two * near) * (over * over * (three - two * over))
        angle = turn * weight * (under * under * (three - two * under))
        z = angle * angle
        up = angle * (_ONE + z * (np.float32(-1 / 6) + z * (np.float32(1 / 120) + z * np.float32(-1 / 5040))))
        along = _ONE + z * (
            np.float32(-0.5) + z * (np.float32(1 / 24) + z * (np.float32(-1 / 720) + z * np.float32(1 / 40320)))
        )
        moved_r, moved_b = y + (cb * up + cr * along) * from_r, y + (cb * along - cr * up) * from_b
        touched = angle != _ZERO
        red[x] = moved_r if touched else red[x]
        blue[x] = moved_b if touched else blue[x]
        green[x] = (y - kr * moved_r - kb * moved_b) * per_g if touched else green[x]


@free_loop
def _hue_place_row(red, green, blue, weights, start, per_chroma, per_degree, place, weight):
    """Where each pixel stands in a table around the circle, and how much its hue counts."""
    kr, kg, kb = weights
    to_b, to_r, straight = _HALF / (_ONE - kb), _HALF / (_ONE - kr), np.float32(180)
    for x in range(red.shape[0]):
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        cb, cr = (blue[x] - y) * to_b, (red[x] - y) * to_r
        weight[x] = _smooth((np.float32(np.sqrt(cb * cb + cr * cr)) - start) * per_chroma)
        place[x] = (hue_of(cb, cr) + straight) * per_degree


@free_loop
def _around_row(place, table, out):
    """A table around the circle, straight between its entries."""
    most = np.uint32(table.shape[0] - 2)
    for x in range(place.shape[0]):
        index = min(np.uint32(place[x]), most)
        value = table[index]
        out[x] = value + (table[index + np.uint32(1)] - value) * (place[x] - np.float32(index))


@free_loop
def _turned_row(red, green, blue, weights, half, weight):
    """Chroma turned by twice as much as ``half`` says, in radians."""
    kr, kg, kb = weights
    to_b, to_r = _HALF / (_ONE - kb), _HALF / (_ONE - kr)
    from_b, from_r, per_g = _ONE / to_b, _ONE / to_r, _ONE / kg
    for x in range(red.shape[0]):
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        cb, cr = (blue[x] - y) * to_b, (red[x] - y) * to_r
        angle = half[x] * weight[x]
        z = angle * angle
        sine = angle * (
            _ONE
            + z * (np.float32(-1 / 6) + z * (np.float32(1 / 120) + z * (np.float32(-1 / 5040) + z * np.float32(1 / 362880))))
        )
        cosine = _ONE + z * (
            np.float32(-0.5)
            + z * (np.float32(1 / 24) + z * (np.float32(-1 / 720) + z * (np.float32(1 / 40320) + z * np.float32(-1 / 3628800))))
        )
        up, along = _TWO * sine * cosine, _ONE - _TWO * sine * sine
        to_red, to_blue = (cb * up + cr * along) * from_r, (cb * along - cr * up) * from_b
        touched = angle != _ZERO
        red[x] = y + to_red if touched else red[x]
        blue[x] = y + to_blue if touched else blue[x]
        green[x] = y - (kr * to_red + kb * to_blue) * per_g if touched else green[x]


@free_loop
def _fed_row(red, green, blue, weights, more, weight):
    """Chroma times one and so much more."""
    kr, kg, kb = weights
    for x in range(red.shape[0]):
        y = kr * red[x] + kg * green[x] + kb * blue[x]
        by = more[x] * weight[x]
        red[x] += (red[x] - y) * by
        green[x] += (green[x] - y) * by
        blue[x] += (blue[x] - y) * by


@free_loop
def _lifted_row(red, green, blue, luma, weight):
    for x in range(red.shape[0]):
        by = luma[x] * weight[x]
        red[x] += by
        green[x] += by
        blue[x] += by


@loop
def hues_row(red, green, blue, weights, figures, table, room):
    """See `kinds.hues`. figures: chroma from which hue counts, 1 / how far on to all of it, and for each part whether it acts.

    table: (3 · (N + 1),) half the turn in radians, gain of chroma less 1, and luma (0 … 1), from −180° on; room: (3, W).
    """
    count = table.shape[0] // 3
    per_degree = np.float32(count - 1) / np.float32(360)
    _hue_place_row(red, green, blue, weights, figures[0], figures[1], per_degree, room[1], room[2])
    if figures[2] != 0:
        _around_row(room[1], table[:count], room[0])
        _turned_row(red, green, blue, weights, room[0], room[2])
    if figures[3] != 0:
        _around_row(room[1], table[count : 2 * count], room[0])
        _fed_row(red, green, blue, weights, room[0], room[2])
    if figures[4] != 0:
        _around_row(room[1], table[2 * count :], room[0])
        _lifted_row(red, green, blue, room[0], room[2])
