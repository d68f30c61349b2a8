"""Which shot is whose, what is divided where, and what goes along to another delivery: each where it turns."""

from dataclasses import replace
from types import MappingProxyType

import numpy as np
import pytest

from bluffline.errors import SettingsError
from bluffline.measure.areas import Area, Shape
from bluffline.measure.table import LOOK_SIZE
from bluffline.rules.finding import Waiver
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition, TransitionKind
from bluffline.session import rungs
from bluffline.session.drawn import DrawnAreas
from bluffline.session.fingerprint import fingerprint, fingerprint_before_5, stamped
from bluffline.session.likeness import alike, brought_over, looks_of, same_pictures
from bluffline.session.work import OWN, Aside, Cuts, FollowedArea, Shared, Work, _home, _touched, carried, left_behind, rehomed
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.step import Heading
from surveys import table_of

TENS = [Shot(10 * n, 10 * n + 9) for n in range(4)]
DARKER, BRIGHTER = (Tone(exposure=-1.0),), (Tone(exposure=1.0),)


# Shots and cuts ------------------------------------------------------------------------------------------------------


def test_shots_begin_where_it_is_listed_and_in_a_transition_by_that():
    mixed = Transition(TransitionKind.DISSOLVE, 8, 11)
    found = [Shot(0, 9, closes=mixed), Shot(10, 19, opens=mixed), Shot(20, 29)]
    for start, meant in ((7, {7}), (8, set()), (10, set()), (12, set()), (13, {13})):
        cuts = Cuts.listed([0, start, 20], found)
        assert cuts.parted == meant | {0} and cuts.joined == (set() if not meant else {10}), start
    assert [(shot.first, shot.last) for shot in Cuts.listed([0, 5], found).of(found)] == [(0, 4), (5, 29)]


def test_cuts_lie_inside_the_programme_and_keep_how_shots_come_and_go():
    mixed = Transition(TransitionKind.DISSOLVE, 8, 11)
    found = [Shot(0, 9, closes=mixed), Shot(10, 19, opens=mixed)]
    cuts = Cuts(frozenset({0, 1, 15, 19, 20, 30}), frozenset({0}))
    made = cuts.of(found)
    assert [(shot.first, shot.last) for shot in made] == [(0, 0), (1, 9), (10, 14), (15, 18), (19, 19)]
    assert [(shot.opens, shot.closes) for shot in made] == [
        (None, None),
        (None, mixed),
        (mixed, None),
        (None, None),
        (None, None),
    ]
    assert Cuts().of(found) == found and Cuts().of(found)[0] is found[0] and Cuts(frozenset({5})).of([]) == []
    assert Cuts(frozenset({15})).of(found)[0] is found[0], "what is not divided is the same shot"
    assert Cuts().part(5).join(5) == Cuts(joined=frozenset({5})) and Cuts().join(5).part(5) == Cuts(frozenset({5}))


@pytest.mark.parametrize(
    ("shot", "numbers"),
    [
        (Shot(0, 9), [0]),
        (Shot(9, 10), [0, 1]),
        (Shot(5, 25), [0, 1, 2]),
        (Shot(39, 60), [3]),
        (Shot(40, 60), []),
        (Shot(10, 10), [1]),
    ],
)
def test_shots_are_touched_that_share_a_frame(shot, numbers):
    assert list(_touched(shot, TENS)) == numbers


@pytest.mark.parametrize(
    ("shot", "home"),
    [
        (Shot(0, 9), 0), (Shot(5, 14), 0), (Shot(4, 14), 0), (Shot(6, 14), 1), (Shot(5, 24), 1), (Shot(4, 24), None),
        (Shot(35, 44), 3), (Shot(36, 44), None),
    ],
)  # fmt: skip
def test_a_shot_takes_over_from_the_one_that_covers_half_of_it(shot, home):
    assert _home(shot, TENS) == home


def test_work_goes_to_the_shots_that_there_are_and_comes_back_from_aside():
    work = Work(MappingProxyType({0: DARKER, 3: BRIGHTER}), reasons=MappingProxyType({3: ("why",)}))
    halves = [Shot(0, 4), Shot(5, 9), *TENS[1:]]
    parted = carried(work, TENS, halves)
    assert dict(parted.treatments) == {0: DARKER, 1: DARKER, 4: BRIGHTER} and parted.reasons == {4: ("why",)}
    assert parted.aside == () and carried(work, TENS, TENS) is work and carried(work, TENS, []) is work
    shorter = carried(work, TENS, TENS[:3])
    assert dict(shorter.treatments) == {0: DARKER} and shorter.aside == (Aside(TENS[3], BRIGHTER),)
    back = carried(shorter, TENS[:3], TENS)
    assert dict(back.treatments) == {0: DARKER, 3: BRIGHTER} and back.aside == ()
    taken = carried(replace(shorter, aside=(Aside(TENS[0], BRIGHTER),)), TENS[:3], [*TENS[:2], Shot(20, 40)])
    assert taken.aside == (Aside(TENS[0], BRIGHTER),), "a shot that has steps keeps them"


