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
    series = np.float32(2.88539008) + z * (np.float32(0.96179669) + z * (np.float32(0.57707802) + z * np.float32(0.412198583)))
    return np.float32(whole) + s * series


@free_loop
def exp2(value):
    """2 to a float32, within 2e-7 of itself."""
    bounded = min(max(value, np.float32(-126)), _FAR)
    whole = (bounded + _MAGIC) - _MAGIC
    t = bounded - whole
    series = np.float32(0.0096181291) + t * (np.float32(0.0013333558) + t * np.float32(0.000154035304))
    series = _ONE + t * (
        np.float32(0.6931471806) + t * (np.float32(0.2402265070) + t * (np.float32(0.0555041087) + t * series))
    )
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
