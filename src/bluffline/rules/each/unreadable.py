"""Frames that could not be decoded or are not there, however few."""

from collections.abc import Iterator, Sequence
from operator import attrgetter

import numpy as np

from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import ShotEvidence, Surveyed
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Rule
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot

_ALIKE = attrgetter("width", "height", "bit_depth", "model", "halved")  # what can be measured beside the programme


class Unreadable(Rule):
    """Frames that were not measured."""

    titles = {"unreadable": "Not readable", "missing": "Missing frames"}
    place = 21
    whole_frames = True
    tried = False

    def judge(self, shot: ShotEvidence) -> Iterator[Finding]:
        missing, lost = ~shot.readable, shot.surveyed.lost
        area = np.where(missing, np.float32(100), np.float32(0))
        there = ~np.isin(np.arange(shot.shot.first, shot.shot.last + 1), lost if lost is not None else ())
        formats = shot.table.formats or [shot.source]
        other = np.array([_ALIKE(each) != _ALIKE(shot.source) for each in formats])[shot.column("format")]
        for rule, mask, words in (
            ("unreadable", missing & there & ~other, "Frames that can't be decoded, or may be predicted from such"),
            ("unreadable", missing & there & other, "Frames of another size or sampling, which were not measured"),
            ("missing", missing & ~there, "Frames that are not in the file, by its times or by what it declares"),
        ):
            yield from shot.runs_of(rule, Severity.MUST_FIX, mask, area.astype(np.float64), area, words, least=1)

    def judge_file(
        self, table: SurveyTable, surveyed: Surveyed, shots: Sequence[Shot], rules: Rules
    ) -> Iterator[Finding]:
        if surveyed.broken and surveyed.complete:
            last = shots[-1].last
            words = f"The file is damaged after this frame ({surveyed.broken}): what may follow could not be read"
            yield Finding("missing", Severity.MUST_FIX, len(shots) - 1, last, last, last, 100.0, "%", 100.0, words)
