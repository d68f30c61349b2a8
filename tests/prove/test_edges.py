"""Where a judgement of proving turns: what lies just on this side of it, and what just on the other."""

from dataclasses import replace
from datetime import UTC, datetime
from types import SimpleNamespace

import numpy as np
import pytest

from bluffline.errors import WriteError
from bluffline.measure.counted import Limits
from bluffline.media.codecs import CODECS
from bluffline.media.probe import probe
from bluffline.prove import pictures as pictures_module
from bluffline.prove import prove as prove_module
from bluffline.prove import render as render_module
from bluffline.prove import trial as trial_module
from bluffline.prove.across import AcrossTreatment, Beside, across, beside
from bluffline.prove.handing import HandedOn, treated_runs, why_all_encoded
from bluffline.prove.pictures import KeepUnreadable
from bluffline.prove.prove import Proof, ProveRequest, frame_list, prove
from bluffline.prove.render import render
from bluffline.prove.runs import PieceAsked, join_piece
from bluffline.prove.trial import Outcome, Trial, frames_to_code, near_a_limit, telling_frames
from bluffline.rules.finding import Finding
from bluffline.rules.rulefile import load_rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition, TransitionKind
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.kinds.tone import Tone
from clips import make_clip, numbered, signal

RULES = load_rules("r103")
FOUND = Finding("luma-high", Severity.MUST_FIX, 0, 10, 19, 12, 108.0, "%", 5.0, "too bright", frames=10)
DARKER = (Tone(gain=(0.8, 1, 1, 1)),)
OFF = (replace(DARKER[0], on=False),)
MIXED = Transition(TransitionKind.DISSOLVE, 8, 11)


# Trials --------------------------------------------------------------------------------------------------------------


def surveyed(monkeypatch, **columns):
    """A survey of frames that are black enough and not too bright, but for what is told of them."""
    count = len(next(iter(columns.values())))
    held = {"y_max": 50.0, "y_min": 50.0, "rgb_max": 50.0, "rgb_min": 50.0, "outside_area": 0.0, "blank_spread": 0.0}
    known = {name: np.array(columns.get(name, [each] * count)) for name, each in held.items()}
    known["readable"] = np.array(columns.get("readable", [True] * count))
    monkeypatch.setattr(trial_module, "percent_columns", lambda *_: known)
    return SimpleNamespace(table=SimpleNamespace(column=known.__getitem__), source=None, rules=RULES)


@pytest.mark.parametrize(
    ("name", "end", "inward"), [("y_max", 103, -1), ("y_min", -1, 1), ("rgb_max", 105, -1), ("rgb_min", -5, 1)]
)
def test_a_frame_is_near_a_limit_within_five_percent_of_it(monkeypatch, name, end, inward):
    off = np.array([5.0, 4.99, 5.01, 4.99])
    survey = surveyed(monkeypatch, **{name: end + inward * off, "readable": [True, True, True, False]})
    assert near_a_limit(survey, [Shot(n, n) for n in range(4)]) == [1], "just so far is far enough, and what is unread is none"
    assert near_a_limit(survey, [Shot(0, 1), Shot(2, 3)]) == [0] and near_a_limit(survey, [Shot(0, 0), Shot(1, 3)]) == [1]


def test_the_frames_that_tell_most_are_spread_evenly(monkeypatch):
    assert telling_frames(Shot(10, 109), []) == [35, 60, 84]
    assert telling_frames(Shot(10, 109), [replace(FOUND, worst_frame=each) for each in (9, 10, 109, 110)]) == [
        10,
        35,
        60,
        84,
        109,
    ]
    bright = np.full(20, 50.0)
    bright[13] = 60.0
    unread = np.arange(20) != 10
    survey = surveyed(monkeypatch, y_max=bright, readable=unread, rgb_min=-bright)
    assert frames_to_code(survey, Shot(6, 19)) == [6, 9, 13, 16, 19], "one of those between is the worst"
    assert frames_to_code(survey, Shot(10, 10)) == [], "none of it can be read"


