"""A ladder made ready for one signal: operations with their figures and tables, as the compiled pass takes them."""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.format import SignalFormat
from bluffline.treat.code_kernels import Code
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.look import Look
from bluffline.treat.ladder import Treatment, in_force, split_limits
from bluffline.treat.operations import Operation, folded
from bluffline.treat.reach import EVERYWHERE, NO_CHROMA_BOUND, NO_LUMA_BOUND, Key, Reach
from bluffline.treat.step import LumaStep, NeighbourStep, Step

ENDS = tuple(np.float32(end) for end in (0.0, NO_CHROMA_BOUND, *NO_LUMA_BOUND))
Packed = tuple[NDArray[np.int32], NDArray[np.float32], NDArray[np.float32]]


@dataclass(frozen=True, eq=False)
class KeyMask:
    """A key whose weights depend on neighbours, and the operations that lead up to it."""

    mask: int
    key: Key
    packed: Packed


@dataclass(frozen=True, eq=False)
class LumaMask:
    """A step that adds to luma what its neighbours say, and the operations that lead up to it."""

    mask: int
    step: NeighbourStep
    packed: Packed


@dataclass(frozen=True, eq=False)
class Plan:
    """What a ladder compiles to.

    ``packed``: operations (N, 4) int32, figures and tables flat, see `row_kernels.treat_row`; ``reaches``: for each mask the
    reach whose weights it holds; ``before``: those that are computed in a pass of their own before, in order; ``luma``: the
    steps, where all that are in force look at luma alone; ``rein``: what is held on the chroma that is written.
    """

    packed: Packed
    reaches: tuple[Reach, ...] = ()
    before: tuple[KeyMask | LumaMask, ...] = ()
    luma: tuple[LumaStep, ...] | None = None
    rein: ChromaRein | None = None
    operations: tuple[Operation, ...] = field(default=(), repr=False)

    @property
    def idle(self) -> bool:
        """Whether it leaves every picture as it is."""
        return not self.operations and self.rein is None


def plan_for(treatment: Treatment, source: SignalFormat, *, written: bool = True) -> Plan:
    """What a treatment compiles to for a signal.

    Parameters
    ----------
    written : its last rein is held on the chroma sites of Y′CbCr, not pixel by pixel
    """
    steps = in_force(treatment)
    body, limits = split_limits(steps)
    rein = _together([step for step in limits if isinstance(step, ChromaRein) and step.holds]) if written else None
    if rein is not None:
        steps = (*body, *(step for step in limits if not isinstance(step, ChromaRein)))
    made = _Making(source)
    for step in steps:
        made.take(step)
    operations = folded(made.operations)
    luma = tuple(step for step in steps if isinstance(step, LumaStep) and step.reach.everywhere)
    alone = luma if len(luma) == len(steps) else None
    return Plan(_packed(operations), tuple(made.reaches), tuple(made.before), alone, rein, tuple(operations))


def _together(reins: list[ChromaRein]) -> ChromaRein | None:
    """Several reins, one after the other, as one."""
    if len(reins) < 2:
        return reins[0] if reins else None
    low, high = max(rein.low for rein in reins), min(rein.high for rein in reins)
    return replace(reins[-1], low=low, high=high)


class _Making:
    """Operations as they come together, step by step; what is mixed in by a reach or a strength is folded by itself."""

    def __init__(self, source: SignalFormat) -> None:
        self._source = source
        self.operations: list[Operation] = []
        self.reaches: list[Reach] = []
        self.before: list[KeyMask | LumaMask] = []

    def take(self, step: Step) -> None:
        """Add what a step compiles to, and how it is mixed in."""
        start = [len(each) for each in (self.operations, self.reaches, self.before)]
        strength = step.strength / 100 if isinstance(step, Look) else 1.0
        mixed = not step.reach.everywhere or strength < 1
        if mixed:
            self.operations.append(self._reach(step.reach, strength))
        inside = len(self.operations)
        self._take_own(step)
        own = folded(self.operations[inside:])
        if not own:
            del self.operations[start[0] :], self.reaches[start[1] :], self.before[start[2] :]
        elif mixed:
            self.operations[inside:] = [*own, Operation(Code.MIX)]

    def _take_own(self, step: Step) -> None:
        if isinstance(step, Look):
            for each in step.in_force:
                self._take_own(each)
        elif isinstance(step, NeighbourStep):
            if step.acts:
                mask = self._mask(EVERYWHERE)
                self.before.append(LumaMask(mask, step, _packed(folded(list(self.operations)))))
                self.operations.append(Operation(Code.LUMA_MASK, (float(mask),)))
        else:
            self.operations += step.operations(self._source)

    def _mask(self, reach: Reach) -> int:
        self.reaches.append(reach)
        return len(self.reaches) - 1

    def _reach(self, reach: Reach, strength: float) -> Operation:
        key = reach.key
        apart = key is not None and key.looks_about
        mask = self._mask(reach) if reach.areas or apart else -1
        if apart:
            assert key is not None
            self.before.append(KeyMask(mask, key, _packed(folded(list(self.operations)))))
        if key is None or apart:
            return Operation(Code.REACH, (float(mask), strength, 0.0, 0.0))
        return Operation(Code.REACH, (float(mask), strength, 1.0, float(key.inverted), *key.figures(self._source.matrix)))


def _packed(operations: Iterable[Operation]) -> Packed:
    rows, figures, tables = [], [np.zeros(0, np.float32)], [np.zeros(0, np.float32)]
    figure_count = table_count = 0
    for operation in operations:
        table = np.zeros(0) if operation.table is None else operation.table.ravel()
        rows.append((operation.code, figure_count, table_count, table_count + len(table)))
        figures.append(np.array(operation.figures, np.float32))
        tables.append(table.astype(np.float32))
        figure_count += len(operation.figures)
        table_count += len(table)
    return np.array(rows, np.int32).reshape(-1, 4), np.concatenate(figures), np.concatenate(tables)


@lru_cache(maxsize=16)
def shares_for(source: SignalFormat) -> tuple[tuple[np.float32, ...], NDArray[np.int64], NDArray[np.float32]]:
    """What luma sites weigh in chroma sites, as the pass takes it."""
    shares = source.site_shares
    return tuple(map(np.float32, shares.columns)), shares.sites, shares.rows
