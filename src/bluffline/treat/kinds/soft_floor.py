"""Soft floor: luma held above a limit."""

from dataclasses import dataclass, replace
from typing import Annotated, Any, Self

import numpy as np

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.treat.kinds.soft_ceiling import knee_room, roll_off, rolling
from bluffline.treat.operations import Operation
from bluffline.treat.step import Float, Heading, LumaStep, Measured, Number, Signal, Told

NO_FLOOR = -20.0  # percent: no code stands so low


@dataclass(frozen=True)
class SoftFloor(LumaStep):
    """The soft ceiling's counterpart at the toe: ``trough`` lands on ``limit``; above ``knee`` nothing changes."""

    kind = "soft-floor"
    title = "Soft floor"
    home = Heading.LIMITS
    work = 20
    limit: Annotated[float, Number("Limit", "%", NO_FLOOR, 100)] = NO_FLOOR
    trough: Annotated[float, Number("Trough", "%", -1000, 100)] = NO_FLOOR
    knee: Annotated[float, Number("Knee", "%", NO_FLOOR, 150)] = -10.0
    hard: Annotated[bool, Told("Hard clip")] = False

    def __post_init__(self) -> None:
        super().__post_init__()
        require(self.hard or self.knee > self.limit, "Soft floor: the knee must lie above the limit.")

    @classmethod
    def begun(cls, shot: Measured) -> Self:
        return cls.towards(shot.low, shot.limits.luma[0])

    def settable(self, key: str) -> bool:
        """A hard clip has no knee."""
        return key != "knee" or not self.hard

    @classmethod
    def towards(cls, trough: float, limit: float, *, hard: bool = False) -> Self:
        """One that brings ``trough`` to ``limit`` (percent)."""
        return cls(limit, min(trough, limit), limit + knee_room(limit - trough), hard)

    def figured(self, key: str, value: Any) -> Self:
        """A limit that is moved past the knee takes it along."""
        if key == "limit":
            return replace(self, limit=value, knee=max(self.knee, value + 1))
        return super().figured(key, value)

    def luma(self, percent: Float, signal: Signal) -> tuple[Float, Float]:
        """Chroma is left as it is, since near black no ratio holds."""
        if self.limit <= NO_FLOOR:
            return percent, np.ones_like(percent)
        rolled = percent if self.hard else -roll_off(-percent, -self.knee, -self.trough, -self.limit)
        return np.maximum(rolled, self.limit), np.ones_like(percent)

    @property
    def bounds(self) -> tuple[float, float]:
        return self.limit if self.limit > NO_FLOOR else -np.inf, np.inf

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if self.limit <= NO_FLOOR:
            return ()
        knee = self.limit if self.hard else self.knee
        return (rolling(-1.0, knee, self.trough, self.limit),)

    @property
    def text(self) -> str:
        how = "hard" if self.hard else f"knee {figure(self.knee, '.1f')} %"
        return f"{figure(self.trough, '.1f')} to {figure(self.limit, '.1f')} %, {how}"
