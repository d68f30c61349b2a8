"""The programme under control: its survey and what is found in it, the place looked at, and the document."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Mapping
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bluffline.measure.region import Region
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.prove.chart_rule import rule_reference
from bluffline.prove.survey import Survey, must_fix, start_survey
from bluffline.rules.findings import Finding, in_reading_order
from bluffline.rules.rulefile import Rules, load_rules
from bluffline.rules.shots import Shot
from bluffline.session.document import Document
from bluffline.session.event import Event
from bluffline.session.judging import Judge, Judged, TreatedColumns
from bluffline.session.place import Place
from bluffline.session.taking_in import Opened
from bluffline.signal.format import SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix


class Session:
    """State that the desk draws and sends intents to. Not thread-safe: jobs hand their results to its thread."""

    def __init__(self, rules: Rules | None = None) -> None:
        self.rules = rules or load_rules("r103")
        self.programme: Programme | None = None
        self.survey: Survey | None = None
        self.shots: list[Shot] = []
        self.findings: list[Finding] = []
        self.place = Place(self)
        self.document = Document(self, self.place, self._divided)
        self._judge: Judge | None = None
        self._judged: Judged | None = None
        self._treated = TreatedColumns()
        self.judge_again: Callable[[], object] = self.refresh  # whoever has a thread for it puts that in place of this
        self.programme_changed = Event()
        self.survey_changed = Event()

    def open(self, path: Path, *, rate: Fraction | None = None, track: int | None = None) -> None:
        """Take a file under control as it is, without earlier work. ``rate`` and ``track`` as for `probe`.

        Raises
        ------
        MediaError : the file can't be read; what was under control remains.
        """
        programme = probe(path, rate=rate, track=track)
        self._begin(programme, start_survey(programme, self.rules))
        self.programme_changed.tell()
        self.survey_changed.tell()

    def take(self, opened: Opened) -> None:
        """Take a programme under control, with the work on it; its survey is begun and has to be run."""
        survey = opened.survey
        if survey.rules is not self.rules:  # others came into force while it was opened
            survey = start_survey(opened.programme, self.rules, region=survey.region)
        self._begin(opened.programme, survey)
        if opened.kept is not None:
            self.document.take_up(*opened.kept)
        if opened.brought is not None:
            self.document.bring(opened.brought)
        self.programme_changed.tell()
        self.document.changed.tell()
        self.survey_changed.tell()

    def _begin(self, programme: Programme, survey: Survey) -> None:
        self._take(programme, survey)
        self.place.begin()
        self.document.begin()

    def survey_again(
        self,
        *,
        rules: Rules | None = None,
        signal_range: Range | None = None,
        matrix: Matrix | None = None,
        region: Region | None = None,
    ) -> None:
        """Begin the survey anew: under other rules, or with the operator's word for range, matrix or active picture.

        Raises
        ------
        ChartError : the chart that the rules ask for can't be used; what was in force remains.
        """
        rules = rules or self.rules
        if rules.chart is not None:
            rule_reference(rules.chart)
        if self.survey is not None and self.programme is not None:
            source = self.survey.source.overridden(signal_range=signal_range, matrix=matrix)
            survey = start_survey(self.programme, rules, source=source, region=region or self.survey.region)
            self._take(self.programme, survey)
        self.rules = rules
        self.survey_changed.tell()

    def _take(self, programme: Programme, survey: Survey) -> None:
        self.programme, self.survey = programme, survey
        self._judge, self._judged = Judge(survey), None
        self.shots, self.findings = [], []
        self.place.let_go()

    @property
    def judge(self) -> Judge:
        """Who judges the survey; for whoever runs it."""
        assert self._judge is not None, "no programme is open"
        return self._judge

    def refresh(self) -> None:
        """Judge what the running survey has measured by now."""
        if self._judge is not None:
            self.take_judged(self._judge.judge(self.document.work.cuts))

    def take_judged(self, judged: Judged) -> None:
        """Take over what is known of the survey by now; of another survey it is dropped.

        Work goes to the shots that a complete survey ends with.
        """
        if judged.survey is not self.survey:
            return
        if judged.complete:
            self.document.carry(judged.found)
        self._judged, self.shots, self.findings = judged, judged.shots, judged.findings
        self.place.let_go()
        self.survey_changed.tell()
        self._divided()

    def _divided(self) -> None:
        """Have the shots judged as they are divided by hand now; until then findings stand in the shots of their frames."""
        judged, cuts = self._judged, self.document.work.cuts
        if judged is None or not judged.complete or judged.cuts == cuts:
            return
        shots = cuts.of(judged.found)
        homes = [bisect_right(shots, found.worst_frame, key=lambda shot: shot.first) - 1 for found in judged.findings]
        findings = [replace(found, shot=home) for found, home in zip(judged.findings, homes, strict=True)]
        findings = in_reading_order(findings)
        self._judged = replace(judged, shots=shots, findings=findings, cuts=cuts)
        self.shots, self.findings = shots, findings
        self.place.let_go()
        self.survey_changed.tell()
        self.judge_again()

    @property
    def source(self) -> SignalFormat:
        """The programme's format with the operator's word on it."""
        assert self.survey is not None, "no programme is open"
        return self.survey.source

    @property
    def surveyed(self) -> bool:
        """Whether a programme is open and every frame of it has been measured and judged."""
        return self._judged is not None and self._judged.complete and bool(self.shots)

    def source_columns(self) -> Mapping[str, NDArray[np.float64]]:
        """Extremes of every frame judged so far, in percent."""
        return self._judged.columns if self._judged is not None else {}

    def treated_columns(self) -> Mapping[str, NDArray[np.float64]]:
        """The same extremes as the treatments will leave them: luma exactly, R′G′B′ as a bound."""
        return self._treated.of(self._judged, self.document.treatments) if self._judged is not None else {}

    @property
    def must_fix_count(self) -> int:
        """Number of findings that must be fixed."""
        return len(must_fix(self.findings))
