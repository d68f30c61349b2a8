"""Work finds its shots in a delivery that comes anew, by what they look like."""

import base64
from dataclasses import replace
from types import MappingProxyType

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.measure.areas import Area, Shape
from bluffline.measure.table import LOOK_SIZE
from bluffline.rules.finding import Waiver
from bluffline.rules.shots import Shot
from bluffline.session.likeness import alike, brought_over, looks_from, looks_of, looks_text, same_pictures
from bluffline.session.store import DocumentStore, Known
from bluffline.session.work import Cuts, FollowedArea, Shared, Work
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.reach import Pose, Reach, ReachArea
from bluffline.treat.step import Heading

WIDTH = LOOK_SIZE + 8


def pictures(count, seed=3):
    """(count, WIDTH) looks of as many pictures, none like another."""
    looks = np.zeros((count, WIDTH), np.uint8)
    looks[:, LOOK_SIZE:] = np.arange(1, count + 1)[:, None] + seed
    looks[:, :144] = np.random.default_rng(seed).integers(20, 220, (count, 144))
    return looks


def again(looks, seed=4):
    """The same pictures, coded anew."""
    noise = np.random.default_rng(seed).integers(-3, 4, looks.shape)
    noise[:, 144:LOOK_SIZE] = 0
    return np.clip(looks.astype(int) + noise, 0, 255).astype(np.uint8)


@given(st.sets(st.integers(0, 19)), st.lists(st.integers(0, 19), max_size=4))
def test_shots_that_are_there_again_are_found_whatever_was_taken_out_and_put_in(gone, put_in):
    before = pictures(20)
    rows = [(n, look) for n, look in enumerate(again(before)) if n not in gone]
    for place in put_in:
        rows.insert(min(place, len(rows)), (None, pictures(1, 100 + place)[0]))
    now = np.array([look for _, look in rows], np.uint8).reshape(-1, WIDTH)
    assert alike(before, now) == {place: n for place, (n, _) in enumerate(rows) if n is not None}


def test_the_order_is_kept_where_shots_look_the_same():
    before = pictures(4)
    now = again(before)[[0, 0, 1, 3, 3]]
    found = alike(before, now)
    assert list(found.values()) == sorted(found.values()) == [0, 1, 3] and found[2] == 1
    assert alike(before, pictures(5, 9)) == alike(before[:0], now) == alike(before, now[:0]) == {}


def test_shots_that_show_nothing_are_not_known_again():
    black, grey = np.full((1, WIDTH), 20, np.uint8), np.full((1, WIDTH), 120, np.uint8)
    before = np.concatenate([black, pictures(1), grey])
    assert alike(before, again(before)) == {1: 1} and alike(black, black) == {}


