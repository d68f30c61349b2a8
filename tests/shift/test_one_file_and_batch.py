"""Many files, each done once: what is asked, what comes of it, and what a second run takes as it is."""

import os
import shutil
from concurrent.futures import Executor, Future
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from bluffline.errors import ElsewhereError, SettingsError
from bluffline.media.probe import probe
from bluffline.media.target import certificate_paths
from bluffline.rules.finding import Waiver
from bluffline.rules.rulefile import load_rules
from bluffline.rules.severity import Severity
from bluffline.session.work import Work
from bluffline.session.workfile import save_work
from bluffline.shift.batch import Batch
from bluffline.shift.gathering import gathered
from bluffline.shift.ledger import Ledger
from bluffline.shift.one_file import COLUMNS, Asked, do
from bluffline.shift.profile import PLAIN, Profile, chosen_for, load_profile
from bluffline.shift.states import State
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.kinds.soft_ceiling import SoftCeiling


class Here(Executor):
    """Does what it is given at once; counts it."""

    def __init__(self):
        self.given = []

    def submit(self, function, /, *arguments, **named):
        self.given.append(arguments[0])
        future = Future()
        future.set_result(function(*arguments))
        return future


def states(ended):
    return {each.asked.path.name: each.told.state for each in ended}


def test_a_file_is_checked_certified_or_legalised_and_its_source_is_left_alone(folder, tmp_path):
    before = {path: path.read_bytes() for path in folder.iterdir()}
    good = do(Asked(folder / "good.mkv", PLAIN, certify=True, leave=tmp_path / "left"))
    assert good.state is State.GOOD and good.checked["file"]["sha256"] and good.at and good.seconds > 0
    assert [Path(path).name for path in good.written] == [p.name for p in certificate_paths(folder / "good.mkv")]
    assert all((tmp_path / "left" / Path(path).name).exists() for path in good.written)
    over = do(Asked(folder / "over.mkv", PLAIN))
    assert over.state is State.TO_FIX and over.count(Severity.MUST_FIX) == over.checked["must_fix"] == 3
    proved = do(Asked(folder / "over.mkv", PLAIN, target=tmp_path / "out" / "over-legal.mov"))
    assert proved.state is State.PROVED and (tmp_path / "out" / "over-legal.mov").exists()
    assert proved.checked["must_fix"] == 3 and proved.report["after"]["must_fix"] == 0
    torn = do(Asked(folder / "torn.mov", PLAIN, target=tmp_path / "torn.mov"))
    assert torn.state is State.REFUSED and "damaged" in torn.sentence and torn.report == {}
    assert {path: path.read_bytes() for path in folder.iterdir()} == before


def test_a_small_skyline_has_the_extremes_of_all_frames(over_clip):
    told = do(Asked(over_clip, PLAIN))
    drawn = np.frombuffer(told.skyline, np.int16).reshape(4, -1) / 10
    assert drawn.shape[1] == 24 <= COLUMNS
    assert drawn[1, :12].max() < 60 < 105 < drawn[1, 12:].max() and told.limits[1] == 103


def test_what_was_done_is_not_done_again_unless_file_rules_or_results_change(folder, tmp_path):
    rules = tmp_path / "own.toml"
    rules.write_text('title = "Own"\n[limits]\nluma = [-7, 109]\nrgb = [-20, 120]\n[tolerance]\narea = 1\n')
    asked = [
        Asked(folder / "good.mkv", PLAIN, certify=True, leave=tmp_path / "left"),
        Asked(folder / "over.mkv", Profile(rules=str(rules)), target=tmp_path / "legal.mov"),
    ]

    def run(again=False):
        hands = Here()
        ended = list(Batch(Ledger(tmp_path / "l.sqlite"), hands, again).run(asked))
        return {each.path.name for each in hands.given}, states(ended), [each.told.report for each in ended]

    first = run()
    assert first[0] == {"good.mkv", "over.mkv"}
    assert run() == (set(), *first[1:])
    os.utime(folder / "good.mkv")
    assert run()[0] == {"good.mkv"}, "what was touched is looked at again, and its certificate made anew"
    rules.write_text(rules.read_text().replace("109", "103").replace("120", "105"))
    done, now, _ = run()
    assert done == {"over.mkv"} and now["over.mkv"] is State.PROVED
    certificate_paths(tmp_path / "legal.mov")[0].unlink()
    assert run()[0] == {"over.mkv"}
    assert run(again=True)[0] == {"good.mkv", "over.mkv"}


