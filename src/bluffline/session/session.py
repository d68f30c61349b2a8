"""The programme under control: its survey, findings, treatments, and the place the operator looks at."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.measure.areas import Area, Shape
from bluffline.measure.region import Region
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.prove.charts import rule_reference
from bluffline.prove.propose import Proposal, ceiling_for, floor_for, luma_extremes
from bluffline.prove.survey import Survey, must_fix, start_survey
from bluffline.rules.findings import Finding
from bluffline.rules.rulefile import Rules, load_rules
from bluffline.rules.shots import Shot
from bluffline.session.event import Event
from bluffline.session.history import History
from bluffline.session.judging import Judge, Judged, TreatedColumns
from bluffline.session.taking_in import Opened
from bluffline.session.work import Aside, Cuts, FollowedArea, Treatments, Work, carried
from bluffline.session.workfile import WorkFile
from bluffline.signal.format import SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.treat.colour import COLOUR_STEPS, Balance, Cdl, HueNudge
from bluffline.treat.steps import (
    ChromaRein,
    LevelRemap,
    RemapMode,
    SoftCeiling,
    SoftFloor,
    Step,
    Treatment,
    called,
    with_step,
)

# The steps that can be added by hand; others come from a chart fit or a file.
STEP_KINDS: tuple[type[Step], ...] = (Balance, HueNudge, Cdl, LevelRemap, SoftCeiling, SoftFloor, ChromaRein)
_SKIN_HUE = 123.0  # degrees on the vectorscope


class Session:
    """State that the desk draws and sends intents to. Not thread-safe: jobs hand their results to its thread."""

    def __init__(self, rules: Rules | None = None) -> None:
        self.rules = rules or load_rules("r103")
        self.programme: Programme | None = None
        self.survey: Survey | None = None
        self.shots: list[Shot] = []
        self.findings: list[Finding] = []
        self.frame = 0
        self.selected: Finding | None = None
        self._history: History[Work] = History(Work())
        self.found: list[Shot] = []  # by the cuts that were seen; the work's numbers mean these, divided by hand as well
        self._judge: Judge | None = None
        self._judged: Judged | None = None
        self._treated = TreatedColumns()
        self.programme_changed = Event()
        self.survey_changed = Event()
        self.place_changed = Event()
        self.treatment_changed = Event()

    # Taking in -----------------------------------------------------------------------------------------------------

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
            self._take_up(*opened.kept)
        if opened.brought is not None:
            self._bring(opened.brought)
        self.programme_changed.tell()
        self.treatment_changed.tell()
        self.survey_changed.tell()

    def _begin(self, programme: Programme, survey: Survey) -> None:
        self._take(programme, survey)
        self.frame, self.selected = 0, None
        self._history, self.found = History(Work()), []

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
        self.shots, self.findings, self.selected = [], [], None

    @property
    def judge(self) -> Judge:
        """Who judges the survey; for whoever runs it."""
        assert self._judge is not None, "no programme is open"
        return self._judge

    def refresh(self) -> None:
        """Judge what the running survey has measured by now."""
        if self._judge is not None:
            self.take_judged(self._judge.judge(self.work.cuts))

    def take_judged(self, judged: Judged) -> None:
        """Take over what is known of the survey by now; of another survey it is dropped.

        Work goes to the shots that a complete survey ends with.
        """
        if judged.survey is not self.survey:
            return
        if judged.complete and judged.found != self.found:
            before, now = self.found, judged.found
            self._history.map(lambda work: carried(work, work.cuts.of(before), work.cuts.of(now)))
            self.found = now
        self._judged, self.shots, self.findings = judged, judged.shots, judged.findings
        if self.selected is not None and self.selected not in self.findings:
            self.selected = None
        self.survey_changed.tell()

    @property
    def source(self) -> SignalFormat:
        """The programme's format with the operator's word on it."""
        assert self.survey is not None, "no programme is open"
        return self.survey.source

    @property
    def surveyed(self) -> bool:
        """Whether a programme is open and every frame of it has been measured and judged."""
        return self._judged is not None and self._judged.complete and bool(self.shots)

    @property
    def reasons(self) -> Mapping[int, tuple[str, ...]]:
        """Why the treatments in force are as they were proposed, by shot."""
        return self._history.state.reasons

    # Looking -------------------------------------------------------------------------------------------------------

    @property
    def shot(self) -> int:
        """Number of the shot in view; 0 before the survey knows."""
        return max(bisect_right(self.shots, self.frame, key=lambda shot: shot.first) - 1, 0)

    def go_to(self, frame: int) -> None:
        """Look at a frame, or the nearest there is."""
        if self.programme is None:
            return
        self.frame = min(max(frame, 0), self.programme.frame_count - 1)
        if self.selected is not None and not self.selected.first_frame <= self.frame <= self.selected.last_frame:
            self.selected = None
        self.place_changed.tell()

    def select(self, finding: Finding) -> None:
        """Look at a finding, at its worst frame."""
        self.selected = finding
        self.go_to(finding.worst_frame)

    def step_finding(self, by: int) -> None:
        """Go to the next (+1) or previous (−1) finding from here."""
        if not self.findings:
            return
        if self.selected in self.findings:
            place = self.findings.index(self.selected) + by
        else:
            behind = [n for n, finding in enumerate(self.findings) if finding.worst_frame <= self.frame]
            place = (behind[-1] + 1 if behind else 0) if by > 0 else (behind[-1] if behind else -1)
        if 0 <= place < len(self.findings):
            self.select(self.findings[place])

    def step_shot(self, by: int) -> None:
        """Go to the first frame of the next or this shot; from there to that of the one before."""
        if not self.shots:
            return
        here = self.shots[self.shot]
        if by < 0 and self.frame > here.first:
            self.go_to(here.first)
        else:
            self.go_to(self.shots[min(max(self.shot + by, 0), len(self.shots) - 1)].first)

    # Treating ------------------------------------------------------------------------------------------------------

    @property
    def treatments(self) -> Treatments:
        """The treatment of every treated shot, by its number."""
        return self._history.state.treatments

    @property
    def treatment(self) -> Treatment:
        """The treatment of the shot in view."""
        return self.treatments.get(self.shot, ())

    @property
    def undoes(self) -> str | None:
        """What undo would take back."""
        return self._history.undoes

    @property
    def redoes(self) -> str | None:
        """What redo would bring back."""
        return self._history.redoes

    def set_treatment(self, shot: int, treatment: Treatment, act: str, gesture: str | None = None) -> None:
        """Give a shot another treatment; an empty one leaves it untouched."""
        self._push(self._history.state.treated(shot, treatment), act, gesture)

    def calibrate(self, shots: Sequence[int], steps: Treatment, act: str) -> None:
        """Give shots these steps on colours in place of those they have, as one act; their own other steps follow after."""
        treatments = dict(self.treatments)
        for shot in shots:
            rest = tuple(step for step in treatments.get(shot, ()) if not isinstance(step, COLOUR_STEPS))
            treatments[shot] = (*steps, *rest)
        self._push(replace(self._history.state, treatments=MappingProxyType(treatments)), act)

    def paste(self, shots: Sequence[int], steps: Treatment, act: str, gesture: str | None = None) -> None:
        """Give shots copies of steps as one act: each in place of one of its kind, or else where its kind belongs."""
        treatments = dict(self.treatments)
        for shot in shots:
            treatment = treatments.get(shot, ())
            for step in steps:
                kinds = [type(other) for other in treatment]
                if type(step) in kinds:
                    place = kinds.index(type(step))
                    treatment = (*treatment[:place], step, *treatment[place + 1 :])
                else:
                    treatment = with_step(treatment, step)
            treatments[shot] = treatment
        self._push(replace(self._history.state, treatments=MappingProxyType(treatments)), act, gesture)

    def move_step(self, place: int, by: int) -> None:
        """Move a step of the treatment in view earlier (−1) or later (+1)."""
        steps = list(self.treatment)
        step = steps.pop(place)
        steps.insert(place + by, step)
        self.set_treatment(self.shot, tuple(steps), f"Move {called(step)}")

    def _push(self, work: Work, act: str, gesture: str | None = None) -> None:
        self._history.push(work, act, gesture)
        self._work_changed()

    def _work_changed(self) -> None:
        """Draw the state in force, which may divide the shots otherwise."""
        if self._judged is not None and self._judged.complete and self.work.cuts.of(self.found) != self.shots:
            self.refresh()
        self.treatment_changed.tell()

    # Dividing ------------------------------------------------------------------------------------------------------

    def split_shot(self) -> None:
        """Let a shot begin at the frame in view; both parts keep the treatment.

        Raises
        ------
        SettingsError : one begins there already
        """
        if self.frame == self.shots[self.shot].first:
            raise SettingsError("A shot begins at this frame already; go to where it is to be split.")
        self._divide(self.work.cuts.part(self.frame), f"Split shot {self.shot + 1}")

    def join_shot(self) -> None:
        """Make the shot in view one with the shot before it; it keeps the treatment of the longer, the other is kept aside.

        Raises
        ------
        SettingsError : there is none before it
        """
        if self.shot == 0:
            raise SettingsError("There is no shot before the first to join it to.")
        self._divide(self.work.cuts.join(self.shots[self.shot].first), f"Join shots {self.shot} and {self.shot + 1}")

    def _divide(self, cuts: Cuts, act: str) -> None:
        self._push(replace(carried(self.work, self.shots, cuts.of(self.found)), cuts=cuts), act)

    def add_step(self, kind: type[Step]) -> None:
        """Add a step to the shot in view, its figures from what the shot measures and the rules allow."""
        self.set_treatment(self.shot, with_step(self.treatment, self._new_step(kind)), f"Add {called(kind)}")

    def _new_step(self, kind: type[Step]) -> Step:
        assert self.survey is not None, "steps are added to a surveyed programme"
        limits = self.rules.limits
        low, high = luma_extremes(self.survey, self.shots[self.shot])
        if kind is LevelRemap:
            mode = RemapMode.FULL_TO_NARROW if self.source.range is Range.NARROW else RemapMode.NARROW_TO_FULL
            return LevelRemap.mistagged(mode, self.source.bit_depth, self.source.levels)
        if kind is Balance:
            return Balance((1.0, 1.0, 1.0), self.source.transfer)
        if kind is HueNudge:
            return HueNudge(_SKIN_HUE, 40.0, 0.0, 5.0, 80.0, self.source.matrix)
        if kind is Cdl:
            return Cdl()
        if kind is SoftCeiling:
            return ceiling_for(high, limits.luma[1])
        if kind is SoftFloor:
            return floor_for(low, limits.luma[0])
        return ChromaRein(*limits.rgb)

    def remap_step(self, mode: RemapMode) -> LevelRemap:
        """The level remap of a mode, with the figures of the shot in view."""
        assert self.survey is not None, "steps are made for a surveyed programme"
        if mode is RemapMode.EXTREMES_TO_LIMITS:
            return LevelRemap.extremes_to_limits(luma_extremes(self.survey, self.shots[self.shot]), self.rules.limits.luma)
        return LevelRemap.mistagged(mode, self.source.bit_depth, self.source.levels)

    def replace_step(self, place: int, step: Step, gesture: str | None = None) -> None:
        """Put another step in a place of the treatment in view; acts of one gesture are undone together."""
        steps = list(self.treatment)
        steps[place] = step
        self.set_treatment(self.shot, tuple(steps), f"Change {called(step)}", gesture)

    def bypass_step(self, place: int, *, bypassed: bool) -> None:
        """Take a step of the treatment in view out of force, or bring it back."""
        self.replace_step(place, replace(self.treatment[place], bypassed=bypassed))

    def bypass_shot(self) -> None:
        """Take all steps of the shot in view out of force, or bring them back."""
        steps = self.treatment
        bypass = any(not step.bypassed for step in steps)
        act = "Bypass the shot's steps" if bypass else "Restore the shot's steps"
        self.set_treatment(self.shot, tuple(replace(step, bypassed=bypass) for step in steps), act)

    def remove_step(self, place: int) -> None:
        """Remove a step from the treatment in view."""
        steps = list(self.treatment)
        removed = steps.pop(place)
        self.set_treatment(self.shot, tuple(steps), f"Remove {called(removed)}")

    def reset_shot(self) -> None:
        """Leave the shot in view untreated."""
        if self.treatment:
            self.set_treatment(self.shot, (), f"Reset shot {self.shot + 1}")

    def accept(self, proposals: list[Proposal]) -> None:
        """Take over proposed treatments, shot by shot, so that each can be undone by itself."""
        for proposal in proposals:
            work = self._history.state.treated(proposal.shot, proposal.treatment, proposal.reasons)
            self._history.push(work, f"Legalise shot {proposal.shot + 1}")
        self.treatment_changed.tell()

    def still(self, numbers: Sequence[int], shots: Sequence[Shot]) -> dict[int, int]:
        """What those of some shots that still are have as their numbers now, by the numbers that they had."""
        now = {shot: number for number, shot in enumerate(self.shots)}
        return {number: now[shots[number]] for number in numbers if shots[number] in now}

    @property
    def work(self) -> Work:
        """Everything done to the programme."""
        return self._history.state

    def _take_up(self, work: Work, made_for: Sequence[Shot]) -> None:
        """Go on with work from an earlier sitting; it was done on some shots."""
        if work != Work():
            self.found = list(made_for)
            self._history.push(work, "Take up earlier work")

    def _bring(self, file: WorkFile) -> None:
        """Take up work from a file of its own; what was done here and is not in it is kept aside."""
        here, work = self.work, file.work
        if here == Work():
            self.found = list(file.shots)
        else:
            shots = here.cuts.of(self.found)
            gone = [Aside(shots[n], steps) for n, steps in here.treatments.items() if steps not in work.treatments.values()]
            work = carried(work, work.cuts.of(file.shots), work.cuts.of(self.found))
            work = replace(work, aside=(*work.aside, *(kept for kept in (*here.aside, *gone) if kept not in work.aside)))
        if work != here:
            self._history.push(work, "Take up the work that was brought")

    def give_aside(self) -> None:
        """Give the shot in view the treatment kept aside that was made for frames nearest to it."""
        work = self._history.state
        if work.aside:
            nearest = min(work.aside, key=lambda kept: abs(kept.made_for.first - self.shots[self.shot].first))
            rest = tuple(kept for kept in work.aside if kept is not nearest)
            self._push(replace(work.treated(self.shot, nearest.treatment), aside=rest), "Give what was kept aside")

    def undo(self) -> None:
        """Take back the last act."""
        self._history.undo()
        self._work_changed()

    def redo(self) -> None:
        """Bring back the act last undone."""
        self._history.redo()
        self._work_changed()

    # Areas ---------------------------------------------------------------------------------------------------------

    @property
    def areas(self) -> tuple[Area, ...]:
        """The areas, where they stand in the shot in view."""
        return tuple(followed.in_shot(self.shot) for followed in self._history.state.areas)

    def add_area(self, shape: Shape, points: Sequence[tuple[float, float]]) -> None:
        """Draw another area, named by the next free number.

        Raises
        ------
        SettingsError : too few points for the shape.
        """
        names = {area.name for area in self.areas}
        name = next(f"area {n}" for n in range(1, len(names) + 2) if f"area {n}" not in names)
        added = FollowedArea(Area(name, shape, tuple((float(x), float(y)) for x, y in points)))
        self._push_areas((*self._history.state.areas, added), f"Draw {name}")

    def move_area(
        self, number: int, across: float, down: float, *, only_here: bool = False, gesture: str | None = None
    ) -> None:
        """Move an area, in the shot in view alone or wherever it has no place of its own."""
        followed = self._history.state.areas[number]
        alone = only_here or self.shot in followed.shots
        moved = followed.moved(across, down, self.shot if alone else None)
        self._set_area(number, moved, f"Move {followed.area.name}", gesture)

    def rename_area(self, number: int, name: str) -> None:
        """Give an area another name."""
        followed = self._history.state.areas[number]
        self._set_area(number, followed.renamed(name), f"Rename {followed.area.name}")

    def remove_area(self, number: int) -> None:
        """Remove an area."""
        areas = list(self._history.state.areas)
        removed = areas.pop(number)
        self._push_areas(tuple(areas), f"Remove {removed.area.name}")

    def _set_area(self, number: int, area: FollowedArea, act: str, gesture: str | None = None) -> None:
        areas = list(self._history.state.areas)
        areas[number] = area
        self._push_areas(tuple(areas), act, gesture)

    def _push_areas(self, areas: tuple[FollowedArea, ...], act: str, gesture: str | None = None) -> None:
        self._push(replace(self._history.state, areas=areas), act, gesture)

    # Drawing -------------------------------------------------------------------------------------------------------

    def source_columns(self) -> Mapping[str, NDArray[np.float64]]:
        """Extremes of every frame judged so far, in percent."""
        return self._judged.columns if self._judged is not None else {}

    def treated_columns(self) -> Mapping[str, NDArray[np.float64]]:
        """The same extremes as the treatments will leave them: luma exactly, R′G′B′ as a bound."""
        return self._treated.of(self._judged, self.treatments) if self._judged is not None else {}

    @property
    def must_fix_count(self) -> int:
        """Number of findings that must be fixed."""
        return len(must_fix(self.findings))
