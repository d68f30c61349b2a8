"""A ladder made ready for one signal: operations with their figures and tables, as the compiled pass takes them."""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.format import SignalFormat
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.ladder import Treatment, in_force, split_limits
from bluffline.treat.operations import Operation, folded
from bluffline.treat.reach import NO_CHROMA_BOUND, NO_LUMA_BOUND, Key, Reach
from bluffline.treat.row_kernels import Code
from bluffline.treat.step import LumaStep

ENDS = tuple(np.float32(end) for end in (0.0, NO_CHROMA_BOUND, *NO_LUMA_BOUND))
Packed = tuple[NDArray[np.int32], NDArray[np.float32], NDArray[np.float32]]


@dataclass(frozen=True, eq=False)
class KeyMask:
    """A key whose weights depend on neighbours, and the operations that lead up to it."""

    mask: int
    key: Key
    packed: Packed


@dataclass(frozen=True, eq=False)
class Plan:
    """What a ladder compiles to.

    ``packed``: operations (N, 4) int32, figures and tables flat, see `row_kernels.treat_row`; ``reaches``: for each mask the
    reach whose weights it holds; ``keys``: those of them that are computed in a pass of their own before; ``luma``: the steps,
    where all that are in force look at luma alone; ``rein``: what is held on the chroma that is written.
    """

    packed: Packed
    reaches: tuple[Reach, ...] = ()
    keys: tuple[KeyMask, ...] = ()
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
    operations: list[Operation] = []
    reaches: list[Reach] = []
    keys: list[KeyMask] = []
    for step in steps:
        own = step.operations(source)
        if own and not step.reach.everywhere:
            own = _reached(step.reach, own, operations, reaches, keys, source)
        operations += own
    operations = folded(operations)
    luma = tuple(step for step in steps if isinstance(step, LumaStep) and step.reach.everywhere)
    return Plan(
        _packed(operations), tuple(reaches), tuple(keys), luma if len(luma) == len(steps) else None, rein, tuple(operations)
    )


def _together(reins: list[ChromaRein]) -> ChromaRein | None:
    """Several reins, one after the other, as one."""
    if len(reins) < 2:
        return reins[0] if reins else None
    low, high = max(rein.low for rein in reins), min(rein.high for rein in reins)
    return replace(reins[-1], low=low, high=high)


def _reached(
    reach: Reach,
    own: tuple[Operation, ...],
    before: list[Operation],
    reaches: list[Reach],
    keys: list[KeyMask],
    source: SignalFormat,
) -> tuple[Operation, ...]:
    """Operations that are mixed in where a reach lets them."""
    key, mask = reach.key, -1
    apart = key is not None and key.looks_about
    if reach.areas or apart:
        mask = len(reaches)
        reaches.append(reach)
    if apart:
        assert key is not None
        keys.append(KeyMask(mask, key, _packed(folded(list(before)))))
    if key is None or apart:
        return Operation(Code.REACH, (float(mask), 0.0, 0.0)), *folded(list(own)), Operation(Code.MIX)
    figures = (float(mask), 1.0, float(key.inverted), *key.figures(source.matrix))
    return Operation(Code.REACH, figures), *folded(list(own)), Operation(Code.MIX)


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
