"""Soft ceiling: luma held below a limit."""

from dataclasses import dataclass, replace
from typing import Annotated, Any, Self

import numpy as np

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.treat.code_kernels import Code
from bluffline.treat.operations import Operation
from bluffline.treat.step import Float, Heading, LumaStep, Measured, Number, Signal, Told

NO_CEILING = 120.0  # percent: no code stands so high
_KNEE_REACH = 2.5  # the roll-off takes this many times the excess below the limit …
_KNEE_LEAST, _KNEE_MOST = 5.0, 30.0  # … but no less and no more than so many percent


@dataclass(frozen=True)
class SoftCeiling(LumaStep):
    """Rolls luma off so that ``peak`` lands on ``limit``; below ``knee`` nothing changes. Hue and saturation are held.

    What stands above the peak is held at the limit; a peak below the limit leaves all but that as it is.
    """

    kind = "soft-ceiling"
    title = "Soft ceiling"
    home = Heading.LIMITS
    work = 10
    limit: Annotated[float, Number("Limit", "%", 0, NO_CEILING)] = NO_CEILING
    peak: Annotated[float, Number("Peak", "%", 0, 1000)] = NO_CEILING
    knee: Annotated[float, Number("Knee", "%", -50, NO_CEILING)] = 110.0
    hard: Annotated[bool, Told("Hard clip")] = False

    def __post_init__(self) -> None:
        super().__post_init__()
        require(self.hard or self.knee < self.limit, "Soft ceiling: the knee must lie below the limit.")

    @classmethod
    def begun(cls, shot: Measured) -> Self:
        return cls.towards(shot.high, shot.limits.luma[1])

    def settable(self, key: str) -> bool:
        """A hard clip has no knee."""
        return key != "knee" or not self.hard

    @classmethod
    def towards(cls, peak: float, limit: float, *, hard: bool = False) -> Self:
        """One that brings ``peak`` to ``limit`` (percent) with a knee in proportion to the excess."""
        return cls(limit, max(peak, limit), limit - knee_room(peak - limit), hard)

    def figured(self, key: str, value: Any) -> Self:
        """A limit that is moved past the knee takes it along."""
        if key == "limit":
            return replace(self, limit=value, knee=min(self.knee, value - 1))
        return super().figured(key, value)

    def luma(self, percent: Float, signal: Signal) -> tuple[Float, Float]:
        if self.limit >= NO_CEILING:
            return percent, np.ones_like(percent)
        rolled = percent if self.hard else roll_off(percent, self.knee, self.peak, self.limit)
        treated = np.minimum(rolled, self.limit)
        return treated, np.where(treated < percent, treated / np.where(percent > 1, percent, 1), 1.0)

    @property
    def bounds(self) -> tuple[float, float]:
        return -np.inf, self.limit if self.limit < NO_CEILING else np.inf

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if self.limit >= NO_CEILING:
            return ()
        knee = self.limit if self.hard else self.knee
        return (rolling(1.0, knee, self.peak, self.limit),)

    @property
    def text(self) -> str:
        how = "hard" if self.hard else f"knee {figure(self.knee, '.1f')} %"
        return f"{figure(self.peak, '.1f')} to {figure(self.limit, '.1f')} %, {how}"


def knee_room(excess: float) -> float:
    """How far from its limit a roll-off begins, in percent."""
    return round(min(max(_KNEE_REACH * excess, _KNEE_LEAST), _KNEE_MOST), 1)


def rolling(sign: float, knee: float, peak: float, limit: float) -> Operation:
    """A roll-off of luma for the pass, all in percent; ``sign`` −1 at the toe."""
    knee, peak, limit = (value * sign / 100 for value in (knee, peak, limit))
    softness = _softness(peak - knee, limit - knee) if limit > knee else 0.0
    return Operation(Code.ROLL_OFF, (sign, knee, peak, limit, softness))


def roll_off(value: Float, knee: float, peak: float, limit: float) -> Float:
    """Identity to ``knee``, then a hyperbola of slope 1 at the knee through (peak, limit), level from there on.

    C¹ up to the peak and monotone throughout: v = u / (1 + u/c), with c chosen so that the peak lands on the limit.
    """
    if peak <= limit:
        return value
    reach, softness = peak - knee, _softness(peak - knee, limit - knee)
    over = np.clip(value - knee, 0, reach)
    return np.where(value > knee, knee + (over / (1 + over / softness) if softness else over), value)


def _softness(reach: float, room: float) -> float:
    """The c of `roll_off`; 0 where nothing is pressed together, as of a peak that is the limit but for rounding."""
    return reach * room / (reach - room) if reach > room else 0.0
