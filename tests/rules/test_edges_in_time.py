"""Where rules of time and of what is told beside the picture turn, by figures that are set one by one."""

from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest

from bluffline.rules.evidence import Surveyed
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from surveys import BLACK, RATE, SOURCE, SWING, WHOLE, found, frames, table_of

# Time -----------------------------------------------------------------------------------------------------------------


def test_black_may_last_as_long_as_is_allowed_and_reach_as_high():
    level = BLACK + 0.02 * SWING
    tops = np.full(60, BLACK + 300)
    tops[5:15], tops[30:41] = int(level), int(level)  # 10 frames are allowed, 11 are not
    (one,) = found("black", table_of(60, y_p999=tops), "[black]\nseconds = 0.4")
    assert frames([one]) == [(30, 40)] and one.reason == "Black for 0.44 s: luma reaches 1.9 %"
    assert not found("black", table_of(60, y_p999=int(level) + 1), "[black]\nseconds = 0.4")


def frozen(moved, tile=0.0, shots=None):
    table = table_of(len(moved), pixel_change=moved, tile_change=tile, drift=0.0)
    told = found("frozen", table, "[frozen]\nseconds = 0.6\nnoise = 0.125", shots=shots)
    return [(each.first_frame, each.last_frame, each.severity) for each in told]


def test_frozen_frames_are_the_same_but_for_coding_for_longer_than_is_allowed():
    moved, look = np.full(80, 5.0), Severity.LOOK
    moved[20:36], moved[50:66] = 0.125, 0.126
    assert frozen(moved) == [(19, 35, look)], "the frame that is shown first is one of them"
    for after, told in ((21, [(20, 35, look)]), (22, [])):
        assert frozen(np.where((np.arange(80) >= 20) & (np.arange(80) < after), 5.0, moved)) == told
    for anew, tile, there in ((1, 8.9, True), (2, 8.9, True), (3, 8.9, False), (1, 9.1, False)):  # coding that begins anew
        begun = np.where((np.arange(80) >= 28) & (np.arange(80) < 28 + anew), tile, 0.0)
        assert bool(frozen(moved, begun)) is there, (anew, tile)


def test_coding_that_begins_anew_is_bridged_where_two_frames_on_both_sides_are_the_same():
    number = np.arange(60)
    for moves, last in ((None, 39), (32, 29), (28, 27)):
        moved = np.where((number >= 10) & (number < 40) & (number != moves), 0.0, 5.0)
        assert frozen(moved, np.where(number == 30, 8.9, 0.0)) == [(9, last, Severity.LOOK)], moves


def test_what_creeps_is_no_freeze_from_twelve_times_the_noise_on():
    moved = np.where((np.arange(60) >= 10) & (np.arange(60) < 50), 0.0, 5.0)
    for drift, told in ((1.5, 1), (1.51, 0)):
        table = table_of(60, pixel_change=moved, tile_change=0.0, drift=drift)
        findings = found("frozen", table, "[frozen]\nseconds = 0.6\nnoise = 0.125")
        assert [each.reason for each in findings] == ["Frozen for 1.64 s"] * told


def test_a_shot_that_stands_from_cut_to_cut_is_a_still_however_it_is_divided_by_hand():
    still = np.r_[50.0, np.zeros(39)]
    for cut in ([Shot(0, 39)], [Shot(0, 19), Shot(20, 39)], [Shot(0, 7), Shot(8, 11), Shot(12, 39)]):
        assert frozen(still, shots=cut) == [(0, 39, Severity.NOTE)]
    both = np.r_[50.0, np.zeros(29), 50.0, np.zeros(29)]
    assert frozen(both, shots=[Shot(0, 29), Shot(30, 59)]) == [(0, 29, Severity.NOTE), (30, 59, Severity.NOTE)]


def test_what_goes_on_across_cuts_is_told_by_how_long_it_lasts_in_all():
    """A freeze that is divided by hand, and the black in whose middle two shots meet, are no shorter for it."""
    moved, dark = np.full(80, 5.0), np.where((np.arange(80) >= 20) & (np.arange(80) < 38), BLACK, BLACK + 300)
    moved[21:40] = 0.0
    for inside in ([], [29], [25, 30, 35], [21], [37], [38]):
        cut = [Shot(first, after - 1) for first, after in pairwise([0, *inside, 80])]
        assert frozen(moved, shots=cut) == [(20, 39, Severity.LOOK)], inside
        (one,) = found("black", table_of(80, y_p999=dark), "[black]\nseconds = 0.4", shots=cut)
        assert (*frames([one])[0], one.reason) == (20, 37, "Black for 0.72 s: luma reaches 0.0 %"), inside
        assert one.shot == sum(each <= 20 for each in inside), "it is of the shot that it begins in"


