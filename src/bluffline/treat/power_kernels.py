"""Compiled powers of the pass, in single precision and without the library's: they are what most of a ladder's time goes to."""

import numpy as np

from bluffline.loops import free_loop

_ONE, _ZERO = np.float32(1), np.float32(0)
_FAR = np.float32(40)  # a power of 2 that is beyond any code, and from which single precision has room to go on
LEAST = np.float32(1e-30)  # instead of what has no logarithm
_MAGIC = np.float32(12582912.0)  # adding and taking it away rounds to a whole number
_SQRT_HALF = np.int32(0x3F3504F3)


@free_loop
def log2(value):
    """Base-2 logarithm of a positive float32, within 1e-7: its exponent and a series about 1."""
    single = np.float32(value)
    bits = np.int32(single.view(np.int32) - _SQRT_HALF)
    whole = np.int32(bits >> np.int32(23))
    mantissa_bits = np.int32((bits & np.int32(0x7FFFFF)) + _SQRT_HALF)
    mantissa = mantissa_bits.view(np.float32)
    s = (mantissa - _ONE) / (mantissa + _ONE)
    z = s * s
    series = np.float32(2.88539128) + z * (np.float32(0.96147151) + z * np.float32(0.59895456))
    return np.float32(whole) + s * series


@free_loop
def exp2(value):
    """2 to a float32, within 2e-7 of itself."""
    bounded = min(max(value, np.float32(-126)), _FAR)
    whole = (bounded + _MAGIC) - _MAGIC
    t = bounded - whole
    series = np.float32(0.05550893) + t * (np.float32(0.0096717) + t * np.float32(0.00132187))
    series = _ONE + t * (np.float32(0.69314686) + t * (np.float32(0.24022238) + t * series))
    bits = np.int32((np.int32(whole) + np.int32(127)) << np.int32(23))
    return series * bits.view(np.float32)


@free_loop
def power_row(row, figures, both_signs):
    """See `operations.powers`; figures: of one component."""
    foot, foot_slope, foot_offset = figures[0], figures[1], figures[2]
    top, top_slope, top_offset = figures[3], figures[4], figures[5]
    shift, exponent, scale, offset = figures[6], figures[7], figures[8], figures[9]
    if both_signs:
        for x in range(row.shape[0]):
            size = exp2(log2(max(abs(row[x]), LEAST)) * exponent)
            row[x] = -size if row[x] < _ZERO else size
        return
    for x in range(row.shape[0]):
        value = row[x]
        raised = exp2(log2(max(value + shift, LEAST)) * exponent) * scale + offset
        raised = value * foot_slope + foot_offset if value < foot else raised
        row[x] = value * top_slope + top_offset if value > top else raised


@free_loop
def _polynomial(t, c):
    """c: the eleven coefficients, the highest first."""
    upper = ((((c[0] * t + c[1]) * t + c[2]) * t + c[3]) * t + c[4]) * t + c[5]
    return ((((upper * t + c[6]) * t + c[7]) * t + c[8]) * t + c[9]) * t + c[10]


@free_loop
def camera_row(row, figures):
    """The camera curve or its inverse: see `operations.to_light`. By a polynomial where no sample of the row is beyond it."""
    bits = row.view(np.int32)  # in the order of their values, from zero up, and compared many at once
    most = bits[0]
    for x in range(row.shape[0]):
        most = max(most, bits[x])
    if most > np.float32(figures[3]).view(np.int32):
        power_row(row, figures[17:], False)
        return
    edge, below, slope, offset, f = figures[1], figures[2], figures[4], figures[5], figures[6:17]
    c = (f[0], f[1], f[2], f[3], f[4], f[5], f[6], f[7], f[8], f[9], f[10])
    if figures[0] != 0:
        for x in range(row.shape[0]):
            value = row[x]
            raised = _polynomial(np.sqrt(max(value, edge)) * slope + offset, c)
            row[x] = value * below if value < edge else raised
    else:
        for x in range(row.shape[0]):
            value = row[x]
            raised = _polynomial(max(value, edge) * slope + offset, c)
            row[x] = value * below if value < edge else raised
