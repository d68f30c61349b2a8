"""Bands, curves, hues, chroma by luma, log, look and sharpen, against closed forms and OpenColorIO."""

import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio  # noqa: N813 – as its own documentation calls it
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator
from scipy.ndimage import gaussian_filter, maximum_filter, minimum_filter

from bluffline.errors import SettingsError
from bluffline.measure.areas import Shape
from bluffline.signal.colorimetry import camera_light, camera_signal, rgb_to_xyz
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.bake import bake_cube, baked
from bluffline.treat.encodings import GREATEST, encoding, encodings
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.bands import Band, Bands, weights_of
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_by_luma import ChromaByLuma
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.log import MEASURED, Log
from bluffline.treat.kinds.look import Look
from bluffline.treat.kinds.sharpen import Sharpen
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import predicted_extremes
from bluffline.treat.reach import Reach, ReachArea
from bluffline.treat.stored import step_from, step_to
from clips import signal, to_planes

SIGNAL = signal(64, 48, depth=12, sampling="444")
LINEAR = replace(SIGNAL, transfer="linear")
colours = st.tuples(*[st.floats(-0.1, 1.2)] * 3).map(np.array)
bands = st.builds(
    lambda low, wide, soft: Band(low, min(low + wide, 120), soft), st.floats(-20, 100), st.floats(0, 60), st.floats(0, 60)
)


def split(rgb):
    """Luma, Cb and Cr in percent."""
    return np.moveaxis(rgb_to_ycbcr(np.asarray(rgb), SIGNAL.matrix), -1, 0) * 100


def colour(luma, cb, cr):
    return ycbcr_to_rgb(np.array([luma, cb, cr]) / 100, SIGNAL.matrix)


# Banded balance ----------------------------------------------------------------------------------------------------------


@given(st.lists(bands, min_size=1, max_size=5), st.floats(-30, 130))
def test_bands_share_where_they_overlap(several, luma):
    weights = weights_of(tuple(several), np.array(luma))
    alone = np.array([band.weight(np.array(luma)) for band in several])
    assert weights.sum() <= 1 + 1e-12 and (weights >= 0).all()
    assert weights.sum() == pytest.approx(min(alone.sum(), 1))


def test_a_band_is_full_between_its_limits_and_falls_smoothly_beyond_them():
    band = Band(20, 60, 10)
    assert band.weight(np.array([20, 40, 60])) == pytest.approx(1)
    assert band.weight(np.array([15.0, 65.0])) == pytest.approx(0.5)
    assert band.weight(np.array([10.0, 70.0, 0, 100])) == pytest.approx(0)
    assert Band(20, 60, 0).weight(np.array([20, 60, 19.9, 60.1])) == pytest.approx([1, 1, 0, 0])


@given(st.floats(25, 55), st.floats(-10, 10), st.floats(-10, 10))
def test_a_band_adds_tint_and_luma_and_multiplies_chroma(luma, cb, cr):
    made = split(Bands((Band(20, 60, 10, cb=4, cr=-3, luma=2, chroma=0.5),)).apply(colour(luma, cb, cr), SIGNAL))
    assert made == pytest.approx([luma + 2, cb * 0.5 + 4, cr * 0.5 - 3])


# Curves -------------------------------------------------------------------------------------------------------------------


@given(st.lists(st.tuples(st.floats(0.5, 20), st.floats(-40, 140)), min_size=2, max_size=6), st.floats(-0.3, 1.4))
def test_a_curve_is_the_monotone_cubic_of_the_library_and_a_line_beyond(steps, value):
    x = np.cumsum([step[0] for step in steps]) - 0.5
    y = np.array([step[1] for step in steps])
    made = Curves(tuple(zip(x.tolist(), y.tolist(), strict=True))).apply(np.full(3, value), SIGNAL)
    curve = PchipInterpolator(x, y)
    ends = np.clip(value * 100, x[0], x[-1])
    wanted = curve(ends) + curve.derivative()(ends) * (value * 100 - ends)
    assert made == pytest.approx(np.full(3, wanted / 100), abs=1e-7)