def test_what_somebody_else_has_written_is_not_replaced_and_what_a_kill_left_is(folder, tmp_path):
    target = tmp_path / "legal.mov"
    target.write_bytes(b"theirs")
    ledger, one = Ledger(tmp_path / "l.sqlite"), Asked(folder / "over.mkv", PLAIN, target=target)
    (ended,) = Batch(ledger, Here()).run([one])
    assert ended.told.state is State.REFUSED and "is somebody else's" in ended.told.sentence
    assert target.read_bytes() == b"theirs"
    (ended,) = Batch(ledger, Here()).run([one])
    assert ended.told.state is State.REFUSED, "to have refused it once makes it nobody's own"
    target.unlink()
    taken = ledger.take_up(one)
    assert do(taken).state is State.PROVED, "… and here the machine goes down, before that is kept"
    (ended,) = Batch(ledger, Here()).run([one])
    assert ended.told.state is State.PROVED


def test_one_bad_file_stops_nothing_and_is_tried_again(folder, tmp_path):
    asked = [Asked(path, PLAIN) for path in gathered([folder]).paths]
    ledger, hands = Ledger(tmp_path / "l.sqlite"), Here()
    for _ in range(2):
        ended = list(Batch(ledger, hands).run(asked))
        assert states(ended) == {"good.mkv": State.GOOD, "over.mkv": State.TO_FIX, "torn.mov": State.REFUSED}
    assert [each.path.name for each in hands.given[3:]] == ["torn.mov"]


def test_waivers_and_work_are_taken_up_and_a_file_with_waived_findings_is_good(folder, tmp_path):
    path = folder / "over.mkv"
    every = Waiver("", "as agreed", "Duty editor", "2026-11-29T16:41:00Z", 0, 23)
    told = do(Asked(path, PLAIN, waivers=(every,)))
    assert told.state is State.GOOD and told.checked["waived"] == len(told.checked["findings"]) > 0
    assert "waived" in told.sentence and told.count(Severity.MUST_FIX) == 0
    programme = probe(path)
    shots = run_survey(start_survey(programme, load_rules("r103")), Monitor()).shots()
    save_work(path.with_suffix(".bluffline"), programme, shots, Work(waivers=(every,)))
    assert do(Asked(path, PLAIN)).state is State.TO_FIX, "work is taken up where it is asked for"
    assert do(Asked(path, PLAIN, find_work=True)).state is State.GOOD
    darker = Work({1: (SoftCeiling(60, 100, 40),)}, waivers=(every,))
    save_work(path.with_suffix(".bluffline"), programme, shots, darker)
    told = do(Asked(path, PLAIN, find_work=True, target=tmp_path / "darker.mov"))
    assert told.state is State.PROVED, "good as it is, but something was done to it"
    luma = np.frombuffer(do(Asked(tmp_path / "darker.mov", PLAIN)).skyline, np.int16).reshape(4, -1)[1]
    assert luma.max() < 640
    shutil.copy(folder / "good.mkv", path)
    assert "work on another file" in do(Asked(path, PLAIN, find_work=True)).sentence


