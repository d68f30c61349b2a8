"""Where rules of what is told beside the picture turn, and of the order of fields, by figures that are set one by one."""

from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest

from bluffline.measure.region import Region
from bluffline.media.programme import Track
from bluffline.media.timecode import Timecode
from bluffline.rules.evidence import Surveyed
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from surveys import RATE, SOURCE, WHOLE, at, found, frames, table_of, told_by

# What is told beside the picture --------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("said", "text", "told"),
    [
        (((0.0, 4.0),), "pause = 0.0", []),
        (((1.0, 4.0),), "by = 1.0", []),
        (((1.0, 4.0),), "by = 0.9", [("begin after 1.0 s: 0.9 s at most", 0, 24)]),
        (((1.0, 4.0),), "by = 2.0\npause = 0.5", [("begin after 1.0 s: 0.5 s at most", 0, 24)]),
        (((0.0, 1.0), (3.0, 4.0)), "pause = 2.0", []),
        (((0.0, 1.0), (3.0, 4.0)), "pause = 1.9", [("pause for 2.0 s: 1.9 s at most", 25, 74)]),
        (((0.0, 3.0),), "pause = 0.9", [("end, and 1.0 s are without: 0.9 s at most", 75, 99)]),
    ],
)
def test_captions_are_where_they_have_to_be(said, text, told):
    track = Track(3, "subtitle", "mov_text", "eng", said=said)
    every = found("captions", table_of(100), f"[captions]\n{text}", surveyed=told_by(tracks=[track]))
    assert [
        (each.reason.removeprefix("Captions of track 3 (eng) "), each.first_frame, each.last_frame) for each in every
    ] == told


def test_captions_on_frames_are_runs_that_pause_for_less_than_a_second():
    on = np.zeros(200)
    on[0:10], on[35:50], on[74:80], on[180:200] = 1, 1, 1, 1
    every = found("captions", table_of(200, captions=on), "[captions]\npause = 0.5")
    assert frames(every) == [(10, 34), (80, 179)], "24 frames are no pause, 25 are one"
    (none,) = found("captions", table_of(50, captions=-1), "[captions]")
    assert (
        none.reason == "There are no captions: no track of them, and none on frames, what rides on 50 frames can't be read here"
    )


def test_timecode_is_held_against_itself():
    clock = np.arange(100) + 90_000
    start = Timecode(25, start=90_000, told=True)
    assert not found("timecode", table_of(100, clock=clock), "[timecode]", surveyed=told_by(timecode=start))
    stuck = clock.copy()
    stuck[50:] -= 1
    (one,) = found("timecode", table_of(100, clock=stuck), "[timecode]", surveyed=told_by(timecode=start))
    assert (*frames([one])[0], one.worst_value) == (50, 50, -1.0)
    assert one.reason == "Timecode on frames goes from 01:00:01:24 to 01:00:01:24 from one frame to the next"
    night = (np.arange(100) + 25 * 86_400 - 50) % (25 * 86_400)
    over = told_by(timecode=replace(start, start=25 * 86_400 - 50))
    assert not found("timecode", table_of(100, clock=night), "[timecode]", surveyed=over), "midnight is no break"
    four = clock - np.searchsorted([20, 40, 60, 80], np.arange(100), "right")
    every = found("timecode", table_of(100, clock=four), "[timecode]", surveyed=told_by(timecode=start))
    assert len(every) == 3 and every[-1].reason.endswith("(and 1 more times)")
    three = clock - np.searchsorted([20, 40, 60], np.arange(100), "right")
    every = found("timecode", table_of(100, clock=three), "[timecode]", surveyed=told_by(timecode=start))
    assert len(every) == 3 and not every[-1].reason.endswith("times)")


def test_timecode_that_ends_or_begins_otherwise_is_told():
    start = Timecode(25, start=90_000, told=True)
    ends = np.where(np.arange(100) < 60, np.arange(100) + 90_000, -1)
    (one,) = found("timecode", table_of(100, clock=ends), "[timecode]", surveyed=told_by(timecode=start))
    assert frames([one]) == [(60, 99)] and one.reason == "Timecode on frames is told no more from here on"
    seldom = np.where(np.arange(100) % 10 == 3, np.arange(100) + 90_000, -1)
    assert not found("timecode", table_of(100, clock=seldom), "[timecode]", surveyed=told_by(timecode=start)), (
        "each tenth, to the end"
    )
    later = np.arange(100) + 90_025
    (one,) = found("timecode", table_of(100, clock=later), "[timecode]", surveyed=told_by(timecode=start))
    assert one.reason == "Timecode on frames says 01:00:01:00: the file says 01:00:00:00"
    assert not found("timecode", table_of(100, clock=0), "[timecode]", surveyed=told_by())
    assert not found("timecode", table_of(100, clock=at(100, _3=5) - 1), "[timecode]", surveyed=told_by()), "told once alone"


