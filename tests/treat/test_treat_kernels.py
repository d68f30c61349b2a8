"""The loops of a treatment, compiled and as plain Python, against NumPy."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.measure.counted import rgb_arithmetic
from bluffline.signal.convert import downsample_columns, upsample
from bluffline.signal.format import Model
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.signal.siting import Siting
from bluffline.treat import treat_kernels
from bluffline.treat.colour import Cdl, Lut, tetrahedral
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.steps import ChromaRein, SoftCeiling, SoftFloor, tone_curve
from clips import signal, to_planes

KERNELS = (
    "map_codes", "load_chroma", "store_chroma", "scale_by_luma", "give_way", "rein_scale", "treat_rgb", "cube_ycbcr",
    "cube_rgb",
)  # fmt: skip
LEVELS = tuple(map(np.float32, (64, 876, 1023)))  # black, swing and the highest code of ten bits
TONES = SoftCeiling(90, 115, 60), SoftFloor(5, -12, 20)
rng = np.random.default_rng(12)


@pytest.fixture(params=["compiled", "plain"])
def kernel(request):
    """A loop by its name."""
    return lambda name: getattr(treat_kernels, name) if request.param == "compiled" else getattr(treat_kernels, name).py_func


def cube(size=5):
    axis = np.linspace(-0.1, 1.1, size)
    grid = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    return Lut("x", -0.1, 1.1, (grid * [0.9, 1.0, 0.8] + rng.normal(0, 0.02, grid.shape)).astype(np.float32))


def through(lut, rgb):
    """What a cube makes of colours."""
    place = np.clip((rgb - lut.low) / (lut.high - lut.low) * (lut.size - 1), 0, lut.size - 1)
    return tetrahedral(lut.table, place)


def spread(lut):
    return lut.table.reshape(-1, 3), (np.float32(lut.low), np.float32((lut.size - 1) / (lut.high - lut.low)))


def test_codes_go_through_their_table(kernel):
    plane, table = rng.integers(0, 1024, (4, 9), np.uint16), rng.integers(0, 1024, 1024, np.uint16)
    assert np.array_equal(kernel("map_codes")(plane, 7, table), table[plane[:, :7]])


def test_rgb_goes_through_a_cube(kernel):
    lut, planes = cube(), rng.integers(0, 1024, (3, 6, 8), np.uint16)
    made = kernel("cube_rgb")(*planes, 7, LEVELS, *spread(lut))
    wanted = through(lut, (np.moveaxis(planes[:, :, :7], 0, -1).astype(float) - 64) / 876) * 876 + 64
    assert np.abs(np.moveaxis(made, 0, -1).astype(float) - np.clip(wanted, 0, 1023)).max() <= 0.51


@pytest.mark.parametrize("sampling", ["444", "422"])
@pytest.mark.parametrize("siting", [Siting.LEFT, Siting.CENTRE])
def test_a_picture_goes_through_a_cube(kernel, sampling, siting):
    source = replace(signal(10, 6, sampling=sampling), siting=siting)
    lut, luma = cube(), rng.integers(200, 800, (6, 10), np.uint16)
    cb, cr = rng.uniform(-0.3, 0.3, (2, 6, source.chroma_size[0])).astype(np.float32)
    halved, taps, rows, _, gains = rgb_arithmetic(source)
    out, weights = np.empty_like(luma), tuple(map(np.float32, source.matrix.luma_weights))
    added = kernel("cube_ycbcr")(luma, cb, cr, (10, 6), halved, taps, rows, LEVELS, gains, weights, *spread(lut), out)
    ycbcr = np.stack([(luma.astype(float) - 64) / 876, upsample(cb, source), upsample(cr, source)], axis=-1)
    after = rgb_to_ycbcr(through(lut, ycbcr_to_rgb(ycbcr, Matrix.BT709)), Matrix.BT709)
    assert np.abs(out - (after[..., 0] * 876 + 64)).max() <= 0.51
    for n in (0, 1):
        wanted = downsample_columns((after - ycbcr)[..., n + 1], source)
        assert added[n] == pytest.approx(wanted, abs=2e-5)


def test_rgb_pixels_take_the_curve_of_their_luma(kernel):
    planes = rng.integers(100, 900, (3, 5, 9), np.uint16)
    start, stop, entries = -0.2, 1.3, 4096
    curve, gain = tone_curve(TONES, np.linspace(start, stop, entries) * 100)
    table = np.stack([curve / 100, gain], axis=1).astype(np.float32)
    single, weights = np.float32, np.array(Matrix.BT709.luma_weights)
    bounds = single(0), single(1023)
    made = kernel("treat_rgb")(
        *planes, 8, 5, tuple(map(single, weights)), LEVELS[:2], table, single(start), single((stop - start) / (entries - 1)),
        False, (single(0), single(1)), single(1), single(0.03), bounds,
    )  # fmt: skip
    rgb = (np.moveaxis(planes[:, :, :8], 0, -1).astype(float) - 64) / 876
    luma = rgb @ weights
    treated, gain = tone_curve(TONES, luma * 100)
    wanted = (treated / 100)[..., None] + (rgb - luma[..., None]) * gain[..., None]
    assert np.abs(np.moveaxis(made, 0, -1) - np.clip(wanted * 876 + 64, 0, 1023)).max() <= 0.55


@pytest.mark.parametrize("sampling", ["420", "422", "444", "rgb"])
@pytest.mark.parametrize("steps", [(*TONES, ChromaRein(0, 95)), (Cdl((1.2, 1.0, 0.8)), *TONES, ChromaRein(0, 95))])
def test_a_treatment_in_plain_python_is_the_compiled_one(monkeypatch, sampling, steps):
    model = Model.RGB if sampling == "rgb" else Model.YCBCR
    source = signal(16, 10, sampling="444" if sampling == "rgb" else sampling, model=model)
    planes = to_planes(np.random.default_rng(1).uniform(-0.1, 1.1, (10, 16, 3)), source)
    compiled = FrameTreatment(steps, source, draft=True).apply(planes)
    for name in KERNELS:
        monkeypatch.setattr(treat_kernels, name, getattr(treat_kernels, name).py_func)
    plain = FrameTreatment(steps, source, draft=True).apply(planes)
    for one, other in zip(compiled, plain, strict=True):
        assert np.abs(one[:10, :16].astype(int) - other[:10, :16].astype(int)).max() <= 1
        assert (one[:10, :16] != other[:10, :16]).mean() < 0.05, "but for what single precision rounds otherwise"
