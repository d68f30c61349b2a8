"""Programmes that are shorter or longer than their slot, or that start at another timecode."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from math import inf
from typing import Annotated

from bluffline.declared import Between
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed, across
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect, Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

_SECONDS = Between(0, 360_000, "seconds")
LABEL = re.compile(r"\d\d:[0-5]\d:[0-5]\d[:;]\d{2,3}")


@dataclass(frozen=True, slots=True)
class LengthAsked:
    """``least``, ``greatest``: seconds that a programme lasts; ``start``: the timecode of its first frame, any where empty."""

    least: Annotated[float, _SECONDS] = 0.0
    greatest: Annotated[float, _SECONDS] = inf
    start: str = ""
    severity: Severity = Severity.MUST_FIX

    def __post_init__(self) -> None:
        if self.least > self.greatest:
            raise ValueError("least must not be over greatest")
        if self.start and not LABEL.fullmatch(self.start):
            raise ValueError(f"start must be a timecode, as 10:00:00:00 or 10:00:00;00, not {self.start[:20]}")


class Length(Rule):
    """How long a programme is, and where it starts."""

    titles = {"length": "Length", "start": "Start timecode"}
    words = "length and start timecode"
    place = 34
    section, key, named = LengthAsked, "length", True
    aspect = Aspect.TIME
    whole_frames = True
    tried = False

    def judge_file(
        self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules
    ) -> Iterator[Finding]:
        asked = self.asked(rules)
        seconds = (shots[-1].last + 1) / surveyed.rate
        if surveyed.complete and not asked.least - 1e-6 <= seconds <= asked.greatest + 1e-6:
            bound = f"{asked.least:g} at least" if seconds < asked.least else f"{asked.greatest:g} at most"
            words = f"It lasts {seconds:.2f} s: {bound}"
            yield across("length", asked.severity, shots, words, seconds, "s")
        start = surveyed.timecode.label(0) if surveyed.timecode.told else ""
        if asked.start and start != asked.start:
            words = f"It starts at {start or 'no timecode'}: {asked.start} is asked for"
            yield across("start", asked.severity, shots, words, last=0)
