"""A filmed chart that is further from its reference than is allowed."""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated, Any

from bluffline.declared import Between, made
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, shot_at

_DIFFERENCE = Between(0.001, 1000, "ΔE2000")


@dataclass(frozen=True, slots=True)
class ChartAsked:
    """How far a filmed chart may be from its reference, CIEDE2000; ``reference``: a shipped one's name, or a path."""

    reference: str
    mean: Annotated[float, _DIFFERENCE] = math.inf
    worst: Annotated[float, _DIFFERENCE] = math.inf

    def __post_init__(self) -> None:
        if not self.reference.strip():
            raise ValueError("reference must name a chart reference")
        if min(self.mean, self.worst) == math.inf:
            raise ValueError("needs mean or worst, the greatest ΔE2000 that is allowed")


class Chart(Rule):
    """Charts that are found surely in the middle of a shot."""

    titles = {"chart": "Chart off its reference"}
    place = 30
    words = "filmed charts"
    section, key, named = ChartAsked, "chart", True
    tried = False

    def read(self, table: Mapping[str, Any], where: str, folder: Path) -> ChartAsked:
        asked = made(ChartAsked, table, where)
        beside = folder / asked.reference
        return replace(asked, reference=str(beside)) if beside.is_file() else asked

    def judge_file(
        self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules
    ) -> Iterator[Finding]:
        rule = self.asked(rules)
        for found in surveyed.charts:
            number = shot_at(shots, found.frame)
            value, words = found.mean, f"The chart is off by {found.mean:.1f} ΔE in the mean; {rule.mean:g} is allowed"
            if found.mean <= rule.mean:
                value = found.worst
                words = f"The chart's {found.patch} is off by {found.worst:.1f} ΔE; {rule.worst:g} is allowed"
                if found.worst <= rule.worst:
                    continue
            ends = shots[number].first, shots[number].last, found.frame
            yield Finding("chart", Severity.MUST_FIX, number, *ends, round(value, 2), "ΔE2000", round(found.area, 3), words)
