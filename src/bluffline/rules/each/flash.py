"""Flashes that may harm a viewer [BT1702]: too many within a second, over too much of the screen."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np

from bluffline.declared import Between
from bluffline.measure.flashes import FlashLimits
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, runs_in
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, shot_at

_SEEN = 1.0  # percent of the screen that brightens where a flash is


@dataclass(frozen=True, slots=True)
class FlashAsked:
    """``area``: percent of the screen that may flash more often than ``flashes`` a second; ``white``: of an SDR display."""

    area: Annotated[float, Between(0, 100, "percent")] = 25.0
    flashes: Annotated[int, Between(1, 50)] = 3
    white: Annotated[float, Between(50, 1000, "cd/m²")] = 200.0
    severity: Severity = Severity.LOOK


class Flash(Rule):
    """Flashes of light, and to and from saturated red."""

    titles = {"flash": "Flashes", "red-flash": "Red flashes"}
    words = "flashes"
    place = 21
    section, key, named = FlashAsked, "flash", True
    aspect = Aspect.TIME
    whole_frames = True
    tried = False

    def measured(self, rules: Rules) -> FlashLimits | None:
        asked = self.asked(rules)
        return None if asked is None else FlashLimits(asked.area, asked.flashes, asked.white)

    def judge_file(
        self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules
    ) -> Iterator[Finding]:
        asked, second = self.asked(rules), int(np.ceil(surveyed.rate))
        for rule, what, kind in (("flash", "flashes", "flash_"), ("red-flash", "red flashes", "flash_red_")):
            counts, areas = table.column(f"{kind}count"), table.column(f"{kind}area")
            begun = np.flatnonzero(table.column(f"{kind}rise") >= _SEEN)
            told = counts > asked.flashes
            runs: list[tuple[int, int]] = []
            for found, end in runs_in(told):  # what is told of a frame is of the second up to it
                within = begun[(begun > found - second) & (begun <= end)]
                first, last = int(within[0]), int(within[-1])
                runs = [*runs[:-1], (runs[-1][0], last)] if runs and first <= runs[-1][1] + second else [*runs, (first, last)]
            for first, last in runs:
                worst = first + int(np.lexsort((areas[first : last + 1], counts[first : last + 1]))[-1])
                most, area = int(counts[first : last + 1].max()), float(areas[first : last + 1].max())
                words = f"{most} {what} a second: over {area:.0f} % of the screen; {asked.flashes} are allowed"
                number = shot_at(shots, worst)
                yield Finding(
                    rule, asked.severity, number, first, last, worst, float(most), "in 1 s", round(area, 3), words,
                    frames=last - first + 1,
                )  # fmt: skip
