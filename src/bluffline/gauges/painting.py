"""What every trace is painted with: the ground, brightness by count, the colours of components."""

import math
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between, OneOf
from bluffline.gauges.scale import Span
from bluffline.measure.counted import Limits
from bluffline.signal.format import SignalFormat

GROUND = 26  # grey of a gauge's field, 0 … 255
UNKNOWN = 0xFF000000 | (GROUND + 16) * 0x010101  # of a field where nothing has been measured
_WHITE = (245.0, 245.0, 245.0)
_COLOURS = {
    "Y′": _WHITE, "R′": (245.0, 70.0, 60.0), "G′": (60.0, 215.0, 75.0), "B′": (85.0, 120.0, 250.0),
    "Cb": (150.0, 170.0, 245.0), "Cr": (245.0, 165.0, 160.0),
}  # fmt: skip
_GREY = (150.0, 150.0, 150.0)
_CURVE = 1 << 13
_FAINTEST = 0.34  # brightness of whatever is lit at all: less is not seen at arm's length
SPOTS = (1, 2, 3)
Image = NDArray[np.uint32]


@dataclass(frozen=True, slots=True)
class TraceStyle:
    """How traces are drawn.

    ``strength`` −1 … 1: how soon a count is bright; ``log``: whether a histogram counts in decades; ``spot``: how broad the
    beam is: on gauges of colour a spot is a disc of 3, 5 or 7 pixels, on those of level 1, 3 or 5.
    """

    strength: Annotated[float, Between(-1, 1)] = 0.0
    log: bool = False
    spot: Annotated[int, OneOf(SPOTS)] = 1


@dataclass(frozen=True, slots=True)
class Painting:
    """What a trace is painted by.

    ``gamut``: one of `colorimetry.GAMUTS`; chromaticities outside it count as excess.
    """

    source: SignalFormat
    limits: Limits
    look: TraceStyle = field(default_factory=TraceStyle)
    gamut: str | None = None

    def full(self, usual: float) -> int:
        """The count that is as bright as can be."""
        return max(round(float(usual * 8.0**-self.look.strength)), 2)


def ground(size: tuple[int, int]) -> Image:
    """An empty field of columns and rows, (H, W) of bytes B, G, R, 255."""
    return np.full((size[1], size[0]), GROUND * 0x010101 | 0xFF000000, np.uint32)


@lru_cache(maxsize=64)
def brightness(full: int) -> NDArray[np.float32]:
    """Brightness by count: logarithmic, so that one pixel shows and a flat field does not blind."""
    curve = np.clip(np.log1p(np.arange(_CURVE)) / math.log1p(max(full, 1)), _FAINTEST, 1).astype(np.float32)
    curve[0] = 0
    return curve


def colour_of(component: str) -> NDArray[np.float32]:
    """What the trace of a component is painted in."""
    return np.array(_COLOURS.get(component, _GREY), np.float32)


def limits_of(component: str, limits: Limits) -> tuple[float, float]:
    """What a component may reach, in percent; anything where it has no limits."""
    return {"Y′": limits.luma, "R′": limits.rgb, "G′": limits.rgb, "B′": limits.rgb}.get(component, (-1e9, 1e9))


def rows_outside(component: str, span: Span, height: int, limits: Limits) -> NDArray[np.bool_]:
    """(H,) which rows of a field lie outside the limits of a component."""
    low, high = limits_of(component, limits)
    level = np.array([span.level(1 - (y + 0.5) / height) for y in range(height)])
    return np.asarray((level > high) | (level < low))
