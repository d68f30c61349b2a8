import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.signal.colorimetry import rgb_to_xyz, to_light, xyz_to_lab
from bluffline.signal.difference import delta_e_2000
from bluffline.signal.levels import Levels, Range
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
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


WEIGHTS = np.array(SIGNAL.matrix.luma_weights)


@given(st.lists(st.floats(-0.8, 1.8), min_size=3, max_size=3), st.floats(0, 50))
def test_rein_leaves_what_is_inside_and_never_exceeds(colour, onset):
    rgb = np.array(colour)
    made = ChromaRein(-5, 105, onset).apply(rgb, SIGNAL)
    assert made.min() >= -0.05 - 1e-9 and made.max() <= 1.05 + 1e-9
    luma, after = rgb @ WEIGHTS, made @ WEIGHTS
    apart, kept = rgb - luma, made - after
    assert kept @ apart >= -1e-9 and np.cross(kept, apart) == pytest.approx(0, abs=1e-6), "hue is held"
    ease = onset / 100 * np.array([apart.max(), -apart.min()])
    if luma + apart.max() <= 1.05 - ease[0] and luma + apart.min() >= -0.05 + ease[1]:
        assert made == pytest.approx(rgb, abs=1e-12), "what is inside stays as it is"


@given(st.floats(-0.6, 0.6), st.floats(-0.6, 0.6), st.floats(1, 50))
def test_rein_has_no_kink_and_brighter_stays_brighter(cb, cr, onset):
    """Along one hue and chroma: luma never falls where the source's rises, and chroma gives without a step."""
    luma = np.linspace(-0.5, 1.6, 4201)
    made = ChromaRein(-5, 105, onset).apply(
        ycbcr_to_rgb(np.stack([luma, np.full(4201, cb), np.full(4201, cr)], axis=-1), SIGNAL.matrix), SIGNAL
    )
    after = rgb_to_ycbcr(made, SIGNAL.matrix)
    rise, step = np.diff(after[:, 0]), luma[1] - luma[0]
    assert rise.min() >= -1e-9 and rise.max() <= step + 1e-9
    chroma = np.hypot(after[:, 1], after[:, 2])
    assert np.abs(np.diff(chroma)).max() <= 8 * step, "no step in chroma"


def test_rein_takes_the_share_that_is_seen_least():
    """On colours of all hues just over a limit, the rein's share is within 15 % of the best, in the mean."""
    rng = np.random.default_rng(3)
    chroma = rng.uniform(-0.35, 0.35, (400, 2))
    apart = ycbcr_to_rgb(np.column_stack([np.zeros(400), chroma]), SIGNAL.matrix)
    up = apart.max(axis=-1)
    luma = np.clip(1.05 - up + rng.uniform(0.01, 0.2, 400), 0.05, 1.0)
    over = np.maximum(luma + up - 1.05, 0)
    rgb = luma[:, None] + apart

    def harm(made):
        before, after = (xyz_to_lab(to_light(each, "bt709") @ rgb_to_xyz("bt709").T) for each in (rgb, made))
        return delta_e_2000(before, after)

    shares = [
        harm((luma - share * over)[:, None] + apart * (1 - (1 - share) * over / up)[:, None]) for share in np.linspace(0, 1, 41)
    ]
    own, best = harm(ChromaRein(-5, 105, 0).apply(rgb, SIGNAL)).mean(), np.min(shares, axis=0).mean()
    assert own < 1.15 * best and own < 0.7 * shares[0].mean() and own < 0.7 * shares[-1].mean()


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
