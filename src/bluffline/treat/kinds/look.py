"""Look: a LUT or a stock treatment, mixed with what comes in."""

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.treat.operations import Operation
from bluffline.treat.step import Float, Heading, Number, Signal, Step, Told

MOST_HELD = 100  # steps


@dataclass(frozen=True)
class Look(Step):
    """Steps that are carried as one, such as a LUT or a stock treatment; ``strength`` percent of what they make is mixed in.

    Where it acts is said by its own reach; its steps have none, and they follow one another as they stand.
    """

    kind = "look"
    title = "Look"
    home = Heading.OVER_ALL
    by_hand = False
    name: Annotated[str, Told("Name")] = ""
    strength: Annotated[float, Number("Strength", "%", 0, 100, 1, 0.2)] = 100.0
    steps: Annotated[tuple[Step, ...], Told("Steps")] = ()

    def __post_init__(self) -> None:
        super().__post_init__()
        require(not any(isinstance(step, Look) for step in self.steps), "Look: a look can't hold another.")
        require(all(step.reach.everywhere for step in self.steps), "Look: its steps can't have a reach of their own.")

    @property
    def in_force(self) -> tuple[Step, ...]:
        """Those of its steps that act."""
        return tuple(step for step in self.steps if step.on) if self.strength else ()

    @property
    def looks_about(self) -> bool:
        return any(step.looks_about for step in self.in_force)

    @property
    def overshoot_share(self) -> float:
        return sum(step.overshoot_share for step in self.in_force)

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        made = value = np.asarray(rgb, np.float64)
        for step in self.in_force:
            made = step.apply(made, signal)
        return np.asarray(value + (made - value) * (self.strength / 100))

    def apply_to_picture(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        made = value = np.asarray(rgb, np.float64)
        for step in self.in_force:
            made = step.apply_to_picture(made, signal)
        return np.asarray(value + (made - value) * (self.strength / 100))

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        """Those of its steps, one after the other; the plan mixes them."""
        return tuple(operation for step in self.in_force for operation in step.operations(signal))

    @property
    def text(self) -> str:
        held = ", ".join(step.title for step in self.steps)
        return f"{self.name or 'unnamed'} at {self.strength:.0f} %: {held}" if held else "neutral"
