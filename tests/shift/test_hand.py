"""The files in hand: their states, what is done to them by themselves and by hand, and what a kill leaves of it."""

import shutil
from concurrent.futures import Executor, Future
from pathlib import Path

import pytest

from bluffline.errors import BlufflineError, SettingsError
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.rules.finding import Waiver
from bluffline.rules.shots import Shot
from bluffline.session.fingerprint import fingerprint
from bluffline.session.store import DocumentStore, Known
from bluffline.session.work import Work
from bluffline.shift import file_in_hand
from bluffline.shift.hand import Shift
from bluffline.shift.ledger import Ledger
from bluffline.shift.one_file import Asked, work_kept
from bluffline.shift.profile import PLAIN, Profile
from bluffline.shift.states import State
from bluffline.survey.monitor import Progress
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.ui.shift.words import found_in, part_done


class Later(Executor):
    """Does what it is given when it is told to."""

    def __init__(self):
        self.waiting = []

    def submit(self, function, /, *arguments, **named):
        future = Future()
        self.waiting.append((future, function, arguments))
        return future

    def work(self):
        while self.waiting:
            future, function, arguments = self.waiting.pop(0)
            try:
                future.set_result(function(*arguments))
            except BlufflineError as error:
                future.set_exception(error)


class Desk:
    """A shift whose clock and hands the test moves."""

    def __init__(self, path, profiles=()):
        self.now, self.hands = 0.0, Later()
        self.shift = Shift(Ledger(path), self.hands, profiles, quiet=3, clock=lambda: self.now, kept=work_kept)

    def go_on(self, seconds=4.0):
        """Time goes by, and whatever can be done is."""
        for _ in range(4):
            self.now += seconds
            self.shift.step(0)
            while self.hands.waiting:
                assert len(self.hands.waiting) <= 2
                self.hands.work()
                self.shift.step(0)
        return self.states

    @property
    def states(self):
        return {file.path.name: file.state for file in self.shift.files}


@pytest.fixture
def desk(tmp_path):
    return Desk(tmp_path / "l.sqlite")


MEASURED = {"good.mkv": State.GOOD, "over.mkv": State.TO_FIX, "torn.mov": State.REFUSED}


def test_files_come_grow_wait_are_measured_and_judged(desk, folder):
    shift = desk.shift
    assert shift.add([folder]) == 3 and shift.add([folder]) == 0
    assert set(desk.states.values()) == {State.GROWING}
    shift.step(0)
    desk.now += 2
    shift.step(0)
    assert set(desk.states.values()) == {State.GROWING}, "not yet long enough as it is"
    desk.now += 2
    shift.step(0)
    shift.step(0)
    assert list(desk.states.values()) == [State.MEASURING, State.MEASURING, State.WAITING], "as many as there are hands"
    assert desk.go_on() == MEASURED
    over = next(file for file in shift.files if file.path.name == "over.mkv")
    assert over.told.checked["must_fix"] == 3 and over.told.skyline and over.since and shift.next() == over
    assert len(over.told.report) == len(file_in_hand._SHOWN), "no more than is shown"


def test_what_whoever_worked_on_it_has_lost_is_begun_anew(desk, folder):
    shift = desk.shift
    shift.add([folder])
    for _ in range(3):
        desk.now += 4
        shift.step(0)
    lost = [future for future, _, _ in desk.hands.waiting]
    assert len(lost) == 2 and all(future.cancel() and not future.set_running_or_notify_cancel() for future in lost)
    desk.hands.waiting.clear()
    shift.step(0)
    assert len(desk.hands.waiting) == 2 and all("has gone. It is given to another." in words for words in shift.told)
    assert desk.go_on() == MEASURED


def test_a_kill_loses_nothing_and_what_was_under_way_is_done_once(desk, folder, tmp_path):
    desk.shift.add([folder])
    desk.shift.put_on_air(folder / "over.mkv", "18:30")
    desk.shift.step(0)
    desk.now = 4
    desk.shift.step(0)
    desk.shift.step(0)
    assert State.MEASURING in desk.states.values(), "… and here it is killed"
    second = Desk(tmp_path / "l.sqlite")
    assert second.go_on() == MEASURED and second.shift.files[0].on_air == "18:30"
    third = Desk(tmp_path / "l.sqlite")
    assert third.states == MEASURED and third.shift.next().told.checked["must_fix"] == 3
    third.shift.step(0)
    assert not third.hands.waiting, "a finished file is not done again"


