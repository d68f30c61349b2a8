"""Colours by hue: for each hue how far it is turned, and what becomes of its chroma and its luma."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.code_kernels import Code
from bluffline.treat.curves import HELD, follow_curve
from bluffline.treat.hands import LEAST_CHROMA, Picked
from bluffline.treat.operations import Operation
from bluffline.treat.step import Curve, Float, Number, Points, Signal, Step

NONE_BELOW, ALL_FROM = LEAST_CHROMA, 8.0  # percent of chroma, 100 · √(Cb² + Cr²): near-greys are left alone
_ENTRIES = 8192  # of the table around the circle
_HUE = Number("hue", "°", -360, 360, 1, 0.1)


@dataclass(frozen=True)
class Hues(Step):
    """Periodic curves over the hue angle of the vectorscope, each through points [hue, value], smooth, turning only at points.

    ``turn`` in degrees, ``chroma`` a factor, ``luma`` in percent; no points leave all as it is. They act in full from a chroma
    of 8 % on and not at all below 3 %.
    """

    kind = "hues"
    title = "Colours by hue"
    work = 60
    picks = True
    turn: Annotated[Points, Curve("Turn", _HUE, Number("turn", "°", -180, 180, 1, 0.1), 0, round=True)] = ()
    chroma: Annotated[Points, Curve("Chroma", _HUE, Number("chroma", "×", 0, 4, 0.02, 0.005), 0, round=True)] = ()
    luma: Annotated[Points, Curve("Luma", _HUE, Number("luma", "%", -50, 50, 0.5, 0.1), 0, round=True)] = ()

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        ycbcr = rgb_to_ycbcr(np.asarray(rgb, np.float64), signal.matrix)
        cb, cr = ycbcr[..., 1], ycbcr[..., 2]
        part = np.clip((100 * np.hypot(cb, cr) - NONE_BELOW) / (ALL_FROM - NONE_BELOW), 0, 1)
        weight, hue = part * part * (3 - 2 * part), np.degrees(np.arctan2(cr, cb))
        turn = np.radians(around(self.turn, hue, 0.0)) * weight
        gain = 1 + (around(self.chroma, hue, 1.0) - 1) * weight
        luma = ycbcr[..., 0] + around(self.luma, hue, 0.0) / 100 * weight
        moved = (cb * np.cos(turn) - cr * np.sin(turn)) * gain, (cb * np.sin(turn) + cr * np.cos(turn)) * gain
        return np.asarray(ycbcr_to_rgb(np.stack([luma, *moved], axis=-1), signal.matrix))

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        parts = (self.turn, 0), (self.chroma, 1), (self.luma, 0)
        act = [any(value != neutral for _, value in points) for points, neutral in parts]
        if not any(act):
            return ()
        figures = NONE_BELOW / 100, 100 / (ALL_FROM - NONE_BELOW), *map(float, act)
        return (Operation(Code.HUES, figures, _table(self.turn, self.chroma, self.luma)),)

    def curve_at(self, key: str, along: Float) -> NDArray[np.float64]:
        return around(getattr(self, key), along, 1.0 if key == "chroma" else 0.0)

    def picked(self, colours: Picked) -> Self:
        """A point at the hue that was picked."""
        return self.with_curve_through(colours.curve or "turn", colours.hue)

    @property
    def text(self) -> str:
        told = []
        for words, points, form, unit in (
            ("turned", self.turn, "+.0f", "°"), ("chroma ×", self.chroma, ".2f", ""), ("luma", self.luma, "+.1f", " %"),
        ):  # fmt: skip
            if points:
                told.append(
                    f"{words} " + ", ".join(f"{figure(value, form)}{unit} at {figure(hue, '.0f')}°" for hue, value in points)
                )
        return "; ".join(told).replace("× ", "×") or "neutral"


def around(points: Points, hue: Float, none: float) -> NDArray[np.float64]:
    """The periodic curve through points at angles in degrees, of any shape; ``none`` where there is no point."""
    if not points:
        return np.full(np.shape(hue), none)
    first = points[0][0]
    whole = tuple((at + 360 * turn, value) for turn in (-1, 0, 1, 2) for at, value in points)
    return follow_curve(whole, first + (np.asarray(hue, np.float64) - first) % 360, HELD)


@lru_cache(maxsize=32)
def _table(turn: Points, chroma: Points, luma: Points) -> NDArray[np.float64]:
    """What the pass looks up: half the turn in radians, gain less 1, luma (0 … 1), each from −180° to 180°."""
    hue = np.linspace(-180, 180, _ENTRIES + 1)
    table = np.stack([np.radians(around(turn, hue, 0.0)) / 2, around(chroma, hue, 1.0) - 1, around(luma, hue, 0.0) / 100])
    table.setflags(write=False)
    return table
