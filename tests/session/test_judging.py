"""A survey judged as it grows is judged as it is when it is done; shots are divided by hand; predictions hold."""


import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.demo import demo_clip
from bluffline.errors import CancelledError, SettingsError
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove.prove import propose_all
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.session.judging import Judge, survey_and_judge
from bluffline.session.session import Session
from bluffline.session.treated_columns import TreatedColumns
from bluffline.session.trials import Trials
from bluffline.session.work import NO_CUTS, Aside, Cuts
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling

RULES = load_rules("r103")
CEILING, REIN = (SoftCeiling(100, 109, 90),), (ChromaRein(-5, 105),)


def test_judging_as_it_grows_ends_in_what_is_judged_at_once(demo_survey):
    growing = start_survey(demo_survey.programme, RULES, region=demo_survey.region)
    judge, told, counts = Judge(growing), [], (1, 40, 101, 333, 500)
    # Shots end, and go on, anywhere.
    run_survey(growing, Monitor(lambda progress: told.append(judge.judge()) if progress.done in counts else None))
    told.append(judge.judge())
    assert [judged.complete for judged in told] == [False] * 5 + [True]
    assert told[-1].findings == demo_survey.findings() and told[-1].shots == demo_survey.shots()
    cut = told[2]
    seen = len(cut.columns["y_max"])
    assert 101 <= seen < 333 and cut.shots[-1].last < 333
    for name, column in Judge(demo_survey).judge().columns.items():
        assert np.array_equal(told[-1].columns[name], column)
        assert np.array_equal(cut.columns[name], column[:seen]), "what was handed out before stays as it was"


def test_what_a_stopped_survey_had_measured_is_told(over_clip):
    survey = start_survey(probe(over_clip), RULES)
    monitor = Monitor(lambda progress: monitor.cancel() if progress.done == 14 else None)
    told = []
    with pytest.raises(CancelledError):
        survey_and_judge(Judge(survey), lambda: NO_CUTS, monitor, told.append)
    assert told[-1].shots == [Shot(0, 11), Shot(12, len(survey.table) - 1)] and not told[-1].complete


def test_a_shot_can_be_treated_as_soon_as_the_survey_has_ended_it():
    session, seen = Session(RULES), []
    session.open(demo_clip())

    def grown(progress):
        if progress.done in {40, 400}:
            session.take_judged(session.judge.judge())
            seen.append((session.treatable, len(session.shots)))

    run_survey(session.survey, Monitor(grown))
    session.refresh()
    assert seen[0] == (0, 1) and seen[1][0] == seen[1][1] - 1 > 2, "the last one may go on"
    assert session.treatable == len(session.shots) > seen[1][1]


@given(st.sets(st.integers(1, 99)), st.sets(st.integers(0, 120)), st.sets(st.integers(0, 120)))
def test_shots_divided_by_hand_are_all_the_frames_once(found, parted, joined):
    starts = [0, *sorted(found)]
    shots = [Shot(first, after - 1) for first, after in zip(starts, [*starts[1:], 100], strict=True)]
    now = Cuts(frozenset(parted), frozenset(joined)).of(shots)
    assert [frame for shot in now for frame in range(shot.first, shot.last + 1)] == list(range(100))
    begins = {shot.first for shot in now}
    assert {frame for frame in parted if 0 < frame < 100} <= begins
    assert begins - {0} <= parted | (found - joined)


