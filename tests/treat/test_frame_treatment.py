from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest

from bluffline.measure.counted import Limits
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.signal.colorimetry import rgb_to_xyz, to_light, xyz_to_lab
from bluffline.signal.convert import upsample
from bluffline.signal.difference import delta_e_2000
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.signal.siting import Siting
from bluffline.treat import hold_kernels, site_kernels
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
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
    assert FrameTreatment((ChromaRein(-5, 105, on=False),), signal()).apply(planes) is planes


def test_legal_pixels_stay_as_they_are():
    source = signal(sampling="444")
    planes = to_planes(GARISH, source)
    treated = FrameTreatment((ChromaRein(-5, 105, onset=0),), source).apply(planes)
    legal, illegal = (((low < GARISH) & (high > GARISH)).all(axis=-1) for low, high in ((-0.045, 1.045), (-0.06, 1.06)))
    for before, after in zip(planes, treated, strict=True):
        assert np.array_equal(before[legal], after[legal]) and (before != after)[~illegal].any()


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


@pytest.mark.parametrize("interlaced", [False, True])
@pytest.mark.parametrize("sampling", ["420", "422"])
@pytest.mark.parametrize("treatment", [FULL_CHAIN, (Cdl((1.1, 1.0, 0.9)), *FULL_CHAIN)])
def test_halves_worked_on_at_once_are_the_whole(treatment, sampling, interlaced):
    source = replace(signal(sampling=sampling), interlaced=interlaced)
    planes, treatment = to_planes(GARISH, source), FrameTreatment(treatment, source)
    with ThreadPoolExecutor(2) as pool:
        halves = treatment.apply(planes, pool=pool)
    assert all(np.array_equal(a, b) for a, b in zip(treatment.apply(planes), halves, strict=True))


@pytest.mark.parametrize("how", [lambda loop: loop, lambda loop: loop.py_func])
def test_store_and_load_kernels_return_every_code(how):
    codes, single, sites = np.arange(1024, dtype=np.uint16).reshape(8, 128), np.float32, np.zeros((8, 128), np.float32)
    assert np.array_equal(how(site_kernels.add_chroma)(codes, sites, (single(0), single(1023))), codes)
    how(site_kernels.load_chroma)(codes, sites, single(512), single(1 / 896), sites)
    stored = how(site_kernels.store_chroma)(sites, single(512), single(896), (single(0), single(1023)), codes)
    assert np.array_equal(stored, codes)


INNER = "_read", "_ask_row", "_look_row", "_add_wishes", "_wish_row", "_take", "_give_row", "_demand_row"


@pytest.mark.parametrize("onset", [0.0, 3.0, 20.0])
@pytest.mark.parametrize("compiled", [True, False])
def test_what_is_written_is_what_the_rein_makes_of_each_colour(monkeypatch, onset, compiled):
    """Where chroma is not shared; held clear of the limits by what rounding adds."""
    source, rein = signal(64, 48, depth=12, sampling="444"), ChromaRein(-5, 105, onset)
    if not compiled:
        for name in ("rein_rows", *INNER):
            monkeypatch.setattr(hold_kernels, name, getattr(hold_kernels, name).py_func)
    planes = to_planes(GARISH, source)
    made = FrameTreatment((rein,), source).apply(planes)
    rgb = free_rgb(planes, source)
    wanted = to_planes(rein.apply(rgb, source), source)
    fits = rgb.max(axis=-1) - rgb.min(axis=-1) < 1.1  # of others, what is lacking is found by looks at what is left
    for n, (codes, own) in enumerate(zip(made, wanted, strict=True)):
        assert np.abs(codes.astype(int) - own)[fits].max() <= (5 if n == 0 else 8)


def free_rgb(planes, source):
    """R′G′B′ of planes that share no chroma."""
    levels = source.levels
    luma = (planes[0].astype(float) - levels.black) / levels.swing
    return ycbcr_to_rgb(
        np.stack([luma, *((plane.astype(float) - levels.zero) / levels.span for plane in planes[1:])], axis=-1), source.matrix
    )


@pytest.mark.parametrize("sampling", ["420", "422"])
def test_a_site_gives_less_than_its_worst_pixel_asks(sampling):
    """One pixel in four far over: the legal ones beside it keep more of their chroma than that pixel alone would leave."""
    source = signal(64, 48, sampling=sampling)
    red = np.full((48, 64, 3), (0.8, 0.35, 0.3))
    red[::2, ::2] += 0.45
    planes = to_planes(red, source)
    alone = (ChromaRein(-5, 105).apply(red[0, 0], source) - red[0, 0])[0]
    made = FrameTreatment((ChromaRein(-5, 105),), source).apply(planes)
    kept = (made[2][4:-4:2, 4:-4].astype(float) - 512) / (planes[2][4:-4:2, 4:-4].astype(float) - 512)
    assert alone < -0.1 and kept.min() > 0.6 and kept.max() < 1, "all give a little"
    assert measure_frame(made, source, Region.whole(source), EXACT).outside_area == 0


EXACT = Limits((-1.0, 103.0), (-5.0, 105.0), exact=True)


