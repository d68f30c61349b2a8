import numpy as np
import pytest

from bluffline.measure.frame_measure import Limits, Region, measure_frame
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr
from bluffline.treat import treat_kernels
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.steps import ChromaRein, LevelRemap, RemapMode, SoftCeiling, SoftFloor
from clips import signal, to_planes

R103 = Limits((-1.0, 103.0), (-5.0, 105.0))
Y, X = np.mgrid[0:48, 0:64] / np.array([48, 64])[:, None, None]
GARISH = np.stack([0.6 + 0.9 * X, 0.5 - 0.7 * Y, 0.4 + 0.8 * np.sin(5 * X + 3 * Y)], axis=-1)
FULL_CHAIN = (SoftCeiling(103, 130, 80), SoftFloor(-1, -30, 10), ChromaRein(-5, 105))


@pytest.mark.parametrize("sampling", ["420", "422", "444"])
@pytest.mark.parametrize("depth", [8, 10, 12])
@pytest.mark.parametrize("model", list(Model))
def test_what_comes_out_is_legal(sampling, depth, model):
    if model is Model.RGB and sampling != "444":
        pytest.skip("R′G′B′ is not sub-sampled")
    source = signal(depth=depth, sampling=sampling, model=model)
    planes = to_planes(GARISH, source)
    before = measure_frame(planes, source, Region.whole(source), R103)
    after = measure_frame(FrameTreatment(FULL_CHAIN, source).apply(planes), source, Region.whole(source), R103)
    assert before.rgb_high_area > 5 and before.rgb_low_area > 5
    assert after.rgb_high_area == after.rgb_low_area == after.luma_high_area == after.luma_low_area == 0


def test_no_step_means_the_very_planes():
    planes = to_planes(GARISH, signal())
    assert FrameTreatment((), signal()).apply(planes) is planes
    assert FrameTreatment((ChromaRein(-5, 105, bypassed=True),), signal()).apply(planes) is planes


def test_legal_pixels_stay_as_they_are_and_luma_is_held():
    source = signal(sampling="444")
    planes = to_planes(GARISH, source)
    treated = FrameTreatment((ChromaRein(-5, 105, onset=0),), source).apply(planes)
    legal = ((GARISH > -0.045) & (GARISH < 1.045)).all(axis=-1)
    assert treated[0] is planes[0], "luma is held"
    for before, after in zip(planes[1:], treated[1:], strict=True):
        assert np.array_equal(before[legal], after[legal])
        assert (before != after)[~((GARISH > -0.06) & (GARISH < 1.06)).all(axis=-1)].any()


def test_hue_is_held():
    source = signal(sampling="444", depth=12)
    planes = to_planes(GARISH, source)
    treated = FrameTreatment((ChromaRein(-5, 105),), source).apply(planes)
    chroma = [np.stack([p[1].astype(float) - 2048, p[2].astype(float) - 2048]) for p in (planes, treated)]
    strong = np.hypot(*chroma[1]) > 200
    turn = np.angle(np.exp(1j * (np.arctan2(*chroma[1]) - np.arctan2(*chroma[0]))))
    assert np.abs(turn[strong]).max() < 0.01  # radians: the rounding of 12-bit chroma


def test_shared_chroma_reins_the_neighbour_but_no_further():
    source = signal(64, 48)
    grey = np.full((48, 64, 3), 0.5)
    grey[20:28, 30:34] = (1.3, 0.2, 0.1)
    planes = to_planes(grey, source)
    treated = FrameTreatment((ChromaRein(-5, 105),), source).apply(planes)
    changed = (treated[1] != planes[1]) | (treated[2] != planes[2])
    rows, columns = np.nonzero(changed)
    assert rows.min() >= 20 and rows.max() < 28 and columns.min() >= 14 and columns.max() <= 17


def test_full_range_material_becomes_exactly_the_narrow_picture():
    picture = np.stack([X, Y, 1 - X], axis=-1) * 0.9 + 0.05
    full = to_planes(picture, signal(depth=10, signal_range=Range.FULL))
    source = signal(depth=10)
    remap = LevelRemap.mistagged(RemapMode.FULL_TO_NARROW, 10, source.levels)
    for made, wanted in zip(FrameTreatment((remap,), source).apply(full), to_planes(picture, source), strict=True):
        assert np.abs(made.astype(int) - wanted).max() <= 1


def test_ceiling_holds_saturation():
    source = signal(depth=12, sampling="444")
    bright = np.broadcast_to([1.12, 1.05, 0.98], (48, 64, 3))
    luma, cb, _ = FrameTreatment((SoftCeiling(100, 107, 80),), source).apply(to_planes(bright, source))
    y0, cb0, _ = rgb_to_ycbcr(np.array([1.12, 1.05, 0.98]), Matrix.BT709)
    y1, cb1 = (luma[0, 0] - 256) / 3504, (float(cb[0, 0]) - 2048) / 3584
    assert cb1 / y1 == pytest.approx(cb0 / y0, rel=0.02)


def test_a_band_of_rows_is_treated_as_in_the_whole():
    source = signal()
    planes, treatment = to_planes(GARISH, source), FrameTreatment(FULL_CHAIN, source)
    whole = treatment.apply(planes)
    band = treatment.apply(tuple(plane[10:30] for plane in planes))
    assert all(np.array_equal(a[10:30], b) for a, b in zip(whole, band, strict=True))


def test_store_and_load_kernels_return_every_code():
    codes = np.arange(1024, dtype=np.uint16).reshape(8, 128)
    single = np.float32
    for load, store in (
        (treat_kernels.load_chroma, treat_kernels.store_chroma),
        (treat_kernels.load_chroma.py_func, treat_kernels.store_chroma.py_func),
    ):
        sites = load(codes, 128, single(512), single(1 / 896))
        assert np.array_equal(store(sites, single(512), single(896), single(1023), codes), codes)