def test_what_changes_grows_again_and_is_measured_anew(desk, folder):
    desk.shift.add([folder])
    desk.go_on()
    shutil.copy(folder / "good.mkv", folder / "over.mkv")
    desk.shift.step(0)
    assert desk.states["over.mkv"] is State.GROWING and desk.shift.next() is None
    assert desk.go_on()["over.mkv"] is State.GOOD
    (folder / "good.mkv").unlink()
    assert desk.go_on()["good.mkv"] is State.REFUSED, "it is gone, and that is said"


def test_acts_are_done_by_themselves_and_what_can_not_be_leaves_the_file_as_it_was(desk, folder):
    shift = desk.shift
    shift.watch(folder)
    desk.go_on()
    shift.certify(folder / "good.mkv")
    shift.certify(folder / "over.mkv")
    shift.legalise(folder / "over.mkv")
    shift.legalise(folder / "over.mkv")
    assert {file.asked_for for file in shift.files} == {"certificate", ""}, "one act at a time"
    assert desk.go_on() == MEASURED and (folder / "good.mkv.certificate.html").exists()
    shift.legalise(folder / "over.mkv")
    assert desk.go_on()["over.mkv"] is State.PROVED
    assert (folder / "legal" / "over-legal.mov").exists() and set(desk.states) == set(MEASURED), "the copy does not come in"
    shift.deliver(folder / "over.mkv", "Rosalind")
    assert desk.states["over.mkv"] is State.DELIVERED and shift.next() is None
    (folder / "legal" / "good-legal.mov").write_bytes(b"theirs")
    shutil.copy(folder / "over.mkv", folder / "good.mkv")
    desk.go_on()
    shift.legalise(folder / "good.mkv")
    assert desk.go_on()["good.mkv"] is State.TO_FIX
    assert "is there already" in shift.told[-1] and (folder / "legal" / "good-legal.mov").read_bytes() == b"theirs"


def test_what_was_asked_for_is_done_after_a_kill_unless_the_file_has_changed(desk, folder, tmp_path):
    desk.shift.add([folder])
    desk.go_on()
    desk.shift.legalise(folder / "over.mkv")
    desk.shift.certify(folder / "good.mkv")
    shutil.copy(folder / "over.mkv", folder / "good.mkv")
    second = Desk(tmp_path / "l.sqlite")
    assert {file.path.name: file.asked_for for file in second.shift.files}["over.mkv"] == "legal copy"
    assert second.go_on() == {**MEASURED, "over.mkv": State.PROVED, "good.mkv": State.TO_FIX}
    assert not any(file.asked_for for file in second.shift.files) and not (folder / "good.mkv.certificate.json").exists()


def test_what_was_done_on_the_desk_counts_and_is_written(desk, folder):
    over = folder / "over.mkv"
    desk.shift.add([folder])
    desk.go_on()
    known, shots = Known(fingerprint([over]), over), [Shot(0, 11), Shot(12, 23)]
    desk.shift.judge_again(over)
    assert desk.states == MEASURED, "nothing was done to it"
    every = Waiver("", "as agreed", "Duty editor", "2026-11-29T16:41:00Z", 0, 23)
    assert DocumentStore().keep(known, shots, Work(waivers=(every,)))
    desk.shift.judge_again(over)
    assert desk.states["over.mkv"] is State.WAITING and desk.go_on()["over.mkv"] is State.GOOD
    assert DocumentStore().keep(known, shots, Work({0: (SoftCeiling(20, 109, 10),)}))
    desk.shift.judge_again(over)
    assert desk.go_on()["over.mkv"] is State.TO_FIX
    desk.shift.legalise(over)
    assert desk.go_on()["over.mkv"] is State.PROVED
    with Reader(probe(folder / "legal" / "over-legal.mov")) as reader:
        assert reader.planes(3)[0].max() < 300, "the shot that was treated on the desk is written as it was"


def test_another_profile_while_a_file_is_measured_by_its_own(desk, folder):
    shift, strict = desk.shift, Profile("strict", rules="strict")
    shift.add([folder / "over.mkv"])
    shift.choose_profile(folder / "over.mkv", strict)
    assert desk.states == {"over.mkv": State.GROWING}, "it may still be growing"
    shift.step(0)
    desk.now += 4
    for _ in range(2):
        shift.step(0)
    assert desk.states == {"over.mkv": State.MEASURING}
    shift.choose_profile(folder / "over.mkv", PLAIN)
    desk.go_on()
    (file,) = shift.files
    assert file.profile == PLAIN and file.told.checked["rules"]["name"] == "r103"


