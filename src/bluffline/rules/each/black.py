"""Frames that are black all over, for longer than is allowed."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.figures import figure
from bluffline.measure.table import SurveyTable
from bluffline.rules.columns import percent_columns
from bluffline.rules.evidence import Surveyed, in_shots, of_runs, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat


@dataclass(frozen=True, slots=True)
class BlackAsked:
    """``level``: percent of luma that all of a black frame but a thousandth stays under; ``seconds``: that are allowed."""

    level: Annotated[float, Between(-10, 20, "percent")] = 2.0
    seconds: Annotated[float, Between(0, 3600, "seconds")] = 0.4
    severity: Severity = Severity.LOOK


class Black(Rule):
    """Black where there should be a picture."""

    titles = {"black": "Black frames"}
    words = "black frames"
    place = 22
    section, key, named = BlackAsked, "black", True
    aspect = Aspect.TIME
    whole_frames = True
    tried = False

    def judge_file(self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules) -> Iterator[Finding]:
        """Of the file, since shots that fade out and in meet in the middle of the black between them."""
        if surveyed.source is None:
            return  # a few frames are judged, not a file
        asked, rate = self.asked(rules), surveyed.rate
        highest, dark = percent_columns(table, surveyed.source)["y_p999"], dark_frames(table, surveyed.source, asked.level)
        for runs in in_shots(runs_in(dark), shots, rules.gap * rate, int(asked.seconds * rate) + 1):
            told = of_runs("black", asked.severity, shots, runs, highest)
            words = f"Black for {told.frames / rate:.2f} s: luma reaches {figure(told.worst_value, '.1f')} %"
            yield replace(told, reason=words + told.runs_told)


def dark_frames(table: SurveyTable, source: SignalFormat, level: float) -> NDArray[np.bool_]:
    """(N,) which frames of a survey are black, but for a thousandth of their picture."""
    black, swing = table.levels(source, slice(None))
    return np.asarray(table.column("readable") & (table.column("y_p999") <= black + level / 100 * swing))