def test_components_follow_the_master_and_luma_leaves_chroma_alone():
    raised, halved = ((0, 10), (100, 100)), ((0, 0), (100, 50))
    assert Curves(raised, red=halved).apply(np.full(3, 0.5), SIGNAL) == pytest.approx([0.275, 0.55, 0.55])
    made = split(Curves(raised, "luma").apply(colour(50, 12, -9), SIGNAL))
    assert made == pytest.approx([55, 12, -9])


@pytest.mark.parametrize("points", [((0, 0),), ((0, 0), (0, 50)), ((0, 0), (500, 10)), ((0, float("nan")), (9, 9))])
def test_curves_that_are_none_are_refused(points):
    with pytest.raises(SettingsError, match="Curves: master must be"):
        Curves(points)


# Colours by hue, chroma by luma ----------------------------------------------------------------------------------------------


def on_circle(hue, chroma, luma=50.0):
    return colour(luma, chroma * np.cos(np.radians(hue)), chroma * np.sin(np.radians(hue)))


@given(st.floats(-180, 180), st.floats(8.01, 30))
def test_hues_are_turned_fed_and_lifted_in_full_from_8_percent_on(hue, chroma):
    step = Hues(((0, 20),), ((0, 1.5),), ((0, -4),))
    luma, cb, cr = split(step.apply(on_circle(hue, chroma), SIGNAL))
    turned = (np.degrees(np.arctan2(cr, cb)) - hue + 180) % 360 - 180
    assert (luma, turned, np.hypot(cb, cr)) == pytest.approx((46, 20, chroma * 1.5))


@given(st.floats(-180, 180), st.floats(0, 3))
def test_points_may_come_in_any_order_and_the_circle_closes_once(hue, chroma):
    there = on_circle(hue, chroma + 10)
    plain = Hues(((0, 5), (90, -10), (200, 20)))
    assert Hues(((200, 20), (0, 5), (90, -10))) == plain == Hues(((0, 5), (90, -10), (200, 20), (360, 5)))
    assert plain.apply(there, SIGNAL) == pytest.approx(Hues(((-160, 20), (0, 5), (90, -10))).apply(there, SIGNAL))
    with pytest.raises(SettingsError, match="turn must be"):
        Hues(((0, 5), (360, 6)))


@given(st.floats(-180, 180), st.floats(0, 3))
def test_near_greys_have_no_hue(hue, chroma):
    grey = on_circle(hue, chroma)
    assert Hues(((0, 60),), ((0, 3),), ((0, 9),)).apply(grey, SIGNAL) == pytest.approx(grey)


@given(st.lists(st.tuples(st.integers(0, 35), st.floats(0, 3)), min_size=1, max_size=8, unique_by=lambda point: point[0]))
def test_a_curve_over_hue_goes_through_its_points_and_round(points):
    points = tuple(sorted((10.0 * hue - 170, factor) for hue, factor in points))
    step = Hues(chroma=points)
    for hue, factor in points:
        _, cb, cr = split(step.apply(on_circle(hue, 20), SIGNAL))
        assert np.hypot(cb, cr) == pytest.approx(20 * factor, abs=1e-6)
    around = split(step.apply(np.stack([on_circle(hue, 20) for hue in np.arange(-180, 180.5, 0.5)]), SIGNAL))
    factors = np.hypot(around[1], around[2]) / 20
    values = [factor for _, factor in points]
    assert min(values) - 1e-9 <= factors.min() and factors.max() <= max(values) + 1e-9, "no overshoot between points"
    assert factors[0] == pytest.approx(factors[-1])


@given(colours)
def test_chroma_by_luma_holds_beyond_its_ends(rgb):
    points = ((20.0, 0.0), (50.0, 1.2), (90.0, 0.5))
    luma, cb, cr = split(rgb)
    gain = PchipInterpolator(*zip(*points, strict=True))(np.clip(luma, 20, 90))
    assert split(ChromaByLuma(points).apply(rgb, SIGNAL)) == pytest.approx([luma, cb * gain, cr * gain], abs=1e-6)


