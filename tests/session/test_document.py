"""Work kept between sittings."""

import sqlite3
from types import MappingProxyType

from hypothesis import given
from hypothesis import strategies as st

from bluffline.measure.areas import Area, Shape
from bluffline.rules.shots import Shot
from bluffline.session.document import DocumentStore, _as_data, _from_data
from bluffline.session.work import FollowedArea, Work
from bluffline.signal.levels import Levels, Range
from bluffline.treat.steps import ChromaRein, LevelRemap, RemapMode, SoftCeiling, SoftFloor

SHOTS = [Shot(0, 11), Shot(12, 23)]
LOGO = FollowedArea(Area("logo", Shape.RECTANGLE, ((10.0, 5.0), (30.0, 20.0)))).moved(3, 0, 1)
REMAP = LevelRemap.mistagged(RemapMode.FULL_TO_NARROW, 10, Levels.of(10, Range.NARROW))
WORK = Work(MappingProxyType({1: (REMAP, SoftCeiling(103, 109, 90), SoftFloor(-1, -7, 4, hard=True))}), (LOGO,))

number = st.floats(-20, 120).map(lambda value: round(value, 2))
steps = st.one_of(
    st.builds(lambda limit, over: SoftCeiling(limit, limit + over, limit - 5), number, st.floats(0, 9)),
    st.builds(lambda low: ChromaRein(low, low + 50.0, onset=7.5, bypassed=True), number),
)
areas = st.builds(lambda a, b, c: FollowedArea(Area("face", Shape.POLYGON, (a, b, c))), *3 * [st.tuples(number, number)])


@given(st.dictionaries(st.integers(0, 40), st.lists(steps, max_size=3).map(tuple), max_size=3), st.lists(areas, max_size=3))
def test_any_work_comes_back_as_it_was(treatments, drawn):
    work = Work(MappingProxyType(treatments), tuple(drawn))
    assert _from_data(_as_data(work)) == work


def test_work_is_kept_for_the_file_and_the_shots_it_was_done_on(over_clip, tmp_path):
    copy = tmp_path / "programme.mkv"
    copy.write_bytes(over_clip.read_bytes())
    store = DocumentStore(tmp_path / "work.sqlite")
    assert store.recall(copy, SHOTS) is None
    assert store.keep(copy, SHOTS, WORK) and store.recall(copy, SHOTS) == WORK
    assert store.recall(copy, [Shot(0, 23)]) == Work(areas=WORK.areas), "treatments belong to shots"
    assert store.keep(copy, SHOTS, Work()) and store.recall(copy, SHOTS) == Work(), "the last word counts"
    copy.write_bytes(over_clip.read_bytes() + b" ")
    assert store.recall(copy, SHOTS) is None, "another file under the same name"


def test_a_store_that_can_not_be_used_breaks_nothing(over_clip, tmp_path):
    broken = tmp_path / "broken.sqlite"
    broken.write_text("this is no database, whatever its name says about it")
    later = tmp_path / "later.sqlite"
    with sqlite3.connect(later) as store:
        store.execute("pragma user_version = 99")
    store.close()
    for path in (broken, later, tmp_path / "broken.sqlite" / "under-a-file.sqlite"):
        assert not DocumentStore(path).keep(over_clip, SHOTS, WORK)
        assert DocumentStore(path).recall(over_clip, SHOTS) is None


def test_an_area_is_followed_shot_by_shot():
    moved = FollowedArea(Area("a", Shape.RECTANGLE, ((0, 0), (4, 4)))).moved(10, 0, None).moved(0, 5, 2)
    assert moved.in_shot(0).points == ((10, 0), (14, 4)) and moved.in_shot(2).points == ((10, 5), (14, 9))
    assert moved.moved(1, 0, None).in_shot(2).points == ((10, 5), (14, 9)), "a place of its own is its own"
    assert moved.renamed("b").in_shot(2).name == "b"