def trial(findings=(), frames=range(20), tops=None, treatment=DARKER):
    at = np.array(list(frames))
    columns = {name: np.full(len(at), 50.0) for name in ("y_min", "y_max", "rgb_min", "rgb_max")}
    columns["y_max"] = np.full(len(at), 50.0) if tops is None else np.array(tops, float)
    survey = SimpleNamespace(rules=RULES)
    return Trial(survey, Shot(0, 19), treatment, at, np.ones(len(at), bool), columns, list(findings))


def test_an_outcome_is_of_the_frames_of_the_finding_alone():
    tops = np.full(20, 50.0)
    tops[[9, 20 - 1]] = 200.0, 60.0
    assert trial(tops=tops).outcome(FOUND).after == 60.0, "its last frame is one of it, the one before its first is not"
    assert trial(tops=np.roll(tops, 1)).outcome(FOUND).after == 200.0, "and its first is one"
    assert trial(frames=[9, 20], tops=[50, 50]).outcome(FOUND) is None
    assert trial(frames=[10], tops=[50]).outcome(FOUND) is not None is not trial(frames=[19], tops=[50]).outcome(FOUND)


@pytest.mark.parametrize(("first", "last", "left"), [(0, 9, False), (0, 10, True), (19, 25, True), (20, 25, False)])
def test_what_is_left_is_what_shares_a_frame_with_it_by_the_same_rule(first, last, left):
    rest = replace(FOUND, first_frame=first, last_frame=last, worst_value=104.5)
    outcome = trial([rest]).outcome(FOUND)
    assert outcome.answered is not left and (outcome.after == 104.5) is left
    assert trial([replace(rest, rule="rgb-high")]).outcome(FOUND).answered


def test_of_what_is_left_the_widest_is_told():
    both = [replace(FOUND, worst_area=area, worst_value=value) for area, value in ((2.0, 104.0), (3.0, 103.5), (1.0, 107.0))]
    assert trial(both).outcome(FOUND).after == 103.5


@pytest.mark.parametrize(("top", "tolerated"), [(102.99, False), (103.0, False), (103.01, True)])
def test_what_is_at_the_limit_is_not_beyond_it(top, tolerated):
    outcome = trial(tops=[top] * 20).outcome(FOUND)
    assert (outcome.answered, outcome.tolerated, outcome.after) == (True, tolerated, top)
    low = replace(FOUND, rule="luma-low")
    assert trial().outcome(low).after == 50.0, "of what is too low the least"


def test_an_outcome_is_told_as_far_as_it_is_known():
    told = Outcome(108.0, 102.5, "%", answered=True, tolerated=False, measured=True)
    assert str(told) == "108.0 % → 102.5 %, answered"
    assert str(replace(told, tolerated=True)) == "108.0 % → 102.5 %, tolerated"
    assert str(replace(told, after=None, answered=False)) == "left"
    assert str(replace(told, measured=False, coded=False)) == "108.0 % → 102.5 %, answered (foreseen, before coding)"


def test_what_is_left_of_an_untreated_shot_is_what_was_found_and_what_coding_adds():
    added = replace(FOUND, rule="rgb-high")
    look = replace(added, severity=Severity.LOOK)
    for treatment in ((), OFF):
        made = trial([FOUND, added], treatment=treatment)
        assert (made.left([FOUND]), made.left([]), made.left([FOUND, added])) == (2, 2, 2)
    assert trial([added, look]).left([replace(FOUND, rule="chart"), FOUND]) == 2, "what was tried answers one of both"


# Across shots --------------------------------------------------------------------------------------------------------


def test_shares_of_those_that_mix_make_a_whole():
    comes, goes = Beside(MIXED, DARKER, comes=True), Beside(MIXED, DARKER, comes=False)
    assert [comes.share(frame) for frame in (8, 11)] == pytest.approx([0.2, 0.8])
    assert [goes.share(frame) for frame in (8, 11)] == pytest.approx([0.8, 0.2])