def test_groups_and_areas_go_with_their_shots():
    area = FollowedArea(
        Area("a", Shape.RECTANGLE, ((0, 0), (9, 9))), MappingProxyType({1: Area("a", Shape.RECTANGLE, ((5, 5), (9, 9)))})
    )
    group, empty = Shared(Heading.GROUP, DARKER, "room", frozenset({1, 2})), Shared(Heading.SOURCE, BRIGHTER)
    work = Work(areas=(area,), shared=(group, empty, Shared(Heading.GROUP, (), "none", frozenset({3}))))
    now = rehomed(work, TENS, {0: 2, 1: 0})
    assert now.shared == (replace(group, shots=frozenset({0})), empty) and now.areas[0].shots == {} and now.aside == ()
    gone = rehomed(work, TENS, {0: 0, 1: 3})
    assert gone.shared == (empty, replace(work.shared[2], shots=frozenset({1}))) and [each.made_for for each in gone.aside] == [
        TENS[1]
    ]
    assert left_behind(Work(MappingProxyType({0: DARKER, 1: DARKER, 9: DARKER})), TENS, {5: 1}) == [Aside(TENS[0], DARKER)]


def test_ladders_are_of_shots_that_there_are_and_taken_over_where_nothing_changed():
    shared = Shared(Heading.GROUP, BRIGHTER, "room", frozenset({1, 7}))
    work = Work(MappingProxyType({0: DARKER, 4: DARKER}), shared=(shared,))
    assert set(work.ladders(4)) == {0, 1} and set(work.ladders(5)) == {0, 1, 4} and work.ladders(5)[1] == BRIGHTER
    known = work.ladders(5)
    again = work.treated(0, BRIGHTER).ladders(5, work, known)
    assert again[4] is known[4] and again[0] == BRIGHTER
    fresh = replace(work, shared=()).ladders(5, work, known)
    assert set(fresh) == {0, 4} and fresh[4] is not known[4], "others are shared"
    every = Work(shared=(Shared(Heading.OVER_ALL, DARKER),))
    assert set(every.ladders(3)) == {0, 1, 2} and Work(shared=(Shared(Heading.OVER_ALL),)).ladders(3) == {}


def test_reasons_hold_as_long_as_the_figures_do():
    work = Work().treated(0, (*DARKER, ChromaRein(-5, 105)), ("why",))
    assert work.changed(0, (replace(DARKER[0], on=False), ChromaRein(-5, 105))).reasons == {0: ("why",)}
    assert work.changed(0, BRIGHTER).reasons == {} and work.changed(0, DARKER).reasons == {}
    assert work.changed(0, (*DARKER, Tone(exposure=2.0))).reasons == {}
    assert work.treated(0, (), ("why",)).reasons == {} and work.treated(0, DARKER).reasons == {}


# Rungs ---------------------------------------------------------------------------------------------------------------


def test_a_rung_moves_as_far_as_its_own_kind_under_its_heading():
    limits = ChromaRein(-5, 105), SoftCeiling(103, 109, 90)
    work = Work(MappingProxyType({0: (Tone(exposure=1.0), Tone(exposure=2.0), *limits)}))
    assert rungs.moved(work, 0, 0, 1).ladder(0)[:2] == (Tone(exposure=2.0), Tone(exposure=1.0))
    assert rungs.moved(work, 0, 1, -1) == rungs.moved(work, 0, 0, 1)
    for place, by, words in (
        (0, -1, "is the first under"),
        (1, 1, "is the last under"),
        (2, -1, "is the first under"),
        (3, 1, "is the last under"),
    ):
        with pytest.raises(SettingsError, match=words):
            rungs.moved(work, 0, place, by)
    shared = replace(work, shared=(Shared(Heading.GROUP, BRIGHTER, "room", frozenset({0})),))
    assert [rung.owner for rung in shared.rungs(0)] == [OWN, OWN, 0, OWN, OWN]
    assert rungs.removed(shared, 0, 2).shared[0].steps == () and rungs.removed(work, 0, 1).ladder(0) == (
        Tone(exposure=1.0),
        *limits,
    )


def test_a_group_is_named_given_to_and_ended():
    work = Work(MappingProxyType({0: (Tone(exposure=1.0), ChromaRein(-5, 105))}))
    made = rungs.grouped(work, 0, "room", [0, 1], [0, 1])
    assert made.shared == (Shared(Heading.GROUP, (Tone(exposure=1.0, heading=Heading.GROUP),), "room", frozenset({0, 1})),)
    assert made.treatments[0] == (ChromaRein(-5, 105),) and rungs.grouped(made, 0, "room", []).shared == ()
    beside = rungs.grouped(work, 0, "room", [1], [0])
    assert beside.treatments[0] == work.treatments[0], "it stays with a shot that is none of the group"
    two = rungs.grouped(rungs.grouped(made, 0, "yard", [2]), 0, "room", [3])
    assert [(each.name, each.shots) for each in two.shared] == [("room", {3}), ("yard", {2})], "in its place, with its steps"
    assert two.shared[0].steps == made.shared[0].steps
    for name, given, words in ((" ", [], "needs a name"), ("room", [1], "None of these steps")):
        with pytest.raises(SettingsError, match=words):
            rungs.grouped(work, 0, name, [0], given)