def lab_of(planes, source):
    """CIE Lab of every pixel as it is shown, its chroma interpolated by NumPy."""
    levels = source.levels
    luma = (planes[0].astype(float) - levels.black) / levels.swing
    chroma = [upsample((plane.astype(float) - levels.zero) / levels.span, source) for plane in planes[1:]]
    light = to_light(ycbcr_to_rgb(np.stack([luma, *chroma], axis=-1), source.matrix), source.transfer)
    return xyz_to_lab(light @ rgb_to_xyz(source.primaries).T)


@pytest.mark.parametrize("sampling", ["420", "422", "444"])
@pytest.mark.parametrize("depth", [8, 10, 12])
def test_what_is_written_is_legal_to_the_letter(sampling, depth):
    """A sweep of hues at every level, far out: read exactly, without any allowance, nothing is outside R 103."""
    hue, level = np.meshgrid(np.linspace(0, 2 * np.pi, 128), np.linspace(-0.1, 1.15, 96))
    sweep = np.stack([level + 0.6 * np.cos(hue + turn) for turn in (0, 2.1, 4.2)], axis=-1)
    source = signal(128, 96, depth, sampling)
    treated = FrameTreatment(FULL_CHAIN, source).apply(to_planes(sweep, source))
    after = measure_frame(treated, source, Region.whole(source), EXACT)
    assert measure_frame(to_planes(sweep, source), source, Region.whole(source), EXACT).outside_area > 50
    assert after.outside_area < 0.05 and after.reserved == 0


def test_a_stray_pixel_does_not_take_its_neighbours_colour():
    """Luma over the limit of R′G′B′ in one pixel of a site gives way, and the legal pixels beside it keep their chroma."""
    source = signal(64, 48, sampling="420", depth=8)
    warm = np.full((48, 64, 3), (0.72, 0.6, 0.5))
    planes = to_planes(warm, source)
    planes[0][::4, ::4] = 254
    planes[0][2::4, 2::4] = 2
    treated = FrameTreatment(FULL_CHAIN, source).apply(planes)
    legal = (planes[0] != 254) & (planes[0] != 2)
    before, after = (lab_of(shown, source)[legal] for shown in (planes, treated))
    assert np.median(delta_e_2000(before, after)) < 0.5 and delta_e_2000(before, after).max() < 3
    assert measure_frame(treated, source, Region.whole(source), EXACT).outside_area == 0


def test_outside_the_active_picture_only_what_breaks_a_limit_is_changed():
    """Bars keep their codes from shot to shot whatever the curve of the picture does; those below the limit are held at it."""
    source = signal(64, 48)
    picture = np.full((48, 64, 3), 0.5)
    planes = to_planes(picture, source)
    for plane, code in zip(planes, (64, 512, 512), strict=True):
        plane[:8] = code
        plane[40:] = code
    planes[0][44:] = 10
    planes[0][20:24] = 20
    region = Region(0, 8, 64, 32)
    lifted = (SoftFloor(-1, -6, 20),)
    treated = FrameTreatment(lifted, source, region=region).apply(planes)
    assert (treated[0][:8] == 64).all() and (treated[0][40:44] == 64).all()
    assert (treated[0][44:] == 56).all(), "held at the first code inside −1 %"
    assert (treated[0][20:24] >= 56).all() and all(np.array_equal(a, b) for a, b in zip(treated[1:], planes[1:], strict=True))
    assert (FrameTreatment(lifted, source).apply(planes)[0][:8] > 64).all(), "the curve itself would have lifted the bars"


def test_giving_way_compiled_and_plain_agree(monkeypatch):
    source = signal(96, 40, sampling="420")
    planes = to_planes(np.random.default_rng(3).uniform(-0.2, 1.2, (40, 96, 3)), source)
    compiled = FrameTreatment(FULL_CHAIN, source).apply(planes)
    for name in ("rein_scale", "take_chroma", *INNER):
        monkeypatch.setattr(hold_kernels, name, getattr(hold_kernels, name).py_func)
    for one, other in zip(compiled, FrameTreatment(FULL_CHAIN, source).apply(planes), strict=True):
        assert np.array_equal(one, other)


def test_any_form_of_noise_is_brought_inside():
    """Pictures of one pixel and more, every sampling, siting, matrix and transfer, fields or none: nothing is left outside."""
    rng = np.random.default_rng(11)
    for number in range(90):
        width, height = (int(size) for size in rng.integers(1, 36, 2))
        sampling, depth = rng.choice(["420", "422", "444"]), int(rng.choice([8, 10, 12]))
        source = replace(
            signal(width, height, depth, sampling), interlaced=bool(rng.integers(2)) and height > 3,
            siting=list(Siting)[rng.integers(6)], matrix=list(Matrix)[rng.integers(3)],
            transfer=str(rng.choice(["bt709", "pq", "hlg", "linear", "srgb"])),
        )  # fmt: skip
        low, high = ((-5.0, 105.0), (0.0, 100.0), (-20.0, 120.0))[number % 3]
        top, dtype = (1 << depth) - 1, np.uint8 if depth == 8 else np.uint16
        sizes = (height, width), *[source.chroma_size[::-1]] * 2
        planes = tuple(rng.integers(0, top + 1, size).astype(dtype) for size in sizes)
        made = FrameTreatment((ChromaRein(low, high, float(rng.choice([0, 3, 50]))),), source).apply(planes)
        left = measure_frame(made, source, Region.whole(source), Limits((-200, 300), (low, high), exact=True))
        assert left.outside_area == 0, f"{number}: {source}"
