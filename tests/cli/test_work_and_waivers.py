"""What was done on the desk, and what somebody's word lets pass, taken up by the command line."""

import json
import shutil

import numpy as np
import pytest

from bluffline.cli.main import main
from bluffline.errors import RulesError
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.rules.finding import Finding, Waiver
from bluffline.rules.rulefile import load_rules
from bluffline.rules.severity import Severity
from bluffline.rules.waivers import load_waivers, waiver_from, waiver_to
from bluffline.session.work import Cuts, Shared, Work
from bluffline.session.workfile import save_work
from bluffline.signal.format import Overrides
from bluffline.signal.levels import Range
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.step import Heading

LOWER = SoftCeiling(60, 109, 40)
GIVEN = """
[[waiver]]
rule = "rgb-high"
frames = [0, 23]
reason = "lamp in view, as agreed"
by = "Duty editor"
at = 2026-11-29T16:41:00Z
"""


@pytest.fixture
def film(tmp_path, over_clip):
    return shutil.copy(over_clip, tmp_path / "film.mkv")


def top(path, frame):
    with Reader(probe(path)) as reader:
        return int(np.max(reader.planes(frame)[0]))


def kept(film, work, *, overrides=None, rules="r103"):
    programme = probe(film)
    programme = programme if overrides is None else programme.read_as(overrides)
    shots = run_survey(start_survey(programme, load_rules(rules)), Monitor()).shots()
    save_work(film.with_suffix(".bluffline"), programme, shots, work, load_rules(rules))


def test_legalise_and_apply_write_what_was_done_and_legalise_mends_what_was_left(film, tmp_path, capfd):
    shared = Shared(Heading.GROUP, (LOWER,), "grey", frozenset({0}))
    kept(film, Work(cuts=Cuts(frozenset({6})), shared=(shared,)))
    assert main(["legalise", str(film), str(tmp_path / "legal.mkv"), "--json", str(tmp_path / "l.json"), "--work"]) == 0
    told = json.loads((tmp_path / "l.json").read_text())
    assert [(each["shot"], len(each["steps"]) > 0) for each in told["treatments"]] == [(0, True), (2, True)]
    assert [shot["first_frame"] for shot in told["before"]["shots"]] == [0, 6, 12]
    assert main(["apply", str(film), str(tmp_path / "applied.mkv"), "--work", str(film.with_suffix(".bluffline"))]) == 0
    assert top(tmp_path / "applied.mkv", 3) == top(tmp_path / "legal.mkv", 3)
    assert top(tmp_path / "applied.mkv", 15) == top(film, 15) > top(tmp_path / "legal.mkv", 15), "apply mends nothing by itself"
    assert "the work on 1 of 3 shots" in capfd.readouterr().out


def test_facts_and_rules_go_with_the_work_unless_the_command_says_otherwise(film, tmp_path, capfd):
    kept(film, Work(), overrides=Overrides(range=Range.FULL), rules="strict")

    def checked(*words):
        main(["check", str(film), "--json", "-", *words])
        told = json.loads(capfd.readouterr().out)
        return told["file"]["range"], told["rules"]["name"]

    assert checked() == ("narrow", "r103")
    assert checked("--work") == ("full", "strict")
    assert checked("--range", "narrow", "--rules", "r103", "--work") == ("narrow", "r103")


def test_what_is_no_work_on_this_file_is_refused(film, tmp_path, over_clip, capfd):
    assert main(["check", str(film), "--work"]) == 2 and "There is no film.bluffline beside" in capfd.readouterr().err
    assert main(["check", "--work", str(film), str(film)]) == 2 and "--work takes a .bluffline file" in capfd.readouterr().err
    kept(film, Work())
    other = tmp_path / "other.mkv"
    other.write_bytes(film.read_bytes() + b"\0" * 64)
    command = ["check", str(other), "--work", str(film.with_suffix(".bluffline"))]
    assert main(command) == 2 and "is work on another file" in capfd.readouterr().err


def test_waived_findings_are_told_and_leave_nothing_to_fix(film, tmp_path, capfd):
    given = tmp_path / "waivers.toml"
    given.write_text(GIVEN)
    assert main(["check", str(film), "--waivers", str(given)]) == 1
    out = capfd.readouterr().out
    assert "waived    shot 2" in out and "waived by Duty editor: lamp in view, as agreed" in out and "1 finding waived" in out
    given.write_text(GIVEN.replace('rule = "rgb-high"\n', ""))
    assert main(["check", str(film), "--certificate", "--waivers", str(given), "--json", str(tmp_path / "c.json")]) == 0
    told = json.loads((tmp_path / "c.json").read_text())
    assert told["must_fix"] == 0 and told["waived"] == len(told["findings"]) >= 3
    page = film.with_name("film.mkv.certificate.html").read_text()
    assert "lamp in view, as agreed" in page and "findings waived" in page
    assert main(["legalise", str(film), str(tmp_path / "as-agreed.mkv"), "--waivers", str(given)]) == 0
    assert top(tmp_path / "as-agreed.mkv", 15) == top(film, 15), "what is waived is left as it is"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("rule = 1", "written"),
        (GIVEN.replace('rule = "rgb-high"\nframes = [0, 23]\n', ""), "not everything is waived at once"),
        (GIVEN.replace("lamp in view, as agreed", " "), "needs a reason"),
        (GIVEN.replace("rgb-high", "glaze"), "no rule 'glaze'"),
        (GIVEN.replace("[0, 23]", "[23, 0]"), "end before they begin"),
        (GIVEN.replace("[0, 23]", "[0]"), "must be a list of 2"),
        (GIVEN.replace("2026-11-29T16:41:00Z", '"soon"'), "no time 'soon'"),
        (GIVEN.replace("2026-11-29T16:41:00Z", "2026-11-29T16:41:00"), "with its zone"),
        (GIVEN + "shot = 3\n", "has no figure"),
        ("[other]\n" + GIVEN, "and nothing else"),
        ("[[waiver", "not valid TOML"),
    ],
)
def test_waivers_that_can_not_be_used_are_a_sentence(tmp_path, text, words):
    (tmp_path / "w.toml").write_text(text)
    with pytest.raises(RulesError, match=words):
        load_waivers(tmp_path / "w.toml")


def test_a_waiver_covers_what_lies_in_its_run_and_comes_back_as_it_was_given():
    run = Waiver("", "as agreed", "Duty editor", "2026-11-29T16:41:00Z", 10, 20)
    whole = Waiver("luma-high", "as agreed", "Duty editor", "2026-11-29T16:41:00Z")
    for waiver in (run, whole):
        assert waiver_from(waiver_to(waiver), "a waiver") == waiver

    def found(rule, first, last):
        return Finding(rule, Severity.MUST_FIX, 0, first, last, first, 105.0, "%", 2.0, "told")

    assert [run.covers(found("rgb-high", *at)) for at in ((10, 20), (12, 12), (9, 20), (10, 21))] == [True, True, False, False]
    assert whole.covers(found("luma-high", 0, 900)) and not whole.covers(found("rgb-high", 0, 9))
