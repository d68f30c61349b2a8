import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.signal.levels import Levels, Range
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.ladder import acts, predicted_extremes, rein_of, tone_curve
from clips import signal

GRID = np.linspace(-20, 140, 4001)
STEP = GRID[1] - GRID[0]
SIGNAL = signal()


@given(st.floats(60, 108), st.floats(0.1, 40), st.floats(1, 50))
def test_soft_ceiling_is_identity_then_smooth_then_lands_on_the_limit(limit, excess, room):
    step = SoftCeiling(limit, limit + excess, limit - room)
    out, gain = step.luma(GRID, SIGNAL)
    below = step.knee >= GRID
    assert np.array_equal(out[below], GRID[below]) and (gain[below] == 1).all()
    assert out.max() <= limit + 1e-9
    assert step.luma(np.array([step.peak]), SIGNAL)[0][0] == pytest.approx(limit)
    assert (np.diff(out) >= -1e-12).all(), "monotone"
    slope = np.diff(out) / STEP
    inside = step.peak > GRID[1:]
    bend = 4 * (1 / room + 1 / excess) * STEP  # the hyperbola's curvature is bounded by its room
    assert np.abs(np.diff(slope[inside])).max() <= bend, "C¹ up to the peak"


@given(st.floats(1, 30), st.floats(0.1, 20), st.floats(1, 30))
def test_soft_floor_mirrors_the_ceiling(limit, excess, room):
    floor, ceiling = (
        SoftFloor(limit, limit - excess, limit + room),
        SoftCeiling(60 - limit, 60 + excess - limit, 60 - limit - room),
    )
    assert np.allclose(floor.luma(GRID, SIGNAL)[0], 60 - ceiling.luma(60 - GRID, SIGNAL)[0])
    assert (floor.luma(GRID, SIGNAL)[1] == 1).all()


def test_hard_clips_and_steps_with_nothing_to_do():
    assert np.array_equal(SoftCeiling(100, 109, 90, hard=True).luma(GRID, SIGNAL)[0], np.minimum(GRID, 100))
    assert np.array_equal(SoftFloor(0, -7, 5, hard=True).luma(GRID, SIGNAL)[0], np.maximum(GRID, 0))
    assert np.array_equal(SoftCeiling(100, 98, 90).luma(GRID, SIGNAL)[0], np.minimum(GRID, 100)), (
        "no curve, and the limit is kept"
    )


@pytest.mark.parametrize("depth", [8, 10, 12])
def test_mistagging_is_mended_to_the_code(depth):
    narrow, full = Levels.of(depth, Range.NARROW), Levels.of(depth, Range.FULL)
    step = LevelRemap.mistagged(RemapMode.FULL_TO_NARROW, depth, narrow)
    luma, gain = step.luma(np.array([narrow.percent(full.black), narrow.percent(full.white)]), signal(depth=depth))
    assert np.allclose(luma, [0, 100]) and gain[0] == pytest.approx(narrow.span / full.span)
    back = LevelRemap.mistagged(RemapMode.NARROW_TO_FULL, depth, full)
    luma, gain = back.luma(np.array([full.percent(narrow.black), full.percent(narrow.white)]), signal(depth=depth))
    assert np.allclose(luma, [0, 100]) and gain[0] == pytest.approx(full.span / narrow.span)


def test_extremes_are_brought_to_limits():
    step = LevelRemap.extremes_to_limits((-6.0, 112.0), (-1.0, 103.0))
    assert np.allclose(step.luma(np.array([-6.0, 112.0]), SIGNAL)[0], [-1, 103])
    assert step.luma(np.zeros(1), SIGNAL)[1] == pytest.approx(104 / 118)


@given(st.floats(0, 8), st.floats(0, 50))
def test_rein_leaves_what_is_inside_and_never_exceeds(demand, onset):
    scale = float(ChromaRein(-5, 105, onset).scale(np.array([demand]))[0])
    assert 0 < scale <= 1 and scale * demand <= 1 + 1e-9
    if demand <= 1 - onset / 100:
        assert scale == 1
    if onset == 0 and demand > 1:
        assert scale * demand == pytest.approx(1), "the largest legal scale"


@given(st.floats(1, 50))
def test_rein_has_no_kink(onset):
    demand = np.linspace(0.2, 3, 3000)
    result = demand * ChromaRein(-5, 105, onset).scale(demand)
    slope = np.diff(result) / np.diff(demand)
    assert (slope >= -1e-9).all() and np.abs(np.diff(slope)).max() <= 4 * (demand[1] - demand[0]) / (onset / 100)


@given(st.floats(-10, 5), st.floats(90, 115), st.floats(85, 110))
def test_prediction_is_the_curve_itself(low, high, limit):
    assume(high > low)
    treatment = (SoftCeiling(limit, max(high, limit), limit - 10), ChromaRein(-5, 105))
    luma, rgb = predicted_extremes(treatment, np.array([low, high]), np.array([low - 4, high + 12]), SIGNAL)
    assert np.allclose(luma, tone_curve(treatment, np.array([low, high]), SIGNAL)[0])
    assert rgb[1] <= max(105, luma[1]) + 1e-9 and rgb[0] >= min(-5, luma[0]) - 1e-9


def test_bypassed_steps_do_nothing():
    steps = (SoftCeiling(90, 109, 80, on=False), ChromaRein(0, 100, on=False))
    assert not acts(steps) and rein_of(steps) is None and np.array_equal(tone_curve(steps, GRID, SIGNAL)[0], GRID)


@pytest.mark.parametrize(
    "make",
    [
        lambda: SoftCeiling(100, 109, 100),
        lambda: SoftFloor(0, -7, 0),
        lambda: ChromaRein(50, 40),
        lambda: ChromaRein(0, 100, 80),
        lambda: LevelRemap(RemapMode.EXTREMES_TO_LIMITS, 10, 10.5, 0, 100),
        lambda: LevelRemap(RemapMode.EXTREMES_TO_LIMITS, 0, 100, 9, 9),
    ],
)
def test_senseless_figures_are_refused_in_a_sentence(make):
    with pytest.raises(SettingsError, match=r"^[A-Z].*\.$"):
        make()
