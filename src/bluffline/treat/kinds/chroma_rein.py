"""Chroma rein: R′, G′ and B′ held within limits by what chroma and luma give."""

from dataclasses import dataclass
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.signal.matrix import ChromaGains
from bluffline.treat.code_kernels import REACH, Code
from bluffline.treat.giving import luma_shares
from bluffline.treat.operations import Operation
from bluffline.treat.step import Float, Heading, Measured, Number, Signal, Step

NO_REIN = -50.0, 150.0


@dataclass(frozen=True)
class ChromaRein(Step):
    """Brings R′, G′ and B′ to ``low`` … ``high``, only where they would leave them, by the least that is seen; hue is held.

    Of what a pixel is over a limit chroma gives one part and luma the other, shared so that the colour changes least to the
    eye (see `giving.luma_shares`): chroma gives nearly all in a deep red, luma nearly all in what has hardly any chroma.
    Brighter stays brighter: along one hue and chroma luma never falls where it rose before.

    ``onset``: how far before a limit colours begin to give, in percent of the chroma that would reach it. With 0 every legal
    pixel stays as it is; with more the way from legal to illegal has no kink, and legal pixels within the onset give a little.

    Where it is the last on the ladder and reaches everywhere, it is held on the chroma sites that are written, each of which
    gives what harms the pixels that read it least, legal ones among them; luma gives the rest.
    """

    kind = "chroma-rein"
    title = "Chroma rein"
    home = Heading.LIMITS
    work = 30
    low: Annotated[float, Number("R′G′B′ from", "%", NO_REIN[0], 50)] = NO_REIN[0]
    high: Annotated[float, Number("R′G′B′ to", "%", 50, NO_REIN[1])] = NO_REIN[1]
    onset: Annotated[float, Number("Onset", "%", 0, 50)] = 3.0

    def __post_init__(self) -> None:
        super().__post_init__()
        require(self.low < self.high, "Chroma rein: the low limit must lie below the high one.")

    @classmethod
    def begun(cls, shot: Measured) -> Self:
        return cls(*shot.limits.rgb)

    @property
    def holds(self) -> bool:
        """Whether there is any limit to it."""
        return (self.low, self.high) != NO_REIN

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        if not self.holds:
            return np.asarray(rgb, np.float64)
        low, high = self.low / 100, self.high / 100
        luma = rgb @ np.array(signal.matrix.luma_weights)
        apart = rgb - luma[..., None]
        fits = (high - low) / np.maximum(apart.max(axis=-1) - apart.min(axis=-1), high - low)
        up, under = apart.max(axis=-1) * fits, apart.min(axis=-1) * fits
        held, half = np.clip(luma, low, high), (high - low - up + under) / 2  # none is eased at both limits
        ease, onset = np.stack([up, -under]), self.onset / 100
        above, below = _eased(np.stack([held + up - high, low - held - under]), np.minimum(onset * ease, half))
        over, away = np.maximum(above, below), np.where(above >= below, up, -under)
        taken = (1 - self._luma_share(apart, above >= below, signal)) * over / np.maximum(away, 1e-9)
        kept = 1 - taken
        luma = np.minimum(np.maximum(luma, low - kept * under), high - kept * up)
        return np.asarray(luma[..., None] + apart * (fits * kept)[..., None])

    def _luma_share(self, apart: Float, at_high: NDArray[np.bool_], signal: Signal) -> NDArray[np.float64]:
        """What luma takes of the excess of colours, straight between entries of the table: see `rein_kernels.luma_share`."""
        gains, shares = ChromaGains.of(signal.matrix), luma_shares(signal.matrix, signal.transfer, signal.primaries)
        chroma = np.stack([apart[..., 2] / gains.blue_cb, apart[..., 0] / gains.red_cr])
        most, side = len(shares) - 1, np.where(at_high, 0, 1)
        cells = np.clip((chroma + REACH) * most / (2 * REACH), 0, most)
        i, j = np.minimum(cells.astype(np.int64), most - 1)
        s, t = cells - np.stack([i, j])
        first, second = (shares[i, k, side] + (shares[i + 1, k, side] - shares[i, k, side]) * s for k in (j, j + 1))
        return np.asarray(first + (second - first) * t)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if not self.holds:
            return ()
        gains, table = ChromaGains.of(signal.matrix), luma_shares(signal.matrix, signal.transfer, signal.primaries)
        figures = self.low / 100, self.high / 100, self.onset / 100, gains.red_cr, gains.blue_cb
        return (Operation(Code.REIN, figures, table),)

    @property
    def text(self) -> str:
        return f"R′G′B′ {figure(self.low, '.1f')} … {figure(self.high, '.1f')} %, onset {self.onset:.1f} %"


def _eased(over: Float, ease: Float) -> Float:
    """See `rein_kernels.eased`."""
    near = np.maximum(over + ease, 0)
    return np.where(over >= ease, over, near**2 / (4 * np.maximum(ease, 1e-12)))
