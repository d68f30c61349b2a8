"""Steps on colours, against closed forms."""

import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from bluffline.errors import SettingsError
from bluffline.measure.counted import Limits
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.signal.colorimetry import camera_light
from bluffline.signal.format import Model
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat import row_kernels
from bluffline.treat.bake import bake_cube
from bluffline.treat.curves import follow_curve, rising
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.lut import Lut, tetrahedral
from bluffline.treat.kinds.matrix import ColourMatrix
from bluffline.treat.kinds.neutral_scale import NeutralScale
from bluffline.treat.kinds.root_polynomial import RootPolynomial, root_terms
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.straighten import Straighten
from bluffline.treat.ladder import tone_curve, with_step
from bluffline.treat.operations import Affine
from bluffline.treat.stored import load_treatment, step_from, step_to, treatment_text
from clips import signal, to_planes

LINE = ((0.0, 0.0), (0.5, 0.5), (1.0, 1.0))
BENT = ((0.05, 0.02), (0.4, 0.46), (0.9, 0.93))
MIXED = ((1.2, -0.15, -0.05), (-0.1, 1.25, -0.15), (0.0, -0.2, 1.2))
ROOTS = ((0.9, 0.0, 0.0, 0.1, 0.0, 0.0), (0.0, 1.0, 0.0, 0.0, 0.0, 0.0), (0.0, 0.0, 0.8, 0.0, 0.1, 0.1))
RNG = np.random.default_rng(4)
CURVES = np.linspace(0, 1, 33)[:, None].repeat(3, 1).astype(np.float32)
EVERY = (
    Balance((1.1, 1.0, 0.8)), Balance((1.1, 1.0, 0.8), light=False), NeutralScale(BENT, LINE, BENT), Straighten(BENT, 60.0),
    ColourMatrix(MIXED), RootPolynomial(ROOTS, 2), HueNudge(110.0, 40.0, 12.0, 10.0, 80.0),
    Cdl((1.1, 1.0, 0.9), (0.02, 0.0, -0.01), (0.9, 1.0, 1.1), 0.8), Lut("curves", -0.1, 1.1, CURVES),
    Lut("cube", 0.0, 1.0, RNG.random((5, 5, 5, 3)).astype(np.float32)),
)  # fmt: skip
NOTHING = (
    Balance((1.0, 1.0, 1.0)), NeutralScale(LINE, LINE, LINE), Straighten(BENT, 0.0),
    ColourMatrix(((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))), Cdl(),
)  # fmt: skip
SIGNAL, LINEAR = signal(), replace(signal(), transfer="linear")
colours = st.tuples(*[st.floats(-0.1, 1.2)] * 3).map(np.array)
Y, X = np.mgrid[0:48, 0:64] / np.array([48, 64])[:, None, None]
SMOOTH = np.stack([0.1 + 0.8 * X, 0.2 + 0.5 * Y, 0.8 - 0.6 * X * Y], axis=-1)


@given(st.lists(st.tuples(st.floats(0.01, 2), st.floats(0.001, 2)), min_size=2, max_size=20))
def test_the_monotone_cubic_is_that_of_the_library(steps):
    x, y = np.cumsum(np.array(steps), axis=0).T
    at = np.linspace(x[0], x[-1], 301)
    made = follow_curve(tuple(zip(x.tolist(), y.tolist(), strict=True)), at)
    assert made == pytest.approx(PchipInterpolator(x, y)(at), abs=1e-9)


@given(st.lists(st.tuples(st.floats(-0.1, 1.2), st.floats(-0.1, 1.2)), min_size=2, max_size=12))
def test_any_points_make_a_rising_curve(points):
    made = rising(*np.array(points).T)
    if len(made) < 2:
        return
    values = follow_curve(made, np.linspace(-0.5, 2, 400))
    assert (np.diff(values) > -1e-9).all()
    assert follow_curve(made, np.array([x for x, _ in made])) == pytest.approx(np.array([y for _, y in made]))


def test_beyond_its_ends_a_curve_runs_straight_and_not_too_steep():
    steep = ((0.1, 0.0), (0.11, 0.5), (0.9, 0.9))
    below = follow_curve(steep, np.array([-0.2, -0.1, 0.0, 0.1]))
    assert np.diff(below) == pytest.approx([0.2] * 3, abs=1e-6), "slope 2 at the most"
    above = follow_curve(BENT, np.array([1.0, 1.1, 1.2]))
    assert np.diff(above)[0] == pytest.approx(np.diff(above)[1])


@pytest.mark.parametrize("step", NOTHING, ids=lambda step: step.title)
@given(rgb=colours)
def test_steps_that_do_nothing_do_nothing(step, rgb):
    # The camera curve's rounded constants leave a step of 0.025 % at 8.1 %, which light takes one way only.
    assert step.apply(rgb, SIGNAL) == pytest.approx(rgb, abs=3e-4)
    assert step.operations(SIGNAL) == () or all(isinstance(one, Affine) and one.neutral for one in step.operations(SIGNAL))


