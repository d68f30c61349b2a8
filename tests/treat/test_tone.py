"""Tone, against its closed forms."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.signal.colorimetry import camera_light
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from clips import signal

SIGNAL = signal()
WEIGHTS = np.array([0.2126, 0.7152, 0.0722])
values = st.floats(-0.1, 1.2)


def grey(tone, value):
    return float(tone.apply(np.full(3, value), SIGNAL)[0])


@given(values, st.floats(-4, 4))
def test_exposure_multiplies_light(value, stops):
    light = camera_light(np.array([value, grey(Tone(exposure=stops), value)]), "bt709")
    assert light[1] == pytest.approx(light[0] * 2**stops, abs=1e-9)


@given(values)
def test_points_lift_gain_gamma_and_offset_follow_one_another(value):
    assert grey(Tone(black_point=4, white_point=94), value) == pytest.approx((value - 0.04) / 0.9)
    assert grey(Tone(lift=(10, 0, 0, 0)), value) == pytest.approx(value + 0.1 * (1 - value))
    assert grey(Tone(gain=(1.5, 1, 1, 1)), value) == pytest.approx(value * 1.5)
    assert grey(Tone(offset=(-3, 0, 0, 0)), value) == pytest.approx(value - 0.03)
    bent = value / 1.4 if value < 0 else 1 + (value - 1) / 1.4 if value > 1 else value ** (1 / 1.4)
    assert grey(Tone(gamma=(1.4, 1, 1, 1)), value) == pytest.approx(bent)
    together = Tone(0, 4, 94, (10, 0, 0, 0), (1, 1, 1, 1), (1.5, 1, 1, 1), (-3, 0, 0, 0))
    v = (value - 0.04) / 0.9
    assert grey(together, value) == pytest.approx((v + 0.1 * (1 - v)) * 1.5 - 0.03)


def test_master_and_component_add_up_or_multiply():
    rgb = np.array([0.2, 0.4, 0.6])
    lifted = Tone(lift=(4, 1, 0, -2)).apply(rgb, SIGNAL)
    assert lifted == pytest.approx(rgb + np.array([0.05, 0.04, 0.02]) * (1 - rgb))
    assert Tone(gain=(2, 0.5, 1, 1.5)).apply(rgb, SIGNAL) == pytest.approx(rgb * [1, 2, 3])
    assert Tone(gamma=(2, 0.5, 1, 1), offset=(1, 0, 1, -1)).apply(rgb, SIGNAL) == pytest.approx(
        rgb ** np.array([1, 0.5, 0.5]) + [0.01, 0.02, 0]
    )


@given(values, st.floats(0, 4), st.floats(5, 95))
def test_contrast_turns_about_its_pivot(value, contrast, pivot):
    assert grey(Tone(contrast=contrast, pivot=pivot), value) == pytest.approx(pivot / 100 + contrast * (value - pivot / 100))


@given(st.floats(1.01, 4), st.floats(5, 95))
def test_soft_ends_never_reach_past_black_and_white(contrast, pivot):
    ramp = np.linspace(-0.3, 1.4, 2001)
    made = Tone(contrast=contrast, pivot=pivot, soft_ends=True).apply(np.repeat(ramp[:, None], 3, 1), SIGNAL)[:, 0]
    assert made.min() >= -1e-12 and made.max() <= 1 + 1e-12 and (np.diff(made) >= -1e-12).all()
    about = np.array([pivot / 100 - 1e-5, pivot / 100 + 1e-5])
    slopes = Tone(contrast=contrast, pivot=pivot, soft_ends=True).apply(np.repeat(about[:, None], 3, 1), SIGNAL)[:, 0]
    assert (slopes[1] - slopes[0]) / 2e-5 == pytest.approx(contrast, rel=1e-2)


@given(st.tuples(values, values, values).map(np.array), st.floats(0, 3))
def test_saturation_is_about_luma(rgb, saturation):
    made = Tone(saturation=saturation).apply(rgb, SIGNAL)
    luma = rgb @ WEIGHTS
    assert made == pytest.approx(luma + saturation * (rgb - luma))


@given(st.tuples(*[st.floats(0.15, 0.8)] * 3).map(np.array), st.floats(1.05, 2))
def test_held_chroma_stands_to_luma_as_it_did(rgb, gamma):
    def proportion(colour):
        luma = colour @ WEIGHTS
        return np.linalg.norm(colour - luma) / luma

    washed, held = (Tone(gamma=(gamma, 1, 1, 1), hold_chroma=hold).apply(rgb, SIGNAL) for hold in (False, True))
    assert held @ WEIGHTS == pytest.approx(washed @ WEIGHTS)
    if np.ptp(rgb) > 0.02:
        assert proportion(held) == pytest.approx(proportion(rgb)) and proportion(washed) < proportion(rgb)
    lowered = Tone(gamma=(1 / gamma, 1, 1, 1), hold_chroma=True)
    assert lowered.apply(rgb, SIGNAL) == pytest.approx(Tone(gamma=(1 / gamma, 1, 1, 1)).apply(rgb, SIGNAL))


@given(st.floats(1.05, 1.6), st.floats(-0.02, 0.02), st.floats(-0.02, 0.02))
def test_held_chroma_has_no_step_towards_black(gamma, cb, cr):
    luma = np.linspace(-0.02, 0.2, 193)  # about a code of 10 bits apart
    ramp = ycbcr_to_rgb(np.stack([luma, np.full_like(luma, cb), np.full_like(luma, cr)], axis=-1), SIGNAL.matrix)
    made = rgb_to_ycbcr(Tone(gamma=(gamma, 1, 1, 1), hold_chroma=True).apply(ramp, SIGNAL), SIGNAL.matrix)
    plain = rgb_to_ycbcr(Tone(gamma=(gamma, 1, 1, 1)).apply(ramp, SIGNAL), SIGNAL.matrix)
    gained = np.hypot(made[:, 1], made[:, 2]) - np.hypot(plain[:, 1], plain[:, 2])
    assert np.abs(np.diff(gained)).max() * 896 < 3, "codes of 10 bits between neighbours"


def test_its_line_tells_what_is_not_neutral():
    assert Tone().text == "neutral"
    assert Tone(exposure=-0.2, contrast=1.08, gamma=(1.04, 1, 1, 1)).text == "exposure −0.20 stops, gamma ×1.04, contrast ×1.08"
    assert Tone(lift=(1, 0, -2, 0), soft_ends=True).text == "lift 1.0 0.0 −2.0 0.0 %, soft ends"


def test_figures_without_sense_are_refused():
    with pytest.raises(SettingsError, match="Tone: contrast must be between 0 and 4, not 9"):
        Tone(contrast=9)
    with pytest.raises(SettingsError, match="at least 1 % above the black point"):
        Tone(black_point=60, white_point=60)


def test_a_limit_that_is_moved_takes_the_knee_along_and_no_other_figure_does():
    ceiling = SoftCeiling(103, 109.5, 90)
    assert ceiling.figured("limit", 80.0) == SoftCeiling(80.0, 109.5, 79.0)
    assert ceiling.figured("limit", 100.0) == SoftCeiling(100.0, 109.5, 90)
    assert ceiling.figured("peak", 105.0) == SoftCeiling(103, 105.0, 90)


@pytest.mark.parametrize("points", [(3.0, 90.0), (40.0, 60.0), (-20.0, 15.0)])
def test_white_and_black_are_pulled_as_near_as_one_percent_to_one_another(points):
    step = Tone(black_point=points[0], white_point=points[1])
    bounds = {(grip.name, grip.component): (grip.comes_in, grip.least, grip.greatest) for grip in step.grips(0.0, 50.0, 100.0)}
    declared = {
        one.key: (one.declared.least, one.declared.greatest) for one in step.figures() if hasattr(one.declared, "least")
    }
    assert bounds["white", None] == (100.0, max(points[0] + 1, declared["white_point"][0]), declared["white_point"][1])
    assert bounds["black", None] == (0.0, declared["black_point"][0], min(points[1] - 1, declared["black_point"][1]))
    for component in (None, 0, 1, 2):
        assert bounds["grey", component] == (50.0, *declared["gamma"])
    for component in (0, 1, 2):
        assert bounds["white", component] == (100.0, *declared["gain"])
        assert bounds["black", component] == (0.0, *declared["lift"])
