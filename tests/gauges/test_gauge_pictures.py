"""Graticules, traces and saved gauges: what stands where, and the way back from a gauge to the picture."""

import csv
import io
import xml.etree.ElementTree as ET
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from bluffline.errors import SettingsError
from bluffline.gauges.catalogue import gauge_named
from bluffline.gauges.each.vectorscope import legal_chroma
from bluffline.gauges.export import counts_csv, lay_out, png, svg
from bluffline.gauges.graticule import Guide, Scale, Stroke
from bluffline.gauges.painting import GROUND, Painting, ground
from bluffline.gauges.scale import Unit
from bluffline.measure.counted import Limits
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.reading import read_square
from bluffline.report.gauge import save_gauge
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, ycbcr_to_rgb
from clips import signal, to_planes
from gauging import GAUGES, OF_PIXELS, counted

LIMITS = Limits((-1.0, 103.0), (-5.0, 105.0))


def pictured(kind, rgb, source, size=(200, 200), other=None):
    planes = to_planes(rgb, source)
    trace, image = counted(kind, planes, source, columns=size[0]), ground(size)
    kind.paint(trace, image, Painting(source, LIMITS), other)
    return FrameSignal(planes, source), trace, image


def lit(image):
    return image != (GROUND * 0x010101 | 0xFF000000)


@pytest.mark.parametrize(
    ("unit", "expected"),
    [
        (Unit.PERCENT, "50.0 %"), (Unit.MILLIVOLT, "350 mV"), (Unit.CODE_8, "126"), (Unit.CODE_10, "502"),
        (Unit.CODE_12, "2008"),
    ],
)  # fmt: skip
def test_one_level_in_every_unit(unit, expected):
    assert unit.text(50, signal()) == expected
    assert Unit.CODE_8.of(100, signal(signal_range=Range.FULL)) == 255


@pytest.mark.parametrize(("transfer", "level", "told", "marked"), [
    ("pq", 58.06, "203 cd/m²", (10, 100, 203, 1000)), ("hlg", 75, "203 cd/m²", (10, 203, 1000)),
    ("bt709", 50, "18.9 cd/m²", (100,)), ("pq", -4, "0 cd/m²", (0,)), ("pq", 7, "0.132 cd/m²", (1,)),
])  # fmt: skip
def test_levels_are_told_in_light(transfer, level, told, marked):
    source = replace(signal(), transfer=transfer)
    assert Unit.LIGHT.text(level, source) == told
    marks = Unit.LIGHT.marks(source)
    lights = [Unit.LIGHT.of(mark, source) for mark in marks]
    assert list(marks) == sorted(marks)
    assert all(min(abs(light - each) for light in lights) < 0.01 * each + 1e-6 for each in marked)
    words = {word.text for word in gauge_named("waveform").graticule(Scale(source, LIMITS, Unit.LIGHT)).words}
    assert {str(each) for each in marked} <= words


def test_limits_stand_on_every_gauge_they_apply_to():
    for kind in GAUGES:
        strokes = {line.stroke for line in kind.graticule(Scale(signal(), LIMITS)).lines}
        if "Y′" in kind.components:
            assert Stroke.LIMIT in strokes, kind
        if "R′" in kind.components or kind.reach:
            assert Stroke.RGB_LIMIT in strokes, kind


def test_guides_are_named_and_stand_at_their_level():
    kind = gauge_named("waveform")
    marks = kind.graticule(Scale(signal(), LIMITS, Unit.MILLIVOLT, (Guide("faces", 60.0),)))
    assert any(word.text == "faces 420 mV" for word in marks.words)
    (line,) = [line for line in marks.lines if line.stroke is Stroke.GUIDE]
    assert line.points[0][1] == pytest.approx(1 - kind.span.place(60))


@given(st.sampled_from(list(Matrix)), st.floats(-4, 104), st.floats(-0.7, 0.7), st.floats(-0.7, 0.7))
def test_the_boundary_of_legal_chroma_is_where_rgb_becomes_illegal(matrix, luma, cb, cr):
    rgb = ycbcr_to_rgb(np.array([luma / 100, cb, cr]), matrix) * 100
    margin = min((rgb - LIMITS.rgb[0]).min(), (LIMITS.rgb[1] - rgb).min())
    corners = legal_chroma(matrix, luma, LIMITS)
    turns = [
        (x1 - x0) * (cr - y0) - (y1 - y0) * (cb - x0)
        for (x0, y0), (x1, y1) in zip(corners, np.roll(corners, -1, axis=0), strict=True)
    ]
    if abs(margin) > 1e-6:
        assert (bool(turns) and all(turn >= -1e-9 for turn in turns)) == (margin > 0)


def test_a_trace_is_drawn_at_its_level_and_column():
    rgb = np.full((48, 64, 3), 0.25)
    rgb[:, 32:] = 0.75
    _, _, image = pictured(gauge_named("waveform"), rgb, signal(), (64, 240))
    span = gauge_named("waveform").span
    for half, level in ((slice(0, 32), 25), (slice(32, 64), 75)):
        rows = np.flatnonzero(lit(image[:, half]).all(axis=1))
        assert np.abs(rows - 240 * (1 - span.place(level))).max() <= 1.5


