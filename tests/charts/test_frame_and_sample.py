"""The chart frame's geometry, and what its patches measure."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.charts.frame import ChartFrame, project
from bluffline.charts.reference import load_reference
from bluffline.charts.sample import average, is_uneven, sample_frame
from bluffline.errors import ChartError
from bluffline.signal.colorimetry import camera_light
from clips import signal, to_planes
from filmed import Filming, camera, film

GLAZE = load_reference("glaze-24")
SQUARE = ChartFrame(((10.0, 10.0), (90.0, 12.0), (88.0, 70.0), (8.0, 64.0)))
QUANTISED = 0.004  # of light: half a code of 10 bits, and chroma shared by two pixels


def placed(corners):
    return ChartFrame(tuple(map(tuple, corners.tolist())))


@given(st.lists(st.tuples(st.floats(-0.2, 1.2), st.floats(-0.2, 1.2)), min_size=1, max_size=8))
def test_the_way_to_the_picture_and_back_is_the_identity(points):
    unit = np.array(points)
    matrix = SQUARE.homography()
    assert project(np.linalg.inv(matrix), project(matrix, unit)) == pytest.approx(unit, abs=1e-6)


def test_corners_go_where_they_are_and_cells_tile_them():
    corners = np.array([(0.0, 0), (1, 0), (1, 1), (0, 1)])
    assert project(SQUARE.homography(), corners) == pytest.approx(np.array(SQUARE.corners))
    level = ChartFrame.of([0, 0, 60, 0, 60, 40, 0, 40])
    assert level.cells(GLAZE.layout)[7].mean(axis=0) == pytest.approx([15, 15])
    assert level.cells(GLAZE.layout)[7, 0] == pytest.approx([15 - 5 * 0.84, 15 - 5 * 0.85])


def test_a_frame_is_moved_turned_and_mirrored():
    assert SQUARE.moved(3, -2).corners[1] == (93.0, 10.0)
    assert SQUARE.turned().turned().turned().turned() == SQUARE
    assert not SQUARE.mirrored
    a, b, c, d = SQUARE.corners
    assert ChartFrame((b, a, d, c)).mirrored
    assert SQUARE.with_corner(2, (80.0, 60.0)).corners[2] == (80.0, 60.0)


@pytest.mark.parametrize("corners", [[0, 0, 50, 0, 10, 10, 0, 50], [0, 0, 50, 50, 50, 0, 0, 50], [0, 0, 2, 0, 2, 2, 0, 2]])
def test_what_is_no_quadrangle_is_refused(corners):
    with pytest.raises(ChartError, match="without a dent"):
        ChartFrame.of(corners)


@pytest.mark.parametrize("mirrored", [False, True])
def test_patches_measure_what_the_camera_made_of_them(mirrored):
    filming = Filming(gains=(1.1, 1.0, 0.8), tilt=(12, -20), roll=15)
    planes, source, corners = film(GLAZE, filming, mirrored=mirrored)
    samples = sample_frame(planes, source, placed(corners), GLAZE.layout)
    expected = camera_light(camera(GLAZE.light("bt709"), filming), "bt709")
    assert np.abs(samples.light - expected).max() < QUANTISED
    assert all(not words for words in samples.warnings(GLAZE.layout))


def test_dust_and_glare_do_not_count():
    planes, source, corners = film(GLAZE, Filming(noise=0.003))
    clean = sample_frame(planes, source, placed(corners), GLAZE.layout)
    rng = np.random.default_rng(3)
    dusty = planes[0].copy()
    for _ in range(150):
        y, x = rng.integers(0, source.height - 3), rng.integers(0, source.width - 3)
        dusty[y : y + 2, x : x + 2] = rng.choice([70, 930])
    samples = sample_frame((dusty, *planes[1:]), source, placed(corners), GLAZE.layout)
    assert np.abs(samples.light - clean.light).max() < QUANTISED


def test_a_frame_that_does_not_lie_on_the_patches_is_still_measured_and_told_noisy():
    planes, source, corners = film(GLAZE, Filming())
    beside = placed(corners).moved(*(0.5 * (corners[1] - corners[0]) / 6))
    assert any("noisy" in words for words in sample_frame(planes, source, beside, GLAZE.layout).warnings(GLAZE.layout))
    rng = np.random.default_rng(1)
    apart = np.zeros((120, 180, 3))
    apart[..., 0], apart[..., 1], apart[..., 2] = (rng.permutation(120 * 180).reshape(120, 180) % 3 == n for n in range(3))
    source = signal(180, 120, 10, "444")
    samples = sample_frame(to_planes(apart, source), source, ChartFrame.of([0, 0, 180, 0, 180, 120, 0, 120]), GLAZE.layout)
    assert np.isfinite(samples.light).all()


def test_clipped_noisy_and_unevenly_lit_patches_are_told():
    bright, source, corners = film(GLAZE, Filming(gains=(1.6, 1.6, 1.6), noise=0.01))
    cut = (np.minimum(bright[0], 940), *bright[1:])
    words = sample_frame(cut, source, placed(corners), GLAZE.layout).warnings(GLAZE.layout)
    assert "clipped" in words[GLAZE.names.index("china white")]
    assert "clipped" not in words[GLAZE.names.index("slate 1")]
    noisy, source, corners = film(GLAZE, Filming(noise=0.05))
    assert all("noisy" in each for each in sample_frame(noisy, source, placed(corners), GLAZE.layout).warnings(GLAZE.layout))


def test_light_that_falls_off_is_estimated_within_the_patches_and_taken_out():
    x = np.linspace(-0.5, 0.5, 400)
    fall = np.exp(-0.3 * x)[None, :, None] * np.exp(0.1 * np.linspace(-0.5, 0.5, 300))[:, None, None]
    row, column = np.arange(300) * 4 // 300, np.arange(400) * 6 // 400
    light = GLAZE.light("bt709")[row[:, None] * 6 + column[None, :]] * fall * 0.9
    source = signal(400, 300, 12, "444")
    planes = to_planes(camera(light, Filming()), source)
    samples = sample_frame(planes, source, ChartFrame.of([0, 0, 400, 0, 400, 300, 0, 300]), GLAZE.layout)
    assert samples.gradient() == pytest.approx((-0.3, 0.1), abs=0.02)
    assert is_uneven(samples.gradient())
    evened = samples.evened_out()
    assert np.abs(evened.light / (GLAZE.light("bt709") * 0.9) - 1).max() < 0.05
    assert np.abs(average([evened, evened]).light - evened.light).max() == pytest.approx(0, abs=1e-12)


def test_a_frame_beyond_the_picture_and_one_too_small_are_refused():
    planes, source, _ = film(GLAZE, Filming())
    with pytest.raises(ChartError, match="reaches beyond the picture"):
        sample_frame(planes, source, ChartFrame.of([-40, 0, 400, 0, 400, 300, -40, 300]), GLAZE.layout)
    with pytest.raises(ChartError, match="fewer than 16 pixels"):
        sample_frame(planes, source, ChartFrame.of([0, 0, 20, 0, 20, 14, 0, 14]), GLAZE.layout)
