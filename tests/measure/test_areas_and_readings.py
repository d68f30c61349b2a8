"""Areas to the pixel, and what they measure."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.measure.areas import Area, Selection, Shape, Taken, select
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.reading import read_selection, read_square, stored_codes
from clips import signal, to_planes

coordinate = st.floats(-10, 80, allow_nan=False)
points = st.tuples(coordinate, coordinate)
areas = st.one_of(
    st.builds(lambda a, b: Area("a", Shape.RECTANGLE, (a, b)), points, points),
    st.builds(lambda a, b: Area("a", Shape.ELLIPSE, (a, b)), points, points),
    st.builds(lambda p: Area("a", Shape.POLYGON, tuple(p)), st.lists(points, min_size=3, max_size=7)),
)


def mask_of(selection, width=64, height=48):
    mask = np.zeros((height, width), int)
    for row in range(height):
        for first, after in selection.runs[selection.starts[row] : selection.starts[row + 1]]:
            mask[row, first:after] += 1
    return mask


@given(st.lists(areas, min_size=1, max_size=3))
def test_areas_and_all_but_them_are_the_picture_and_no_pixel_is_in_both(drawn):
    source = signal()
    inside, outside = (mask_of(select(source, drawn, taken)) for taken in (Taken.AREAS, Taken.OTHERS))
    assert ((inside + outside) == 1).all(), "no pixel twice, none left out"
    union = np.any([area.mask(64, 48) for area in drawn], axis=0)
    assert np.array_equal(inside == 1, union)


@given(areas, st.integers(-5, 5), st.integers(-5, 5))
def test_an_area_moved_by_whole_pixels_is_the_same_pixels_moved(area, across, down):
    whole, moved = area.mask(96, 96), area.moved(across, down).mask(96, 96)
    assert np.array_equal(whole[10:80, 10:80], moved[10 + down : 80 + down, 10 + across : 80 + across])


@given(areas)
def test_a_point_inside_by_the_book_is_inside(area):
    """Against the crossing-number test, point by point, for polygons; against the definition for the others."""
    mask = area.mask(64, 48)
    left, top, right, bottom = area.box
    for x, y in ((3, 3), (20, 10), (40, 30), (63, 47), (0, 0)):
        px, py = x + 0.5, y + 0.5
        if area.shape is Shape.POLYGON:
            crossings = 0
            for (x0, y0), (x1, y1) in zip(area.points, (*area.points[1:], area.points[0]), strict=True):
                if min(y0, y1) <= py < max(y0, y1):
                    crossings += px > x0 + (py - y0) * (x1 - x0) / (y1 - y0)
            inside = crossings % 2 == 1
        elif area.shape is Shape.RECTANGLE:
            inside = left <= px < right and top <= py < bottom
        else:
            wide, high = max((right - left) / 2, 1e-9), max((bottom - top) / 2, 1e-9)
            inside = ((px - (left + right) / 2) / wide) ** 2 + ((py - (top + bottom) / 2) / high) ** 2 <= 1
        assert mask[y, x] == inside


def test_a_rectangle_has_hard_edges():
    assert mask_of(select(signal(), [Area("a", Shape.RECTANGLE, ((10, 5), (20, 9)))])).sum() == 40
    assert Selection.box(signal(), 10, 5, 20, 9).count == 40


@pytest.mark.parametrize("sampling", ["420", "422", "444"])
def test_chroma_sites_of_an_area_are_those_of_its_even_pixels(sampling):
    source = signal(sampling=sampling)
    sites = Selection.box(source, 11, 5, 21, 9).at_sites(source)
    mask = mask_of(sites, *source.chroma_size)
    expected = np.zeros((48, 64), int)
    expected[5:9, 11:21] = 1
    assert np.array_equal(mask, expected[:: 1 + source.halved[1], :: 1 + source.halved[0]])


def test_an_area_needs_its_points():
    with pytest.raises(SettingsError, match="a polygon needs 3 points, not 2"):
        Area("a", Shape.POLYGON, ((0, 0), (1, 1)))
    with pytest.raises(SettingsError, match="a rectangle needs 2"):
        Area("a", Shape.RECTANGLE, ((0, 0), (1, 1), (2, 2)))


def test_a_grey_card_reads_neutral_and_skin_stands_on_its_line():
    source = signal(depth=12, sampling="444")
    grey = read_selection(FrameSignal(to_planes(np.full((48, 64, 3), 0.409), source), source), Selection.whole(source))
    assert source.levels.percent(grey.luma) == pytest.approx(40.9, abs=0.05)
    assert grey.luma_spread == pytest.approx(0, abs=1e-9) and grey.from_neutral < 0.2 and grey.from_skin_line is None
    assert grey.lab[0] == pytest.approx(116 * (0.409**2.4) ** (1 / 3) - 16, abs=0.1)
    angle = np.radians(123)
    planes = list(to_planes(np.full((48, 64, 3), 0.6), source))
    for number, value in ((1, np.cos(angle)), (2, np.sin(angle))):
        planes[number][:] = round(source.levels.zero + 0.12 * value * source.levels.span)
    skin = read_selection(FrameSignal(tuple(planes), source), Selection.whole(source))
    assert skin.from_skin_line == pytest.approx(0, abs=0.2) and skin.from_neutral > 10


def test_lab_of_the_primaries_are_the_published_ones():
    """BT.709 red at full: L* 53.24, a* 80.09, b* 67.20 (as sRGB's red has, relative to D65)."""
    source = signal(depth=12, sampling="444")
    planes = to_planes(np.broadcast_to([1.0, 0.0, 0.0], (48, 64, 3)), source)
    reading = read_selection(FrameSignal(planes, source), Selection.whole(source))
    assert reading.lab == pytest.approx((53.24, 80.09, 67.20), abs=0.15)


def test_mean_and_spread_are_numpys():
    source = signal()
    planes = to_planes(np.random.default_rng(1).uniform(0, 1, (48, 64, 3)), source)
    frame = FrameSignal(planes, source)
    reading = read_selection(frame, Selection.box(source, 8, 4, 30, 20))
    part = planes[0][4:20, 8:30].astype(float)
    assert (reading.luma, reading.luma_spread) == pytest.approx((part.mean(), part.std()))
    for number in range(3):
        component = frame.rgb[number][4:20, 8:30].astype(float) - frame.room
        assert reading.rgb[number] == pytest.approx(component.mean())
        assert reading.rgb_spread[number] == pytest.approx(component.std())
    assert read_selection(frame, Selection.box(source, 70, 4, 80, 20)) is None


def test_the_probe_reads_exact_codes_and_averages_squares():
    source = replace(signal(sampling="420"), interlaced=False)
    planes = to_planes(np.random.default_rng(1).uniform(0, 1, (48, 64, 3)), source)
    frame = FrameSignal(planes, source)
    assert stored_codes(frame, 31, 17) == (planes[0][17, 31], planes[1][8, 15], planes[2][8, 15])
    assert read_square(frame, 31, 17, 1).luma == planes[0][17, 31]
    assert read_square(frame, 31, 17, 5).luma == pytest.approx(planes[0][15:20, 29:34].mean())
    assert read_square(frame, 0, 0, 5).pixels == 9, "no further than the picture reaches"