def test_how_far_a_file_is_shows_while_it_is_worked_on_and_no_longer(desk, folder):
    shift = desk.shift
    shift.add([folder / "over.mkv"])
    for _ in range(2):
        shift.step(0)
        desk.now += 4
    shift.step(0)
    assert [file.state for file in shift.files] == [State.MEASURING]
    shift.at(Progress("Survey", 6, 24, 1.0), Asked(folder / "over.mkv", PLAIN))
    shift.at(Progress("Survey", 6, 24, 1.0), Asked(folder / "good.mkv", PLAIN))
    assert [found_in(file) for file in shift.files] == ["survey, 25 %"] and part_done(shift.files[0]) == 0.25
    desk.go_on()
    assert [file.progress for file in shift.files] == [None] and "must fix" in found_in(shift.files[0])
    shift.at(Progress("Survey", 7, 24, 1.0), Asked(folder / "over.mkv", PLAIN))
    assert shift.files[0].progress is None, "a word that comes late says nothing"


def test_put_off_taken_up_again_and_let_go(desk, folder):
    desk.shift.add([folder])
    desk.go_on()
    over = folder / "over.mkv"
    desk.shift.put_off(over, "Rosalind")
    assert desk.states["over.mkv"] is State.PUT_OFF and desk.shift.next() is None
    desk.shift.put_off(over, "Rosalind")
    assert desk.shift.next().path == over and desk.shift.next().by == "Rosalind"
    desk.shift.remove(over)
    assert "over.mkv" not in desk.states and over.exists()
    assert desk.shift.add([folder]) == 1 and desk.go_on() == MEASURED and not desk.hands.waiting


def test_air_times_are_typed_or_read_and_the_first_on_air_is_next(desk, folder, tmp_path):
    shutil.copy(folder / "over.mkv", folder / "bulletin.mkv")
    desk.shift.add([folder])
    desk.go_on()
    assert desk.shift.next().path.name == "bulletin.mkv"
    (tmp_path / "air.csv").write_text("name,time\nover.mkv,9:05\nbulletin,18:30\nnobody,20:00\n")
    assert desk.shift.read_air_times(tmp_path / "air.csv") == ["nobody"]
    assert [file.on_air for file in desk.shift.files[:2]] == ["09:05", "18:30"] and desk.shift.next().path.name == "over.mkv"
    shutil.copy(folder / "good.mkv", folder / "nobody.mov")
    assert desk.shift.add([folder]) == 1
    late = {file.path.name: file.on_air for file in desk.shift.files}
    assert late["nobody.mov"] == "20:00", "a file that comes later has its time"
    second = Desk(tmp_path / "l.sqlite").shift
    shutil.copy(folder / "good.mkv", tmp_path / "nobody.mkv")
    assert second.add([tmp_path / "nobody.mkv"]) == 1
    assert {file.path.name: file.on_air for file in second.files}["nobody.mkv"] == "20:00", "… in the next sitting too"
    second.remove(tmp_path / "nobody.mkv")
    desk.shift.put_on_air(folder / "over.mkv", "0:40")
    assert [file.on_air for file in desk.shift.files[:3]] == ["18:30", "20:00", "00:40"], "the small hours are the evening's"
    for wrong in ("25:00", "soon", "1830"):
        with pytest.raises(SettingsError, match="hours and minutes"):
            desk.shift.put_on_air(folder / "over.mkv", wrong)
    (tmp_path / "air.csv").write_text("over.mkv,9:05\nbulletin\n")
    with pytest.raises(SettingsError, match="line 2: a name and a time"):
        desk.shift.read_air_times(tmp_path / "air.csv")


def test_a_profile_goes_with_its_folder_and_may_be_chosen_by_hand(tmp_path, folder):
    wide = tmp_path / "wide.toml"
    wide.write_text('title = "Wide"\n[limits]\nluma = [-7, 109]\nrgb = [-20, 130]\n[tolerance]\narea = 5\n')
    loose = Profile("loose", str(wide), ("*/in/over.*",))
    desk = Desk(tmp_path / "l.sqlite", [loose])
    desk.shift.add([folder])
    assert desk.go_on() == {**MEASURED, "over.mkv": State.GOOD}
    desk.shift.choose_profile(folder / "over.mkv", Profile())
    assert desk.go_on() == MEASURED


def test_more_files_than_are_handed_out_at_once(desk, tmp_path):
    files = tmp_path / "many"
    files.mkdir()
    for n in range(200):
        (files / f"{n}.mov").write_bytes(b"x")
    assert desk.shift.add([files]) == 200
    assert set(desk.go_on().values()) == {State.REFUSED} and len(desk.states) == 200
    assert all(Path(file.path).exists() and file.told.sentence for file in desk.shift.files)
