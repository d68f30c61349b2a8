"""Work carried in a file of its own; and one desk at a time on a programme."""

import os
import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing
from dataclasses import replace
from types import MappingProxyType

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.measure.areas import Area, Shape
from bluffline.media.probe import probe
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.session.hold import Hold
from bluffline.session.kept_surveys import SurveyStore
from bluffline.session.session import Session
from bluffline.session.store import DocumentStore
from bluffline.session.taking_in import take_in
from bluffline.session.work import Aside, Cuts, FollowedArea, Work
from bluffline.session.workfile import VERSION, read_work, save_work
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling

SHOTS = [Shot(0, 11), Shot(12, 23)]
CEILING, REIN = (SoftCeiling(103, 109, 90),), (ChromaRein(-5, 105),)
AREA = FollowedArea(Area("logo – a", Shape.RECTANGLE, ((10.0, 5.0), (30.0, 20.0))))
WORK = Work(MappingProxyType({2: CEILING}), (AREA,), (), MappingProxyType({2: ("why",)}), Cuts(frozenset({5})))


@pytest.fixture
def programme(over_clip, tmp_path):
    return shutil.copy2(over_clip, tmp_path / "programme.mkv")


@pytest.fixture
def saved(programme, tmp_path):
    save_work(tmp_path / "programme.bluffline", probe(programme), SHOTS, WORK)
    return tmp_path / "programme.bluffline"


def taken(path, folder):
    """A session that has opened a path, as a desk does, and surveyed it."""
    store = DocumentStore(folder / "work.sqlite")
    opened = take_in(path, load_rules("r103"), store, SurveyStore(folder / "surveys"))
    opened.hold.release()
    session = Session()
    session.take(opened)
    run_survey(session.survey, Monitor())
    session.refresh()
    return session, store, opened


def test_work_is_carried_to_another_machine_and_taken_up_there(saved, programme, tmp_path):
    elsewhere = tmp_path / "elsewhere"
    elsewhere.mkdir()
    shutil.copy(programme, elsewhere / programme.name)  # another time of change
    moved = saved.rename(elsewhere / saved.name)
    programme.unlink()
    session, store, opened = taken(moved, elsewhere)
    assert session.programme.path == elsewhere / programme.name and not opened.told
    assert session.document.work == WORK and session.shots == [Shot(0, 4), Shot(5, 11), Shot(12, 23)]
    assert store.keep(opened.known, session.document.found, session.document.work)
    assert taken(session.programme.path, elsewhere)[0].document.work == WORK, "from now on it is kept there"


def test_a_name_need_not_be_text(programme, tmp_path):
    odd = programme.rename(tmp_path / os.fsdecode(b"p\xff.mkv"))
    save_work(tmp_path / "w.bluffline", probe(odd), SHOTS, WORK)
    assert read_work(tmp_path / "w.bluffline").programme == odd
    odd.unlink()
    with pytest.raises(SettingsError, match=r"is work on p.*, which is neither beside it"):
        read_work(tmp_path / "w.bluffline")


def test_what_was_done_here_is_not_lost_to_work_that_is_brought(saved, programme, tmp_path):
    session, store, opened = taken(programme, tmp_path)
    session.document.set_treatment(0, REIN, "by hand")
    moved = replace(AREA, area=AREA.area.moved(3, 0))
    store.keep(opened.known, session.document.found, replace(session.document.work, areas=(AREA, moved)))
    session, _, _ = taken(saved, tmp_path)
    assert session.document.work.areas == (AREA, moved.renamed("logo – a here")), "one that both have is there once"
    assert session.document.treatments == {2: CEILING} and session.document.work.aside == (Aside(Shot(0, 11), REIN),)
    session.document.undo()
    assert session.document.treatments == {0: REIN} and session.shots == SHOTS


def test_of_another_file_it_is_said_so_and_work_without_its_programme_is_refused(saved, programme, tmp_path, clip):
    other = clip("other.mkv", lambda n: np.full((128, 256, 3), 0.2 + 0.3 * (n > 11)), 24)
    other.replace(programme)
    session, _, opened = taken(saved, tmp_path)
    assert "is another file than the work was made for" in opened.told and session.document.treatments == {2: CEILING}
    programme.unlink()
    with pytest.raises(SettingsError, match=r"is work on programme\.mkv, which is neither beside it nor at"):
        read_work(saved)


@pytest.mark.parametrize(
    ("statement", "words"),
    [
        ("update work set work = '[]'", "can't be work"),
        ('update work set work = \'{"treatments": {"0": [{"kind": "Glaze"}]}, "areas": []}\'', "can't be work"),
        ("update work set shots = '9-3'", "can't be work"),
        ("update work set track = 'first'", "can't be work"),
        ("update work set name = x'00ff'", "can't be work"),
        ("delete from work", "is no work file"),
        ("drop table work", "is no work file"),
        ("pragma application_id = 3", "is no work file"),
        (f"pragma user_version = {VERSION + 1}", "comes from a later version"),
    ],
)
def test_what_can_not_be_used_is_refused_in_a_sentence(saved, statement, words):
    with closing(sqlite3.connect(":memory:")) as store:
        store.deserialize(saved.read_bytes())
        store.execute(statement)
        store.commit()
        saved.write_bytes(store.serialize())
    with pytest.raises(SettingsError, match=words):
        read_work(saved)


@given(st.binary(max_size=200), st.integers(0, 8000))
def test_any_bytes_are_work_or_refused(tmp_path_factory, over_clip, noise, at):
    path = tmp_path_factory.mktemp("w") / "any.bluffline"
    save_work(path, probe(over_clip), SHOTS, WORK)
    data = bytearray(path.read_bytes())
    data[at : at + len(noise)] = noise
    path.write_bytes(data)
    try:
        found = read_work(path)
    except SettingsError:
        return
    assert isinstance(found.work, Work) and found.programme.exists()


def test_a_saved_file_is_whole_or_not_there(programme, tmp_path, monkeypatch):
    target = tmp_path / "kept.bluffline"
    save_work(target, probe(programme), SHOTS, Work())
    before = target.read_bytes()

    def refuse(_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", refuse)
    with pytest.raises(Exception, match="No space left"):
        save_work(target, probe(programme), SHOTS, WORK)
    assert target.read_bytes() == before and not list(tmp_path.glob(".kept*"))


def test_one_desk_at_a_time_has_a_programme_however_the_other_ends(tmp_path):
    first = Hold(tmp_path, "mark")
    with pytest.raises(SettingsError, match="Another desk"):
        Hold(tmp_path, "mark")
    Hold(tmp_path, "other").release()
    first.release()
    Hold(tmp_path, "mark").release()
    assert not list(tmp_path.glob("mark*"))
    code = (
        "import sys, os; from pathlib import Path; from bluffline.session.hold import Hold; "
        f"held = Hold(Path({str(tmp_path)!r}), 'mark'); print('held', flush=True); sys.stdin.read()"
    )
    with subprocess.Popen([sys.executable, "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE) as other:
        assert other.stdout.readline() == b"held\n"
        with pytest.raises(SettingsError, match="close it there"):
            Hold(tmp_path, "mark")
        other.kill()
        other.wait()
        Hold(tmp_path, "mark").release()


def test_where_no_desk_can_be_told_of_another_nothing_breaks(tmp_path):
    (tmp_path / "file").write_text("")
    Hold(tmp_path / "file" / "held", "mark").release()
