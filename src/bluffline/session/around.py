"""What is known of the frames around the one in view, for gauges that show them."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from bluffline.gauges.instrument import Moment
from bluffline.measure.table import SurveyTable
from bluffline.rules.columns import Column, table_levels
from bluffline.signal.format import SignalFormat


@dataclass(frozen=True, eq=False)
class Around:
    """A survey's levels, read where they are asked for; ``treated``: extremes as treatments leave them, where there are any."""

    rate: float
    source: SignalFormat
    table: SurveyTable
    treated: Mapping[str, Column] | None = None

    def at(self, frame: int, seconds: float) -> Moment:
        """So many seconds about a frame."""
        half = round(seconds / 2 * self.rate)
        part = slice(max(frame - half, 0), frame + half + 1)
        levels = table_levels(self.table, self.source, part)
        if self.treated is not None:
            unread = np.isnan(levels.pop("y_mean"))
            known = min(len(unread), *(len(self.treated[name][part]) for name in levels))
            levels = {name: np.where(unread[:known], np.nan, self.treated[name][part][:known]) for name in levels}
        return Moment(frame, self.rate, part.start, levels)
