"""Bars recognised, and what was done to them told back."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.measure.bars import PATTERNS, read_bars
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.region import Region
from bluffline.media.signals import SIGNALS, signal_planes
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from clips import signal, to_planes


def read(planes, source):
    return read_bars(FrameSignal(planes, source), Region.whole(source))


def changed(planes, source, gain=1.0, setup=0.0, saturation=1.0, hue=0.0):
    levels = source.levels
    luma = levels.black + (planes[0].astype(float) - levels.black) * gain + setup / 100 * levels.swing
    chroma = (planes[1].astype(float) - levels.zero) + 1j * (planes[2].astype(float) - levels.zero)
    chroma = chroma * saturation * np.exp(1j * np.radians(hue))
    top = (1 << source.bit_depth) - 1
    parts = (luma, chroma.real + levels.zero, chroma.imag + levels.zero)
    return tuple(np.clip(np.rint(part), 0, top).astype(planes[0].dtype) for part in parts)


@pytest.mark.parametrize("name", ["bars", "rp219"])
@pytest.mark.parametrize(("depth", "sampling"), [(8, "420"), (10, "422"), (12, "444")])
def test_bars_as_made_sit_where_they_should(name, depth, sampling):
    source = signal(1280, 720, depth=depth, sampling=sampling)
    reading = read(signal_planes(SIGNALS[name], source), source)
    assert reading.right and "sit where they should" in reading.verdict
    assert (reading.made_matrix, reading.made_range) == (source.matrix, source.range)
    assert (reading.gain, reading.setup, reading.saturation, reading.hue) == pytest.approx((1, 0, 1, 0), abs=0.4)
    assert reading.pattern == ("EBU 100/0/75/0" if name == "bars" else "RP 219")
    assert max(abs(bar.luma_error) for bar in reading.bars) < 0.3


@given(st.floats(0.9, 1.06), st.floats(-4, 4), st.floats(0.85, 1.12), st.floats(-9, 9))
def test_what_was_done_to_bars_is_told_back(gain, setup, saturation, hue):
    source = signal(320, 96, depth=12, sampling="444")
    reading = read(changed(signal_planes(SIGNALS["bars"], source), source, gain, setup, saturation, hue), source)
    assert reading.made_matrix is source.matrix and reading.made_range is source.range
    assert (reading.gain, reading.saturation) == pytest.approx((gain, saturation), abs=0.003)
    assert (reading.setup, reading.hue) == pytest.approx((setup, hue), abs=0.15)
    for bar in reading.bars[1:7]:
        assert bar.chroma_gain == pytest.approx(saturation, abs=0.01) and bar.hue_error == pytest.approx(hue, abs=0.5)


@pytest.mark.parametrize(("tagged", "made"), [(Matrix.BT601, Matrix.BT709), (Matrix.BT709, Matrix.BT601)])
def test_a_wrong_matrix_is_named(tagged, made):
    source = signal(640, 96, depth=10, matrix=made)
    reading = read(signal_planes(SIGNALS["bars"], source), replace(source, matrix=tagged))
    assert not reading.right and reading.made_matrix is made
    names = {Matrix.BT601: "BT.601", Matrix.BT709: "BT.709"}
    assert f"decoded as {names[tagged]}, made as {names[made]}" in reading.verdict


@pytest.mark.parametrize(("tagged", "made"), [(Range.NARROW, Range.FULL), (Range.FULL, Range.NARROW)])
def test_a_wrong_range_is_named(tagged, made):
    source = signal(640, 96, depth=10, signal_range=made)
    reading = read(signal_planes(SIGNALS["bars"], source), replace(source, range=tagged))
    assert reading.made_range is made and f"decoded as {tagged} range, made as {made}" in reading.verdict


def test_pictures_are_not_taken_for_bars(demo_survey):
    from bluffline.media.reader import Reader

    with Reader(demo_survey.programme) as reader:
        found = [shot.first for shot in demo_survey.shots() if read(reader.frame(shot.first + 5).planes, demo_survey.source)]
    assert found == [0], "the demo has bars at its head and nowhere else"


def test_noise_and_flat_fields_are_not_bars():
    source = signal(640, 96)
    for rgb in (np.random.default_rng(0).uniform(0, 1, (96, 640, 3)), np.full((96, 640, 3), 0.4)):
        assert read(to_planes(rgb, source), source) is None


@pytest.mark.parametrize("pattern", PATTERNS, ids=lambda pattern: pattern.title)
@pytest.mark.parametrize("gain", [0.45, 0.5, 0.55, 0.75])
def test_bars_at_a_lower_gain_are_told_as_what_they_are_or_may_be(pattern, gain):
    source = signal(640, 96, depth=12, sampling="444")
    columns = (np.arange(640) + 0.5) / 640
    places = np.digitize(columns, pattern.edges) - 1
    inside = (places >= 0) & (places < len(pattern.colours))
    rgb = np.where(inside[:, None], np.array(pattern.colours)[np.clip(places, 0, len(pattern.colours) - 1)], 0.1)
    planes = to_planes(np.broadcast_to(rgb * gain, (96, 640, 3)), source)
    reading = read(planes, source)
    told = f"{pattern.title} at luma gain {gain:.3f}"
    assert (reading.pattern, round(reading.gain, 2)) == (pattern.title, gain) or told in reading.others
    assert reading.right or all(other in reading.verdict for other in reading.others)
