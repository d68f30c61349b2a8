"""Gauge counts against arithmetic: bars in their targets, straight ramps, single pixels, nothing lost."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.gauges.catalogue import INSTRUMENTS, gauge_named
from bluffline.gauges.each.vectorscope import TARGETS
from bluffline.measure import rgb_kernels, scope_kernels
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.signal.colorimetry import PRIMARIES
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr, ycbcr_to_rgb
from clips import signal, to_planes
from gauging import OF_PIXELS, counted


def flat(rgb, source):
    return to_planes(np.broadcast_to(np.array(rgb, float), (source.height, source.width, 3)), source)


@pytest.mark.parametrize("kind", OF_PIXELS, ids=str)
@pytest.mark.parametrize(("depth", "sampling"), [(8, "420"), (10, "422"), (12, "444")])
def test_counts_add_up_to_the_pixels_measured(kind, depth, sampling):
    source = signal(depth=depth, sampling=sampling)
    planes = to_planes(np.random.default_rng(0).uniform(0.05, 0.95, (48, 64, 3)), source)
    trace = counted(kind, planes, source, columns=16)
    each = {"envelope": (1, 2), "ycbcr": (1, *2 * (len(planes[1].ravel()) / len(planes[0].ravel()),))}.get(
        kind.mode, (1,) * len(kind.components)
    )
    sites = planes[1].size if kind.name == "vectorscope" else 48 * 64
    assert trace.measured == sites
    for counts, share in zip(trace.counts, each, strict=True):
        assert counts.sum() + trace.beyond == pytest.approx(sites * share)


@pytest.mark.parametrize("kind", list(Range))
@pytest.mark.parametrize("depth", [8, 10, 12])
@pytest.mark.parametrize("matrix", list(Matrix))
def test_bars_land_in_their_targets_at_every_depth_range_and_matrix(depth, kind, matrix):
    source = signal(depth=depth, signal_range=kind, matrix=matrix)
    for _, rgb in TARGETS:
        bar = 0.75 * np.array(rgb, float)
        planes = flat(bar, source)
        luma, cb, cr = (float(v) for v in rgb_to_ycbcr(bar, matrix))
        scope = counted(gauge_named("vectorscope"), planes, source)
        ((a, b),) = np.argwhere(scope.counts[0])
        code = 1 / source.levels.span  # chroma is rounded to a code, so it may stand in the next cell
        for cell, share in ((a, cb), (b, cr)):
            assert scope.edges[cell] - code <= share <= scope.edges[cell + 1] + code
        wave = counted(gauge_named("waveform"), planes, source, columns=1)
        ((level,),) = np.argwhere(wave.counts[0, 0])
        assert wave.edges[level] - 0.5 <= source.levels.code(100 * luma) <= wave.edges[level + 1] + 0.5
        parade = counted(gauge_named("parade"), planes, source, columns=1)
        for counts, component in zip(parade.counts, bar, strict=True):
            (level,) = np.flatnonzero(counts[0])
            reach = 2.5 * source.levels.swing / source.levels.span + 1  # three rounded codes make one component
            assert parade.edges[level] - reach <= source.levels.code(100 * component) <= parade.edges[level + 1] + reach


def test_a_ramp_is_a_straight_trace():
    source = signal(256, 8)
    planes = to_planes(np.linspace(0, 1, 256)[None, :, None].repeat(8, 0).repeat(3, 2), source)
    for mode in ("luma", "rgb", "coloured"):
        trace = counted(gauge_named("waveform", mode), planes, source, columns=256)
        for counts in trace.counts:
            level = trace.first + trace.step * counts.argmax(axis=1)
            assert (
                np.abs(level - source.levels.code(100) * np.linspace(0, 1, 256) - 64 * np.linspace(1, 0, 256)).max()
                <= trace.step
            )
            assert np.count_nonzero(counts) == 256


@pytest.mark.parametrize("sampling", ["420", "422", "444"])
def test_one_coloured_pixel_lands_in_one_known_cell(sampling):
    source = signal(sampling=sampling)
    planes = flat((0.5, 0.5, 0.5), source)
    planes[0][20, 30] = 700
    across, down = 1 + source.halved[0], 1 + source.halved[1]
    planes[1][20 // down, 30 // across], planes[2][20 // down, 30 // across] = 600, 400
    wave = counted(gauge_named("waveform"), planes, source, columns=64)
    assert wave.counts[0, 30, 700 // 2] == 1 and wave.counts[0, 31].max() == 48
    scope = counted(gauge_named("vectorscope"), planes, source)
    cell = tuple(int((code - 512) / 896 // scope.step + 127.5 + 0.5) for code in (600, 400))
    found = np.argwhere(scope.counts[0] == 1)
    assert len(found) == 1 and np.abs(found[0] - cell).max() <= 1
    histogram = counted(gauge_named("histogram"), planes, source)
    assert histogram.counts[0, 0, 700] == 1 and histogram.counts[0, 0, 502] == 48 * 64 - 1


def test_rgb_codes_are_the_matrix_applied_to_interpolated_chroma():
    """Against `ycbcr_to_rgb` in double precision on 4:4:4, where nothing is interpolated."""
    source = signal(sampling="444")
    planes = to_planes(np.random.default_rng(5).uniform(-0.1, 1.1, (48, 64, 3)), source)
    levels = source.levels
    ycbcr = np.stack([(planes[0] - 64.0) / 876, *((plane - float(levels.zero)) / levels.span for plane in planes[1:])], axis=-1)
    expected = levels.black + ycbcr_to_rgb(ycbcr, source.matrix) * levels.swing
    frame = FrameSignal(planes, source)
    for plane, component in zip(frame.rgb, np.moveaxis(expected, -1, 0), strict=True):
        assert np.abs(plane.astype(float) - frame.room - component).max() <= 0.51


def test_excursions_beyond_the_code_range_are_seen_in_rgb():
    source = signal()
    trace = counted(gauge_named("histogram", "rgb"), flat((1.28, 0.2, -0.15), source), source)
    low = [source.levels.percent(trace.first + int(np.flatnonzero(counts[0])[0])) for counts in trace.counts]
    assert low == pytest.approx([128, 20, -15], abs=0.4)


def test_the_envelope_is_what_a_subcarrier_would_add():
    """75 % yellow: composite chroma 0.336 either side of luma 0.664 [BT470 scaling of colour differences]."""
    source = signal(matrix=Matrix.BT601)
    trace = counted(gauge_named("waveform", "envelope"), flat((0.75, 0.75, 0), source), source, columns=1)
    foot, top = np.flatnonzero(trace.counts[1, 0])
    luma = 0.75 * (0.299 + 0.587)
    amplitude = np.hypot(0.492 * (0 - luma), 0.877 * (0.75 - luma))
    ends = [source.levels.percent(trace.first + trace.step * level) / 100 for level in (foot, top)]
    assert ends == pytest.approx([luma - amplitude, luma + amplitude], abs=0.004)


def test_the_trace_in_the_pictures_colours_carries_their_chroma():
    source = signal()
    planes = flat((0.7, 0.3, 0.2), source)
    trace = counted(gauge_named("waveform", "coloured"), planes, source, columns=4)
    for number in (0, 1):
        assert np.unique(trace.chroma[number][trace.counts[0] > 0]) == planes[number + 1][0, 0]


@pytest.mark.parametrize(("primaries", "matrix"), [("bt709", Matrix.BT709), ("bt2020", Matrix.BT2020)])
@pytest.mark.parametrize("mode", INSTRUMENTS["chromaticity"].modes)
def test_pure_primaries_stand_at_their_chromaticities(primaries, matrix, mode):
    from dataclasses import replace

    source = replace(signal(depth=12, sampling="444", matrix=matrix), primaries=primaries)
    for number, (x, y) in enumerate(PRIMARIES[primaries]):
        trace = counted(gauge_named("chromaticity", mode), flat(np.eye(3)[number], source), source)
        ((a, b),) = np.argwhere(trace.counts[0])
        expected = (x, y) if mode == "1931" else (4 * x / (-2 * x + 12 * y + 3), 9 * y / (-2 * x + 12 * y + 3))
        assert (trace.edges[a], trace.edges[b]) == pytest.approx(expected, abs=2 * trace.step)


def test_rgb_material_has_every_counted():
    source = signal(sampling="444", model=Model.RGB)
    planes = flat((0.5, 0.5, 0.5), source)
    assert counted(gauge_named("vectorscope"), planes, source).counts[0, 127, 127] == 48 * 64
    for kind in OF_PIXELS:
        assert counted(kind, planes, source).measured == 48 * 64


@given(st.integers(0, 2**31), st.integers(2, 9), st.integers(2, 24))
def test_kernels_compiled_and_plain_agree(seed, height, width):
    rng = np.random.default_rng(seed)
    luma = rng.integers(64, 940, (height, width)).astype(np.uint16)
    selection = Selection.of_mask(rng.random((height, width)) < 0.6)
    base, cells = (np.arange(width) * 256).astype(np.uint32), (np.arange(1024) // 8 - 1).astype(np.int32)
    linear, weights = np.linspace(0, 1, 1024).astype(np.float32), rng.random((3, 3)).astype(np.float32)
    runs = selection.starts, selection.runs

    def results(kernel, make, *arguments):
        made = [np.zeros(shape, dtype) for shape, dtype in make]
        return kernel(*arguments, *made), *made

    for kernel, make, arguments in (
        (scope_kernels.count_levels, [(width * 256, np.int32)], (luma, *runs, base, np.uint32(2))),
        (scope_kernels.count_pairs, [((128, 128), np.int32)], (luma, luma[::-1].copy(), *runs, cells)),
        (
            scope_kernels.count_coloured, [((width * 256, 3), np.int32)],
            ((luma, luma, luma), (0, 0), *runs, base, np.uint32(2)),
        ),
        (
            scope_kernels.sum_signal, [(7, np.float64), (4, np.float64)], (luma, luma, luma, luma, *runs, linear),
        ),
        (
            scope_kernels.count_chromaticities, [((64, 64), np.int32)],
            (luma, luma[::-1].copy(), luma, width, *runs, linear, weights),
        ),
    ):  # fmt: skip
        for one, other in zip(results(kernel, make, *arguments), results(kernel.py_func, make, *arguments), strict=True):
            assert one is other or np.allclose(one, other)


def test_rgb_codes_compiled_and_plain_agree():
    source = signal(16, 6, sampling="420")
    planes = to_planes(np.random.default_rng(2).uniform(0, 1, (6, 16, 3)), source)
    frame = FrameSignal(planes, source)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(rgb_kernels, "rgb_codes", rgb_kernels.rgb_codes.py_func)
        plain = FrameSignal(planes, source).rgb
    for one, other in zip(frame.rgb, plain, strict=True):
        assert np.abs(one.astype(int) - other.astype(int)).max() <= 1