# Log ---------------------------------------------------------------------------------------------------------------------


def grey_of(name, light=0.18):
    """The signal of a grey."""
    values = np.linspace(0, GREATEST, 200_001)
    return float(np.interp(light, encoding(name).light(values), values))


def test_encodings_are_what_the_library_holds_and_spelled_nowhere():
    built_in = {name.removesuffix("_to_ACES2065-1") for name, _ in ocio.BuiltinTransformRegistry().getBuiltins()}
    assert len(encodings()) >= 10 and set(encodings()) <= built_in
    cameras = set(encodings()) - {"ACEScc", "ACEScct", "ACESproxy10i"}  # those are of an open standard
    words = {part for name in cameras for part in re.split(r"[_.-]", name) if len(part) > 3}
    root, found = Path(__file__).parents[2], re.compile(rf"\b({'|'.join(sorted(words))})\b")
    texts = [path for kind in ("src/**/*.py", "docs/**/*.md", "tests/**/*.py", "*.md") for path in root.glob(kind)]
    assert not [(path.name, told[0]) for path in texts if (told := found.search(path.read_text(encoding="utf-8")))]


@pytest.mark.parametrize("name", encodings())
def test_a_log_is_that_of_the_library(name):
    """Without roll-off and within R′G′B′, against its transform and its own way from scene light to linear BT.709."""
    group = ocio.GroupTransform(
        [ocio.BuiltinTransform(f"{name}_to_ACES2065-1"), ocio.BuiltinTransform("UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD")]
    )
    process = ocio.Config.CreateRaw().getProcessor(group).getOptimizedCPUProcessor(ocio.OPTIMIZATION_NONE)
    grey = grey_of(name)
    rgb = (grey + np.random.default_rng(1).uniform(-0.02, 0.02, (200, 3))).astype(np.float32)
    light = rgb.copy()
    process.applyRGB(light)
    wanted = camera_signal(light @ np.linalg.inv(rgb_to_xyz("bt709")).T, "bt709")
    assert Log(name, roll_off=0).apply(rgb, SIGNAL) == pytest.approx(wanted, abs=2e-4)


@pytest.mark.parametrize("transfer", [("bt709", 0.409), ("hlg", 0.378), ("linear", 0.18)])
@pytest.mark.parametrize("name", [*encodings(), MEASURED])
def test_mid_grey_lands_where_the_programme_has_it(name, transfer):
    value = 0.5 if name == MEASURED else grey_of(name)
    made = Log(name).apply(np.full(3, value), replace(SIGNAL, transfer=transfer[0]))
    assert made == pytest.approx(np.full(3, transfer[1]), abs=0.001)


@pytest.mark.parametrize("name", [*encodings(), MEASURED])
def test_highlights_roll_to_white_without_a_kink(name):
    step = Log(name, exposure=0.7, roll_off=40)
    ramp = np.linspace(0, 1, 4001)
    luma = split(step.apply(np.repeat(ramp[:, None], 3, axis=1), SIGNAL))[0]
    assert (np.diff(luma) >= -1e-9).all() and luma[-1] == pytest.approx(100, abs=0.01)
    plain = split(replace(step, roll_off=0).apply(np.repeat(ramp[:, None], 3, axis=1), SIGNAL))[0]
    below = plain < 60
    assert luma[below] == pytest.approx(plain[below])
    by_scene = np.diff(luma[~below]) / np.maximum(np.diff(plain[~below]), 1e-9)
    assert by_scene[0] == pytest.approx(1, abs=0.05) and np.abs(np.diff(by_scene)).max() < 0.1, "the slope has no step"