def test_excess_is_broken_up_not_only_coloured():
    legal, over = (
        pictured(gauge_named("waveform"), np.full((48, 64, 3), level), signal(), (60, 240))[2] for level in (0.9, 1.08)
    )
    assert lit(legal).sum(axis=1).max() == 60
    assert 0 < lit(over).sum(axis=1).max() < 30


def test_skipped_codes_are_marked_at_the_foot_of_a_histogram():
    levels = np.linspace(0.2, 0.8, 64)
    smooth, combed = (np.broadcast_to(row[None, :, None], (48, 64, 3)) for row in (levels, np.rint(levels * 30) / 30))
    kind, marks = gauge_named("histogram"), []
    for picture in (np.clip(smooth + np.linspace(0, 0.01, 48)[:, None, None], 0, 1), combed):
        _, _, image = pictured(kind, picture, signal(depth=8), (120, 60))
        marks.append(int((image[-2:] == 0xFFFFFFFF).all(axis=0).sum()))
    assert marks[0] < 4 and marks[1] > 40


def test_another_frame_is_laid_over_in_outline():
    source, kind = signal(), gauge_named("vectorscope")
    spread = to_planes(np.random.default_rng(0).uniform(0.2, 0.8, (48, 64, 3)), source)
    other = counted(kind, spread, source)
    grey = np.full((48, 64, 3), 0.5)
    _, _, alone = pictured(kind, grey, source)
    _, _, both = pictured(kind, grey, source, other=other)
    assert lit(both).sum() > lit(alone).sum() + 50 and (both[100, 100] == alone[100, 100]).all()


@pytest.mark.parametrize("kind", OF_PIXELS, ids=str)
def test_a_pixel_is_found_again_at_the_place_that_its_reading_has(kind):
    """From the picture to the gauge and back: the box about where a pixel stands contains the pixel."""
    source = signal(depth=10, sampling="444")
    frame = FrameSignal(to_planes(np.random.default_rng(3).uniform(0.42, 0.58, (48, 64, 3)), source), source)
    reading = read_square(frame, 21, 13, 1)
    placed = kind.places(source, reading, 21.5)
    assert placed and all(0 <= x <= 1 and 0 <= y <= 1 for x, y in placed)
    for x, y in placed:
        mask = kind.pixels(frame, (x - 0.012, y - 0.012, x + 0.012, y + 0.012))
        assert mask[13, 21] and mask.mean() < 0.35


def test_pixels_outside_a_box_are_not_found():
    rgb = np.full((48, 64, 3), 0.3)
    rgb[10:20, 40:50] = (0.9, 0.2, 0.2)
    frame = FrameSignal(to_planes(rgb, signal(sampling="444")), signal(sampling="444"))
    kind = gauge_named("vectorscope")
    ((x, y),) = kind.places(frame.source, read_square(frame, 45, 15, 1), 45)
    mask = kind.pixels(frame, (x - 0.02, y - 0.02, x + 0.02, y + 0.02))
    assert mask[10:20, 40:50].all() and mask.sum() == 100


def test_a_gauge_is_saved_as_picture_drawing_and_numbers(tmp_path):
    source, kind = signal(), gauge_named("parade")
    _, trace, _ = pictured(kind, np.random.default_rng(0).uniform(0, 1, (48, 64, 3)), source)
    for name in ("g.png", "g.svg", "g.csv"):
        save_gauge(tmp_path / name, trace, "Parade of a test", source, LIMITS, size=(400, 300))
    with Image.open(tmp_path / "g.png") as saved:
        assert saved.size == (400, 300)
    drawing = ET.fromstring((tmp_path / "g.svg").read_text())
    texts = [element.text for element in drawing.iter("{http://www.w3.org/2000/svg}text")]
    assert "Parade of a test · %" in texts and {"0", "50", "100", "R′"} <= set(texts)
    rows = list(csv.DictReader(io.StringIO((tmp_path / "g.csv").read_text())))
    assert sum(int(row["count"]) for row in rows) == trace.counts.sum() == 3 * 48 * 64
    with pytest.raises(SettingsError, match="saved as"):
        save_gauge(tmp_path / "g.bmp", trace, "", source, LIMITS)


@pytest.mark.parametrize("kind", GAUGES, ids=str)
def test_every_gauge_can_be_laid_out_and_drawn(kind):
    source = signal()
    _, trace, _ = pictured(kind, np.random.default_rng(0).uniform(-0.05, 1.05, (48, 64, 3)), source)
    picture = lay_out(trace, "t", (320, 240), source, LIMITS, gamut="bt709")
    image = np.asarray(Image.open(io.BytesIO(png(picture))))
    assert image.shape == (240, 320, 3) and len(np.unique(image)) > 8
    assert svg(picture).count("<polyline") == len(picture.graticule.lines) and counts_csv(trace).count("\n") > 2
