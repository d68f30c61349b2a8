"""What one comes to next, what is known of a shot and what is still to be tried: each where it turns."""

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from bluffline.gauges.instrument import Heard
from bluffline.prove.across import Beside
from bluffline.prove.trial import Trial
from bluffline.rules.finding import Finding, Waiver
from bluffline.rules.rulefile import parse_rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition, TransitionKind
from bluffline.session.around import Around, heard_by_frame
from bluffline.session.found import Found
from bluffline.session.place import Place
from bluffline.session.treated_columns import TreatedColumns
from bluffline.session.trials import Standing, Trials
from bluffline.treat.kinds.tone import Tone
from surveys import SOURCE, table_of

TENS = [Shot(10 * n, 10 * n + 9) for n in range(4)]
DARKER, BRIGHTER = (Tone(exposure=-1.0),), (Tone(exposure=1.0),)
FOUND = Finding("luma-high", Severity.MUST_FIX, 0, 10, 19, 12, 108.0, "%", 5.0, "too bright", frames=10)


# Places --------------------------------------------------------------------------------------------------------------


def looking(*worst, frame=0, severities=None):
    findings = [replace(FOUND, rule=f"r{n}", first_frame=at, last_frame=at + 5, worst_frame=at) for n, at in enumerate(worst)]
    place = Place(SimpleNamespace(programme=SimpleNamespace(frame_count=40), shots=TENS, findings=findings))
    place.go_to(frame)
    return place, findings


def test_the_next_finding_is_worst_here_or_after_and_the_one_before_here_or_before():
    for frame, by, wanted in (
        (0, 1, 0),
        (5, 1, 0),
        (6, 1, 1),
        (20, 1, 1),
        (21, 1, None),
        (20, -1, 1),
        (19, -1, 0),
        (4, -1, None),
    ):
        place, findings = looking(5, 20, frame=frame)
        place.next_finding(by)
        assert place.selected == (None if wanted is None else findings[wanted]), (frame, by)
    place, findings = looking(5, 20, frame=5)
    for by, wanted in ((1, 0), (1, 1), (1, 1), (-1, 0), (-1, 0)):
        place.next_finding(by)
        assert place.selected is findings[wanted] and place.frame == findings[wanted].worst_frame


def test_a_finding_is_let_go_beside_its_frames_and_when_it_is_no_more():
    place, (one,) = looking(5)
    place.select(one)
    for frame, kept in ((5, True), (10, True), (11, False)):
        place.select(one)
        place.go_to(frame)
        assert (place.selected is one) is kept
    place.select(one)
    place.go_to(4)
    assert place.selected is None
    place.select(one)
    place.let_go()
    assert place.selected is one
    place._known.findings = []
    place.let_go()
    assert place.selected is None


def test_frames_and_shots_end_where_the_programme_does():
    place, _ = looking()
    for wanted, there in ((-3, 0), (39, 39), (40, 39)):
        place.go_to(wanted)
        assert place.frame == there
    for frame, by, there in ((0, 1, 10), (15, -1, 10), (10, -1, 0), (0, -1, 0), (35, 1, 30), (5, -1, 0)):
        place.go_to(frame)
        place.next_shot(by)
        assert place.frame == there, (frame, by)


def test_findings_are_counted_by_shots_and_left_once():
    look = replace(FOUND, severity=Severity.LOOK, shot=1)
    found = Found(None, [FOUND, look, replace(FOUND, shot=2)])
    assert set(found.in_shot) == {0, 1, 2} and set(found.to_fix) == {0, 2} and found.must_fix_count == 2

    class Counting:
        times = 0

        def left(self, given, _):
            Counting.times += 1
            return len(given) + 1

    trial = Counting()
    assert (found.left_by(trial, 0), found.left_by(trial, 0), Counting.times) == (2, 2, 1)
    assert found.left_by(trial, 9) == 1 and found.added_by(trial, 1) == 2 and found.added_by(trial, 0) == 1
    waived = Found(None, found.findings, (Waiver("x", "", "", ""),), found.counted)
    before = Counting.times
    assert waived.left_by(trial, 9) == 1 and Counting.times == before + 1, "under other waivers it is counted anew"


def test_frames_around_one_are_read_as_far_as_there_are_some():
    table = table_of(40, y_mean=np.arange(40) + 64)
    around = Around(25.0, SOURCE, table)
    assert around.at(20, 0.8).first == 10 and len(around.at(20, 0.8).levels["y_min"]) == 21
    assert around.at(3, 0.8).first == 0 and len(around.at(3, 0.8).levels["y_min"]) == 14
    treated = Around(25.0, SOURCE, table, {name: np.full(15, 7.0) for name in ("y_min", "y_max", "rgb_min", "rgb_max")})
    levels = treated.at(10, 0.8).levels
    assert set(levels) == {"y_min", "y_max", "rgb_min", "rgb_max"} and all(
        (each == 7.0).all() and len(each) == 15 for each in levels.values()
    )
    unread = Around(25.0, SOURCE, table_of(40, readable=np.arange(40) != 5), treated.treated).at(5, 0.4).levels["y_max"]
    assert np.isnan(unread).tolist() == [n == 5 for n in range(len(unread))]
    heard = Around(25.0, SOURCE, table, heard=Heard({"peak": np.arange(40.0)}, {})).at(20, 0.8).heard
    assert heard.columns["peak"].tolist() == list(range(10, 31))


