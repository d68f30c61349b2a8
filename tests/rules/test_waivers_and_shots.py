"""What is waived, by whose word, and where shots and findings lie and end."""

from dataclasses import replace

import pytest

from bluffline.errors import RulesError, SettingsError
from bluffline.rules import shots as shots_module
from bluffline.rules.evidence import across
from bluffline.rules.finding import Finding, Waiver
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, edges, find_shots, shot_at
from bluffline.rules.transitions import Transition, TransitionKind
from bluffline.rules.waivers import load_waivers, waived, waiver_from, waiver_to
from surveys import table_of

FOUND = Finding("black", Severity.LOOK, 0, 10, 19, 12, 1.0, "%", 5.0, "so", frames=10)
WAIVER = Waiver("black", "as agreed", "Duty editor", "2026-11-29T16:41:00Z")


@pytest.mark.parametrize(
    ("first", "last", "covered"),
    [(10, 19, True), (0, 30, True), (11, 19, False), (10, 18, False), (20, 30, False), (0, 9, False)],
)
def test_a_waiver_covers_what_lies_whole_in_its_frames(first, last, covered):
    run = replace(WAIVER, first_frame=first, last_frame=last)
    assert run.covers(FOUND) is covered and replace(run, rule="").covers(FOUND) is covered
    assert not replace(run, rule="frozen").covers(FOUND) and WAIVER.covers(FOUND)
    assert run.told == f"black in frames {first} to {last}" and replace(WAIVER, rule="").told == "all that is found"


def test_findings_are_waived_and_are_not_any_more():
    (by_word,) = waived([FOUND], [WAIVER])
    assert by_word.waiver is WAIVER and waived([by_word], []) == [FOUND] and waived([FOUND], []) == [FOUND]
    assert waived([by_word], [replace(WAIVER, rule="frozen")]) == [FOUND]
    first = replace(WAIVER, by="Another")
    assert waived([FOUND], [first, WAIVER])[0].waiver is first


def test_a_waiver_is_written_as_it_is_read():
    data = {"reason": " as agreed ", "by": " Duty editor ", "at": "2026-11-29T16:41:00Z", "frames": [3, 3], "rule": "black"}
    read = waiver_from(data, "waiver 1")
    assert (read.reason, read.by, read.first_frame, read.last_frame) == ("as agreed", "Duty editor", 3, 3)
    assert waiver_from(waiver_to(read), "again") == read and waiver_to(replace(WAIVER, rule="")) == {
        "reason": "as agreed", "by": "Duty editor", "at": "2026-11-29T16:41:00Z",
    }  # fmt: skip
    for wrong, words in (
        ({"reason": "  "}, "needs a reason and the name"), ({"by": ""}, "needs a reason and the name"),
        ({"frames": [4, 3]}, "end before they begin"),
        ({"at": "2026-11-29T16:41:00"}, "with its zone"), ({"at": "yesterday"}, "there is no time 'yesterday'"),
        ({"rule": "nothing"}, "there is no rule 'nothing'"),
    ):  # fmt: skip
        with pytest.raises(SettingsError, match=words):
            waiver_from(data | wrong, "waiver 1")
    with pytest.raises(SettingsError, match="must name a rule, frames, or both"):
        waiver_from({key: data[key] for key in ("reason", "by", "at")}, "waiver 1")
    assert waiver_from({key: data[key] for key in ("reason", "by", "at", "rule")}, "waiver 1").first_frame is None


def test_a_file_holds_a_thousand_waivers(tmp_path):
    one = '[[waiver]]\nreason = "so"\nby = "D"\nat = 2026-11-29T16:41:00Z\nrule = "black"\n'
    path = tmp_path / "w.toml"
    path.write_text(one * 1000)
    assert len(load_waivers(path)) == 1000
    path.write_text(one * 1001)
    with pytest.raises(RulesError, match="one table each, and nothing else"):
        load_waivers(path)


def test_shots_are_found_by_frames_and_drawn_by_their_ends():
    mixed, out = Transition(TransitionKind.DISSOLVE, 8, 11), Transition(TransitionKind.FADE_OUT, 25, 29)
    shots = [Shot(0, 9, closes=mixed), Shot(10, 29, opens=mixed, closes=out), Shot(30, 39)]
    assert [shot_at(shots, frame) for frame in (-1, 0, 9, 10, 29, 30, 99)] == [0, 0, 0, 1, 1, 2, 2] and shot_at([], 5) == 0
    assert edges(shots) == [(8, 12), (30, 25), (30, 30)]
    assert (shots[1].alone, shots[1].middle, shots[1].length) == (Shot(12, 24), 18, 20)
    assert 10 in shots[1] and 29 in shots[1] and 9 not in shots[1] and 30 not in shots[1]
    covered = Shot(10, 12, opens=Transition(TransitionKind.DISSOLVE, 8, 20), closes=Transition(TransitionKind.DISSOLVE, 9, 20))
    assert covered.alone is covered


def test_a_cut_in_what_mixes_shots_is_none(monkeypatch):
    mixed, fade = Transition(TransitionKind.DISSOLVE, 8, 11), Transition(TransitionKind.FADE_OUT, 30, 34)
    table = table_of(60)
    for cuts, starts in (([0, 7, 20], [0, 7, 10, 20]), ([0, 8, 12, 20], [0, 10, 20]), ([0, 13, 20], [0, 10, 13, 20])):
        monkeypatch.setattr(shots_module, "_cuts", lambda *_, cuts=cuts: cuts)
        assert [shot.first for shot in find_shots(table, [mixed])] == starts
    monkeypatch.setattr(shots_module, "_cuts", lambda *_: [0, 30, 35, 36])
    made = find_shots(table, [mixed, fade])
    assert [(shot.first, shot.last) for shot in made] == [(0, 9), (10, 35), (36, 59)]
    assert (made[0].closes, made[1].opens, made[1].closes, made[2].opens) == (mixed, mixed, fade, None)
    late = Transition(TransitionKind.DISSOLVE, 50, 59)
    monkeypatch.setattr(shots_module, "_cuts", lambda *_: [0])
    assert [shot.first for shot in find_shots(table, [late])] == [0], "it has not ended"
    assert [shot.first for shot in find_shots(table, [Transition(TransitionKind.DISSOLVE, 50, 58)])] == [0, 54]


def test_black_between_a_fade_out_and_the_next_fade_in_is_parted_in_its_middle(monkeypatch):
    out, back = Transition(TransitionKind.FADE_OUT, 10, 19), Transition(TransitionKind.FADE_IN, 30, 34)
    monkeypatch.setattr(shots_module, "_cuts", lambda *_: [0, 22, 29])
    made = find_shots(table_of(60), [out, back])
    assert [(shot.first, shot.last, shot.opens, shot.closes) for shot in made] == [(0, 24, None, out), (25, 59, back, None)]


def test_a_finding_of_the_file_is_of_all_of_it_or_of_a_part():
    shots = [Shot(0, 9), Shot(10, 19)]
    whole, part = across("x", Severity.LOOK, shots, "so"), across("x", Severity.LOOK, shots, "so", 1.239, "s", 12, 15)
    assert (whole.shot, whole.first_frame, whole.last_frame, whole.frames, whole.length) == (0, 0, 19, 20, 20)
    assert (part.shot, part.first_frame, part.last_frame, part.frames, part.worst_value) == (1, 12, 15, 4, 1.24)
