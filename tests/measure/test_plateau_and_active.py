import numpy as np
import pytest

from bluffline.measure.active import find_active_picture
from bluffline.measure.counted import Limits
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from clips import signal, to_planes

SIZE = (360, 640)
R103 = Limits((-1.0, 103.0), (-5.0, 105.0))
Y, X = np.mgrid[0 : SIZE[0], 0 : SIZE[1]].astype(float)


def measured(luma, depth=10, noise=0.0):
    source = signal(luma.shape[1], luma.shape[0], depth=depth)
    grain = np.random.default_rng(1).normal(0, noise, luma.shape) if noise else 0.0
    planes = to_planes(np.repeat((luma + grain)[..., None], 3, axis=2), source)
    return measure_frame(planes, source, Region.whole(source), R103)


def sky(peak=1.5):
    return 0.2 + (peak - 0.2) * np.exp(-(((X - 400) / 260) ** 2 + ((Y - 60) / 150) ** 2))


@pytest.mark.parametrize("depth", [8, 10])
@pytest.mark.parametrize("level", [1.09, 1.0, 0.8, 0.55])
def test_a_clipped_highlight_is_found_however_far_it_was_pulled_down(level, depth):
    """What was clipped at 109 % stays flat when somebody scales it."""
    clipped = np.minimum(sky(), 1.09) * level / 1.09
    plateau = measured(clipped, depth).clip_high
    assert plateau.level == pytest.approx(100 * level, abs=0.5)
    assert plateau.area == pytest.approx(100 * (sky() >= 1.09).mean(), abs=1.0)
    assert not plateau.graphic


def test_crushed_blacks_are_found():
    plateau = measured(np.maximum(sky(0.9) - 0.35, 0.03)).clip_low
    assert plateau.level == pytest.approx(3.0, abs=0.5) and plateau.area > 20 and not plateau.graphic


@pytest.mark.parametrize(
    "smooth",
    [
        X / 640,
        0.5 + 0.4 * np.sin(X / 90),
        0.9 - ((X - 320) / 400) ** 2,
        sky(0.95),
        0.3 + 0.5 * np.sqrt(np.clip(1 - ((X - 320) / 330) ** 2, 0, 1)),
    ],
    ids=["ramp", "sine", "ridge", "glow", "cylinder"],
)
@pytest.mark.parametrize("depth", [8, 10])
def test_a_smooth_gradient_is_not_clipped(smooth, depth):
    assert measured(smooth, depth).clip_high.area == measured(smooth, depth).clip_low.area == 0


def test_a_flat_tone_and_a_noisy_card_are_not_clipped():
    assert measured(np.full(SIZE, 0.9)).clip_high.area == 0
    card = np.where((abs(X - 320) < 150) & (abs(Y - 180) < 100), 0.9, 0.3)
    assert measured(card, noise=0.006).clip_high.area == 0


def test_captions_and_bars_are_marked_as_graphics():
    strokes = np.where((Y > 280) & (Y < 320) & (X % 24 < 7) & (X > 60) & (X < 580), 1.0, sky(0.7))
    bars = np.repeat(np.array([1.0, 0.7, 0.59, 0.53, 0.21, 0.16, 0.05, 0.0]), 80)[None, :].repeat(SIZE[0], 0)
    for picture in (strokes, bars):
        plateau = measured(picture).clip_high
        assert plateau.area > 1 and plateau.graphic
        large = measured(picture.repeat(3, 0).repeat(3, 1)).clip_high  # not every line of it is looked at
        assert large.graphic and large.area == pytest.approx(plateau.area, rel=0.02)


def test_a_large_clipped_highlight_is_filmed_and_not_drawn():
    clipped = np.minimum(sky(), 1.09)
    large, small = measured(clipped.repeat(3, 0).repeat(3, 1)).clip_high, measured(clipped).clip_high
    assert not large.graphic and large.area == pytest.approx(small.area, rel=0.02)


def boxed(top=0, bottom=0, left=0, right=0, seed=0):
    source = signal(320, 180)
    rgb = np.random.default_rng(seed).uniform(0.1, 0.9, (180, 320, 1)).repeat(3, 2)
    rgb[:top] = rgb[180 - bottom :] = rgb[:, :left] = rgb[:, 320 - right :] = 0
    return to_planes(rgb, source), source


@pytest.mark.parametrize(
    ("borders", "expected"),
    [
        ({}, [0, 0, 320, 180]),
        ({"top": 22, "bottom": 22}, [0, 22, 320, 136]),
        ({"left": 40, "right": 40}, [40, 0, 240, 180]),
        ({"left": 4}, [4, 0, 316, 180]),
        ({"top": 2, "left": 4, "right": 4}, [4, 2, 312, 178]),
        ({"left": 120}, [0, 0, 320, 180]),  # dark on one side only is a picture, not a border
        ({"top": 45, "bottom": 45, "left": 80, "right": 80}, [0, 0, 320, 180]),  # a patch on black
    ],
)
def test_borders_are_found_and_dark_pictures_are_not_borders(borders, expected):
    pictures = [boxed(**borders, seed=seed) for seed in range(3)]
    assert find_active_picture((planes for planes, _ in pictures), pictures[0][1]).as_list() == expected


def test_a_border_is_there_in_every_frame():
    letterboxed, source = boxed(top=22, bottom=22)
    black = to_planes(np.zeros((180, 320, 3)), source)
    assert find_active_picture([letterboxed, black], source).as_list() == [0, 22, 320, 136]
    assert find_active_picture([letterboxed, boxed()[0]], source) == Region.whole(source)
    assert find_active_picture([black], source) == Region.whole(source)