def test_flashes_are_told_over_what_is_allowed_from_the_first_to_the_last_of_a_run():
    count, rise = np.zeros(200), np.zeros(200)
    rise[[10, 16, 22, 28]] = 1.0  # just seen
    rise[[12, 100]] = 0.99
    count[22:28], count[28:36] = 3, 4
    rise[[60, 66, 72, 78]], count[78:86] = 40.0, 5
    rise[[120, 126, 132, 138]], count[138:140] = 40.0, 4
    area = np.where(np.arange(200) == 80, 60.0, 30.0)
    told = found("flash", table_of(200, flash_count=count, flash_rise=rise, flash_area=area), "[flash]\nflashes = 3")
    assert [(each.first_frame, each.last_frame, each.worst_value) for each in told] == [
        (10, 28, 4.0),
        (60, 78, 5.0),
        (120, 138, 4.0),
    ]
    assert told[0].reason == "4 flashes a second: over 30 % of the screen; 3 are allowed"


def test_runs_of_flashes_within_a_second_are_one():
    count, rise = np.zeros(200), np.zeros(200)
    for begin in (10, 59):  # the second begins 25 frames after the first ended, and another would 26
        rise[begin : begin + 24 : 6], count[begin + 18 : begin + 20] = 5.0, 4
    one = found("flash", table_of(200, flash_count=count, flash_rise=rise, flash_area=30.0), "[flash]\nflashes = 3")
    assert frames(one) == [(10, 28), (59, 77)]
    count[59:], rise[59:] = 0, 0
    rise[53:77:6], count[71:73] = 5.0, 4
    assert frames(
        found("flash", table_of(200, flash_count=count, flash_rise=rise, flash_area=30.0), "[flash]\nflashes = 3")
    ) == [(10, 71)]


def repeated(moved, motion=0.3):
    table = table_of(len(moved), pixel_change=moved, tile_change=0.0)
    told = found("repeat cadence", table, f"[repeat]\nmotion = {motion}")
    return [(each.rule, each.first_frame, each.last_frame) for each in told]


@pytest.mark.parametrize(
    ("beside", "again", "told"),
    [(5.0, 0.5, True), (5.0, 0.51, False), (1.0, 0.25, True), (1.0, 0.26, False), (0.3125, 0.01, True), (0.29, 0.01, False)],
)
def test_a_frame_is_shown_again_where_it_changes_by_a_quarter_of_what_moves_beside_and_half_a_percent(beside, again, told):
    moved = np.full(60, beside)
    moved[30] = again
    assert repeated(moved, 0.3125 if beside < 1 else 0.3) == ([("repeat", 30, 30)] if told else [])


def test_motion_beside_it_is_of_one_speed_on_both_sides():
    for fastest, told in ((8.0, True), (8.25, False)):
        for place in (27, 28, 31, 33):
            moved = np.full(60, 2.0)
            moved[30], moved[place] = 0.1, fastest
            assert bool(repeated(moved)) is told, (fastest, place)
    for place in (26, 34):
        moved = np.full(60, 2.0)
        moved[30], moved[place] = 0.1, 50.0
        assert repeated(moved), "three frames on each side tell"
    moved = np.full(60, 2.0)
    moved[2] = 0.1
    assert not repeated(moved), "and have to be there"


def test_three_frames_are_shown_again_and_four_are_a_picture_that_stops():
    for length, told in ((1, True), (3, True), (4, False)):
        moved = np.full(60, 5.0)
        moved[30 : 30 + length] = 0.1
        assert repeated(moved) == ([("repeat", 30, 29 + length)] if told else []), length


def test_frames_shown_again_at_an_even_distance_are_a_slower_programme():
    for apart, told in ((2, False), (6, False), (7, True)):
        moved = np.full(90, 5.0)
        moved[20:80:apart] = 0.1
        assert bool(repeated(moved)) is told, apart


def test_film_is_out_of_step_where_its_pattern_breaks_and_holds_again():
    moved = np.full(100, 5.0)
    moved[2:50:5] = 0.1
    moved[54::5] = 0.1
    assert [each for each in repeated(moved) if each[0] == "cadence"] == [("cadence", 52, 52)]
    moved = np.full(100, 5.0)
    moved[2::5] = 0.1
    assert repeated(moved) == []


