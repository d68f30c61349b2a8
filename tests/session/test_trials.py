"""What treatments are known to make of their shots follows every change; shots are treated while others are measured."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.errors import CancelledError
from bluffline.media.codecs import CODECS
from bluffline.media.reader import Reader
from bluffline.prove.render import render
from bluffline.prove.trial import try_treatment
from bluffline.rules.finding import Waiver
from bluffline.rules.rulefile import load_rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.session.session import Session
from bluffline.session.trials import try_all
from bluffline.session.work import Work
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import must_fix, run_survey, start_survey
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling

MEND, LEAVE = (SoftCeiling(103, 109.5, 90), ChromaRein(-5, 105)), (SoftCeiling(106, 109.5, 90),)


def tried(session, frames=None):
    with Reader(session.programme) as reader:
        return try_treatment(session.survey, session.shots[1], session.document.treatments[1], reader, Monitor(), frames)


def test_the_skyline_shows_a_bound_until_every_frame_was_measured(session):
    treatment = (Balance((1.3, 1.0, 1.2)), *MEND)
    session.document.set_treatment(1, treatment, "by hand")
    bound = session.treated_columns()["rgb_max"].copy()
    session.take_trial(tried(session, [13]))
    assert np.array_equal(session.treated_columns()["rgb_max"], bound), "some frames are not all"
    trial = tried(session)
    session.take_trial(trial)
    known = session.treated_columns()
    assert np.array_equal(known["rgb_max"][12:], trial.columns["rgb_max"]) and (known["rgb_max"][12:] < bound[12:]).all()
    assert np.array_equal(known["y_max"][:12], session.source_columns()["y_max"][:12])
    session.document.set_treatment(1, (*treatment, SoftCeiling(95, 109, 80)), "another")
    assert session.trial_of(1) is None and not np.array_equal(session.treated_columns()["y_max"][12:], trial.columns["y_max"])
    session.document.undo()
    assert session.trial_of(1) is trial


def test_what_is_left_counts_what_was_tried_and_else_what_was_found(session):
    found = session.must_fix_count
    assert session.left_count == found == 3
    session.document.set_treatment(1, LEAVE, "by hand")
    assert session.left_count == found, "nothing is known of it yet"
    session.take_trial(tried(session))
    assert 0 < session.left_count <= found
    session.document.set_treatment(1, MEND, "by hand")
    session.take_trial(tried(session))
    assert session.left_count == 0 and all(session.outcome(each).answered for each in session.findings)
    assert session.all_tried


def test_a_shot_that_only_its_coding_makes_illegal_is_counted_and_named(tmp_path, clip):
    """Fine dots just under the limit: sound as they are stored, and above it once they are coded."""
    dots = np.repeat(np.random.default_rng(0).choice([0.2, 1.015], (270, 480, 1)), 3, axis=2)
    over = np.full((270, 480, 3), 1.07)
    path = clip("dots.mkv", lambda number: dots if number < 12 else over, 24)
    session = Session()
    session.open(path)
    run_survey(session.survey, Monitor())
    session.refresh()
    session.codec = CODECS["mpeg2"]
    assert len(session.shots) == 2 and {each.shot for each in session.findings if each.severity is Severity.MUST_FIX} == {1}
    assert session.all_tried, "nothing is written where nothing is done"
    session.document.set_treatment(1, MEND, "by hand")
    assert [(each.shot, each.treatment) for each in session.untried()] == [(session.shots[1], MEND), (session.shots[0], ())]
    try_all(session.survey, session.untried(), Monitor(), session.take_trial, session.coding)
    assert session.all_tried
    added = session.added_by_coding()
    assert set(added) == {0} and session.left_count == session.left_in(1) + added[0]
    codec = session.codec
    written, _ = render(session.programme, session.source, session.shots, {1: MEND}, tmp_path / "out.mov", codec, Monitor())
    after = run_survey(replace(start_survey(written, session.rules), exact=tuple(session.shots)), Monitor())
    assert len([each for each in must_fix(after.findings(session.shots)) if each.shot == 0]) == added[0]
    session.codec = CODECS["ffv1"]
    assert session.added_by_coding() == {}, "what is lossless adds nothing"


def test_a_trial_of_another_survey_or_treatment_is_never_looked_at(session):
    session.document.set_treatment(1, MEND, "by hand")
    late = tried(session)
    session.document.set_treatment(1, LEAVE, "by hand")
    session.take_trial(late)
    assert session.trial_of(1) is None and session.outcome(session.findings[0]) is None
    session.document.set_treatment(1, MEND, "by hand")
    session.survey_again(rules=load_rules("strict"))
    run_survey(session.survey, Monitor())
    session.refresh()
    assert session.trial_of(1) is None


def test_some_frames_of_every_shot_come_before_every_frame_of_any(session):
    for shot in (0, 1):
        session.document.set_treatment(shot, MEND, "by hand")
    session.place.go_to(14)
    told = []
    wanted = session.untried()
    assert [each.shot for each in wanted] == [session.shots[1], session.shots[0]], "the shot in view comes first"
    try_all(session.survey, wanted, Monitor(), told.append)
    assert [(trial.shot.first, trial.whole) for trial in told] == [(12, False), (0, False), (12, True), (0, True)]
    session.take_trial(told[0])
    assert [each.seen for each in session.untried()] == [True, False]


def test_the_worst_is_what_is_gravest_widest_and_not_answered(session):
    session.go_to_worst()
    worst = session.place.selected
    must = [each for each in session.findings if each.severity is Severity.MUST_FIX]
    assert worst.worst_area == max(each.worst_area for each in must)
    seen = {worst}
    for _ in range(len(session.findings) - 1):
        session.go_to_worst()
        seen.add(session.place.selected)
    assert seen == set(session.findings)
    session.go_to_worst()
    assert session.place.selected == worst, "and round again"
    session.place.severities = frozenset({Severity.NOTE})
    session.place.go_to(0)
    session.go_to_worst()
    session.place.next_finding(1)
    assert session.place.selected is None, "there are no notes"


def grown(session, frames):
    """The session's survey, stopped after so many frames."""
    monitor = Monitor(lambda progress: monitor.cancel() if progress.done == frames else None)
    with pytest.raises(CancelledError):
        run_survey(session.survey, monitor)
    session.refresh()


