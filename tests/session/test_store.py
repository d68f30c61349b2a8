"""Work kept between sittings."""

import json
import os
import sqlite3
from contextlib import closing
from dataclasses import replace
from types import MappingProxyType

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.measure.areas import Area, Shape
from bluffline.media.opening import Opening
from bluffline.rules.shots import Shot
from bluffline.session.fingerprint import fingerprint, fingerprint_before_5
from bluffline.session.store import MOST_FRAMES, VERSION, DocumentStore, Known, shots_from
from bluffline.session.work import Aside, FollowedArea, Shared, Work, carried
from bluffline.signal.levels import Levels, Range
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.lut import LARGEST, Lut
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import shifted
from bluffline.treat.reach import Pose, Reach, ReachArea
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


def known(path):
    """What a programme is known by now."""
    return Known(fingerprint(Opening.of(path).files), path)


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
    assert store.keep(known(folder / "p.mov"), SHOTS, work) and store.recall(known(folder / "p.mov")) == (work, SHOTS)


def test_work_is_kept_among_the_users_own_data(tmp_path):
    assert DocumentStore().path == tmp_path / "data" / "bluffline" / "work.sqlite"


def test_work_is_kept_for_what_is_in_the_file_wherever_it_lies(tmp_path):
    first = tmp_path / "programme.mov"
    first.write_bytes(bytes(range(256)) * 4000)
    store = DocumentStore(tmp_path / "work.sqlite")
    assert store.recall(known(first)) is None and store.changed(known(first).content) == ""
    assert store.keep(known(first), SHOTS, WORK) and store.recall(known(first)) == (WORK, SHOTS)
    assert store.changed(known(first).content).startswith("20")
    assert store.keep(known(first), SHOTS, Work()) and store.recall(known(first)) == (Work(), SHOTS), "the last word counts"
    store.keep(known(first), SHOTS, WORK)
    (tmp_path / "aired").mkdir()
    moved = first.rename(tmp_path / "aired" / "renamed.mov")
    os.utime(moved, (1, 1))
    assert store.recall(known(moved)) == (WORK, SHOTS), "moved, renamed and touched"
    data = bytearray(moved.read_bytes())
    data[500_000] ^= 1
    moved.write_bytes(data)
    assert store.recall(known(moved)) is None, "written anew, though it be of the same size"
    moved.write_bytes(bytes(range(256)) * 4000)
    assert store.recall(known(moved)) == (WORK, SHOTS)


def test_a_delivery_under_a_known_name_leaves_the_work_on_the_one_before(tmp_path):
    path, store = tmp_path / "p.mov", DocumentStore(tmp_path / "work.sqlite")
    path.write_bytes(b"first")
    first = known(path)
    assert store.keep(first, SHOTS, WORK)
    path.write_bytes(b"second")
    assert store.recall(known(path)) is None and store.keep(known(path), SHOTS, Work())
    path.rename(tmp_path / "second.mov")
    path.write_bytes(b"first")
    assert store.recall(known(path)) == (WORK, SHOTS) and store.recall(known(tmp_path / "second.mov")) == (Work(), SHOTS)


def test_a_file_that_is_moved_worked_on_and_moved_back_has_the_later_work(tmp_path):
    here, there, store = tmp_path / "a.mov", tmp_path / "b.mov", DocumentStore(tmp_path / "work.sqlite")
    here.write_bytes(b"picture")
    store.keep(known(here), SHOTS, Work())
    here.rename(there)
    store.keep(known(there), SHOTS, WORK)
    there.rename(here)
    assert store.recall(known(here)) == (WORK, SHOTS)


def test_work_on_numbered_pictures_comes_back_however_they_are_named_and_whatever_lies_beside(tmp_path):
    folder, store = tmp_path / "shot", DocumentStore(tmp_path / "work.sqlite")
    folder.mkdir()
    for number in range(100):
        (folder / f"p_{number:04d}.dpx").write_bytes(bytes([number]) * 40_000)
    assert store.keep(known(folder / "p_%04d.dpx"), SHOTS, WORK)
    (folder / "p.bluffline").write_bytes(b"what lies beside them is not theirs")
    assert store.recall(known(folder / "p_%04d.dpx")) == store.recall(known(folder)) == (WORK, SHOTS)
    (folder / "p_0099.dpx").write_bytes(bytes([7]) * 40_000)
    assert store.recall(known(folder)) is None, "other pictures of the same size"


def test_a_name_need_not_be_text(tmp_path):
    path, store = tmp_path / os.fsdecode(b"p\xff.mov"), DocumentStore(tmp_path / "work.sqlite")
    path.write_bytes(b"picture")
    assert store.keep(known(path), SHOTS, WORK) and store.recall(known(path)) == (WORK, SHOTS)
    assert [each.known for each in store.listed()] == [known(path)]


