from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import linprog

from bluffline.measure import rgb_kernels, survey_kernels
from bluffline.measure.counted import Limits, rounding_allowance
from bluffline.measure.frame_measure import combing, measure_frame
from bluffline.measure.outside import RGB_HIGH, RGB_LOW, mark_outside
from bluffline.measure.region import Region, without
from bluffline.signal.convert import upsample_columns
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.signal.siting import Siting
from clips import signal, to_planes

R103 = Limits((-1.0, 103.0), (-5.0, 105.0))
SINGLE = 2e-3  # percent: single precision in steps of 1/65536


def reference_rgb(planes, source):
    """R′G′B′ at luma sites in double precision, by the textbook: interpolate chroma, then the matrix."""
    levels, taps = source.levels, source.row_taps
    columns, rows = source.chroma_size
    chroma = []
    for plane in planes[1:]:
        sites = plane[:rows, :columns].astype(float)
        at_rows = sites[taps.first] * (1 - taps.weight[:, None]) + sites[taps.second] * taps.weight[:, None]
        wide = upsample_columns(at_rows, source) if source.halved[0] else at_rows
        chroma.append((wide[: source.height, : source.width] - levels.zero) / levels.span)
    luma = (planes[0][: source.height, : source.width].astype(float) - levels.black) / levels.swing
    return ycbcr_to_rgb(np.stack([luma, *chroma], axis=-1), source.matrix)


def excused_by_programming(rgb, planes, source, limits):
    """Whether a legal colour rounds to each pixel's codes, by linear programming: half a code around Y′, Cb and Cr."""
    low, high = np.array(limits.rgb) / 100
    levels, gains = source.levels, np.array(ycbcr_to_rgb(np.eye(3), source.matrix)).T
    half = 0.5 / np.array([levels.swing, levels.span, levels.span])
    legal = ((rgb >= low) & (rgb <= high)).all(-1)
    reach = np.abs(gains) @ half
    for y, x in np.argwhere(~legal & ((rgb >= low - reach) & (rgb <= high + reach)).all(-1)):
        middle = rgb_to_ycbcr(rgb[y, x], source.matrix)
        bounds = list(zip(middle - half, middle + half, strict=True))
        bounds[0] = (max(bounds[0][0], limits.luma[0] / 100), min(bounds[0][1], limits.luma[1] / 100))
        if bounds[0][0] <= bounds[0][1]:
            sides = np.vstack([gains, -gains]), np.concatenate([np.full(3, high), np.full(3, -low)])
            legal[y, x] = linprog(np.zeros(3), *sides, bounds=bounds).status == 0
    return legal


def random_planes(source, seed):
    rng = np.random.default_rng(seed)
    return to_planes(rng.uniform(-0.1, 1.15, (source.height, source.width, 3)), source)


@pytest.mark.parametrize("sampling", ["420", "422", "444"])
@pytest.mark.parametrize("depth", [8, 10, 12])
@pytest.mark.parametrize("kind", list(Range))
def test_measures_agree_with_numpy(sampling, depth, kind):
    source = signal(depth=depth, sampling=sampling, signal_range=kind)
    planes = random_planes(source, depth)
    measure = measure_frame(planes, source, Region.whole(source), R103)
    rgb, luma, levels = reference_rgb(planes, source), planes[0], source.levels
    assert (measure.y_min, measure.y_max) == (luma.min(), luma.max())
    assert measure.y_mean == pytest.approx(luma.mean())
    assert (measure.cb_min, measure.cb_max, measure.cr_min, measure.cr_max) == tuple(
        int(f(p)) for p in planes[1:] for f in (np.min, np.max)
    )
    assert measure.rgb_min == pytest.approx(rgb.min() * 100, abs=SINGLE)
    assert measure.rgb_max == pytest.approx(rgb.max() * 100, abs=SINGLE)
    pixel = 100 / luma.size  # in single precision a pixel or two falls on the other side of a limit
    illegal = ~excused_by_programming(rgb, planes, source, R103)
    luma_out = (luma > round(levels.code(103))) | (luma < max(round(levels.code(-1)), 0))
    assert measure.rgb_high_area == pytest.approx(100 * ((rgb > 1.05).any(-1) & illegal).mean(), abs=3 * pixel)
    assert measure.rgb_low_area == pytest.approx(100 * ((rgb < -0.05).any(-1) & illegal).mean(), abs=3 * pixel)
    assert measure.outside_area == pytest.approx(100 * (illegal | luma_out).mean(), abs=3 * pixel)
    assert measure.luma_high_area == pytest.approx(100 * (luma > round(levels.code(103))).mean())
    assert measure.luma_low_area == pytest.approx(100 * (luma < max(round(levels.code(-1)), 0)).mean())
    for histogram, plane in zip(measure.histograms, planes, strict=True):
        assert np.array_equal(histogram, np.bincount(plane.ravel(), minlength=1 << depth))


