"""Compiled checksum. Functions only."""

import numpy as np

from bluffline.loops import loop

_POLYNOMIAL = np.uint32(0x04C11DB7)


@loop
def crc32_table():
    """(256,) uint32: CRC-32 (most significant bit first, polynomial 04C11DB7) of every byte."""
    table = np.empty(256, np.uint32)
    for byte in range(256):
        value = np.uint32(byte) << np.uint32(24)
        for _ in range(8):
            top = value & np.uint32(0x80000000)
            value = np.uint32(value << np.uint32(1))
            if top:
                value = np.uint32(value ^ _POLYNOMIAL)
        table[byte] = value
    return table


@loop
def crc32(data, table):
    """CRC-32 of bytes, starting from 0; 0 for data that ends with its own checksum. data: (N,) uint8."""
    value = np.uint32(0)
    for n in range(data.shape[0]):
        index = (value >> np.uint32(24)) ^ np.uint32(data[n])
        value = np.uint32(np.uint32(value << np.uint32(8)) ^ table[index])
    return value