def test_what_is_beside_a_shot_is_there_and_in_force_and_another_ladder():
    shots = [Shot(0, 9, closes=MIXED), Shot(10, 19, opens=MIXED)]
    assert beside(shots, 0, {0: DARKER}) == (Beside(MIXED, (), comes=True),)
    assert beside(shots, 0, {1: DARKER}) == (Beside(MIXED, DARKER, comes=True),)
    assert beside(shots, 0, {0: OFF}) == () == beside(shots, 0, {0: DARKER, 1: DARKER})
    assert beside([replace(shots[1], closes=MIXED)], 0, {0: DARKER}) == (), "there is none before the first, nor after the last"


@pytest.mark.parametrize(
    ("shot", "runs"),
    [(Shot(0, 9), [(8, 10)]), (Shot(0, 20), [(8, 12)]), (Shot(9, 20), [(9, 12)]), (Shot(12, 20), []), (Shot(0, 7), [])],
)
def test_of_a_shot_without_a_ladder_only_what_is_mixed_changes(shot, runs):
    source = signal(64, 48)
    assert AcrossTreatment((), [Beside(MIXED, DARKER, comes=False)], source).frames(shot) == runs
    assert AcrossTreatment((), [Beside(MIXED, (), comes=False)], source).frames(shot) == []
    assert AcrossTreatment(DARKER, [], source).frames(shot) == [(shot.first, shot.last + 1)]


def test_ladders_are_prepared_for_shots_and_those_they_are_mixed_with():
    shots = [Shot(0, 9, closes=MIXED), Shot(10, 19, opens=MIXED), Shot(20, 29)]
    assert set(across(shots, {0: DARKER}, signal(64, 48), None)) == {0, 1}
    assert set(across(shots, {1: DARKER}, signal(64, 48), None)) == {0, 1}
    assert set(across(shots, {2: DARKER, 3: DARKER, 0: ()}, signal(64, 48), None)) == {2}


def test_mixed_planes_are_those_of_the_picture_though_rows_are_longer():
    source = signal(64, 48)
    treat = AcrossTreatment(DARKER, [Beside(MIXED, (), comes=True)], source)
    rng = np.random.default_rng(1)
    whole = tuple(rng.integers(200, 800, size).astype(np.uint16) for size in ((48, 64), (48, 32), (48, 32)))
    longer = tuple(np.pad(plane, ((0, 0), (0, 16))) for plane in whole)
    for one, other in zip(treat.apply(whole, 9), treat.apply(longer, 9), strict=True):
        assert np.array_equal(one, other[:, : one.shape[1]])


def test_treated_runs_that_touch_are_one():
    source, shots = signal(64, 48), [Shot(0, 9), Shot(10, 19), Shot(20, 29), Shot(30, 39)]
    assert treated_runs(shots, {0: DARKER, 1: DARKER, 3: DARKER}, source, None) == [(0, 20), (30, 40)]
    mixed = [Shot(0, 9, closes=MIXED), Shot(10, 19, opens=MIXED), *shots[2:]]
    assert treated_runs(mixed, {1: DARKER}, source, None) == [(8, 20)]
    assert treated_runs(mixed, {0: DARKER, 1: OFF}, source, None) == [(0, 12)]


# Runs ----------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("first", "after", "known"), [(10, 20, {0, 1, 2}), (9, 10, {0, 1}), (19, 21, {0, 1, 2, 3}), (30, 40, {2, 3})]
)
def test_a_run_knows_the_ladders_of_its_shots_and_of_those_beside(first, after, known):
    shots = [Shot(0, 9), Shot(10, 19), Shot(20, 29), Shot(30, 39)]
    asked = PieceAsked(None, None, shots, dict.fromkeys(range(4), DARKER), None, None, first, after, None)
    assert set(asked.treated) == known