def test_region_is_all_that_is_measured():
    source = signal(64, 48)
    rgb = np.full((48, 64, 3), 0.5)
    rgb[:8] = rgb[:, :6] = 1.2
    measure = measure_frame(to_planes(rgb, source), source, Region(6, 8, 58, 40), R103)
    assert measure.luma_high_area == measure.rgb_high_area == 0
    assert measure.histograms[0].sum() == 58 * 40


def test_r103_codes_are_those_the_standard_prints():
    """R 103 prints 20 … 984 at 10 bits: those codes are legal in R′G′B′, the next ones are not."""
    source = signal(depth=10, sampling="444", model=Model.RGB)
    for code, inside in ((984, True), (985, False), (20, True), (19, False)):
        plane = np.full((48, 64), code, np.uint16)
        measure = measure_frame(
            (plane, plane, plane), signal(depth=10, sampling="444", model=Model.RGB), Region.whole(source), R103
        )
        assert (measure.rgb_high_area + measure.rgb_low_area == 0) is inside


def test_rounded_bars_are_legal_to_the_last_bit():
    source = signal(64, 48, depth=8)
    strict = Limits((0.0, 100.0), (0.0, 100.0))
    columns = np.array(
        [(1, 1, 1), (0.75, 0.75, 0), (0, 0.75, 0.75), (0, 0.75, 0), (0.75, 0, 0.75), (0.75, 0, 0), (0, 0, 0.75), (0, 0, 0)]
    )
    for bar in columns:
        flat = to_planes(np.broadcast_to(bar, (48, 64, 3)), source)
        measure = measure_frame(flat, source, Region.whole(source), strict)
        assert measure.rgb_high_area == measure.rgb_low_area == 0, bar


def test_padding_at_the_right_is_not_measured():
    source = signal(64, 48)
    planes = tuple(np.pad(p, ((0, 0), (0, 16)), constant_values=1023) for p in to_planes(np.full((48, 64, 3), 0.4), source))
    assert measure_frame(planes, source, Region.whole(source), R103).y_max < 500


def test_planes_of_another_depth_are_refused():
    planes = to_planes(np.full((48, 64, 3), 0.4), signal(depth=8))
    with pytest.raises(ValueError, match="uint8 don't hold 10-bit"):
        measure_frame(planes, signal(depth=10), Region.whole(signal()), R103)


@given(st.integers(0, 2**31), st.integers(1, 40), st.integers(1, 12))
def test_histogram_kernel_compiled_and_plain_agree_with_numpy(seed, width, height):
    plane = np.random.default_rng(seed).integers(0, 1024, (height, width + 3)).astype(np.uint16)
    expected = np.bincount(plane[:, 1 : 1 + width].ravel(), minlength=1024)
    for kernel in (survey_kernels.count_codes, survey_kernels.count_codes.py_func):
        assert np.array_equal(kernel(plane, 1, 1 + width, 0, height, 1024), expected)


def test_block_sums_compiled_and_plain_agree_with_numpy():
    plane = np.random.default_rng(1).integers(0, 1024, (36, 64)).astype(np.uint16)
    expected = plane.reshape(9, 4, 16, 4).astype(int).sum(axis=(1, 3))
    for kernel in (survey_kernels.block_sums, survey_kernels.block_sums.py_func):
        assert np.array_equal(kernel(plane, 0, 64, 0, 36, 16, 9, 1), expected)


@pytest.mark.parametrize("matrix", list(Matrix))
def test_rgb_material_is_measured_as_the_luma_it_makes(matrix):
    rgb = signal(depth=10, sampling="444", model=Model.RGB, matrix=matrix)
    ycbcr = signal(depth=10, sampling="444", matrix=matrix)
    picture = np.random.default_rng(2).uniform(0, 1, (48, 64, 3))
    one = measure_frame(to_planes(picture, rgb), rgb, Region.whole(rgb), R103)
    other = measure_frame(to_planes(picture, ycbcr), ycbcr, Region.whole(ycbcr), R103)
    for name in ("y_min", "y_max", "y_mean", "cb_min", "cb_max", "cr_min", "cr_max"):
        assert getattr(one, name) == pytest.approx(getattr(other, name), abs=1.5), name