def test_what_is_asked_of_sound_stands_beside_what_is_heard():
    sound = SimpleNamespace(by_frame=lambda rate, count: {"peak": np.full(count, rate)})
    programme, levels = SimpleNamespace(frame_rate=25, frame_count=3), "[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n"
    asked = parse_rules(levels + "[sound]\nloudness = -24.0\ntrue_peak = -2.0", "own")
    heard = heard_by_frame(sound, programme, asked)
    assert heard.asked == {"loudness": -24.0, "true peak": -2.0} and heard.columns["peak"].tolist() == [25.0] * 3
    assert heard_by_frame(sound, programme, parse_rules(levels, "own")).asked == {}


# Trials --------------------------------------------------------------------------------------------------------------


def trial_of(survey, shot, steps, *, whole=True, codec="", others=()):
    frames = np.arange(shot.first, shot.last + (1 if whole else 0))
    columns = {name: np.full(len(frames), 9.0) for name in ("y_min", "y_max", "rgb_min", "rgb_max")}
    return Trial(survey, shot, steps, frames, np.ones(len(frames), bool), columns, [], codec, others)


def test_a_trial_stands_for_its_survey_treatment_codec_and_neighbours():
    survey, trials = SimpleNamespace(), Trials()
    made = trial_of(survey, TENS[1], DARKER, codec="prores")
    trials.take(made)
    assert trials.of(survey, TENS[1], DARKER, "prores") is made
    mixed = (Beside(Transition(TransitionKind.DISSOLVE, 8, 11), DARKER, comes=True),)
    for other in (
        (SimpleNamespace(), TENS[1], DARKER, "prores"),
        (survey, TENS[0], DARKER, "prores"),
        (survey, TENS[1], BRIGHTER, "prores"),
        (survey, TENS[1], DARKER, ""),
        (survey, TENS[1], DARKER, "prores", mixed),
    ):
        assert trials.of(*other) is None


def test_what_is_to_be_tried_comes_with_the_shot_in_view_first():
    survey, trials = SimpleNamespace(), Trials()
    treatments = {0: DARKER, 1: BRIGHTER, 2: DARKER, 3: (replace(DARKER[0], on=False),), 9: DARKER}
    trials.take(trial_of(survey, TENS[0], DARKER))
    trials.take(trial_of(survey, TENS[2], DARKER, whole=False))
    standing = trials.standing(survey, TENS, treatments, "")
    assert set(standing) == {0, 1, 2, 3} and standing[0].trial.whole and standing[3].trial is None
    told = list(trials.untried(survey, TENS, standing, {2: [FOUND]}, 2, "", [3]))
    assert [(each.shot, each.seen, each.findings) for each in told] == [
        (TENS[2], True, (FOUND,)), (TENS[1], False, ()), (TENS[3], False, ()),
    ]  # fmt: skip
    assert told[2].treatment == () and trials.standing(survey, TENS, treatments, "") is standing
    trials.take(trial_of(survey, TENS[1], BRIGHTER))
    after = trials.standing(survey, TENS, treatments, "")
    assert after is not standing and after[0] is standing[0] and after[1].trial.whole and after[1] is not standing[1]
    trials.take(trial_of(survey, TENS[3], ()))
    assert [each.shot for each in trials.untried(survey, TENS, after, {}, 0, "", [3])] == [TENS[2]]


def test_extremes_are_as_measured_where_all_was_tried_and_the_sources_where_nothing_is():
    survey = SimpleNamespace(source=SOURCE)
    columns = {name: np.arange(40.0) for name in ("y_min", "y_max", "y_p01", "y_p999", "rgb_min", "rgb_max")}
    judged, made = SimpleNamespace(survey=survey, columns=columns), TreatedColumns()
    whole = Standing(TENS[1], DARKER, (), trial_of(survey, TENS[1], DARKER))
    some = Standing(TENS[2], DARKER, (), trial_of(survey, TENS[2], DARKER, whole=False))
    treated = made.of(judged, {1: whole, 2: some})
    assert (treated["y_max"][10:20] == 9.0).all() and (treated["y_max"][:10] == columns["y_max"][:10]).all()
    assert (treated["y_max"][20:30] < columns["y_max"][20:30]).all() and not made.behind
    for last in (20, 21):  # one frame of a shot that another is mixed into, and two
        mixed = Beside(Transition(TransitionKind.DISSOLVE, 19 if last == 21 else 20, last), DARKER, comes=False)
        of_one = TreatedColumns().of(judged, {2: Standing(TENS[2], (), (mixed,), None)})["y_max"]
        dark = TreatedColumns().of(judged, {2: Standing(TENS[2], DARKER, (), None)})["y_max"]
        changed = np.flatnonzero(of_one != columns["y_max"]).tolist()
        assert changed == list(range(20, last + 1)), "the transition's frames in the shot, and no other"
        assert of_one[20] == pytest.approx(
            columns["y_max"][20] + (dark[20] - columns["y_max"][20]) * (1 - mixed.transition.share(20))
        )
    back = made.of(judged, {2: some})
    assert (back["y_max"][10:20] == columns["y_max"][10:20]).all()
    late = made.of(judged, {0: replace(whole, shot=TENS[0], trial=trial_of(survey, TENS[0], DARKER)), 2: some}, 0.0)
    assert made.behind and (late["y_max"][:10] == columns["y_max"][:10]).all(), "what was known before stands"