@pytest.mark.parametrize(
    ("base", "rate", "drop", "asked", "wrong"),
    [
        (30, 29.97, True, "drop-frame", False), (30, 29.97, False, "drop-frame", True),
        (30, 29.97, True, "non-drop-frame", True), (30, 30.0, False, "drop-frame", False),
        (25, 25.0, False, "drop-frame", False), (60, 59.94, True, "non-drop-frame", True),
    ],
)  # fmt: skip
def test_the_counting_is_held_where_a_rate_has_both(base, rate, drop, asked, wrong):
    surveyed = replace(told_by(timecode=Timecode(base, drop, 0, told=True)), rate=rate)
    assert bool(found("timecode", table_of(50), f'[timecode]\ncounting = "{asked}"', surveyed=surveyed)) is wrong
    silent = replace(surveyed, timecode=Timecode(base))
    assert [each.reason for each in found("timecode", table_of(50), f'[timecode]\ncounting = "{asked}"', surveyed=silent)] == [
        f"Timecode is not there: {asked} is asked for"
    ]


def test_active_format_is_that_of_the_picture_within_a_twenty_fifth():
    code = np.full(30, -1)
    code[10:20] = 8
    assert frames(found("afd", table_of(30, afd=code), "[afd]\ncode = 10")) == [(0, 9), (10, 29)], (
        "it stands until other is said"
    )
    for height, wrong in ((97, False), (95, True)):
        region = Region(0, 0, 200, height)
        table = table_of(30, afd=8, edges=(0, 2, 0, 0))
        told = found("afd", table, "[afd]", surveyed=replace(told_by(), region=region))
        assert bool(told) is wrong, height
    assert not found("afd", table_of(30, afd=3), "[afd]"), "a code that holds no shape"
    (one,) = found("afd", table_of(30, afd=-1), "[afd]\ncode = 10")
    assert frames([one]) == [(0, 29)] and one.reason == "AFD is missing: 10 is asked for"
    assert not found("afd", table_of(30, afd=-1), "[afd]"), "nothing is said, and nothing asked"


def test_active_format_is_held_against_the_picture_of_its_own_shot():
    """Neither the picture of most of the programme nor the shape of its first pixels speaks for an insert."""
    wide = replace(SOURCE, width=1920, height=1080)
    pillared = [(0, 0, 0, 0)] * 60 + [(0, 0, 240, 240)] * 40
    surveyed = Surveyed(Region.whole(wide), RATE, complete=True, source=wide)
    cut = [Shot(0, 59), Shot(60, 99)]

    def told(code, formats=(wide,), form=0):
        table = table_of(100, formats, afd=code, edges=pillared, format=form)
        return [(each.reason, each.first_frame, each.last_frame) for each in found("afd", table, "[afd]", surveyed, cut, wide)]

    assert told(np.where(np.arange(100) < 60, 8, 9)) == [], "an insert of 4:3 that says so"
    assert told(8) == [("AFD 8 says a picture of 1.78 to 1: it is 1.33 to 1", 60, 99)]
    assert told(9) == [("AFD 9 says a picture of 1.33 to 1: it is 1.78 to 1", 0, 59)]
    longer = replace(wide, pixel_shape=Fraction(4, 3))
    table = table_of(100, (wide, longer), afd=10, edges=(0, 0, 0, 0), format=(np.arange(100) >= 60).astype(int))
    (one,) = found("afd", table, "[afd]", surveyed, cut, wide)
    assert (one.reason, *frames([one])[0]) == ("AFD 10 says a picture of 1.78 to 1: it is 2.37 to 1", 60, 99)


# Fields --------------------------------------------------------------------------------------------------------------


def by_fields(votes, *scans, shots=None, text=""):
    """What is found by votes of frames, of a programme whose frames are tagged so, half by half where there are two."""
    formats = [replace(SOURCE, interlaced=scan is not None, top_field_first=scan is not False) for scan in scans]
    place = np.arange(len(votes)) * len(formats) // len(votes)
    surveyed = Surveyed(WHOLE, RATE, complete=True, source=formats[0])
    told = found("fields", table_of(len(votes), formats, field_vote=votes, format=place), text, surveyed, shots)
    return [(each.reason, each.first_frame, each.last_frame) for each in told]


def voting(vote, count, frames=100):
    votes = np.zeros(frames, np.int8)
    votes[1 : 8 * count : 8] = vote
    return votes