def test_gains_work_in_light_or_on_coded_values():
    grey = np.full(3, 0.4090)
    gained = Balance((2.0, 1.0, 0.5)).apply(grey, SIGNAL)
    assert camera_light(gained, "bt709") == pytest.approx([0.36, 0.18, 0.09], abs=1e-4)
    assert Balance((2.0, 1.0, 0.5), light=False).apply(grey, SIGNAL) == pytest.approx([0.818, 0.409, 0.2045])


@given(rgb=colours)
def test_a_matrix_keeps_white_and_mixes_light(rgb):
    step = ColourMatrix(MIXED)
    assert step.apply(np.ones(3), SIGNAL) == pytest.approx(np.ones(3))
    light = camera_light(step.apply(rgb, SIGNAL), "bt709")
    assert light == pytest.approx(np.array(MIXED) @ camera_light(rgb, "bt709"), abs=1e-9)


@pytest.mark.parametrize("degree", [2, 3])
@given(rgb=st.tuples(*[st.floats(0.0, 1.0)] * 3).map(np.array), times=st.floats(0.1, 3))
def test_a_root_polynomial_gives_as_many_times_the_result(degree, rgb, times):
    rows = tuple((*row, *[0.1, -0.05, 0.05, -0.1, 0.02, -0.02, 0.0]) for row in ROOTS) if degree == 3 else ROOTS
    step = RootPolynomial(rows, degree)
    assert step.apply(rgb * times, LINEAR) == pytest.approx(step.apply(rgb, LINEAR) * times, abs=1e-9)
    assert step.apply(np.ones(3), LINEAR) == pytest.approx(np.ones(3))


def test_the_terms_of_a_root_polynomial_stand_in_their_order():
    """Fits that were stored read them by their place: exponents of R, G and B."""
    third, most, half = 1 / 3, 2 / 3, 1 / 2
    exponents = [
        (1, 0, 0), (0, 1, 0), (0, 0, 1), (half, half, 0), (0, half, half), (half, 0, half),
        (third, most, 0), (0, third, most), (most, 0, third), (most, third, 0), (0, most, third), (third, 0, most),
        (third, third, third),
    ]  # fmt: skip
    light = np.random.default_rng(3).uniform(0.01, 1, (5, 3))
    wanted = np.stack([np.prod(light ** np.array(powers), axis=-1) for powers in exponents], axis=-1)
    assert root_terms(light, 3) == pytest.approx(wanted)
    assert root_terms(light, 2) == pytest.approx(wanted[:, :6])


def test_a_band_of_hues_goes_on_across_the_half_turn():
    def of(hue):
        turned = np.radians(hue)
        return ycbcr_to_rgb(np.array([0.4, 0.1 * np.cos(turned), 0.1 * np.sin(turned)]), Matrix.BT709)

    step = HueNudge(175.0, 30.0, 10.0, 5.0, 80.0)
    for away in (-12.0, 0.0, 12.0):  # the last is at −173°
        ycbcr = rgb_to_ycbcr(step.apply(of(175 + away), SIGNAL), Matrix.BT709)
        mirrored = rgb_to_ycbcr(step.apply(of(175 - away), SIGNAL), Matrix.BT709)
        turned, other = ((np.degrees(np.arctan2(each[2], each[1])) - 175) % 360 for each in (ycbcr, mirrored))
        assert turned - away % 360 == pytest.approx(other - -away % 360, abs=1e-6)
        assert (turned - away) % 360 > 1, "it is moved"


def test_a_hue_nudge_moves_its_band_and_nothing_else():
    def polar(rgb):
        ycbcr = rgb_to_ycbcr(rgb, Matrix.BT709)
        return np.degrees(np.arctan2(ycbcr[..., 2], ycbcr[..., 1])), np.hypot(ycbcr[..., 1], ycbcr[..., 2]), ycbcr[..., 0]

    orange, bright, blue, grey = (np.array(c) for c in ([0.6, 0.4, 0.3], [1.0, 0.85, 0.8], [0.3, 0.4, 0.6], [0.5, 0.5, 0.5]))
    step = HueNudge(polar(orange)[0], 30.0, 10.0, 5.0, 75.0)
    hue, chroma, luma = polar(step.apply(orange, SIGNAL))
    assert hue == pytest.approx(polar(orange)[0] + 10)
    assert (float(chroma), float(luma)) == pytest.approx(tuple(map(float, polar(orange)[1:])))
    for left_alone in (bright, blue, grey):
        assert step.apply(left_alone, SIGNAL) == pytest.approx(left_alone)


def test_a_cdl_is_slope_offset_power_saturation():
    step = Cdl((1.1, 1.0, 0.9), (0.02, 0.0, -0.01), (0.9, 1.0, 1.1), 0.8)
    raised = np.array([(0.5 * 1.1 + 0.02) ** 0.9, 0.5, (0.5 * 0.9 - 0.01) ** 1.1])
    luma = raised @ [0.2126, 0.7152, 0.0722]
    assert step.apply(np.full(3, 0.5), SIGNAL) == pytest.approx(luma + 0.8 * (raised - luma))