def test_shots_of_a_programme_look_like_themselves_all_through_and_like_no_other(demo_survey):
    shots = demo_survey.shots()
    looks = looks_of(demo_survey.table, shots)
    early = looks_of(demo_survey.table, [Shot(shot.first, shot.first + shot.length // 4) for shot in shots])
    late = looks_of(demo_survey.table, [Shot(shot.first + shot.length * 3 // 4, shot.last) for shot in shots])
    every = {number: number for number in range(len(shots))}
    assert alike(early, late) == alike(looks, early) == every
    for number in range(len(shots)):
        others = [n for n in range(len(shots)) if n != number]
        assert alike(looks[[number]], late[others]) == {}


def test_looks_are_kept_and_what_is_none_is_refused():
    looks = pictures(3)
    assert (looks_from(looks_text(looks)) == looks).all()
    unmarked = looks_from(base64.b64encode(looks[:, :LOOK_SIZE].tobytes()).decode())  # as they were kept once
    assert (unmarked[:, :LOOK_SIZE] == looks[:, :LOOK_SIZE]).all() and same_pictures(unmarked, unmarked, {0: 0}) == {}
    for text in ("?", base64.b64encode(b"x").decode()):
        with pytest.raises(ValueError, match=r".+"):
            looks_from(text)


FOLLOWED = ReachArea(Shape.ELLIPSE, ((30, 30), (50, 50)), 0.0, (Pose(12), Pose(20, 9.0)))
AT = "2026-11-29T16:41:00Z"
BEFORE = [Shot(0, 9), Shot(10, 29), Shot(30, 39)]
LOGO = Area("logo", Shape.RECTANGLE, ((1, 1), (9, 9)))
WORK = Work(
    MappingProxyType({0: (Tone(0.1),), 1: (Tone(0.2, reach=Reach(True, (FOLLOWED,))),), 2: (Tone(0.3),)}),
    (FollowedArea(LOGO).moved(3, 0, 1),), (), MappingProxyType({1: ("why",)}), Cuts(frozenset({10})),
    (
        Shared(Heading.OVER_ALL, (Tone(0.4, heading=Heading.OVER_ALL),)),
        Shared(Heading.GROUP, (Tone(0.5, heading=Heading.GROUP),), "kiln", frozenset({0, 1})),
        Shared(Heading.GROUP, (Tone(0.6, heading=Heading.GROUP),), "yard", frozenset({2})),
    ),
)  # fmt: skip


def test_work_goes_to_the_shots_that_are_there_and_what_has_none_is_kept_aside():
    now = [Shot(0, 4), Shot(5, 24)]
    brought = brought_over(WORK, BEFORE, now, {1: 1}, {})
    assert brought.treatments.keys() == {1} and brought.reasons == {1: ("why",)} and brought.cuts == Cuts()
    step = brought.treatments[1][0]
    assert [place.frame for place in step.reach.areas[0].follow] == [7, 15], "as much earlier as its shot is"
    assert brought.areas[0].shots.keys() == {1} and brought.shared[0] == WORK.shared[0]
    assert brought.shared[1] == replace(WORK.shared[1], shots=frozenset({1})) and len(brought.shared) == 2
    assert [(kept.made_for, kept.treatment[0].exposure) for kept in brought.aside] == [
        (BEFORE[0], 0.1), (BEFORE[2], 0.3), (BEFORE[2], 0.6),
    ]  # fmt: skip


def test_a_word_goes_with_the_same_pictures_and_is_asked_again_of_others():
    now = [Shot(0, 9), Shot(20, 29), Shot(30, 49)]  # ten frames were put in, and the last shot was coded anew
    before = [Shot(0, 9), Shot(10, 19), Shot(20, 39)]
    looks = pictures(3)
    fresh = looks.copy()
    fresh[2] = again(looks)[2]
    pairs = {0: 0, 1: 1, 2: 2}
    same = same_pictures(looks, fresh, pairs)
    assert same == {0: 0, 1: 1}
    given = [
        Waiver("luma-high", "a lamp", "Duty editor", AT, *frames)
        for frames in ((2, 5), (12, 19), (22, 25), (5, 14), (12, 22), (9, 12), (19, 21), (None, None))
    ]
    brought = brought_over(replace(WORK, waivers=tuple(given), cuts=Cuts()), before, now, pairs, same)
    assert [(each.first_frame, each.last_frame) for each in brought.waivers] == [(2, 5), (22, 29)]


def test_marks_are_of_every_frame(demo_survey):
    shots = demo_survey.shots()[:2]
    looks, table = looks_of(demo_survey.table, shots), demo_survey.table.frozen()
    pairs = {0: 0, 1: 1}
    assert same_pictures(looks, looks_of(table, shots), pairs) == pairs
    table._rows = table._rows.copy()
    table._rows["rgb_max"][shots[1].last] += 0.5
    assert same_pictures(looks, looks_of(table, shots), pairs) == {0: 0}


def test_the_work_on_the_latest_other_delivery_of_a_name_is_found(tmp_path):
    store, path, looks = DocumentStore(tmp_path / "work.sqlite"), tmp_path / "p.mov", pictures(3)
    found = [Shot(0, 29), Shot(30, 39)]
    assert store.delivered_before(Known("new", path)) is None
    for content, work in (("old", replace(WORK, areas=())), ("older", Work()), ("last", WORK)):
        assert store.keep(Known(content, path), found, work, looks)
    store.keep(Known("elsewhere", tmp_path / "q.mov"), found, WORK, looks)
    work, shots, seen = store.delivered_before(Known("new", path))
    assert work == WORK and shots == BEFORE and (seen == looks).all()
    assert store.delivered_before(Known("last", path)) is None, "the one before had nothing done to it"
    store.keep(Known("last", path), found, replace(WORK, areas=()))
    assert (store.delivered_before(Known("new", path))[2] == looks).all(), "looks stay where they are not known anew"
    store.keep(Known("last", path), found, WORK, looks[:2])
    assert store.delivered_before(Known("new", path)) is None, "looks of other shots than the work's"
