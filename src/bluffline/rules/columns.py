"""A survey's columns in percent, and what is remembered of them while it grows."""

from collections.abc import Callable, Hashable
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.table import SurveyTable
from bluffline.signal.format import SignalFormat

Column = NDArray[np.float64]
Value = TypeVar("Value")


def percent_columns(table: SurveyTable, source: SignalFormat, first: int = 0) -> dict[str, Column]:
    """Extremes of every frame from ``first`` on, in percent of its own range: y_min, y_max, y_p01, y_p999, rgb_min, rgb_max."""
    black, swing = table.levels(source, slice(first, None))
    columns = {
        name: (table.column(name)[first:].astype(np.float64) - black) / swing * 100.0
        for name in ("y_min", "y_max", "y_p01", "y_p999")
    }
    return columns | {name: table.column(name)[first:].astype(np.float64) for name in ("rgb_min", "rgb_max")}


def table_levels(table: SurveyTable, source: SignalFormat, part: slice = slice(None)) -> dict[str, Column]:
    """Extremes and mean of luma and extremes of R′G′B′, (N,) each in percent; NaN for frames that could not be measured."""
    black, swing = table.levels(source, part)
    luma = ("y_min", "y_max", "y_mean")
    levels = {name: (table.column(name)[part].astype(np.float64) - black) / swing * 100 for name in luma}
    levels |= {name: table.column(name)[part].astype(np.float64) for name in ("rgb_min", "rgb_max")}
    readable = table.column("readable")[part]
    return {name: np.where(readable, column, np.nan) for name, column in levels.items()}


class Memo:
    """What has been judged of a table that grows. Its rows never change, so what is known of a shot that ended stays so.

    For one table, source and rules; one thread at a time.
    """

    def __init__(self) -> None:
        self._known: dict[Hashable, Any] = {}
        self._percent: dict[str, Column] = {}
        self._count = 0

    def once(self, key: Hashable, make: Callable[[], Value]) -> Value:
        """What ``make`` gave when it was first asked for under this key."""
        if key not in self._known:
            self._known[key] = make()
        found: Value = self._known[key]
        return found

    def percent(self, table: SurveyTable, source: SignalFormat) -> dict[str, Column]:
        """`percent_columns`; only rows that are new are converted."""
        count = len(table)
        new = percent_columns(table, source, self._count)
        for name, values in new.items():
            column = self._percent.get(name)
            if column is None or len(column) < count:
                grown = np.empty(count if column is None else max(count, 2 * len(column)))
                grown[: self._count] = column[: self._count] if column is not None else 0
                self._percent[name] = grown
            self._percent[name][self._count : count] = values
        self._count = max(count, self._count)
        return {name: column[:count] for name, column in self._percent.items()}