@pytest.mark.parametrize("tagged", [None, True, False])
@pytest.mark.parametrize(("vote", "seen"), [(0, None), (1, True), (2, False), (3, None)])
def test_the_order_of_fields_is_found_where_what_moves_says_otherwise(tagged, vote, seen):
    said = {None: "tagged progressive", True: "tagged top first", False: "tagged bottom first"}[tagged]
    words = f"The {'top' if seen else 'bottom'} field is first by what moves, {said}"
    wrong = seen is not None and seen is not tagged
    assert by_fields(voting(vote, 8), tagged) == ([(words, 0, 99)] if wrong else [])


def test_six_pairs_have_to_tell_and_four_in_five_of_them_alike():
    assert by_fields(voting(2, 6), True) and not by_fields(voting(2, 5), True)
    for others, told in (((2, 5), True), ((2, 5, 8), False)):
        votes = voting(2, 10)
        votes[[1 + 8 * each for each in others]] = 3
        assert bool(by_fields(votes, True)) is told
    other = voting(2, 10)
    other[1:17:8] = 1
    assert by_fields(other, True), "two of ten may say the other"


def test_the_order_may_change_on_the_way_in_what_moves_and_in_what_is_told():
    """Neither the first shot nor the most of them speaks for the others."""
    both, shots = np.concatenate([voting(1, 12), voting(2, 12)]), [Shot(0, 99), Shot(100, 199)]
    bottom = "The bottom field is first by what moves, tagged top first"
    assert by_fields(both, True, shots=shots) == [(bottom, 100, 199)] and by_fields(both, True, False, shots=shots) == []
    top = "The top field is first by what moves, tagged bottom first"
    assert by_fields(both, False, True, shots=shots) == [(top, 0, 99), (bottom, 100, 199)]
    quiet = np.concatenate([voting(2, 12), np.zeros(100, np.int8)])
    assert by_fields(quiet, True, shots=shots) == [(bottom, 0, 199)], "a shot that tells nothing is like the whole"
    inserted = np.concatenate([voting(1, 12, 300), voting(2, 7)])
    cut = [Shot(0, 99), Shot(100, 299), Shot(300, 399)]
    assert by_fields(inserted, True, shots=cut) == [(bottom, 300, 399)]


def test_the_order_may_change_where_no_cut_is_seen():
    votes = np.concatenate([voting(1, 12), voting(2, 10), voting(1, 12)])
    bottom = "The bottom field is first by what moves, tagged top first"
    assert by_fields(votes, True) == [(bottom, 100, 173)] == by_fields(votes, True, shots=[Shot(0, 49), Shot(50, 299)])
    for count, told in ((6, True), (5, False)):
        few = np.concatenate([voting(1, 12), voting(2, count), voting(1, 12)])
        assert bool(by_fields(few, True)) is told
    neither = np.where(np.arange(300) == 133, 3, votes)
    assert by_fields(neither, True) == [], "four and five, and something else between"


def test_what_is_divided_by_hand_is_told_all_the_same():
    votes = np.concatenate([voting(1, 12, 300), voting(2, 9), voting(1, 12)])
    bottom = "The bottom field is first by what moves, tagged top first"
    for inside in ([], [340], [320, 340, 360, 380], [330, 331, 370]):
        starts = [0, 150, 300, *inside, 400, 500]
        cut = [Shot(first, after - 1) for first, after in pairwise(starts)]
        told = by_fields(votes, True, shots=cut)
        within = {frame for _, first, last in told for frame in range(first, last + 1)}
        assert {words for words, *_ in told} == {bottom} and within <= set(range(300, 400)), inside
        assert within >= set(np.flatnonzero(votes == 2)), "wherever anything moves"


def test_frames_that_are_coded_now_so_and_now_so_are_what_most_of_their_shot_says():
    formats = [replace(SOURCE, interlaced=True), SOURCE]
    surveyed = Surveyed(WHOLE, RATE, complete=True, source=formats[0])
    for whole, told in ((np.arange(100) % 3 == 0, 0), (np.arange(100) % 3 > 0, 1)):
        table = table_of(100, formats, field_vote=voting(1, 12), format=whole.astype(int))
        assert len(found("fields", table, surveyed=surveyed)) == told


def test_how_grave_it_is_is_said_by_the_rules():
    table = table_of(100, field_vote=voting(1, 8))
    assert [each.severity for each in found("fields", table)] == [Severity.LOOK]
    assert [each.severity for each in found("fields", table, '[fields]\nseverity = "must fix"')] == [Severity.MUST_FIX]
