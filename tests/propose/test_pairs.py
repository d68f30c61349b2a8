"""This colour becomes that: curves through pairs, what is left of each, and what can't be had together."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.propose.pairs import Pair, paired
from bluffline.treat.kinds.curves import LINE, Curves
from pictures import SOURCE

level = st.floats(0, 100).map(lambda value: round(value, 1))
colour = st.tuples(level, level, level)


def made(result, pair):
    return result.step.apply(np.array(pair.given) / 100, SOURCE) * 100


def test_no_pair_leaves_everything_as_it_is():
    result = paired([], SOURCE, Curves())
    assert result.step == Curves() and result.rests == result.against == ()


@given(colour, colour)
def test_one_pair_is_met(one, other):
    pair = Pair(one, other)
    result = paired([pair], SOURCE, Curves())
    assert made(result, pair) == pytest.approx(other, abs=0.02)
    assert result.rests[0] < 0.1 and not result.against


@given(st.lists(st.tuples(colour, colour), min_size=2, max_size=8))
def test_curves_never_fall_and_what_is_told_is_what_they_do(drawn):
    pairs = [Pair(*each) for each in drawn]
    result = paired(pairs, SOURCE, Curves())
    ramp = result.step.apply(np.repeat(np.linspace(-0.1, 1.1, 500)[:, None], 3, axis=1), SOURCE)
    assert (np.diff(ramp, axis=0) >= -1e-9).all()
    met = [np.abs(made(result, pair) - pair.wanted).max() <= 1.1 for pair in pairs]
    assert result.against or all(met), "what is missed by more than one percent is named"


def test_three_greys_make_a_scale_behind_the_master():
    bent = Curves(master=((0, 0), (50, 40), (100, 100)), red=((0, 10), (100, 90)))
    pairs = [Pair((20, 22, 18), (20, 20, 20)), Pair((50, 54, 47), (50, 50, 50)), Pair((80, 85, 74), (80, 80, 80))]
    result = paired(pairs, SOURCE, bent)
    assert result.step.master == bent.master, "which was there stays; red is set anew"
    assert max(result.rests) < 0.1 and not result.against
    assert all(len(points) == 5 for points in (result.step.red, result.step.green, result.step.blue))


def test_contradictions_are_named_and_the_curve_goes_between():
    same = paired([Pair((40, 40, 40), (30, 40, 40)), Pair((40, 60, 40), (50, 60, 40))], SOURCE, Curves())
    assert same.against == ("pairs 1 and 2 want two levels of R′ for 40 %",)
    assert made(same, Pair((40, 40, 40), (0, 0, 0)))[0] == pytest.approx(40, abs=0.1) and min(same.rests) > 2
    falls = paired([Pair((20, 20, 20), (20, 60, 20)), Pair((70, 70, 70), (70, 30, 70))], SOURCE, Curves())
    assert falls.against == ("pairs 1 and 2 want G′ to fall where it rises",)
    assert falls.step.red != LINE and falls.step.green[1][1] == falls.step.green[2][1] == 45
