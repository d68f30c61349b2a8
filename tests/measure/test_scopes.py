import numpy as np
import pytest

from bluffline.measure import scope_kernels
from bluffline.measure.scopes import vectorscope, waveform
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from clips import signal, to_planes


@pytest.mark.parametrize("depth", [8, 10, 12])
def test_every_pixel_is_counted_once(depth):
    source = signal(depth=depth)
    planes = to_planes(np.random.default_rng(0).uniform(0, 1, (48, 64, 3)), source)
    assert waveform(planes, source, 16).sum() == 48 * 64
    assert waveform(planes, source, 16).sum(axis=1).tolist() == [48 * 4] * 16
    assert vectorscope(planes, source).sum() == 48 * 32


@pytest.mark.parametrize(("depth", "kind"), [(8, Range.NARROW), (10, Range.NARROW), (12, Range.FULL)])
def test_one_colour_lands_in_one_known_cell(depth, kind):
    source = signal(depth=depth, signal_range=kind)
    planes = to_planes(np.broadcast_to([0.75, 0.0, 0.0], (48, 64, 3)), source)
    counts, trace = vectorscope(planes, source), waveform(planes, source, 8)
    shift = depth - 8
    assert counts[planes[1][0, 0] >> shift, planes[2][0, 0] >> shift] == 48 * 32
    assert (trace[:, planes[0][0, 0] >> shift] == 48 * 8).all()


def test_a_ramp_is_a_straight_trace():
    source = signal(256, 8)
    planes = to_planes(np.linspace(0, 1, 256)[None, :, None].repeat(8, 0).repeat(3, 2), source)
    brightest = waveform(planes, source, 64).argmax(axis=1)
    straight = 16 + 219 * (np.arange(64) + 0.5) / 64
    assert np.abs(brightest - straight).max() <= 219 / 64  # a column holds as many levels, any of them the fullest


def test_rgb_material_has_gauges_too():
    source = signal(sampling="444", model=Model.RGB)
    planes = to_planes(np.broadcast_to([0.5, 0.5, 0.5], (48, 64, 3)), source)
    assert vectorscope(planes, source)[128, 128] == 48 * 64


def test_kernels_compiled_and_plain_agree():
    luma = np.random.default_rng(3).integers(0, 1024, (9, 20)).astype(np.uint16)
    for kernel, arguments in (
        (scope_kernels.waveform_counts, (luma, 20, 9, 5, 2, 256)),
        (scope_kernels.vectorscope_counts, (luma, luma, 20, 9, 2, 256)),
    ):
        assert np.array_equal(kernel(*arguments), kernel.py_func(*arguments))