def test_a_run_that_is_short_is_refused_in_its_own_numbers(tmp_path):
    piece = make_clip(tmp_path / "piece.mkv", numbered, 3)
    asked = PieceAsked(None, None, (), {}, None, None, 20, 25, piece)
    handed = []
    with pytest.raises(WriteError, match=r"Of frames 20 to 24 only 3 were rendered\."):
        join_piece(SimpleNamespace(hand_on=lambda number, _: handed.append(number)), asked)
    assert handed == [20, 21, 22]
    with pytest.raises(WriteError, match="What was rendered of frames 20 to 24 can't be read"):
        join_piece(SimpleNamespace(), replace(asked, piece=tmp_path / "none.mkv"))


# Rendering and proving -----------------------------------------------------------------------------------------------


def test_what_is_read_back_short_is_not_kept(clip, tmp_path, monkeypatch):
    source = clip("i.mkv", numbered, 6)
    read = probe(source)
    monkeypatch.setattr(render_module, "probe", lambda _: SimpleNamespace(frame_count=5))
    with pytest.raises(WriteError, match="Only 5 frames could be read back of 6 written"):
        render(read, read.format, [Shot(0, 5)], {}, tmp_path / "o.mkv", CODECS["ffv1"], Monitor())


def test_frames_for_other_light_are_refused_by_the_first_that_can_be_read(clip, tmp_path):
    survey = run_survey(start_survey(probe(clip("i.mkv", numbered, 6)), RULES), Monitor())
    survey.table.formats.append(replace(survey.source, transfer="pq"))
    survey.table.rows["format"][2:] = 1
    survey.table.rows["readable"][2] = False
    asked = ProveRequest(survey, [Shot(0, 5)], {}, tmp_path / "o.mkv", CODECS["ffv1"], KeepUnreadable.HOLD)
    with pytest.raises(WriteError, match="From frame 3 on the transfer characteristic is"):
        prove(asked, Monitor())
    survey.table.rows["readable"][2:] = False
    assert prove(asked, Monitor()).unreadable == (2, 3, 4, 5), "none that can be read is for other light"


def test_rendering_counts_the_frames_that_are_written(clip, tmp_path):
    source, told = probe(clip("i.mkv", numbered, 6)), []
    monitor = Monitor(lambda progress: told.append((progress.stage, progress.done, progress.total)))
    render(source, source.format, [Shot(0, 5)], {}, tmp_path / "o.mkv", CODECS["ffv1"], monitor, stage="Here")
    assert told == [("Here", number, 6) for number in range(1, 7)]


@pytest.mark.parametrize("cores", [1, 2, 4, None])
@pytest.mark.parametrize("size", [8 << 20, 32 << 20, 48 << 20, 64 << 20, 100 << 20])
def test_large_frames_are_worked_on_one_by_one_in_halves(clip, tmp_path, monkeypatch, cores, size):
    source, made = probe(clip("i.mkv", numbered, 3)), []
    monkeypatch.setattr(pictures_module.os, "cpu_count", lambda: cores)
    monkeypatch.setattr(pictures_module, "LARGE", 32 << 20)
    monkeypatch.setattr(
        pictures_module, "in_order", lambda work, given, _: (made.append("side by side") or work(each) for each in given)
    )
    large = SimpleNamespace(frame_bytes=size, transfer=source.format.transfer, primaries=source.format.primaries)
    writer = SimpleNamespace(programme=source, format=source.format, picture=lambda planes: planes)
    with pictures_module.Reader(source) as reader:
        list(pictures_module.pictures(reader, writer, large, [Shot(0, 2)], {}, None, None))
    halved = size > (32 << 20 if cores in (1, 2, None) else 64 << 20)
    assert bool(made) is not halved


