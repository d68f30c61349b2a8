"""Balance from areas and from a light's temperature; three cards under three areas."""

import numpy as np
import pytest

from bluffline.charts.fit import fit_chart
from bluffline.charts.picks import neutral_pick, sample_cards
from bluffline.charts.reference import load_reference
from bluffline.charts.tint import describe_tint, hue_name
from bluffline.errors import ChartError, SettingsError
from bluffline.measure.areas import Area, Shape
from bluffline.signal.colorimetry import camera_light, camera_signal, rgb_to_xyz, xyz_to_lab
from bluffline.signal.white import gains_for_light, light_xy
from clips import signal, to_planes
from filmed import Filming, camera

SOURCE = signal(120, 40, 12, "444")
CARDS = load_reference("cards-3")


def left(name="left"):
    return Area(name, Shape.RECTANGLE, ((2, 2), (38, 38)))


def middle():
    return Area("middle", Shape.ELLIPSE, ((44, 2), (76, 38)))


def right():
    return Area("right", Shape.RECTANGLE, ((82, 2), (118, 38)))


def thirds(*colours):
    """Three fields of R′G′B′ side by side."""
    return to_planes(np.repeat(np.repeat(np.array(colours, float)[None], 40, axis=0), 40, axis=1), SOURCE)


@pytest.mark.parametrize("linear", [True, False])
def test_the_mean_of_the_areas_becomes_neutral_and_keeps_its_luma(linear):
    planes = thirds((0.5, 0.4, 0.3), (0.7, 0.6, 0.4), (0.1, 0.9, 0.1))
    step, told = neutral_pick(planes, SOURCE, [left(), middle()], linear=linear)
    areas = [np.array(c) for c in ((0.5, 0.4, 0.3), (0.7, 0.6, 0.4))]
    weights = [36 * 36, middle().mask(120, 40).sum()]
    values = [camera_light(c, "bt709") if linear else c for c in areas]
    mean = np.average(values, axis=0, weights=weights)
    balanced = mean * step.gains
    assert balanced == pytest.approx(np.full(3, mean @ [0.2126, 0.7152, 0.0722]), rel=2e-3)
    assert "clipped" not in told and step.light is linear


def test_clipped_pixels_are_refused_and_counted():
    planes = thirds((0.5, 0.4, 0.3), (1.2, 1.2, 1.2), (-0.2, -0.2, -0.2))
    planes[0][:, 40:80] = 4079
    step, told = neutral_pick(planes, SOURCE, [left(), middle()])
    alone, _ = neutral_pick(planes, SOURCE, [left()])
    assert step.gains == pytest.approx(alone.gains)
    assert "% of the pixels are clipped and were left out" in told
    with pytest.raises(ChartError, match="every pixel in them is clipped or black"):
        neutral_pick(planes, SOURCE, [middle()])
    with pytest.raises(ChartError, match="clipped or black"):
        neutral_pick(planes, SOURCE, [right()])
    with pytest.raises(ChartError, match="Draw an area"):
        neutral_pick(planes, SOURCE, [])
    with pytest.raises(ChartError, match="holds no pixel"):
        neutral_pick(planes, SOURCE, [Area("away", Shape.RECTANGLE, ((500, 2), (538, 38)))])


def test_three_cards_in_any_order_give_the_three_point_version():
    filming = Filming(gains=(1.2, 1.0, 0.7), gamma=0.85)
    white, grey, black = camera(CARDS.light("bt709"), filming)
    samples, reference = sample_cards(thirds(grey, black, white), SOURCE, [left(), middle(), right()])
    fit = fit_chart(samples, reference, SOURCE)
    assert fit.stages[0].mean > 5 > 0.5 > fit.result.mean
    treated = np.array([white, grey, black])
    for step in fit.steps:
        treated = step.apply(treated, SOURCE)
    assert treated == pytest.approx(camera_signal(CARDS.light("bt709"), "bt709"), abs=0.01)
    with pytest.raises(ChartError, match="there are 2"):
        sample_cards(thirds(grey, black, white), SOURCE, [left(), middle()])


@pytest.mark.parametrize(("kelvin", "xy"), [(2856, (0.4476, 0.4074)), (5003, (0.3457, 0.3585)), (6504, (0.3127, 0.3291))])
def test_lights_have_their_published_colours(kelvin, xy):
    assert light_xy(kelvin) == pytest.approx(xy, abs=1.2e-3)


def test_a_white_under_a_light_becomes_neutral_by_its_gains():
    assert gains_for_light(6504, 0, "bt709") == pytest.approx((1, 1, 1), abs=2e-3)
    x, y = light_xy(3200)
    seen = np.linalg.solve(rgb_to_xyz("bt709"), [x / y, 1, (1 - x - y) / y])
    assert seen * gains_for_light(3200, 0, "bt709") == pytest.approx(np.ones(3))
    green = gains_for_light(5000, 8, "bt709")
    plain = gains_for_light(5000, 0, "bt709")
    assert green[1] / plain[1] < green[0] / plain[0] and green[1] / plain[1] < green[2] / plain[2]
    for kelvin, tint in ((1000, 0), (1700, 0), (6504, -400)):
        with pytest.raises(SettingsError):
            gains_for_light(kelvin, tint, "bt709")


def tint_after(filming):
    scale = load_reference("grey-11")
    light = camera_light(camera(scale.light("bt709"), filming), "bt709")
    return describe_tint(xyz_to_lab(light @ rgb_to_xyz("bt709").T))


def test_the_tint_of_a_grey_scale_is_said_in_words():
    assert tint_after(Filming()) == "The greys are neutral from dark to light."
    assert "alike from dark to light: one balance would serve" in tint_after(Filming(gains=(1.3, 1.0, 0.6)))
    split = describe_tint(np.array([[20.0, -6, 2], [50, 0, 0], [90, 8, 9]]))
    assert "dark greys lean to green by 6.3, the light ones to orange by 12.0: mixed light, or a tone curve" in split
    assert [hue_name(a, b) for a, b in ((1, 0), (0, 1), (-1, 0), (0, -1))] == ["red", "yellow", "green", "blue"]