@given(colours, st.sampled_from(encodings()[:4]))
def test_what_is_brought_into_gamut_keeps_hue_and_luma(rgb, name):
    step = Log(name, roll_off=0)
    read = encoding(name)
    plain = camera_signal(read.light(rgb) @ np.linalg.solve(rgb_to_xyz("bt709"), read.matrix).T, "bt709")
    made = step.apply(rgb, SIGNAL)
    (y0, cb0, cr0), (y1, cb1, cr1) = split(plain), split(made)
    assert y1 == pytest.approx(y0, rel=1e-6, abs=1e-6)
    assert cb1 * cr0 == pytest.approx(cb0 * cr1, rel=1e-6, abs=1e-4 * max(abs(cb0), abs(cr0), 1))
    if y0 > 0:
        assert made.min() >= -1e-6 * max(1, abs(plain).max())


def test_measured_extremes_open_a_flat_ramp_from_end_to_end():
    step = Log(MEASURED, low=20, high=70, roll_off=0)
    made = split(step.apply(np.array([[0.2] * 3, [0.45] * 3, [0.7] * 3]), LINEAR))[0]
    assert made == pytest.approx([0, 18, 425], rel=0.06, abs=0.1)


def test_an_encoding_that_is_unknown_is_refused():
    with pytest.raises(SettingsError, match="encoding must be one that is known here"):
        Log("NO_SUCH_LOG")


# Look, sharpen -------------------------------------------------------------------------------------------------------------


@given(colours, st.floats(0, 100))
def test_a_look_mixes_what_it_makes_with_what_comes_in(rgb, strength):
    steps = Tone(exposure=0.5, saturation=0.3), Curves(((0, 5), (100, 92)))
    whole = steps[1].apply(steps[0].apply(rgb, SIGNAL), SIGNAL)
    assert Look("l", strength, steps).apply(rgb, SIGNAL) == pytest.approx(rgb + (whole - rgb) * strength / 100)


def test_a_look_of_no_strength_leaves_frames_as_they_are():
    planes = to_planes(np.random.default_rng(2).uniform(0, 1, (48, 64, 3)), SIGNAL)
    made = FrameTreatment((Look("none", 0, (Tone(exposure=2), Sharpen(200))),), SIGNAL).apply(planes)
    assert all(np.array_equal(a, b) for a, b in zip(made, planes, strict=True))


def test_sharpening_is_an_unsharp_mask():
    luma = np.random.default_rng(3).uniform(0.2, 0.8, (40, 50))
    rgb = np.repeat(luma[..., None], 3, axis=-1)
    made = Sharpen(80, 1.4, 0, 100).apply_to_picture(rgb, LINEAR)[..., 0]
    blur = gaussian_filter(luma, 1.4, mode="nearest", truncate=4.3)
    around = {"size": 5, "mode": "nearest"}
    least, greatest = minimum_filter(luma, **around), maximum_filter(luma, **around)
    wanted = np.clip(luma + 0.8 * (luma - blur), 2 * least - greatest, 2 * greatest - least)
    assert made == pytest.approx(wanted, abs=2e-5)


@given(st.floats(0, 500), st.floats(0.3, 4), st.floats(0, 5), st.floats(0, 100), st.integers(0, 99))
def test_sharpening_keeps_to_its_overshoot_and_flat_parts_to_the_code(amount, radius, threshold, overshoot, seed):
    random = np.random.default_rng(seed)
    planes = [np.full((48, 64), code, np.uint16) for code in (1500, 2200, 1900)]
    planes[0][:, 40:] = random.integers(1000, 3000, (48, 24))
    made = FrameTreatment((Sharpen(amount, radius, threshold, overshoot),), SIGNAL).apply(tuple(planes))
    reach = 4 * int(np.ceil(radius)) + 4
    assert (made[0][:, : max(40 - reach, 0)] == 1500).all()
    assert np.array_equal(made[1], planes[1]) and np.array_equal(made[2], planes[2]), "luma only"
    size = 2 * int(np.ceil(radius)) + 1
    least, greatest = (each(planes[0].astype(float), size, mode="nearest") for each in (minimum_filter, maximum_filter))
    room = (greatest - least) * overshoot / 100 + 0.6
    assert (made[0] >= np.maximum(least - room, 0)).all() and (made[0] <= greatest + room).all()