def test_shots_are_treated_while_others_are_measured_and_keep_what_they_have(over_clip):
    session = Session()
    session.open(over_clip)
    assert session.treatable == 0
    grown(session, 6)
    assert session.shots == [Shot(0, 6)] and session.treatable == 0, "it may go on"
    grown(session, 14)
    assert session.treatable == 1
    session.document.set_treatment(0, MEND, "by hand")
    assert [each.shot for each in session.untried()] == [Shot(0, 11)]
    run_survey(session.survey, Monitor())
    session.refresh()
    assert session.treatable == 2 and session.document.treatments == {0: MEND}
    assert session.document.found == session.shots


def test_earlier_work_waits_where_the_shots_are_others_now(over_clip):
    session = Session()
    session.open(over_clip)
    session.document.take_up(Work().treated(1, MEND), [Shot(0, 8), Shot(9, 23)])
    grown(session, 14)
    assert session.shots[0] == Shot(0, 11) and session.treatable == 0, "its first shot is another than the work's"
    run_survey(session.survey, Monitor())
    session.refresh()
    assert session.document.treatments == {1: MEND} and session.treatable == 2


def test_no_shot_is_tried_that_is_not_known(session):
    assert set(session.trials.standing(session.survey, session.shots, {0: MEND, 2: MEND}, "")) == {0}
    session.document.set_treatment(1, MEND, "by hand")
    session.treatable = 1
    assert session.all_tried, "it may not be known to its end"


def test_looks_and_steps_to_findings(session, over_clip):
    assert len(session.looks()()) == len(session.shots) == 2
    fresh = Session()
    fresh.open(over_clip)
    assert fresh.looks()() is None, "its shots are not known yet"
    place = session.place
    session.findings = [replace(session.findings[0], worst_frame=frame, first_frame=frame) for frame in (14, 16, 19)]
    for frame, by, expected in ((13, 1, 14), (16, 1, 16), (17, 1, 19), (16, -1, 16), (15, -1, 14)):
        place.go_to(frame)
        place.selected = None
        place.next_finding(by)
        assert place.selected.worst_frame == expected


def test_what_is_waived_stays_in_hand(session):
    found = session.findings[1]
    session.place.select(found)
    session.document.waive(Waiver(found.rule, "a lamp", "Duty editor", "2026-11-29T16:00:00+00:00"))
    assert session.place.selected.place == found.place and session.place.selected.waiver is not None
    session.place.selected = None
    session.document.undo()
    assert session.place.selected is None and session.findings[1].waiver is None
