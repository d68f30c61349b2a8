"""Dissolves, wipes and fades are found with their frames, and what only moves or flashes is none."""

from itertools import pairwise

import numpy as np
import pytest

from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot, TransitionSearch, edges, find_shots
from bluffline.rules.transitions import Transition, TransitionKind
from clips import signal, to_planes
from scenes import scene

SOURCE, LIMITS = signal(160, 90), load_rules("r103").limits


def pictures(seed, count, *, move=0):
    """Frames of one shot, grey, in hand or panned by ``move`` pixels a frame."""
    rng = np.random.default_rng(seed)
    whole = np.tile(scene(rng)[::4, ::4], (1, 3))
    shake = np.cumsum(rng.normal(0, 0.3, count)) + np.arange(count) * move
    return [np.roll(whole, -round(at), axis=1)[:, :160] + rng.normal(0, 0.004, (90, 160)) for at in shake]


def mixed(one, other, mask=lambda share: share):
    shares = np.arange(1, len(one) + 1) / (len(one) + 1)
    return [a + (b - a) * mask(share) for a, b, share in zip(one, other, shares, strict=True)]


def from_the_left(share):
    return np.clip((share * 1.1 - np.linspace(0, 1, 160)) / 0.1, 0, 1)[None, :]


def surveyed(frames, *, by=None):
    """The table of frames, and what was found as it grew by so many, or all at once."""
    table, search = SurveyTable(len(frames)), TransitionSearch()
    for number, frame in enumerate(frames):
        planes = to_planes(np.repeat(frame[..., None], 3, axis=2), SOURCE)
        table.append(measure_frame(planes, SOURCE, Region.whole(SOURCE), LIMITS))
        if by is not None and number % by == 0:
            search.grow(table, complete=False)
    search.grow(table, complete=True)
    return table, search.found


@pytest.mark.parametrize("length", [4, 12, 50])
@pytest.mark.parametrize("mask", [lambda share: share, from_the_left], ids=["dissolve", "wipe"])
def test_what_mixes_two_shots_is_found_with_its_frames_and_parts_them_in_its_middle(length, mask):
    one, other = pictures(1, 40 + length), pictures(2, 40 + length)
    table, [found] = surveyed([*one[:40], *mixed(one[40:], other[:length], mask), *other[length:]])
    assert found.kind is (TransitionKind.WIPE if mask is from_the_left else TransitionKind.DISSOLVE)
    assert abs(found.first - 40) <= max(2, length // 8) and abs(found.last - 39 - length) <= max(2, length // 8)
    first, last = find_shots(table, [found])
    assert first.closes == last.opens == found and last.first == (found.first + found.last + 1) // 2
    assert first.alone == Shot(0, found.first - 1) and last.alone == Shot(found.last + 1, len(table) - 1)


def test_a_fade_through_black_parts_shots_in_black_and_belongs_to_its_own():
    one, other = pictures(3, 60), pictures(4, 60)
    down = [frame * (1 - n / 21) for n, frame in enumerate(one[40:], 1)]
    up = [frame * n / 11 for n, frame in enumerate(other[:10], 1)]
    table, found = surveyed([*one[:40], *down, *[np.zeros((90, 160))] * 6, *up, *other[10:]])
    assert found == [Transition(TransitionKind.FADE_OUT, 40, 59), Transition(TransitionKind.FADE_IN, 66, 75)]
    shots = find_shots(table, found)
    assert shots == [Shot(0, 62), Shot(63, 125)] and (shots[0].closes, shots[1].opens) == tuple(found)
    assert edges(shots) == [(60, 40), (66, 76), (63, 63)], "falls with what goes, rises with what comes"


@pytest.mark.parametrize("move", [0, 1, 3, 32], ids=["in hand", "panned", "panned fast", "whipped"])
def test_what_moves_or_flashes_is_no_transition(move):
    frames = pictures(5, 90, move=move)
    if move <= 3:
        frames[40:43] = [np.clip(frame * 1.8, 0, 1.05) for frame in frames[40:43]]
    table, found = surveyed([*frames, *pictures(6, 2), *pictures(7, 30)])
    assert found == []
    assert find_shots(table) == [Shot(0, 89), Shot(90, 91), Shot(92, 121)], "cuts stay cuts, and shots may be of two frames"


def test_a_cut_in_what_mixes_two_shots_is_none():
    one, other = pictures(8, 30), pictures(9, 30)
    table, _ = surveyed([*one, *other])
    assert [shot.first for shot in find_shots(table, [Transition(TransitionKind.DISSOLVE, 26, 31)])] == [0, 29]


@pytest.mark.parametrize("by", [1, 7, 100])
def test_the_same_is_found_however_a_survey_grew(by):
    frames = []
    shots = [pictures(seed, 130) for seed in range(10, 16)]
    for one, other in pairwise(shots):
        frames += [*one[30:100], *mixed(one[100:], other[:30])]
    _, at_once = surveyed(frames)
    assert len(at_once) == 5 and surveyed(frames, by=by)[1] == at_once


def test_shares_of_what_comes_rise_over_a_transition():
    five = Transition(TransitionKind.DISSOLVE, 10, 14)
    assert [round(five.share(frame), 3) for frame in range(9, 16)] == [0.0, 0.167, 0.333, 0.5, 0.667, 0.833, 1.0]
    assert 10 in five and 14 in five and 9 not in five and 15 not in five


def test_a_dissolve_is_found_however_much_has_moved_before_it():
    one, other = pictures(1, 150, move=3), pictures(2, 52)
    _, found = surveyed([*one[:138], *mixed(one[138:], other[:12]), *other[12:]])
    assert [each.kind for each in found] == [TransitionKind.DISSOLVE] and abs(found[0].last - 149) <= 2


def test_a_long_dissolve_is_found_though_cuts_came_before():
    a, b, one, other = (pictures(seed, 60) for seed in (20, 21, 22, 23))
    _, found = surveyed([*a[:30], *b[:30], *one[:30], *mixed(one[30:], other[:30]), *other[30:]])
    assert [each.kind for each in found] == [TransitionKind.DISSOLVE]
    assert abs(found[0].first - 90) <= 3 and abs(found[0].last - 119) <= 3


@pytest.mark.parametrize("by", [1, None])
def test_what_ends_where_a_look_ends_is_found_and_once(by):
    """A survey is looked through by 256 frames."""
    one = pictures(30, 256)
    down = [frame * (1 - n / 21) for n, frame in enumerate(one[236:], 1)]
    _, found = surveyed([*one[:236], *down, *[np.zeros((90, 160))] * 6, *pictures(31, 150)], by=by)
    assert found == [Transition(TransitionKind.FADE_OUT, 236, 255)]
