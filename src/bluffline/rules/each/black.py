"""Frames that are black all over, for longer than is allowed."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import Between
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import ShotEvidence
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.severity import Severity
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

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        asked, rate = self.asked(shot.rules), shot.surveyed.rate
        highest = shot.percent("y_p999")
        least = int(asked.seconds * rate) + 1
        for found in shot.runs_of(
            "black", asked.severity, black_frames(shot, asked.level), highest, shot.all_of_it, "", least=least
        ):
            words = f"Black for {found.frames / rate:.2f} s: luma reaches {found.worst_value:.1f} %"
            yield replace(found, reason=words + found.runs_told)


def dark_frames(table: SurveyTable, source: SignalFormat, level: float) -> NDArray[np.bool_]:
    """(N,) which frames of a survey are black, but for a thousandth of their picture."""
    black, swing = table.levels(source, slice(None))
    return np.asarray(table.column("readable") & (table.column("y_p999") <= black + level / 100 * swing))


def black_frames(shot: ShotEvidence, level: float) -> NDArray[np.bool_]:
    """(N,) which frames of a shot are black, but for a thousandth of their picture."""
    return np.asarray(shot.readable & (shot.percent("y_p999") <= level))