@given(
    st.integers(0, 2**31), st.integers(2, 200), st.integers(2, 60), st.sampled_from(["420", "422", "444"]), st.booleans(),
    st.sampled_from(list(Siting)), st.integers(1, 300), st.floats(-30, 40), st.floats(50, 115),
)  # fmt: skip
def test_rgb_measures_agree_with_double_precision(seed, width, height, sampling, interlaced, siting, amplitude, low, high):
    """Extremes and counts against every pixel computed in double precision, whatever the picture, the limits and the siting."""
    source = replace(signal(width, height, sampling=sampling), interlaced=interlaced, siting=siting)
    rng = np.random.default_rng(seed)
    base = int(rng.integers(100, 900))
    columns, rows = source.chroma_size
    planes = tuple(
        np.clip(rng.integers(base - amplitude, base + amplitude + 1, shape), 4, 1019).astype(np.uint16)
        for shape in ((height, width), (rows, columns), (rows, columns))
    )
    limits = Limits((-1.0, 103.0), (low, high))
    measure = measure_frame(planes, source, Region.whole(source), limits)
    rgb, allowance = reference_rgb(planes, source), rounding_allowance(source)
    assert (measure.rgb_min, measure.rgb_max) == pytest.approx((rgb.min() * 100, rgb.max() * 100), abs=SINGLE)
    marks = mark_outside(planes, source, limits)
    for area, bit, outside in (
        (measure.rgb_high_area, RGB_HIGH, rgb.max(axis=-1) - high / 100),
        (measure.rgb_low_area, RGB_LOW, low / 100 - rgb.min(axis=-1)),
    ):
        certain, possible = (outside > allowance + 1e-4).sum(), (outside > -1e-4).sum()  # rounding decides between
        assert certain <= round(area / 100 * width * height) <= possible
        assert round(area / 100 * width * height) == np.count_nonzero(marks & bit), "the picture is hatched where it counts"


def test_rgb_kernels_compiled_and_plain_agree(monkeypatch):
    source = signal(96, 40, sampling="420")
    planes = random_planes(source, 3)
    compiled = measure_frame(planes, source, Region(4, 2, 90, 37), R103)
    marked = mark_outside(planes, source, R103)
    for name in ("judge_rows", "mark_outside_rgb"):
        monkeypatch.setattr(rgb_kernels, name, getattr(rgb_kernels, name).py_func)
    plain = measure_frame(planes, source, Region(4, 2, 90, 37), R103)
    assert plain.rgb_max == compiled.rgb_max and plain.rgb_low_area == compiled.rgb_low_area
    assert np.array_equal(mark_outside(planes, source, R103), marked)


@given(st.lists(st.tuples(*4 * [st.integers(0, 20)]), max_size=4))
def test_a_region_without_others_is_cut_into_pieces_that_do_not_overlap(boxes):
    region = Region(4, 2, 40, 30)
    holes = [Region(2 * x, 2 * y, 2 * w + 2, 2 * h + 2) for x, y, w, h in boxes]
    seen, expected = np.zeros((80, 90), int), np.zeros((80, 90), int)
    expected[2:32, 4:44] = 1
    for hole in holes:
        expected[hole.y : hole.y + hole.height, hole.x : hole.x + hole.width] = 0
    for part in without(region, holes):
        seen[part.y : part.y + part.height, part.x : part.x + part.width] += 1
    if expected.any():
        assert np.array_equal(seen, expected)


def test_combing_counts_skipped_codes_and_nothing_else():
    steady = np.zeros(1024, np.int64)
    steady[100:500] = 7
    assert combing(steady, 100, 499) == 0
    combed = steady.copy()
    combed[103:500:4] = 0
    assert combing(combed, 100, 498) == pytest.approx(25, abs=0.2)
    bars = np.zeros(1024, np.int64)
    bars[64:941:125] = 500
    assert combing(bars, 64, 940) == 0
    once = steady.copy()
    once[200:300] = 0
    assert combing(once, 100, 499) == 0, "one wide gap is two tones, not a comb"
