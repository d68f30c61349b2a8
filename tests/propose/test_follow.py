"""Areas are followed where detail is moved, turned and scaled by known amounts, and let go where there is none."""

import cv2
import numpy as np
import pytest

from bluffline.errors import CancelledError
from bluffline.measure.areas import Shape
from bluffline.media.probe import probe
from bluffline.propose.follow import follow_area
from bluffline.rules.shots import Shot
from bluffline.survey.monitor import Monitor
from bluffline.treat.reach import Pose, ReachArea
from clips import make_clip

WIDTH, HEIGHT, FRAMES = 480, 270, 24
AREA = ReachArea(Shape.RECTANGLE, ((35, 30), (65, 70)), 5.0)


@pytest.fixture(scope="module")
def detail():
    rough = np.random.default_rng(4).uniform(0.2, 0.8, (HEIGHT, WIDTH))
    return cv2.GaussianBlur(rough, (0, 0), 2.5) * 3 - 1


def clip(path, detail, motion, cover=None):
    """A clip in which all of the picture moves: ``motion`` gives (across, down) in percent, scale and turn by frame."""

    def picture(number):
        across, down, scale, turn = motion(number)
        moved = cv2.getRotationMatrix2D((WIDTH / 2, HEIGHT / 2), -turn, scale)
        moved[:, 2] += across * WIDTH / 100, down * HEIGHT / 100
        shown = cv2.warpAffine(detail, moved, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT)
        if cover is not None and number >= cover:
            shown = np.full_like(shown, 0.5)
        return np.clip(np.repeat(shown[..., None], 3, axis=2), 0, 1)

    return probe(make_clip(path, picture, FRAMES))


@pytest.mark.parametrize("motion", [
    lambda n: (0.5 * n, -0.3 * n, 1.0, 0.0),
    lambda n: (4 * np.sin(n / 4), 0.0, 1 + 0.012 * n, 0.0),
    lambda n: (0.2 * n, 0.1 * n, 1.0, 1.5 * n),
    lambda n: (-0.3 * n, 3 * np.cos(n / 5), 0.99**n, -0.8 * n),
    lambda n: (0.0, 0.0, 1.0, 0.0),
])  # fmt: skip
@pytest.mark.parametrize("frame", [0, 11, FRAMES - 1])
def test_known_motion_is_found_from_any_frame(tmp_path, detail, motion, frame):
    programme = clip(tmp_path / "moving.mkv", detail, motion)
    followed = follow_area(programme, programme.format, Shot(0, FRAMES - 1), AREA, frame, Monitor())
    assert followed.lost == ()
    x0, y0, s0, t0 = motion(frame)
    for number in range(FRAMES):
        place = followed.area.at(number).follow[0]
        x, y, scale, turn = motion(number)
        ratio, angle = scale / s0, np.radians(turn - t0)
        shift = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]) @ (x0 * WIDTH, y0 * HEIGHT) * ratio
        wanted = (np.array([x * WIDTH, y * HEIGHT]) - shift) / (WIDTH, HEIGHT)
        assert (place.across, place.down) == pytest.approx(tuple(wanted), abs=0.2), number
        assert place.scale == pytest.approx(ratio, abs=0.01) and place.turn == pytest.approx(turn - t0, abs=0.4)


def test_motion_that_is_straight_needs_two_places(tmp_path, detail):
    programme = clip(tmp_path / "straight.mkv", detail, lambda _: (0.0, 0.0, 1.0, 0.0))
    followed = follow_area(programme, programme.format, Shot(0, FRAMES - 1), AREA, 5, Monitor())
    assert len(followed.area.follow) == 2 and followed.area.follow[-1].frame == FRAMES - 1


def test_it_goes_on_from_where_the_area_was_placed_and_counts_frames_of_the_programme(tmp_path, detail):
    programme = clip(tmp_path / "moving.mkv", detail, lambda n: (0.4 * n, 0.0, 1.0, 0.0))
    placed = ReachArea(AREA.shape, AREA.points, 5.0, (Pose(0, 3.0, -2.0, 1.2, 10.0),))
    followed = follow_area(programme, programme.format, Shot(6, FRAMES - 1), placed, 10, Monitor())
    places = {place.frame: place for place in followed.area.follow}
    assert min(places) == 6 and max(places) == FRAMES - 1
    assert followed.area.at(10).follow[0].across == pytest.approx(3.0, abs=0.02)
    assert places[6].across == pytest.approx(3.0 - 0.4 * 4, abs=0.2) and places[6].turn == pytest.approx(10, abs=0.4)


def test_where_hold_is_lost_is_told(tmp_path, detail):
    programme = clip(tmp_path / "covered.mkv", detail, lambda n: (0.3 * n, 0.0, 1.0, 0.0), cover=15)
    followed = follow_area(programme, programme.format, Shot(0, FRAMES - 1), AREA, 4, Monitor())
    assert followed.lost == (15,) and followed.area.follow[-1].frame == 14
    flat = follow_area(programme, programme.format, Shot(15, FRAMES - 1), AREA, 18, Monitor())
    assert flat.lost == (19, 17) and len(flat.area.follow) == 1, "nothing to hold on to"


def test_a_cut_to_another_picture_is_no_motion(tmp_path, detail):
    def picture(number):
        shown = detail if number < 12 else detail[::-1, ::-1]
        return np.clip(np.repeat(shown[..., None], 3, axis=2), 0, 1)

    programme = probe(make_clip(tmp_path / "cut.mkv", picture, FRAMES))
    assert follow_area(programme, programme.format, Shot(0, FRAMES - 1), AREA, 3, Monitor()).lost == (12,)


def test_following_is_stopped_between_two_frames(tmp_path, detail):
    programme = clip(tmp_path / "moving.mkv", detail, lambda n: (0.4 * n, 0.0, 1.0, 0.0))
    monitor = Monitor(lambda progress: monitor.cancel() if progress.done == 3 else None)
    with pytest.raises(CancelledError):
        follow_area(programme, programme.format, Shot(0, FRAMES - 1), AREA, 0, monitor)
