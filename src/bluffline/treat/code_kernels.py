"""What the pass is told to do, and the table of what luma gives way: numbers that loops and what prepares them share."""

from enum import IntEnum

REACH = 0.6  # Cb and Cr from −REACH to REACH are told apart; what is beyond counts as there
CELLS = 32  # of a table of them, along each


class Code(IntEnum):
    """What the pass is told to do to a row."""

    AFFINE = 0
    POWER = 1
    SPLINE = 2
    ROOT_POLYNOMIAL = 3
    HUE_NUDGE = 4
    CUBE = 5
    ROLL_OFF = 6
    REIN = 7
    SOFT_ENDS = 8
    KEEP = 9
    HOLD_CHROMA = 10
    REACH = 11
    MIX = 12
    TRANSFER = 13
    TABLE = 14
    CAMERA = 15
    LUMA_CURVE = 16
    CHROMA_BY_LUMA = 17
    BANDS = 18
    HUES = 19
    LUMA_MASK = 20
    GAMUT = 21