def test_work_on_a_file_that_is_moved_while_it_is_open_is_kept(tmp_path):
    programme, store = tmp_path / "p.mov", DocumentStore(tmp_path / "work.sqlite")
    programme.write_bytes(b"picture")
    opened = known(programme)
    moved = programme.rename(tmp_path / "aired.mov")
    assert store.keep(opened, SHOTS, WORK) and store.recall(known(moved)) == (WORK, SHOTS)


@pytest.mark.parametrize(
    "step",
    [
        Lut("curves", 0.0, 1.0, np.linspace([0, 0, 0], [1, 1, 1], LARGEST[1]).astype(np.float32)),
        Lut("cube", 0.0, 1.0, np.zeros((65, 65, 65, 3), np.float32)),
        Tone(
            0.2,
            reach=Reach(
                True, (ReachArea(Shape.ELLIPSE, ((1, 1), (9, 9)), 0.0, tuple(Pose(n, n / 100) for n in range(20_000))),)
            ),
        ),
    ],
    ids=["the longest curves", "a cube", "an area followed for long"],
)
def test_what_an_act_can_make_can_be_read_again(tmp_path, step):
    path, store = tmp_path / "p.mov", DocumentStore(tmp_path / "work.sqlite")
    path.write_bytes(b"picture")
    work = Work(MappingProxyType({0: (step,)}))
    assert store.keep(known(path), SHOTS, work), store.told
    assert store.recall(known(path)) == (work, SHOTS)


def test_what_could_not_be_read_again_is_not_kept_and_what_was_kept_stays(tmp_path):
    path, store = tmp_path / "p.mov", DocumentStore(tmp_path / "work.sqlite")
    path.write_bytes(b"picture")
    store.keep(known(path), SHOTS, WORK)
    impossible = replace(WORK, areas=(FollowedArea(replace(LOGO.area, name="x" * 20_000)),))
    assert not store.keep(known(path), SHOTS, impossible) and "not be kept: area: name must be a shorter text" in store.told
    assert store.recall(known(path)) == (WORK, SHOTS)


def several(folder, count):
    """A store with work on so many programmes, and those."""
    store, programmes = DocumentStore(folder / "work.sqlite"), [folder / f"{n}.mov" for n in range(count)]
    for n, path in enumerate(programmes):
        path.write_bytes(bytes([n]))
        assert store.keep(known(path), SHOTS, WORK)
    return store, programmes


def test_work_that_cannot_be_read_is_put_aside_alone(tmp_path):
    store, programmes = several(tmp_path, 3)
    with closing(sqlite3.connect(store.path)) as opened, opened:
        opened.execute("update kept set work = '{' where content = ?", (known(programmes[1]).content,))
    assert store.recall(known(programmes[1])) is None and "1.mov can't be read: it is damaged. It is put aside" in store.told
    assert [store.recall(known(path)) for path in programmes] == [(WORK, SHOTS), None, (WORK, SHOTS)]
    with closing(sqlite3.connect(store.path)) as opened:
        assert opened.execute("select work from aside").fetchall() == [("{",)], "nothing is lost"


def test_old_work_is_listed_and_goes_only_when_it_is_told_to(tmp_path):
    store, programmes = several(tmp_path, 4)
    assert [each.known for each in store.listed()] == [known(path) for path in programmes]
    assert all(each.size > 100 and each.changed > "2026" for each in store.listed())
    store.clear([known(path).content for path in programmes[:2]])
    assert [store.recall(known(path)) for path in programmes] == [None, None, (WORK, SHOTS), (WORK, SHOTS)]


def test_keeping_and_recalling_look_at_one_row(tmp_path):
    store = DocumentStore(tmp_path / "work.sqlite")
    path = tmp_path / "p.mov"
    path.write_bytes(b"picture")
    store.keep(known(path), SHOTS, WORK)
    with closing(sqlite3.connect(store.path)) as opened:
        plan = opened.execute("explain query plan select shots, work from kept where content = 'x'").fetchall()
    assert "SEARCH" in plan[0][3] and "SCAN" not in plan[0][3]


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
    work, shots = DocumentStore(path).recall(known(programme))
    assert shots == SHOTS and work.treatments == {1: (SoftCeiling(103, 109, 90),)} and work.aside == ()
    with closing(sqlite3.connect(path)) as store:
        assert store.execute("pragma user_version").fetchone() == (VERSION,)


