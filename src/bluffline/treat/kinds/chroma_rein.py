"""Chroma rein: R′, G′ and B′ held within limits by taking chroma back."""

from dataclasses import dataclass
from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.treat.operations import Operation
from bluffline.treat.row_kernels import Code
from bluffline.treat.step import Float, Heading, Measured, Number, Signal, Step

GIVE = 20.0  # percent that luma beside a limit of R′G′B′ may be moved inwards before chroma is scaled
NO_REIN = -50.0, 150.0


@dataclass(frozen=True)
class ChromaRein(Step):
    """Scales chroma, pixel by pixel, only where R′, G′ or B′ would leave ``low`` … ``high``; hue is held, and luma.

    But luma near either limit, or beyond it, gives way first, by no more than makes room for the pixel's chroma (see `GIVE`):
    with hardly any room left, chroma would have to go, and a chroma site serves neighbours as well.

    ``onset`` is how much of the chroma that would reach the limit is given to the roll-off, in percent. With 0 every
    legal pixel stays as it is and every other takes the largest legal scale; with more, the scale has no kink at
    the limit, and legal pixels within the onset give a little.

    Where it is the last on the ladder and reaches everywhere, it is held on the chroma sites that are written.
    """

    kind = "chroma-rein"
    title = "Chroma rein"
    home = Heading.LIMITS
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

    def scale(self, demand: Float) -> Float:
        """Scale of chroma for a demand, 1 being the largest chroma that is legal. C¹ where the onset is above 0."""
        knee = 1 - self.onset / 100
        safe = np.maximum(demand, 1e-9)
        if knee == 1:
            return np.where(demand > 1, 1 / safe, 1.0)
        over = (demand - knee) / (1 - knee)
        return np.where(demand > knee, (knee + (1 - knee) * over / (1 + np.maximum(over, 0))) / safe, 1.0)

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        if not self.holds:
            return np.asarray(rgb, np.float64)
        low, high, give = self.low / 100, self.high / 100, GIVE / 100
        luma = rgb @ np.array(signal.matrix.luma_weights)
        apart = rgb - luma[..., None]
        up, under = apart.max(axis=-1), apart.min(axis=-1)
        most = np.maximum(high - up, high - _ground(luma - high, give))
        least = np.minimum(low - under, low + _ground(low - luma, give))
        held = np.where((luma > most) & (luma > least), most, np.where((luma < least) & (luma < most), least, luma))
        demand = np.maximum(up / np.maximum(high - held, 1e-6), -under / np.maximum(held - low, 1e-6))
        return np.asarray(held[..., None] + apart * self.scale(demand)[..., None])

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if not self.holds:
            return ()
        return (Operation(Code.REIN, (self.low / 100, self.high / 100, 1 - self.onset / 100, GIVE / 100)),)

    @property
    def text(self) -> str:
        return f"R′G′B′ {figure(self.low, '.1f')} … {figure(self.high, '.1f')} %, onset {self.onset:.1f} %"


def _ground(over: Float, give: float) -> Float:
    """How far inside a limit luma may be moved that is so far over it (below 0: inside); all of ``give`` near it."""
    share = (over + give) / (0.75 * give)
    return np.asarray(give * np.clip(share, 0, 1) + 2 * np.maximum(over, 0))