def test_shots_are_split_and_joined_at_the_frame_in_view_and_it_is_undone(session):
    session.document.set_treatment(1, CEILING, "by hand")
    session.place.go_to(18)
    findings = session.findings
    session.document.split_shot()
    assert session.shots == [Shot(0, 11), Shot(12, 17), Shot(18, 23)] and session.place.shot == 2
    assert session.document.treatments == {1: CEILING, 2: CEILING}
    assert {finding.shot for finding in session.findings} == {1, 2}
    assert all(finding.first_frame in session.shots[finding.shot] for finding in session.findings)
    with pytest.raises(SettingsError, match="begins at this frame"):
        session.document.split_shot()
    session.document.set_treatment(2, REIN, "by hand")
    session.document.undo()
    session.document.undo()
    assert (
        session.shots == [Shot(0, 11), Shot(12, 23)]
        and session.document.treatments == {1: CEILING}
        and session.findings == findings
    )
    session.document.redo()
    session.document.redo()
    assert session.shots[2] == Shot(18, 23) and session.document.treatments == {1: CEILING, 2: REIN}
    session.place.go_to(14)
    session.document.join_shot()
    assert session.document.undoes == "Join shots 1 and 2"
    assert session.shots == [Shot(0, 17), Shot(18, 23)] and session.document.treatments == {1: REIN}
    assert session.document.work.aside == (Aside(Shot(12, 17), CEILING),), "what fits no shot is kept aside"
    session.place.go_to(3)
    with pytest.raises(SettingsError, match="no shot before the first"):
        session.document.join_shot()


def test_findings_stand_in_the_shots_of_their_frames_until_those_are_judged(session):
    session.judge_again = lambda: None
    session.place.go_to(6)
    session.document.split_shot()
    assert session.shots == [Shot(0, 5), Shot(6, 11), Shot(12, 23)] and session.findings
    assert all(found.worst_frame in session.shots[found.shot] for found in session.findings)


def test_shots_divided_by_hand_outlast_another_survey(session):
    session.place.go_to(6)
    session.document.split_shot()
    session.document.set_treatment(0, REIN, "by hand")
    session.survey_again(rules=load_rules("strict"))
    assert session.shots == [] and session.document.work.treatments == {0: REIN}
    run_survey(session.survey, Monitor())
    session.refresh()
    assert session.shots == [Shot(0, 5), Shot(6, 11), Shot(12, 23)] and session.document.treatments == {0: REIN}


def test_proposals_for_shots_that_are_divided_otherwise_by_now_are_not_given_to_others(session):
    asked = session.document.ask([0, 1])
    session.place.go_to(6)
    session.document.split_shot()
    settled = session.document.settle(asked)
    assert (settled.same, settled.changed, settled.gone) == ({1: 2}, {}, (0,))


def test_prediction_is_what_treatment_then_measures(session):
    treatment = propose_all(session.survey, session.shots, session.findings)[0].treatment
    session.document.set_treatment(1, treatment, "Legalise")
    predicted = session.treated_columns()["y_max"]
    with Reader(session.programme) as reader:
        for frame in (0, 13, 20):
            planes = reader.frame(frame).planes
            treated = FrameTreatment(treatment, session.source).apply(planes) if frame >= 12 else planes
            measured = session.source.levels.percent(int(treated[0][:128, :256].max()))
            assert predicted[frame] == pytest.approx(measured, abs=0.06)  # half a code of rounding


def test_predictions_follow_every_change(session):
    judged, kept, trials = Judge(session.survey).judge(), TreatedColumns(), Trials()
    both = {0: REIN, 1: CEILING}
    for treatments in ({1: CEILING}, both, {0: CEILING}, {}, both, {1: REIN}):
        known = kept.of(judged, trials.standing(session.survey, judged.shots, treatments, ""))
        fresh = TreatedColumns().of(judged, Trials().standing(session.survey, judged.shots, treatments, ""))
        assert all(np.array_equal(known[name], fresh[name]) for name in fresh)
    assert np.array_equal(kept.of(judged, {})["y_max"], judged.columns["y_max"])
    last = kept.of(judged, trials.standing(session.survey, judged.shots, {1: CEILING}, ""))
    assert last["y_max"][12:].max() <= 100.0001


def test_what_was_judged_before_stands_in_the_shots_of_now(demo_survey):
    judge = Judge(demo_survey)
    before = judge.judge()
    again = judge.judge(NO_CUTS.part(5))
    assert [each.in_shot(0) for each in again.findings if each.first_frame > before.shots[0].last] == [
        each.in_shot(0) for each in before.findings if each.first_frame > before.shots[0].last
    ]
    assert all(again.shots[each.shot].first <= each.first_frame <= again.shots[each.shot].last for each in again.findings)