@pytest.mark.parametrize("fault", ["no database", "cut", "later"])
def test_a_damaged_or_a_later_file_is_put_aside_and_told_and_work_goes_on(tmp_path, fault):
    programme, path = tmp_path / "p.mov", tmp_path / "store" / "work.sqlite"
    programme.write_bytes(b"picture")
    assert DocumentStore(path).keep(known(programme), SHOTS, WORK)
    with closing(sqlite3.connect(path)) as store, store:
        store.execute("pragma wal_checkpoint(truncate)")
        store.execute("insert into aside select content, name, shots, hex(randomblob(90000)), changed, looks from kept")
        if fault == "later":
            store.execute("pragma user_version = 99")
    whole = path.read_bytes()
    if fault == "no database":
        path.write_text("this is no database, whatever its name says about it")
    elif fault == "cut":
        path.write_bytes(whole[: len(whole) // 2])
    store = DocumentStore(path)
    assert store.recall(known(programme)) is None
    assert "put aside as" in store.told and ("later version" if fault == "later" else "damaged") in store.told
    assert [file for file in path.parent.iterdir() if file.name.startswith("work.sqlite.")], "nothing is lost"
    assert store.keep(known(programme), SHOTS, WORK) and DocumentStore(path).recall(known(programme)) == (WORK, SHOTS)


def test_where_nothing_can_be_kept_it_is_said_and_nothing_breaks(tmp_path):
    programme = tmp_path / "p.mov"
    programme.write_bytes(b"picture")
    store = DocumentStore(programme / "under-a-file.sqlite")
    assert not store.keep(known(programme), SHOTS, WORK) and "could not be kept" in store.told
    assert store.recall(known(programme)) is None and "could not be read" in store.told


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


FOLLOWED = ReachArea(Shape.ELLIPSE, ((30, 30), (50, 50)), 0.0, (Pose(14, 0.0), Pose(20, 12.0)))


def test_a_followed_area_stands_where_it_stood_however_its_shot_is_divided():
    step = Tone(0.2, reach=Reach(True, (FOLLOWED,)))
    work = Work(MappingProxyType({1: (step,)}))
    parts = carried(work, SHOTS, [Shot(0, 11), Shot(12, 17), Shot(18, 23)])
    for number in (1, 2):
        assert parts.treatments[number][0].reach.at(17) == step.reach.at(17)


def test_work_from_before_follows_areas_by_frames_of_their_shots_and_is_brought_up(tmp_path):
    path, store = tmp_path / "p.mov", DocumentStore(tmp_path / "work.sqlite")
    path.write_bytes(b"picture")
    in_programme = Tone(0.2, reach=Reach(True, (FOLLOWED,)))
    (in_shot,) = shifted((in_programme,), -12)
    beyond = len(SHOTS)  # a number that no shot has any more is no reason to lose the rest
    old = Work(MappingProxyType({1: (in_shot,), beyond: (in_shot,)}), (), (Aside(Shot(12, 23), (in_shot,)),))
    assert store.keep(known(path), SHOTS, old)
    with closing(sqlite3.connect(store.path)) as opened, opened:
        opened.execute("update kept set work = replace(work, 'frames of the programme', 'frames of their shots')")
    work, _ = store.recall(known(path))
    assert work.treatments[1] == work.aside[0].treatment == (in_programme,) and work.treatments[beyond] == (in_shot,)


def test_places_before_the_first_frame_leave_an_area_where_it_stood():
    earlier = FOLLOWED.shifted(-17)
    assert [place.frame for place in earlier.follow] == [0, 3] and earlier.follow[0].across == 6.0
    assert FOLLOWED.shifted(-100).follow == (Pose(0, 12.0),) and FOLLOWED.shifted(5).shifted(-5) == FOLLOWED


def test_an_area_is_followed_shot_by_shot():
    moved = FollowedArea(Area("a", Shape.RECTANGLE, ((0, 0), (4, 4)))).moved(10, 0, None).moved(0, 5, 2)
    assert moved.in_shot(0).points == ((10, 0), (14, 4)) and moved.in_shot(2).points == ((10, 5), (14, 9))
    assert moved.moved(1, 0, None).in_shot(2).points == ((10, 5), (14, 9)), "a place of its own is its own"
    assert moved.renamed("b").in_shot(2).name == "b"


def test_the_mark_of_earlier_stores_looks_at_both_ends(tmp_path):
    path = tmp_path / "p.mov"
    marks = []
    for data in (b"a" * 3_000_000, b"b" + b"a" * 2_999_999, b"a" * 2_999_999 + b"b"):
        path.write_bytes(data)
        os.utime(path, (1, 1))
        marks.append(fingerprint_before_5(path))
    assert len(set(marks)) == 3


@pytest.mark.parametrize("place", [0, 1_421_000, 2_999_999])
def test_what_stands_at_either_end_or_between_tells_a_programme_from_another(tmp_path, place):
    path, other = tmp_path / "p.mov", tmp_path / "q.mov"
    path.write_bytes(bytes(3_000_000))
    other.write_bytes(bytes(place) + b"b" + bytes(2_999_999 - place))
    assert fingerprint([path]) != fingerprint([other])


def test_shots_end_before_the_longest_programme_does():
    assert shots_from(f"0-{MOST_FRAMES - 1}") == [Shot(0, MOST_FRAMES - 1)]
    with pytest.raises(SettingsError):
        shots_from(f"0-{MOST_FRAMES}")
