"""Curves begin nearer their limit where much that is legal stands there."""

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from bluffline.propose.knees import sparing
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from clips import signal

LEGAL = -1.0, 103.0
SOURCE = signal(16, 16, 10, "422")
PERCENT = SOURCE.levels.percent(np.arange(1024.0))
INSIDE = np.clip(PERCENT, *LEGAL) == PERCENT
CURVES = [SoftCeiling.towards(109, LEGAL[1]), SoftFloor.towards(-7, LEGAL[0])]


def tones(*spans):
    """A frame of so many pixels, evenly from one tone to another."""
    counts = np.zeros(1024, np.int64)
    for pixels, low, high in spans:
        taken = (low <= PERCENT) & (high >= PERCENT)
        counts[taken] += pixels // taken.sum()
    return counts


def moved(curve, counts):
    """Percent of what is legal that moves by more than is unseen."""
    away = np.abs(curve.luma(PERCENT, SOURCE)[0] - PERCENT) > 1.5
    return 100 * counts[INSIDE & away].sum() / counts[INSIDE].sum()


@pytest.mark.parametrize("curve", CURVES)
def test_a_curve_stays_as_it_is_where_little_stands_near_its_limit(curve):
    middle, near = (10**7, 30, 70), (10**5, *sorted((curve.limit, curve.knee)))
    assert sparing(curve, [tones(middle), tones(middle, near)], SOURCE, LEGAL) == curve


@pytest.mark.parametrize("curve", CURVES)
def test_it_begins_nearer_where_one_frame_of_a_shot_has_much_there(curve):
    middle, near = (10**6, 30, 70), (10**6, *sorted((curve.limit, curve.knee)))
    crowded = tones(middle, near)
    assert moved(curve, crowded) > 10
    spared = sparing(curve, [tones(middle), crowded, tones(middle)], SOURCE, LEGAL)
    assert moved(spared, crowded) <= 3
    assert abs(spared.knee - spared.limit) < abs(curve.knee - curve.limit)
    assert spared.luma(np.array([109.0, -7.0]), SOURCE)[0] == pytest.approx(curve.luma(np.array([109.0, -7.0]), SOURCE)[0])


@given(
    st.lists(st.lists(st.integers(0, 10**6), min_size=1024, max_size=1024).map(np.array), min_size=1, max_size=3),
    st.floats(103, 180), st.floats(-60, -1),
)  # fmt: skip
@example([np.ones(1024, int)], np.nextafter(103, 200), np.nextafter(-1, -2))
def test_whatever_a_shot_holds_little_that_is_legal_moves_and_tones_keep_their_order(frames, peak, trough):
    for curve in (SoftCeiling.towards(peak, LEGAL[1]), SoftFloor.towards(trough, LEGAL[0])):
        spared = sparing(curve, frames, SOURCE, LEGAL)
        assert all(moved(spared, counts) <= 3 for counts in frames if counts[INSIDE].any())
        assert (np.diff(spared.luma(PERCENT, SOURCE)[0]) >= 0).all()
