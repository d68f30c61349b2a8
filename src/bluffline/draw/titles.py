"""What gauges are called."""

from bluffline.measure.scopes import Instrument, Kind

_NAMES = {
    "luma": "luma", "rgb": "R′G′B′", "coloured": "luma in its colours", "envelope": "luma and chroma envelope",
    "yrgb": "Y′R′G′B′", "ycbcr": "Y′CbCr", "1": "×1", "2": "×2", "4": "×4", "1931": "CIE 1931 x, y", "1976": "CIE 1976 u′, v′",
}  # fmt: skip


def title_of(kind: Kind) -> str:
    """What a gauge is called."""
    name = _NAMES[kind.mode]
    return name if kind.instrument is Instrument.CHROMATICITY else f"{kind.instrument.capitalize()}, {name}"
