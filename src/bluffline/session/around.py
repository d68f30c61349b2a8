"""What is known of the frames around the one in view, for gauges that show them."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from bluffline.gauges.instrument import Heard, Moment
from bluffline.measure.sound import SoundMeasure
from bluffline.measure.table import SurveyTable
from bluffline.media.programme import Programme
from bluffline.rules.columns import Column, table_levels
from bluffline.rules.each.loudness import Loudness
from bluffline.rules.rules import Rules
from bluffline.signal.format import SignalFormat

_SOUND = Loudness()


@dataclass(frozen=True, eq=False)
class Around:
    """A survey's levels, read where they are asked for; ``treated``: extremes as treatments leave them, where there are any.

    ``heard``: what is heard with every frame of the programme, where that was measured.
    """

    rate: float
    source: SignalFormat
    table: SurveyTable
    treated: Mapping[str, Column] | None = None
    heard: Heard | None = None

    def at(self, frame: int, seconds: float) -> Moment:
        """So many seconds about a frame."""
        half = round(seconds / 2 * self.rate)
        part = slice(max(frame - half, 0), frame + half + 1)
        levels = table_levels(self.table, self.source, part)
        if self.treated is not None:
            unread = np.isnan(levels.pop("y_mean"))
            known = min(len(unread), *(len(self.treated[name][part]) for name in levels))
            levels = {name: np.where(unread[:known], np.nan, self.treated[name][part][:known]) for name in levels}
        heard = self.heard
        if heard is not None:
            heard = Heard({name: column[part] for name, column in heard.columns.items()}, heard.asked)
        return Moment(frame, self.rate, part.start, levels, heard)


def heard_by_frame(sound: SoundMeasure, programme: Programme, rules: Rules) -> Heard:
    """What is heard with every frame of a programme, and what rules ask of that."""
    asked = _SOUND.asked(rules)
    figures = {} if asked is None else {"loudness": asked.loudness, "true peak": asked.true_peak}
    return Heard(sound.by_frame(float(programme.frame_rate), programme.frame_count), figures)
