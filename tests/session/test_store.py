"""Work kept between sittings."""

import json
import os
import sqlite3
from contextlib import closing
from dataclasses import replace
from types import MappingProxyType

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.measure.areas import Area, Shape
from bluffline.rules.shots import Shot
from bluffline.session.fingerprint import fingerprint
from bluffline.session.store import VERSION, DocumentStore
from bluffline.session.work import Aside, FollowedArea, Shared, Work, carried
from bluffline.signal.levels import Levels, Range
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.step import Heading

SHOTS = [Shot(0, 11), Shot(12, 23)]
LOGO = FollowedArea(Area("logo", Shape.RECTANGLE, ((10.0, 5.0), (30.0, 20.0)))).moved(3, 0, 1)
REMAP = LevelRemap.mistagged(RemapMode.FULL_TO_NARROW, 10, Levels.of(10, Range.NARROW))
SHARED = (
    Shared(Heading.SOURCE, (REMAP,)),
    Shared(Heading.GROUP, (Tone(0.2, heading=Heading.GROUP),), "kiln yard", frozenset({0, 1})),
)
OWN = (replace(REMAP, heading=Heading.SHOT), SoftCeiling(103, 109, 90), SoftFloor(-1, -7, 4, hard=True))
WORK = Work(MappingProxyType({1: OWN}), (LOGO,), shared=SHARED)

number = st.floats(-20, 120).map(lambda value: round(value, 2))
steps = st.one_of(
    st.builds(lambda limit, over: SoftCeiling(limit, limit + over, limit - 5), st.floats(20, 110), st.floats(0, 9)),
    st.builds(lambda low: ChromaRein(low, low + 80.0, onset=7.5, on=False), st.floats(-30, 40)),
)
areas = st.builds(lambda a, b, c: FollowedArea(Area("face", Shape.POLYGON, (a, b, c))), *3 * [st.tuples(number, number)])


told = st.lists(st.text(max_size=9), max_size=2).map(tuple)
aside = st.builds(
    lambda first, steps: Aside(Shot(first, first + 9), tuple(steps)), st.integers(0, 99), st.lists(steps, max_size=2)
)


@given(
    st.dictionaries(st.integers(0, 40), st.lists(steps, max_size=3).map(tuple), max_size=3),
    st.lists(areas, max_size=3),
    st.lists(aside, max_size=2),
    st.dictionaries(st.integers(0, 40), told, max_size=2),
)
def test_any_work_comes_back_as_it_was(tmp_path_factory, treatments, drawn, left, reasons):
    folder = tmp_path_factory.mktemp("kept")
    (folder / "p.mov").write_bytes(b"picture")
    work = Work(MappingProxyType(treatments), tuple(drawn), tuple(left), MappingProxyType(reasons))
    store = DocumentStore(folder / "work.sqlite")
    assert store.keep(folder / "p.mov", SHOTS, work) and store.recall(folder / "p.mov") == (work, SHOTS)


def test_work_is_kept_for_what_is_in_the_file_wherever_it_lies(tmp_path):
    first = tmp_path / "programme.mov"
    first.write_bytes(bytes(range(256)) * 4000)
    store = DocumentStore(tmp_path / "work.sqlite")
    assert store.recall(first) is None
    assert store.keep(first, SHOTS, WORK) and store.recall(first) == (WORK, SHOTS)
    assert store.keep(first, SHOTS, Work()) and store.recall(first) == (Work(), SHOTS), "the last word counts"
    store.keep(first, SHOTS, WORK)
    (tmp_path / "aired").mkdir()
    moved = first.rename(tmp_path / "aired" / "renamed.mov")
    assert store.recall(moved) == (WORK, SHOTS)
    facts = moved.stat()
    data = bytearray(moved.read_bytes())
    data[500_000] ^= 1
    moved.write_bytes(data)
    assert store.recall(moved) is None, "written anew, though it be of the same size"
    moved.write_bytes(bytes(range(256)) * 4000)
    os.utime(moved, ns=(facts.st_atime_ns, facts.st_mtime_ns))
    assert store.recall(moved) == (WORK, SHOTS)


def test_work_on_a_file_that_is_moved_while_it_is_open_is_kept(tmp_path):
    programme, store = tmp_path / "p.mov", DocumentStore(tmp_path / "work.sqlite")
    programme.write_bytes(b"picture")
    mark = fingerprint(programme)
    moved = programme.rename(tmp_path / "aired.mov")
    assert store.keep(programme, SHOTS, WORK, mark) and store.recall(moved) == (WORK, SHOTS)


