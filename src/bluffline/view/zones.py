"""The zone map: exposure zones by luma, in neutral steps, with the crossings that matter marked by pattern and colour.

The steps are the coded levels of zones by the BT.709 camera curve: zone V is 18 % reflectance, one zone is one stop.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.view import preview_kernels as kernels

_OPAQUE = 0xFF000000


@dataclass(frozen=True, slots=True)
class Zone:
    """Luma from ``low`` percent up; what the key calls it, if it does; its ground, and strokes of a pattern."""

    low: float
    name: str
    ground: int
    strokes: int = 0
    pattern: int = 0


def _grey(value: int) -> int:
    return value * 0x010101


ZONES = (
    Zone(-1000, "under black", 0x000000, 0x3C6CFF, 4),
    Zone(0.0, "black", 0x101010, 0x5078C8, 1),
    Zone(3.0, "", _grey(34)),
    Zone(10.0, "", _grey(52)),
    Zone(17.3, "", _grey(72)),
    Zone(27.3, "", _grey(94)),
    Zone(38.0, "mid-grey", _grey(108), 0x2FA88C, 1),
    Zone(44.0, "", _grey(128)),
    Zone(55.0, "faces", _grey(146), 0xE08A60, 2),
    Zone(70.0, "", _grey(172)),
    Zone(84.9, "", _grey(200)),
    Zone(95.0, "white", _grey(226), 0xC8A83C, 3),
    Zone(100.5, "over white", 0xF4F4F4, 0xC03048, 4),
)


def edges() -> NDArray[np.float32]:
    """(Z − 1,) float32: luma, 0 … 1, at which each zone but the first begins."""
    return np.array([zone.low / 100 for zone in ZONES[1:]], np.float32)


def inks() -> NDArray[np.uint32]:
    """(Z, 2) uint32 of bytes B, G, R, 255: ground and strokes."""
    return np.array([(zone.ground | _OPAQUE, zone.strokes | _OPAQUE) for zone in ZONES], np.uint32)


def patterns() -> NDArray[np.uint8]:
    """(Z,) uint8: the pattern of each zone."""
    return np.array([zone.pattern for zone in ZONES], np.uint8)


def swatch(zone: Zone, width: int, height: int) -> NDArray[np.uint32]:
    """(height, width) uint32: what a flat field of a zone looks like on the map."""
    middle = np.float32(-0.5 if zone.low < 0 else (zone.low + 0.2) / 100)
    image = np.empty((height, width), np.uint32)
    kernels.paint_zones(np.full((height, width), middle), edges(), inks(), patterns(), image)
    return image