def test_fields_are_sharpened_apart():
    source = replace(SIGNAL, interlaced=True)
    luma = np.where(np.arange(48) % 2, 2500, 1500).astype(np.uint16)[:, None].repeat(64, axis=1)
    planes = luma, np.full((48, 64), 2048, np.uint16), np.full((48, 64), 2048, np.uint16)
    assert np.array_equal(FrameTreatment((Sharpen(300, 1),), source).apply(planes)[0], luma), "each field is flat"
    assert not np.array_equal(FrameTreatment((Sharpen(300, 1, 0, 50),), SIGNAL).apply(planes)[0], luma)


def test_sharpening_sees_what_the_rungs_before_it_left_and_a_key_sees_the_sharpened():
    """Steps before and after a step that looks at neighbours give the same as one after the other."""
    planes = to_planes(np.random.default_rng(5).uniform(0.2, 0.7, (48, 64, 3)), SIGNAL)
    first, second, third = Tone(exposure=0.6), Sharpen(200, 1.5, 0.2, 30), Cdl((1.1, 1.0, 0.9))
    whole = FrameTreatment((first, second, third), SIGNAL).apply(planes)
    parts = planes
    for step in (first, second, third):
        parts = FrameTreatment((step,), SIGNAL).apply(parts)
    for one, other in zip(whole, parts, strict=True):
        assert np.abs(one.astype(int) - other.astype(int)).max() <= 3, "but for rounding between"


# As OpenColorIO has it, as it is stored -----------------------------------------------------------------------------------


@given(st.floats(-2, 2), st.floats(0.2, 3), st.floats(5, 95), colours)
def test_exposure_and_contrast_are_those_of_the_library(stops, contrast, pivot, rgb):
    ours = Tone(contrast=contrast, pivot=pivot).apply(rgb, SIGNAL)
    made = ocio.ExposureContrastTransform(ocio.EXPOSURE_CONTRAST_LOGARITHMIC)
    made.setContrast(contrast)
    made.setPivot(0.18)
    made.setLogMidGray(pivot / 100)
    held = rgb.astype(np.float32)[None].copy()
    ocio.Config.CreateRaw().getProcessor(made).getDefaultCPUProcessor().applyRGB(held)
    assert ours == pytest.approx(held[0], abs=2e-5)
    made = ocio.ExposureContrastTransform(ocio.EXPOSURE_CONTRAST_LINEAR)
    made.setExposure(stops)
    light = camera_light(rgb, "bt709").astype(np.float32)[None].copy()
    ocio.Config.CreateRaw().getProcessor(made).getDefaultCPUProcessor().applyRGB(light)
    assert camera_light(Tone(stops).apply(rgb, SIGNAL), "bt709") == pytest.approx(light[0], rel=1e-3, abs=1e-3)


STORED = [
    {
        "kind": "bands",
        "values": {"bands": [{"low": 0, "high": 30, "softness": 8, "cb": 2, "cr": -1, "luma": 3, "chroma": 0.8}]},
    },
    {"kind": "curves", "values": {"master": [[0, 0], [50, 60], [100, 100]], "on": "luma", "red": [[0, 2], [100, 98]]}},
    {"kind": "hues", "values": {"turn": [[-90, 10]], "chroma": [[0, 0.5], [120, 1]], "luma": [[30, -3]]}},
    {"kind": "chroma-by-luma", "values": {"points": [[80, 1], [100, 0]]}},
    {"kind": "log", "values": {"encoding": encodings()[0], "exposure": 0.5, "roll_off": 20}},
    {"kind": "look", "values": {"name": "n", "strength": 40, "steps": [step_to(Tone(exposure=1)), step_to(SoftCeiling())]}},
    {"kind": "sharpen", "values": {"amount": 80, "radius": 1.2, "threshold": 1, "overshoot": 5}},
]


