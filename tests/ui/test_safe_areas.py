"""Safe areas stand over the picture where EBU R 95 has them, however it is looked at."""

import pytest
from PyQt6.QtCore import QPointF

from bluffline.view.looking import Compare
from bluffline.view.safe_areas import SAFE_AREAS

WAIT = 120_000


def test_they_are_the_recommendations():
    """EBU R 95: in 1920 × 1080 action is safe from 67 columns and 38 lines on, graphics from 96 and 54."""
    boxes = [tuple(round(each, 1) for each in area.box(1920, 1080)) for area in SAFE_AREAS]
    assert boxes == [(67.2, 37.8, 1852.8, 1042.2), (96.0, 54.0, 1824.0, 1026.0)]


@pytest.fixture
def picture(desk, qtbot, over_clip):
    desk.resize(1280, 800)
    desk.show()
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT), qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        desk.open(over_clip)
    return desk.picture


def pale(picture, place, half=None):
    """Whether a line is drawn at a place of the picture, in its pixels: something much brighter than what lies beside it."""
    at = picture.point_of(place, half)
    grabbed = picture.grab().toImage()
    row = [grabbed.pixelColor(round(at.x()) + n, round(at.y())).value() for n in range(-6, 7)]
    return max(row[4:9]) > 200 > sorted(row)[6]


def test_a_key_shows_them_and_takes_them_away(desk, picture):
    width, height = 256, 128
    middle = height / 2 + 3
    edges = [(area.box(width, height)[n], middle) for area in SAFE_AREAS for n in (0, 2)]
    assert not any(pale(picture, each) for each in edges)
    desk.acts["safe"].trigger()
    assert all(pale(picture, each) for each in edges)
    assert not pale(picture, (width / 4, middle)), "and nothing else"
    desk.viewer.look.change(compare=Compare.SIDE)
    assert all(pale(picture, each) for each in edges), "there is but one picture, so it is not parted"
    desk.acts["safe"].trigger()
    assert not any(pale(picture, each) for each in edges)


def test_they_stay_with_the_picture_where_it_is_zoomed(desk, picture, qtbot):
    desk.acts["safe"].trigger()
    left = SAFE_AREAS[-1].box(256, 128)[0]
    desk.viewer.look.change(zoom=4, centre=(left, 64.0))
    qtbot.waitUntil(lambda: picture.window_shown is not None, timeout=WAIT)
    assert pale(picture, (left, 60.0)) and QPointF(picture.point_of((left, 60.0))).x() > picture.box.left()