# Files and likeness --------------------------------------------------------------------------------------------------


def test_a_programme_is_known_by_what_is_in_it(tmp_path):
    one, other = tmp_path / "a.mov", tmp_path / "b.mov"
    one.write_bytes(bytes(200_000))
    other.write_bytes(bytes(200_000))
    assert fingerprint([one]) == fingerprint([other])
    for place in (0, 16_383, 100_000, 199_999):
        changed = bytearray(200_000)
        changed[place] = 1
        other.write_bytes(changed)
        assert fingerprint([one]) != fingerprint([other]) and fingerprint_before_5(one) != fingerprint_before_5(other), place
    other.write_bytes(bytes(200_001))
    assert fingerprint([one]) != fingerprint([other])
    tiny = tmp_path / "tiny"
    tiny.write_bytes(b"x")
    assert fingerprint([tiny]) != fingerprint([one]) and stamped("x", [one]) != stamped("y", [one])


def test_numbered_pictures_are_known_by_names_sizes_and_some_of_them(tmp_path):
    files = [tmp_path / f"{n:03d}.png" for n in range(100)]
    for file in files:
        file.write_bytes(bytes(40_000))
    before = fingerprint(files)
    for number in (0, 99):
        changed = bytearray(40_000)
        changed[20_000] = 1
        files[number].write_bytes(changed)
        assert fingerprint(files) != before
        files[number].write_bytes(bytes(40_000))
    assert fingerprint(files) == before != fingerprint(files[:99]) and fingerprint(files[:2]) != fingerprint(files[1:3])


def test_shots_are_alike_as_far_as_their_looks_are():
    looks = np.zeros((2, LOOK_SIZE + 8), np.uint8)
    looks[:, :144] = np.random.default_rng(1).integers(40, 180, (2, 144))
    for off, known in ((15, True), (16, False)):
        moved = looks.copy()
        moved[:, :144] += np.uint8(off)
        assert (alike(looks, moved) == {0: 0, 1: 1}) is known and (alike(looks, moved) == {}) is not known
    for shares, known in ((254, True), (255, False)):
        hues = looks.copy()
        hues[:, 144] = shares
        assert (alike(looks, hues) == {0: 0, 1: 1}) is known
    marked = looks.copy()
    marked[0, -1] = 7
    assert same_pictures(marked, marked, {0: 0, 1: 1}) == {0: 0} and same_pictures(marked, looks, {0: 0}) == {}
    table = table_of(20)
    table.rows["look"][14] = 9
    assert (looks_of(table, TENS[1:2])[0, :LOOK_SIZE] == 9).all(), "of its middle frame"


def test_a_waiver_comes_along_where_all_its_frames_are_there_as_one_run():
    later = [Shot(shot.first + 5, shot.last + 5) for shot in TENS]
    pairs = {n: n for n in range(4)}

    def there(first, last, now=later, same=pairs):
        work = Work(waivers=(Waiver("black", "so", "D", "2026", first, last),))
        return [(each.first_frame, each.last_frame) for each in brought_over(work, TENS, now, pairs, same).waivers]

    assert there(12, 17) == [(17, 22)] and there(9, 10) == [(14, 15)] and there(None, None) == []
    assert there(9, 10, same={1: 1}) == [] and there(10, 19, same={1: 1}) == [(15, 24)]
    assert there(9, 10, now=[later[0], Shot(20, 29), *later[2:]]) == [], "they lie apart there"


def test_areas_are_named_by_the_next_free_number_and_moved_where_they_are():
    work, pushed = [Work()], []

    def push(state, act, gesture):
        work[0] = state
        pushed.append(act)

    drawn = DrawnAreas(lambda: work[0], lambda: 2, push)
    box = ((0, 0), (10, 10))
    drawn.add(Shape.RECTANGLE, box)
    drawn.add(Shape.RECTANGLE, box)
    drawn.remove(0)
    drawn.add(Shape.RECTANGLE, box)
    assert [each.area.name for each in work[0].areas] == ["area 2", "area 1"]
    drawn.mark("face", Shape.RECTANGLE, box)
    drawn.mark("face", Shape.RECTANGLE, ((5, 5), (9, 9)))
    assert (
        len(work[0].areas) == 3
        and work[0].areas[2].in_shot(2).points == ((5, 5), (9, 9))
        and work[0].areas[2].area.points == box
    )
    drawn.move(0, 1, 2)
    drawn.move(1, 1, 2, only_here=True)
    assert work[0].areas[0].shots == {} and work[0].areas[0].area.points[0] == (1, 2)
    assert work[0].areas[1].area.points == box and work[0].areas[1].in_shot(2).points[0] == (1, 2)
    drawn.move(1, 1, 0)
    assert work[0].areas[1].area.points == box and work[0].areas[1].in_shot(2).points[0] == (2, 2), (
        "it has a place of its own here"
    )