@pytest.mark.parametrize("data", STORED, ids=lambda data: data["kind"])
def test_they_are_stored_as_it_is_told(data):
    step = step_from(data)
    again = step_to(step)
    for key, value in data["values"].items():
        told = again["values"][key]
        assert (list(map(list, told)) if isinstance(told, tuple) else told) == value
    assert step_from(again) == step and step.text not in ("", "neutral")


@pytest.mark.parametrize(
    ("kind", "values", "words"),
    [
        ("bands", {"bands": [{}] * 6}, "there are 5 bands at most"),
        ("bands", {"bands": [{"low": 50, "high": 40}]}, "a band must run upwards"),
        ("bands", {"bands": [{"low": True}]}, "low must be a number"),
        ("bands", {"bands": [{"hue": 4}]}, "no figure 'hue'"),
        ("bands", {"bands": {"low": 3}}, "bands must be a list"),
        ("curves", {"on": "chroma"}, "must be one that is known here, not chroma"),
        ("curves", {"on": 1}, "must be a text"),
        ("hues", {"turn": [[10, 5], [370, 5]]}, "turn must be"),
        ("log", {"encoding": None}, "encoding must be a text"),
        ("look", {"steps": [{"kind": "look"}]}, "a look can't hold another"),
        ("look", {"steps": [{"kind": "tone", "reach": {"key": {}}}]}, "can't have a reach"),
        ("look", {"steps": "tone"}, "steps must be a list"),
        ("sharpen", {"radius": 0}, "radius must be between"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_in_a_sentence(kind, values, words):
    with pytest.raises(SettingsError, match=words):
        step_from({"kind": kind, "values": values})


def test_matrices_and_primaries_of_the_programme_count():
    wide = replace(SIGNAL, primaries="bt2020", matrix=Matrix.BT2020)
    value, name = np.array([0.5, 0.4, 0.35]), encodings()[-1]
    assert np.abs(Log(name).apply(value, wide) - Log(name).apply(value, SIGNAL)).max() > 0.01
    assert Bands((Band(cb=5),)).apply(value, wide) != pytest.approx(Bands((Band(cb=5),)).apply(value, SIGNAL))


def test_sharpening_within_a_look_and_a_reach_is_mixed_as_all_else_is():
    planes = to_planes(np.random.default_rng(6).uniform(0.2, 0.8, (48, 64, 3)), SIGNAL)
    step, before = Sharpen(200, 1.2, 0.2, 40), planes[0].astype(float)

    def added(treatment):
        made = FrameTreatment(treatment, SIGNAL).apply(planes)
        assert np.array_equal(made[1], planes[1])
        return made[0] - before

    whole = added((step,))
    assert added((Look("half", 50, (step,)),)) == pytest.approx(whole / 2, abs=1)
    left = Reach(areas=(ReachArea(Shape.RECTANGLE, ((0, 0), (50, 100))),))
    inside = added((replace(step, reach=left),))
    assert np.array_equal(inside[:, :32], whole[:, :32]) and not inside[:, 32:].any()
    assert np.abs(whole).max() > 30


def test_no_table_holds_what_looks_at_neighbours_and_the_bound_knows_of_its_overshoot():
    for ladder in ((Tone(0.2), Sharpen(100)), (Look("l", 50, (Sharpen(100),)),)):
        with pytest.raises(SettingsError, match=r"A table can't hold rung \d"):
            bake_cube(ladder, SIGNAL)
        with pytest.raises(SettingsError, match="can't hold"):
            baked(ladder, SIGNAL)
    ends = np.array([[10.0, 80.0]])
    luma, rgb = predicted_extremes((Sharpen(300, 2, 0, 25),), ends, ends, SIGNAL)
    assert luma[0] == pytest.approx([-7.5, 97.5], abs=6) and rgb[0, 0] <= -7.4 and rgb[0, 1] >= 97.4
    assert bake_cube((Sharpen(0), Tone(0.2)), SIGNAL, 17).size == 17, "one that does nothing is in nobody's way"
