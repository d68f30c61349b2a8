"""What an operator's hand does to a step beside typing its figures: colours picked on the picture, levels pulled on a gauge."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import rgb_to_ycbcr

LEAST_CHROMA = 3.0  # percent of chroma, 100 · √(Cb² + Cr²), under which a colour has no hue to speak of


@dataclass(frozen=True, eq=False)
class Picked:
    """Colours that were picked for a step, the last of them last.

    ``colours``: (N, 3) R′G′B′, 0 … 1, as they come into the step; ``curve``: which of the step's curves they are for.
    """

    colours: NDArray[np.float64]
    source: SignalFormat
    curve: str = ""

    @property
    def last(self) -> NDArray[np.float64]:
        """(3,) the last of them."""
        return np.asarray(self.colours[-1], np.float64)

    @property
    def mean(self) -> NDArray[np.float64]:
        """(3,) the mean of all."""
        return np.asarray(self.colours.mean(axis=0))

    @property
    def luma(self) -> float:
        """Percent, of the last."""
        return float(rgb_to_ycbcr(self.last[None], self.source.matrix)[0, 0]) * 100

    @property
    def hue(self) -> float:
        """Degrees on the vectorscope, of the last.

        Raises
        ------
        SettingsError : it has none
        """
        _, cb, cr = rgb_to_ycbcr(self.last[None], self.source.matrix)[0] * 100
        if np.hypot(cb, cr) < LEAST_CHROMA:
            raise SettingsError(f"That colour has hardly any chroma ({np.hypot(cb, cr):.1f} %): it has no hue to pick.")
        return float(np.degrees(np.arctan2(cr, cb)))


@dataclass(frozen=True, slots=True)
class Grip:
    """A level of a step that can be pulled on a gauge.

    ``field``: the figure that moves with it, between ``least`` and ``greatest``; ``component``: of R′, G′ and B′, or luma where
    None. ``comes_in``: percent, of the grey that stands there, as it comes into the ladder; where ``inside``, as it comes into
    the step, and it is the figure itself. ``line``: it is drawn as a line across the gauge.
    """

    name: str
    field: str
    component: int | None
    comes_in: float
    least: float
    greatest: float
    inside: bool = False
    line: bool = False