@given(place=st.tuples(*[st.floats(0, 4)] * 3).map(np.array))
def test_a_cube_is_exact_where_what_it_holds_is_straight(place):
    axis = np.arange(5.0)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    mixing = np.array([[0.2, 0.1, -0.3], [0.5, 0.5, 0.1], [0.0, -0.2, 0.9]])
    table = (grid @ mixing).astype(np.float32)
    assert tetrahedral(table, place) == pytest.approx(place @ mixing, abs=1e-5)


@pytest.mark.parametrize("compiled", [True, False])
def test_the_compiled_look_up_is_the_same(compiled):
    look_up = row_kernels.look_up if compiled else row_kernels.look_up.py_func
    table = RNG.random((6, 6, 6, 3)).astype(np.float32)
    for place in RNG.uniform(-1, 6, (200, 3)).astype(np.float32):
        found = look_up(table.ravel(), 6, *place)
        assert found == pytest.approx(tetrahedral(table, np.clip(place, 0, 5).astype(float)), abs=1e-5)


@pytest.mark.parametrize("sampling", ["420", "422", "444"])
@pytest.mark.parametrize("model", list(Model))
def test_colours_that_are_left_alone_stay_to_the_code(sampling, model):
    if model is Model.RGB and sampling != "444":
        pytest.skip("R′G′B′ is not sub-sampled")
    source = signal(sampling=sampling, model=model)
    garish = SMOOTH + RNG.normal(0, 0.2, SMOOTH.shape)
    planes = to_planes(garish, source)
    for before, after in zip(planes, FrameTreatment(NOTHING, source).apply(planes), strict=True):
        assert np.array_equal(before, after)


def test_what_comes_out_is_legal_after_colour_steps_too():
    source = signal()
    limits = Limits((-1.0, 103.0), (-5.0, 105.0))
    treatment = (Balance((1.5, 1.0, 0.7)), SoftCeiling(103, 130, 80), ChromaRein(-5, 105))
    treated = FrameTreatment(treatment, source).apply(to_planes(SMOOTH * 1.2, source))
    after = measure_frame(treated, source, Region.whole(source), limits)
    assert after.rgb_high_area == after.rgb_low_area == after.luma_high_area == 0


def test_the_grey_axis_is_what_is_predicted_and_order_is_kept():
    treatment = (Straighten(BENT),)
    luma, gain = tone_curve(treatment, np.array([40.0, 90.0]), SIGNAL)
    assert luma == pytest.approx([46.0, 93.0])
    assert (gain == 1).all()
    assert with_step((ChromaRein(-5, 105),), Straighten(BENT)) == (Straighten(BENT), ChromaRein(-5, 105))
    assert with_step((Straighten(BENT), ChromaRein(-5, 105)), SoftCeiling(100, 109, 90))[1] == SoftCeiling(100, 109, 90)


@pytest.mark.parametrize("step", EVERY, ids=lambda step: step.title)
def test_steps_are_stored_and_come_back(step):
    again = step_from(json.loads(json.dumps(step_to(replace(step, on=False)))))
    assert type(again) is type(step) and not again.on
    assert np.array_equal(again.apply(SMOOTH, SIGNAL), step.apply(SMOOTH, SIGNAL))
    assert step.text


def test_a_treatment_file_is_read_and_a_wrong_one_refused(tmp_path):
    path = tmp_path / "warm.json"
    path.write_text(treatment_text("Warm lamps", EVERY[:5]))
    assert load_treatment(path) == ("Warm lamps", EVERY[:5])
    path.write_text(treatment_text("x", ()).replace("treatment/2", "treatment/9"))
    with pytest.raises(SettingsError, match="is of another version"):
        load_treatment(path)
    with pytest.raises(SettingsError, match="can't be read"):
        load_treatment(tmp_path / "none.json")


@pytest.mark.parametrize(
    ("make", "sentence"),
    [
        (lambda: Balance((0.0, 1.0, 1.0)), "gain must be between 0.1 and 8"),
        (lambda: Straighten(((0.0, 0.0), (0.5, -0.1))), "each higher than the one before"),
        (lambda: Straighten(LINE, 120.0), "strength must be between 0 and 100"),
        (lambda: ColourMatrix(((1, 0, 0), (1, 0, 0), (0, 0, 1))), "singular"),
        (lambda: ColourMatrix(((1, 0, 0.2), (0, 1, 0), (0, 0, 1))), "each row adds up to 1"),
        (lambda: RootPolynomial(ROOTS, 4), "degree must be 2 or 3"),
        (lambda: HueNudge(0, 30, 90, 0, 80), "turn must be between -60 and 60"),
        (lambda: Cdl(power=(0.0, 1.0, 1.0)), "power must be between 0.1 and 8"),
        (lambda: Lut("x", 0, 1, np.zeros((4, 4, 5, 3), np.float32)), "a table"),
        (lambda: Lut("x", 0, 1, np.full((4, 3), np.nan, np.float32)), "not a number"),
        (lambda: bake_cube((), signal(), 20), "17, 33 or 65 entries a side"),
    ],
)
def test_figures_that_make_no_sense_are_refused(make, sentence):
    with pytest.raises(SettingsError, match=sentence):
        make()
