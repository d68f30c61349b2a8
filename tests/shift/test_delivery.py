"""A file is handed on with its certificate, as it was certified, into the folder of its profile."""

import json
import shutil
from contextlib import ExitStack

import pytest

from bluffline.media.target import certificate_paths
from bluffline.report.keys import Keys
from bluffline.shift.delivery import Decided
from bluffline.shift.profile import Profile
from bluffline.shift.states import State
from bluffline.ui.shift.chosen import can
from bluffline.ui.shift.words import found_in
from gateways import running
from shift.test_hand import Desk


@pytest.fixture
def there(tmp_path):
    """The folder that files go to."""
    (tmp_path / "playout").mkdir()
    return tmp_path / "playout"


@pytest.fixture
def desk(tmp_path, folder, there):
    """Two files, one certified as it stands and one with its proved copy."""
    made = Desk(tmp_path / "l.sqlite", [Profile("news", files=("*",), deliver=str(there), container=".mkv")])
    made.shift.add([folder])
    made.go_on()
    made.shift.certify(folder / "good.mkv")
    made.shift.legalise(folder / "over.mkv")
    made.go_on()
    assert (made.states["good.mkv"], made.states["over.mkv"]) == (State.GOOD, State.PROVED)
    return made


def delivered(desk, path):
    desk.shift.deliver(path, "Rosalind")
    desk.go_on()
    return desk.states[path.name] is State.DELIVERED


def test_a_copy_and_a_file_as_it_stands_arrive_with_their_certificates(desk, folder, there):
    assert delivered(desk, folder / "good.mkv") and delivered(desk, folder / "over.mkv")
    for source, name in ((folder / "good.mkv", "good.mkv"), (folder / "legal" / "over-legal.mkv", "over-legal.mkv")):
        assert (there / name).read_bytes() == source.read_bytes()
        page, *others = certificate_paths(there / name)
        assert json.loads(page.read_text())["schema"].startswith("bluffline.") and all(each.exists() for each in others)
    assert len(list(there.iterdir())) == 10, "and nothing else"
    assert [file.by for file in desk.shift.files if file.path.name == "good.mkv"] == ["Rosalind"]


def test_what_was_handed_on_within_a_watched_folder_is_not_taken_in_hand_again(desk, folder, there, tmp_path):
    desk.shift.watch(tmp_path)
    assert delivered(desk, folder / "good.mkv") and delivered(desk, folder / "over.mkv")
    desk.go_on()
    assert (there / "good.mkv").exists() and len(desk.states) == 3


def test_what_the_desk_delivered_is_noted_where_it_is_in_hand(desk, folder):
    good, copy = folder / "good.mkv", folder / "legal" / "over-legal.mkv"
    desk.shift.decided(folder / "another.mkv", "http://g", Decided(accepted=False, reasons=("Why.",)), "Rosalind")
    assert (desk.states["good.mkv"], desk.states["over.mkv"]) == (State.GOOD, State.PROVED)
    desk.shift.decided(good, "http://g", Decided(accepted=True, reasons=()), "Rosalind")
    desk.shift.decided(copy, "http://g", Decided(accepted=False, reasons=("Not as it was signed.", "And more.")), "Rosalind")
    assert (desk.states["good.mkv"], desk.states["over.mkv"]) == (State.DELIVERED, State.TO_FIX)
    assert found_in(desk.shift.next()) == "sent back: Not as it was signed. And more."
    desk.shift.proved(folder / "over.mkv", "picture proved legal", "Rosalind", [copy])
    assert "sent back" not in found_in(next(file for file in desk.shift.files if file.path.name == "over.mkv"))


def test_what_is_there_already_is_left(desk, folder, there):
    (there / "good.mkv").write_bytes(b"another programme")
    assert not delivered(desk, folder / "good.mkv") and "There is another good.mkv" in desk.shift.told.pop()
    assert (there / "good.mkv").read_bytes() == b"another programme" and len(list(there.iterdir())) == 1
    shutil.copy(folder / "good.mkv", there / "good.mkv")
    assert delivered(desk, folder / "good.mkv"), "the same is as good as copied"


def test_only_what_was_certified_is_handed_on(desk, folder, there):
    copy = folder / "legal" / "over-legal.mkv"
    data = bytearray(copy.read_bytes())
    data[len(data) // 2] ^= 1
    copy.write_bytes(data)
    assert not delivered(desk, folder / "over.mkv") and "is not what was certified" in desk.shift.told.pop()
    assert desk.states["over.mkv"] is State.PROVED and list(there.iterdir()) == []
    page = certificate_paths(folder / "good.mkv")[0]
    page.write_text("{}")
    assert not delivered(desk, folder / "good.mkv") and "no certificate any more" in desk.shift.told.pop()
    there.rmdir()
    assert not delivered(desk, folder / "good.mkv") and "is not there" in desk.shift.told.pop()


def test_what_was_to_be_handed_on_when_it_was_killed_is(desk, folder, there, tmp_path):
    desk.shift.deliver(folder / "good.mkv", "Rosalind")
    desk.shift.step(0)
    again = Desk(tmp_path / "l.sqlite", desk.shift.profiles)
    again.go_on()
    assert again.states["good.mkv"] is State.DELIVERED and (there / "good.mkv").exists()


def test_what_a_gateway_sends_back_is_taken_next_with_its_reason_and_can_be_delivered_again(tmp_path, folder, monkeypatch):
    mine = Keys().own("Larkmoor, desk 3").public
    with ExitStack() as stack:
        with monkeypatch.context() as elsewhere:
            elsewhere.setenv("XDG_DATA_HOME", str(tmp_path / "playout"))
            theirs = Keys()
            address, _ = stack.enter_context(running(tmp_path / "g"))
        desk = Desk(tmp_path / "l.sqlite", [Profile("news", files=("*",), deliver=address, container=".mkv")])
        desk.shift.add([folder / "good.mkv"])
        desk.go_on()
        desk.shift.certify(folder / "good.mkv")
        desk.go_on()
        assert not delivered(desk, folder / "good.mkv")
        back = desk.shift.next()
        assert back.path.name == "good.mkv" and back.state is State.TO_FIX and can("deliver", back)
        assert "with a key that you don't trust" in found_in(back) and found_in(back).startswith("sent back: ")
        assert "sent back by http://" in desk.shift.told.pop()
        again = Desk(tmp_path / "l.sqlite", desk.shift.profiles)
        assert found_in(again.shift.next()) == found_in(back), "it is kept"
        theirs.trust(mine)
        assert delivered(desk, folder / "good.mkv") and (tmp_path / "g" / "accepted" / "good.mkv").exists()