def test_work_kept_by_the_first_version_is_taken_up(tmp_path):
    programme, path = tmp_path / "p.mov", tmp_path / "work.sqlite"
    programme.write_bytes(b"picture")
    facts = programme.stat()
    ceiling = {"kind": "SoftCeiling", "limit": 103.0, "peak": 109.0, "knee": 90.0, "hard": False, "bypassed": False}
    with closing(sqlite3.connect(path)) as store, store:
        store.execute(
            "create table work (programme text primary key, identity text not null, shots text not null, work text not null, "
            "changed text not null)"
        )
        row = (
            str(programme),
            f"{facts.st_size} {facts.st_mtime_ns}",
            "0-11 12-23",
            json.dumps({"treatments": {"1": [ceiling]}, "areas": []}),
        )
        store.execute("insert into work values (?, ?, ?, ?, '2026-11-20')", row)
        store.execute("pragma user_version = 1")
    work, shots = DocumentStore(path).recall(programme)
    assert shots == SHOTS and work.treatments == {1: (SoftCeiling(103, 109, 90),)} and work.aside == ()
    with closing(sqlite3.connect(path)) as store:
        assert store.execute("pragma user_version").fetchone() == (VERSION,)


@pytest.mark.parametrize("fault", ["no database", "cut", "later", "wrong types", "no such step", "packed wrongly"])
def test_a_damaged_or_a_later_file_is_put_aside_and_told_and_work_goes_on(tmp_path, fault):
    programme, path = tmp_path / "p.mov", tmp_path / "store" / "work.sqlite"
    programme.write_bytes(b"picture")
    assert DocumentStore(path).keep(programme, SHOTS, WORK)
    with closing(sqlite3.connect(path)) as store, store:
        store.execute("pragma wal_checkpoint(truncate)")
        lut = {"kind": "Lut", "name": "x", "low": 0, "high": 1, "shape": [2, 3], "table": "AAAA"}
        texts = {
            "wrong types": {"treatments": [], "areas": 3},
            "no such step": {"treatments": {"0": [{"kind": "Glaze"}]}, "areas": []},
            "packed wrongly": {"treatments": {"0": [lut]}, "areas": []},
        }
        if fault in texts:
            store.execute("update work set work = ?", (json.dumps(texts[fault]),))
        if fault == "later":
            store.execute("pragma user_version = 99")
    whole = path.read_bytes()
    if fault == "no database":
        path.write_text("this is no database, whatever its name says about it")
    elif fault == "cut":
        path.write_bytes(whole[: len(whole) // 2])
    store = DocumentStore(path)
    assert store.recall(programme) is None
    assert "put aside as" in store.told and ("later version" if fault == "later" else "damaged") in store.told
    assert [file for file in path.parent.iterdir() if file.name.startswith("work.sqlite.")], "nothing is lost"
    assert store.keep(programme, SHOTS, WORK) and DocumentStore(path).recall(programme) == (WORK, SHOTS)


def test_where_nothing_can_be_kept_it_is_said_and_nothing_breaks(tmp_path):
    programme = tmp_path / "p.mov"
    programme.write_bytes(b"picture")
    store = DocumentStore(programme / "under-a-file.sqlite")
    assert not store.keep(programme, SHOTS, WORK) and "could not be kept" in store.told
    assert store.recall(programme) is None and "could not be read" in store.told
    assert not DocumentStore(tmp_path / "w.sqlite").keep(tmp_path / "gone.mov", SHOTS, WORK)


def test_work_is_carried_to_the_shots_that_a_programme_has_now():
    ceiling, rein = (SoftCeiling(103, 109, 90),), (ChromaRein(-5, 105, onset=7.5),)
    before = [Shot(0, 9), Shot(10, 19), Shot(20, 99)]
    work = Work(MappingProxyType({1: ceiling, 2: rein}), (LOGO,), (), MappingProxyType({1: ("why",)}))
    # The first two became one, and the last was divided: both halves keep what it had.
    now = [Shot(0, 19), Shot(20, 50), Shot(51, 99)]
    after = carried(work, before, now)
    assert after.treatments == {1: rein, 2: rein} and after.aside == (Aside(Shot(10, 19), ceiling),)
    assert carried(after, now, before).treatments == {1: ceiling, 2: rein}, "it comes back with its shot"
    assert carried(after, now, before).aside == () and carried(work, before, before) is work
    assert carried(work, before, []) is work, "a survey that has found nothing yet takes nothing away"
    moved = carried(work, before, [Shot(0, 4), Shot(5, 8), Shot(9, 19), Shot(20, 99)])
    assert moved.treatments == {2: ceiling, 3: rein} and moved.reasons == {2: ("why",)}
    assert moved.areas[0].shots.keys() == {2}, "where an area stood in a shot goes with it"


def test_an_area_is_followed_shot_by_shot():
    moved = FollowedArea(Area("a", Shape.RECTANGLE, ((0, 0), (4, 4)))).moved(10, 0, None).moved(0, 5, 2)
    assert moved.in_shot(0).points == ((10, 0), (14, 4)) and moved.in_shot(2).points == ((10, 5), (14, 9))
    assert moved.moved(1, 0, None).in_shot(2).points == ((10, 5), (14, 9)), "a place of its own is its own"
    assert moved.renamed("b").in_shot(2).name == "b"
