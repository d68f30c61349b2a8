"""Banded balance: tint, luma and chroma changed between limits of luma only."""

from dataclasses import dataclass, replace
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError, require
from bluffline.figures import figure
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.code_kernels import Code
from bluffline.treat.hands import Grip, Picked
from bluffline.treat.operations import Operation
from bluffline.treat.step import Drawn, Float, Number, Signal, Step

MOST_BANDS = 5
_ABOUT = 12.0  # percent to either side of a luma that a band about it takes in
_HARDEST = 0.01  # percent of luma over which the sharpest border falls
_NOWHERE = (1e6, 1e6, 1.0, 0.0, 0.0, 0.0, 0.0)  # a band that no luma is in


@dataclass(frozen=True, slots=True)
class Band:
    """A range of luma and what is done in it.

    All of it between ``low`` and ``high``, falling smoothly to none within ``softness`` beyond them, in percent of luma.
    ``cb``, ``cr`` (percent, as 100 · Cb) and ``luma`` (percent) are added, chroma is multiplied by ``chroma``.

    Raises
    ------
    SettingsError : it runs downwards
    """

    low: Annotated[float, Number("From", "%", -20, 120, 1, 0.1)] = 0.0
    high: Annotated[float, Number("To", "%", -20, 120, 1, 0.1)] = 100.0
    softness: Annotated[float, Number("Softness", "%", 0, 100, 1, 0.1)] = 10.0
    cb: Annotated[float, Number("Cb", "%", -50, 50, 0.2, 0.05)] = 0.0
    cr: Annotated[float, Number("Cr", "%", -50, 50, 0.2, 0.05)] = 0.0
    luma: Annotated[float, Number("Luma", "%", -50, 50, 0.5, 0.1)] = 0.0
    chroma: Annotated[float, Number("Chroma", "×", 0, 4, 0.02, 0.005)] = 1.0

    def __post_init__(self) -> None:
        require(self.low <= self.high, "Banded balance: a band must run upwards.")

    @property
    def neutral(self) -> bool:
        """Whether it leaves all as it is; it still takes its share where bands overlap."""
        return (self.cb, self.cr, self.luma, self.chroma) == (0, 0, 0, 1)

    def weight(self, percent: Float) -> NDArray[np.float64]:
        """0 … 1 for luma in percent, of any shape, before bands share."""
        away = np.maximum(self.low - percent, percent - self.high)
        part = np.clip(1 - away / max(self.softness, _HARDEST), 0, 1)
        return np.asarray(part * part * (3 - 2 * part))

    @property
    def text(self) -> str:
        """Its figures in a line."""
        told = [
            f"{name} {figure(value, '+.1f')} %"
            for name, value in (("Cb", self.cb), ("Cr", self.cr), ("luma", self.luma))
            if value
        ]
        told += [f"chroma ×{self.chroma:.2f}"] if self.chroma != 1 else []
        return f"{figure(self.low, '.0f')} … {figure(self.high, '.0f')} %: {', '.join(told) or 'neutral'}"


def weights_of(bands: tuple[Band, ...], percent: Float) -> NDArray[np.float64]:
    """(bands, ...) weights for luma in percent; where bands overlap they share, so that they never add up to more than 1."""
    weights = np.stack([band.weight(percent) for band in bands])
    return np.asarray(weights / np.maximum(weights.sum(axis=0), 1))


@dataclass(frozen=True)
class Bands(Step):
    """Balance by bands of luma: in each chroma is multiplied and then tinted, and luma added, by the luma that comes in."""

    kind = "bands"
    title = "Banded balance"
    work = 35
    picks = True
    bands: Annotated[tuple[Band, ...], Drawn("Bands", "bands")] = ()

    def __post_init__(self) -> None:
        super().__post_init__()
        require(len(self.bands) <= MOST_BANDS, f"Banded balance: there are {MOST_BANDS} bands at most.")

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        value = np.asarray(rgb, np.float64)
        if not self.bands:
            return value
        ycbcr = rgb_to_ycbcr(value, signal.matrix)
        luma, cb, cr = ycbcr[..., 0], ycbcr[..., 1], ycbcr[..., 2]
        weights = weights_of(self.bands, luma * 100)

        def shared(name: str, neutral: float) -> Float:
            return np.asarray(np.tensordot([getattr(band, name) - neutral for band in self.bands], weights, axes=1))

        gain = 1 + shared("chroma", 1.0)
        made = luma + shared("luma", 0.0) / 100, cb * gain + shared("cb", 0.0) / 100, cr * gain + shared("cr", 0.0) / 100
        return np.asarray(ycbcr_to_rgb(np.stack(made, axis=-1), signal.matrix))

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if all(band.neutral for band in self.bands):
            return ()
        figures: list[float] = []
        for band in self.bands:
            figures += [band.low / 100, band.high / 100, 100 / max(band.softness, _HARDEST)]
            figures += [band.cb / 100, band.cr / 100, band.luma / 100, band.chroma - 1]
        return (Operation(Code.BANDS, (*figures, *_NOWHERE * (MOST_BANDS - len(self.bands)))),)

    def picked(self, colours: Picked) -> Self:
        """A band more, about the luma that was picked."""
        if len(self.bands) >= MOST_BANDS:
            raise SettingsError(f"There are {MOST_BANDS} bands already; take one away first.")
        low, high = max(colours.luma - _ABOUT, -20), min(colours.luma + _ABOUT, 120)
        return replace(self, bands=(*self.bands, Band(round(low, 1), round(high, 1))))

    def grips(self, black: float, grey: float, white: float) -> tuple[Grip, ...]:
        """The limits of its bands."""
        return tuple(
            Grip(f"band {n + 1} {word}", f"{n}.{end}", None, getattr(band, end), -20, 120, inside=True, line=True)
            for n, band in enumerate(self.bands)
            for word, end in (("from", "low"), ("to", "high"))
        )

    def gripped(self, grip: Grip, value: float) -> Self:
        """None comes to run downwards."""
        number, _, end = grip.field.partition(".")
        at, comes = int(number), round(value, 2)
        band = self.bands[at]
        moved = replace(band, low=min(comes, band.high)) if end == "low" else replace(band, high=max(comes, band.low))
        return replace(self, bands=(*self.bands[:at], moved, *self.bands[at + 1 :]))

    @property
    def text(self) -> str:
        return "; ".join(band.text for band in self.bands if not band.neutral) or "neutral"