@pytest.mark.parametrize(("again", "told"), [((30, 40), [(30, 40)]), ((30, 41), [(30, 30), (41, 41)])])
def test_repeats_that_lie_close_together_are_one(again, told):
    """Closer than the gap that the rules have: ten frames of fifty a second."""
    moved = np.full(80, 5.0)
    moved[list(again)] = 0.1
    table = table_of(80, pixel_change=moved, tile_change=0.0)
    assert frames(found("repeat", table, "[repeat]\nmotion = 0.3", Surveyed(WHOLE, 50.0, complete=True, source=SOURCE))) == told


def test_length_shape_and_sound_are_held_as_closely_as_they_are_told():
    table = table_of(50)
    assert not found("length", table, "[length]\nleast = 2.0\ngreatest = 2.0")
    assert [each.reason for each in found("length", table, "[length]\nleast = 2.01")] == ["It lasts 2.00 s: 2.01 at least"]
    assert [each.reason for each in found("length", table, "[length]\ngreatest = 1.99")] == ["It lasts 2.00 s: 1.99 at most"]
    for rate, wrong in ((25.005, False), (25.006, True), (24.995, False), (24.994, True)):
        assert bool(found("shape", table, f"[shape]\nrate = {rate}")) is wrong, rate
    for pixels, wrong in ((1.0019, False), (1.0021, True), (0.9981, False), (0.9979, True)):
        assert bool(found("shape", table, f"[shape]\npixels = {pixels}")) is wrong, pixels
    for after, wrong in ((0.0699, False), (0.03 + 1 / RATE, False), (0.0701, True)):
        told = found("sound", table, surveyed=Surveyed(WHOLE, RATE, complete=True, source=SOURCE, sound_after=after))
        assert frames(told) == ([(49, 49)] if wrong else [])


def test_the_shape_is_asked_of_every_shot_and_not_of_the_first_frame_alone():
    fields, long = replace(SOURCE, interlaced=True), replace(SOURCE, pixel_shape=Fraction(4, 3))
    cut = [Shot(0, 29), Shot(30, 59), Shot(60, 99)]

    def told(formats, place):
        table, surveyed = table_of(100, formats, format=place), Surveyed(WHOLE, RATE, complete=True, source=formats[0])
        text = '[shape]\nscan = "progressive"\npixels = 1.0'
        return [(each.reason, each.first_frame, each.last_frame) for each in found("shape", table, text, surveyed, cut)]

    later = (np.arange(100) >= 60).astype(int)
    assert told((SOURCE, fields), later) == [("It is top-first, not progressive", 60, 99)]
    assert told((fields, SOURCE), later) == [("It is top-first, not progressive", 0, 59)]
    assert told((SOURCE, long), later) == [("It is pixels of 1.333, not 1", 60, 99)] and told((SOURCE, fields), 0) == []
    assert told((SOURCE, fields), np.arange(100) % 3 == 0) == [], "coded now so and now so"
    assert told((fields, SOURCE), np.arange(100) % 3 == 0) == [("It is top-first, not progressive", 0, 99)]


def test_tags_that_change_are_told_from_the_frame_on_that_says_other():
    other = replace(SOURCE, interlaced=True)
    places = np.array([0] * 10 + [1] * 10)
    table = table_of(20, formats=(SOURCE, other), format=places)
    assert frames(found("tags", table)) == [(10, 10)]
    assert frames(found("tags", table, shots=[Shot(0, 9), Shot(10, 19)])) == [(10, 10)], "at a cut as well"
    assert frames(found("tags", table_of(20, formats=(SOURCE, other), format=0))) == []
    assert frames(found("tags", table_of(3, formats=(SOURCE, other), format=[1, 0, 0]))) == [(1, 1)]


def test_what_could_not_be_measured_is_told_by_its_cause():
    other = replace(SOURCE, width=100)
    table = table_of(10, formats=(SOURCE, other), readable=[True] * 4 + [False] * 6, format=[0] * 6 + [1] * 4)
    lost = Surveyed(WHOLE, RATE, complete=True, source=SOURCE, lost=np.array([8, 9]))
    told = found("unreadable missing", table, surveyed=lost, shots=[Shot(0, 3), Shot(4, 9)])
    assert [(each.rule, each.first_frame, each.last_frame) for each in told] == [
        ("unreadable", 4, 5), ("unreadable", 6, 7), ("missing", 8, 9),
    ]  # fmt: skip
    assert [each.reason.split(",")[0] for each in told[:2]] == [
        "Frames that can't be decoded", "Frames of another size or sampling",
    ]  # fmt: skip
    for complete, broken in ((True, 1), (False, 0)):
        hurt = Surveyed(WHOLE, RATE, complete=complete, source=SOURCE, broken="cut off")
        assert len(found("missing", table_of(5), surveyed=hurt, shots=[Shot(0, 1), Shot(2, 4)])) == broken