def proof(**told):
    survey = SimpleNamespace(programme=SimpleNamespace(frame_count=40), riding=set(), sounds=[])
    request = SimpleNamespace(survey=survey, carriage=None)
    usual = {
        "request": request, "before": [], "after": SimpleNamespace(sounds=[], riding=set()), "after_findings": [],
        "treatments": {}, "rounds": 1, "source_checksum": "", "written_checksum": "", "finished": datetime.now(UTC),
    }  # fmt: skip
    return Proof(**usual | told)


def test_a_verdict_says_what_was_proved_and_what_was_not():
    loud = replace(FOUND, rule="loudness")
    heard = SimpleNamespace(sounds=[1], riding=set())
    assert (proof().verdict, proof(after=heard).verdict) == ("picture proved legal", "picture and sound proved legal")
    assert proof(after_findings=[FOUND]).verdict == "picture not legal"
    assert proof(after_findings=[FOUND, FOUND, loud]).verdict == "picture and sound not legal"
    assert proof(after_findings=[replace(FOUND, severity=Severity.LOOK)]).legal
    assert not proof(unreadable=(3,)).legal and not proof(after_findings=[FOUND]).legal
    assert proof(unreadable=(3, 4)).verdict == "not proved: 2 frames could not be read"


def test_a_proof_says_how_much_was_encoded_anew():
    assert proof(handed_on=HandedOn(30)).coded == "30 of 40 frames handed on as they are coded, 10 encoded anew"
    assert proof(handed_on=HandedOn(0, "", "it is so")).coded == "all 40 frames encoded anew, since it is so"


def test_no_more_than_twelve_runs_of_frames_are_listed():
    assert frame_list(range(0, 24, 2)) == "0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22"
    assert frame_list(range(0, 26, 2)).endswith("20, 22 …")


def test_why_nothing_is_handed_on_of_what_is_not_of_one_kind(clip):
    survey = run_survey(start_survey(probe(clip("i.mkv", numbered, 3, options={"g": "1"})), RULES), Monitor())
    survey.table.formats.append(survey.source)
    assert why_all_encoded(survey, CODECS["ffv1"]) == "its frames are not all of one format"


def margins(monkeypatch, found):
    given = []
    monkeypatch.setattr(prove_module, "luma_extremes", lambda *_: (0.0, 100.0))
    monkeypatch.setattr(prove_module, "tightened", lambda steps, rule, by, *_: given.append((rule, round(by, 3))) or steps)
    survey = SimpleNamespace(rules=replace(RULES, limits=Limits((-1.0, 103.0), (-5.0, 105.0))), source=None)
    prove_module._with_margin(SimpleNamespace(survey=survey, shots=[Shot(0, 9)]), {}, found)
    return given


@pytest.mark.parametrize(("rule", "value"), [("luma-high", 105.0), ("luma-low", -3.0), ("rgb-high", 107.0), ("rgb-low", -7.0)])
def test_each_limit_is_kept_clear_of_by_a_part_of_what_is_beyond_it(monkeypatch, rule, value):
    found = replace(FOUND, rule=rule, worst_value=value)
    assert margins(monkeypatch, [found]) == [(rule, 1.2)]
    less = replace(found, worst_value=value + (0.5 if value < 0 else -0.5))
    assert margins(monkeypatch, [found, less]) == [(rule, 1.2)] == margins(monkeypatch, [less, found])


def test_what_breaks_a_limit_together_keeps_clear_of_each_a_little(monkeypatch):
    together = replace(FOUND, rule="outside", made_of=(("luma-high", 0.6), ("rgb-low", 0.7)))
    assert margins(monkeypatch, [together]) == [("luma-high", 0.5), ("rgb-low", 0.5)]
    far = replace(FOUND, worst_value=105.0)
    assert (
        margins(monkeypatch, [far, together]) == [("luma-high", 1.2), ("rgb-low", 0.5)] == margins(monkeypatch, [together, far])
    )
    assert margins(monkeypatch, [replace(FOUND, rule="gamut")]) == []
