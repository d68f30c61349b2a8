"""The programme under control: its survey and what is found in it, the place looked at, and the document."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import suppress
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import WriteError
from bluffline.gauges.instrument import Heard
from bluffline.measure.region import Region
from bluffline.measure.sound import SoundMeasure
from bluffline.measure.table import SurveyTable
from bluffline.media.codecs import Codec
from bluffline.media.coding import Coding
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.prove.across import Beside, beside
from bluffline.prove.handing import why_all_encoded
from bluffline.prove.trial import Outcome, Trial, near_a_limit
from bluffline.rules.each.chart import Chart
from bluffline.rules.finding import Finding, in_reading_order
from bluffline.rules.rulefile import load_rules
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.rules.waivers import waived
from bluffline.session.around import Around, heard_by_frame
from bluffline.session.document import Document
from bluffline.session.event import Event
from bluffline.session.found import Found
from bluffline.session.in_hand import StepsInHand
from bluffline.session.judging import Judge, Judged
from bluffline.session.likeness import Looks, looks_of
from bluffline.session.place import Place
from bluffline.session.taking_in import Opened
from bluffline.session.treated_columns import TreatedColumns
from bluffline.session.trials import Standing, Trials, Untried
from bluffline.signal.format import Overrides, SignalFormat
from bluffline.survey.chart_rule import rule_reference
from bluffline.survey.survey import Survey, start_survey
from bluffline.treat.ladder import acts

_AT_ONCE = 0.008  # seconds, so that what is drawn with it is there before an operator notices


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
        self.in_hand = StepsInHand()
        self._judge: Judge | None = None
        self._judged: Judged | None = None
        self._found = Found(None, self.findings)
        self._treated = TreatedColumns()
        self.trials = Trials()
        self.codec: Codec | None = None  # that the operator writes in; None until that is known
        self.treatable = 0  # shots, from the first on, that are known to their ends and are those that the work is on
        self.judge_again: Callable[[], object] = self.refresh  # whoever has a thread for it puts that in place of this
        self._tried = object()  # another one for whatever is known of trials
        self._around: tuple[tuple[object, ...], Around] | None = None
        self._heard: tuple[SoundMeasure, Heard] | None = None
        self._near: tuple[list[Shot], list[int]] | None = None
        self._coding: tuple[object, Coding | None] | None = None
        self._counted: tuple[tuple[object, ...], tuple[dict[int, int], int]] | None = None
        self.programme_changed = Event()
        self.survey_changed, self.trials_changed = Event(), Event()

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
        self.trials = Trials()
        self.place.begin()
        self.document.begin()

    def survey_again(
        self,
        *,
        rules: Rules | None = None,
        overrides: Overrides | None = None,
        region: Region | None = None,
    ) -> None:
        """Begin the survey anew: under other rules, or with the operator's word against the facts or for the active picture.

        Raises
        ------
        ChartError : the chart that the rules ask for can't be used; what was in force remains.
        """
        rules = rules or self.rules
        if (chart := Chart()).on(rules):
            rule_reference(chart.asked(rules))
        if self.survey is not None and self.programme is not None:
            programme = self.programme if overrides is None else self.programme.read_as(overrides)
            self._take(programme, start_survey(programme, rules, region=region or self.survey.region))
        self.rules = rules
        self.survey_changed.tell()

    def _take(self, programme: Programme, survey: Survey) -> None:
        self.programme, self.survey = programme, survey
        self._judge, self._judged = Judge(survey), None
        self.shots, self.findings, self.treatable = [], [], 0
        self._found = Found(survey, self.findings)
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
            self.treatable = len(judged.shots)
        else:
            self.treatable = self.document.grow(judged.found)
        self._judged, self.shots = judged, judged.shots
        self._take_findings(judged)
        self.survey_changed.tell()
        self._divided()

    def _take_findings(self, judged: Judged) -> None:
        """Take over what was found, with whatever is waived by now."""
        waivers = self.document.work.waivers
        self.findings = waived(judged.findings, waivers)
        self._found = Found(judged.survey, self.findings, waivers, self._found.counted)
        self.place.let_go()

    def _divided(self) -> None:
        """Have the shots judged as they are divided by hand now; until then findings stand in the shots of their frames."""
        judged, cuts = self._judged, self.document.work.cuts
        if judged is not None and self.document.work.waivers != self._found.waivers:
            selected = self.place.selected
            self._take_findings(judged)
            self.survey_changed.tell()
            if selected is not None and (same := [found for found in self.findings if found.place == selected.place]):
                self.place.select(same[0])
        if judged is None or not judged.complete or judged.cuts == cuts:
            return
        shots = self.document.shots
        worst = [found.worst_frame for found in judged.findings]
        homes = (np.searchsorted([shot.first for shot in shots], worst, "right") - 1).tolist()
        findings = [
            found if found.shot == home else found.in_shot(home)
            for found, home in zip(judged.findings, homes, strict=True)
        ]
        findings = in_reading_order(findings)
        self._judged = replace(judged, shots=shots, findings=findings, cuts=cuts)
        self.shots, self.treatable = shots, len(shots)
        self._take_findings(self._judged)
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

    def looks(self) -> Callable[[], Looks | None]:
        """Whoever calls what is returned, in whatever thread, gets what its shots look like; None before they are all known."""
        if self.survey is None or not self.surveyed:
            return lambda: None
        return partial(looks_of, self.survey.table, self.shots)  # which are others whenever they are divided anew

    def source_columns(self) -> Mapping[str, NDArray[np.float64]]:
        """Extremes of every frame judged so far, in percent."""
        return self._judged.columns if self._judged is not None else {}

    def treated_columns(self) -> Mapping[str, NDArray[np.float64]]:
        """The same extremes as the treatments will leave them: measured where a shot has been tried, else a bound.

        Thousands of shots take a while: of some what was known before stands until `foresee` has come to them.
        """
        if self._judged is None:
            return {}
        return self._treated.of(self._judged, self.standing, _AT_ONCE)

    @property
    def foreseen(self) -> bool:
        """Whether `treated_columns` has come to every shot."""
        return not self._treated.behind

    def foresee(self) -> None:
        """Come to more of the shots that `treated_columns` has not come to, and tell once it has come to all."""
        self.treated_columns()
        if self.foreseen:
            self._tried = object()
            self.trials_changed.tell()

    def around(self, *, treated: bool) -> Around | None:
        """What is known of the frames around the one in view; the same for as long as that is."""
        if self.survey is None or self.programme is None:
            return None
        treatments = self.document.treatments if treated else None
        key = self._judged, treatments, self._tried
        if self._around is None or any(one is not other for one, other in zip(key, self._around[0], strict=True)):
            table = self._judged.survey.table.frozen() if self._judged is not None else SurveyTable(0)
            columns = self.treated_columns() if treatments and self._judged is not None else None
            self._around = key, Around(float(self.programme.frame_rate), self.source, table, columns, self._what_is_heard())
        return self._around[1]

    def _what_is_heard(self) -> Heard | None:
        """The first programme sound by frames, made once; None where none was measured."""
        sound = self.survey.sounds[0] if self.survey is not None and self.survey.sounds else None
        if sound is None or self.survey is None:
            return None
        if self._heard is None or self._heard[0] is not sound:
            self._heard = sound, heard_by_frame(sound, self.survey.programme, self.survey.rules)
        return self._heard[1]

    # Trials ----------------------------------------------------------------------------------------------------------

    def take_trial(self, trial: Trial) -> None:
        """Take over what was tried in the background; of another survey or treatment it is never looked at."""
        self.trials.take(trial)
        self._tried = object()
        self.trials_changed.tell()

    def trial_of(self, shot: int) -> Trial | None:
        """What the treatment in force is known to make of a shot, by its number."""
        standing = self.standing.get(shot)
        return None if standing is None else standing.trial

    @property
    def standing(self) -> Mapping[int, Standing]:
        """How each shot stands that has a ladder, by its number, see `Trials.standing`."""
        if self.survey is None:
            return {}
        return self.trials.standing(self.survey, self.shots, self.document.treatments, self._coded_by)

    def beside(self, shot: int) -> tuple[Beside, ...]:
        """What is mixed into a shot, by its number, where a transition is; nothing while its neighbours are not known."""
        return beside(self.shots, shot, self.document.treatments) if shot < len(self.shots) else ()

    @property
    def _coded_by(self) -> str:
        return "" if (coding := self.coding) is None else coding.codec.name

    def _only_coded(self) -> list[int]:
        """The shots without a treatment that coding may push over a limit, where something is written at all."""
        treatments = self.document.treatments
        if self.survey is None or not self.surveyed or not self._coded_by or not any(map(acts, treatments.values())):
            return []
        if self.codec is not None and not why_all_encoded(self.survey, self.codec):
            return []  # they go over as they are coded
        if self._near is None or self._near[0] is not self.shots:  # which are others whenever anything is judged anew
            self._near = self.shots, near_a_limit(self.survey, self.shots)
        return [shot for shot in self._near[1] if not acts(treatments.get(shot, ()))]

    def added_by_coding(self) -> dict[int, int]:
        """How many findings the codec adds to shots without a treatment, by what is known: by their numbers."""
        return self._count()[0]

    @property
    def left_count(self) -> int:
        """Number of findings that must be fixed and, by what is known, will not be by the treatments in force."""
        return self._count()[1]

    def _count(self) -> tuple[dict[int, int], int]:
        """What coding adds by shot, and how many findings are left of all; counted once for all that ask."""
        key = self._tried, self.document.work, self.findings, self._coded_by
        if self._counted is None or any(one is not other for one, other in zip(key, self._counted[0], strict=True)):
            found, survey, codec, added = self._found, self.survey, self._coded_by, {}
            for shot in self._only_coded():
                if survey is not None and (trial := self.trials.of(survey, self.shots[shot], (), codec)) is not None:
                    added[shot] = found.added_by(trial, shot)
            left = {shot: len(findings) for shot, findings in found.to_fix.items()}
            for shot, standing in self.standing.items():
                if standing.trial is not None:
                    left[shot] = found.left_by(standing.trial, shot)
            more = {shot: count for shot, count in added.items() if count}
            self._counted = key, (more, sum(left.values()) + sum(more.values()))
        return self._counted[1]

    def outcome(self, finding: Finding) -> Outcome | None:
        """What becomes of a finding under its shot's treatment, as far as that is known."""
        trial = self.trial_of(finding.shot)
        outcome = trial.outcome(finding) if trial is not None else None
        return replace(outcome, coded=self.as_written) if outcome is not None else None

    def go_to_worst(self) -> None:
        """Go to the gravest finding that is not answered, of those to the widest; from there to the next."""

        def rank(finding: Finding) -> tuple[bool, int, float]:
            outcome = self.outcome(finding)
            answered = outcome is not None and outcome.answered
            return answered, list(Severity).index(finding.severity), -finding.worst_area

        findings = sorted(self.place.looked_at, key=rank)
        if findings:
            here = findings.index(self.place.selected) + 1 if self.place.selected in findings else 0
            self.place.select(findings[here % len(findings)])

    def left_in(self, shot: int) -> int | None:
        """The same of one shot; None where its treatment has not been tried."""
        trial = self.trial_of(shot)
        return None if trial is None else trial.left(self._found.in_shot.get(shot, ()), self._found.waivers)

    def untried(self) -> list[Untried]:
        """The shots whose treatments are still to be tried, the one in view first."""
        return list(self._untried())

    def _untried(self) -> Iterator[Untried]:
        if self.survey is not None:
            known = {shot: each for shot, each in self.standing.items() if shot < self.treatable}
            yield from self.trials.untried(
                self.survey, self.shots, known, self._found.in_shot, self.place.shot, self._coded_by, self._only_coded()
            )

    @property
    def all_tried(self) -> bool:
        """Whether nothing is left to be tried."""
        return next(self._untried(), None) is None

    @property
    def as_written(self) -> bool:
        """Whether what is tried is what will be written: through the codec, or in one that changes nothing."""
        return self.coding is not None or (self.codec is not None and self.codec.lossless)

    @property
    def coding(self) -> Coding | None:
        """What pictures go through when they are written; None where nothing changes them, or nobody knows yet."""
        if self.codec is None or self.codec.lossless or self.programme is None:
            return None
        key = self.source, self.codec, self.programme.frame_rate
        if self._coding is None or self._coding[0] != key:  # it is asked for at every shot
            coding = None
            with suppress(WriteError):  # told where one writes
                coding = Coding(*key)
            self._coding = key, coding
        return self._coding[1]

    @property
    def must_fix_count(self) -> int:
        """Number of findings that must be fixed."""
        return self._found.must_fix_count