def test_folders_are_searched_and_what_is_passed_over_is_counted(folder, tmp_path):
    (folder / "sub").mkdir()
    shutil.copy(folder / "good.mkv", folder / "sub" / "deep.MKV")
    (folder / ".hidden.mkv").write_bytes(b"x")
    (folder / "loop").symlink_to(folder)
    (folder / "notes.txt").write_text("x")
    (folder / "over.bluffline").write_bytes(b"x")
    certificate_paths(folder / "good.mkv")[0].write_text("{}")
    stills = folder / "stills"
    stills.mkdir()
    for n in range(3):
        (stills / f"glaze_{n:04d}.png").write_bytes(b"x")
    found = gathered([folder, folder / "good.mkv", folder / "notes.txt"])
    assert [path.name for path in found.paths] == ["good.mkv", "over.mkv", "torn.mov", "stills", "deep.MKV", "notes.txt"]
    assert dict(found.beside) == {".txt": 1}
    assert [path.name for path in gathered([folder], [folder / "sub", folder / "stills"]).paths][-1] == "torn.mov"
    assert [path.name for path in gathered([folder / "sub"], [folder / "sub"]).paths] == ["deep.MKV"], "it is named itself"
    assert found.found[4] == (folder / "sub" / "deep.MKV", folder)


def test_profiles_are_chosen_by_name_and_place_and_say_what_is_wrong(tmp_path):
    own = tmp_path / "config" / "bluffline" / "profiles"
    own.mkdir(parents=True)
    (own / "news.toml").write_text(
        'rules = "strict"\nfiles = ["*-news.*", "*/bulletins/*"]\ncodec = "dnxhr"\ncontainer = ".mxf"\n'
        'named = "{name}_LEGAL"\n[read]\nrange = "full"\n'
    )
    news = load_profile("news")
    assert news.name == "news" and news.read.range == "full"
    assert news.target(tmp_path / "ten.mov", tmp_path / "out") == tmp_path / "out" / "ten_LEGAL.mxf"
    for path, name in (("/a/ten-news.mov", "news"), ("/a/bulletins/ten.mov", "news"), ("/a/ten.mov", "plain")):
        assert chosen_for(tmp_path / path, [news]).name == name
    for wrong, words in (
        ('codec = "glaze"', "codec must be one of"),
        ('named = "legal"', "with {name} in it"),
        ('named = "../{name}"', "a file's name"),
        ('codec = "h264"\ncontainer = ".mxf"', "is written to"),
        ('rules = "none.toml"', "no rules named"),
        ("glaze = 1", "has no figure"),
    ):
        (own / "wrong.toml").write_text(wrong)
        with pytest.raises(SettingsError, match=words):
            load_profile("wrong")
    with pytest.raises(SettingsError, match="There is no profile named nobody; choose plain, news"):
        load_profile("nobody")


def test_a_ledger_that_can_not_be_used_is_a_sentence(tmp_path):
    (tmp_path / "l.sqlite").write_bytes(b"no database" * 100)
    with pytest.raises(SettingsError, match="can't be used"):
        Ledger(tmp_path / "l.sqlite").known(Asked(tmp_path / "x.mov", PLAIN))


@pytest.mark.parametrize(("blind", "state"), [(0, State.GOOD), (2, State.GOOD), (9, State.REFUSED)])
def test_a_machine_that_sees_another_file_gives_it_to_the_next(blind, state, folder, tmp_path):
    asked, said = Asked(folder / "good.mkv", PLAIN), []

    class Blind(Here):
        """The first machines see something else under the path."""

        def submit(self, function, /, *arguments):
            (one,) = arguments
            assert one.content, "it is told what the file holds"
            try:
                return super().submit(function, replace(one, content="another") if len(self.given) < blind else one)
            except ElsewhereError as error:
                future = Future()
                future.set_exception(error)
                return future

    hands = Blind()
    (ended,) = Batch(Ledger(tmp_path / "l.sqlite"), hands, elsewhere=True, say=said.append).run([asked])
    assert ended.told.state is state and len(hands.given) == min(blind + 1, 3) and len(said) == len(hands.given) - 1
    assert all("It is given to another." in words for words in said)
    assert ("is another file where it was to be measured" in ended.told.sentence) is (state is State.REFUSED)
