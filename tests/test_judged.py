"""What judges the product is judged: its least harm, and its two sets of pictures."""

import sys
from pathlib import Path

import numpy as np
import pytest

from bluffline.measure.counted import Limits
from bluffline.signal.colorimetry import rgb_to_xyz, to_light, xyz_to_lab
from bluffline.signal.difference import delta_e_2000

FOLDER = Path(__file__).parent.parent / "judge"
LIMITS = Limits((-1.0, 103.0), (-5.0, 105.0))


@pytest.fixture
def judging(monkeypatch):
    monkeypatch.syspath_prepend(str(FOLDER))
    import colour
    import sets

    yield colour, sets
    for name in ("colour", "sets"):
        del sys.modules[name]


def test_no_legal_colour_is_nearer_than_the_least(judging):
    colour, _ = judging
    rng = np.random.default_rng(2)
    rgb = rng.uniform(-0.2, 1.25, (60, 3))
    least = colour.least_difference(rgb, LIMITS, rng)
    outside = colour.outside(rgb, LIMITS)
    assert 10 < outside.sum() < 60 and least[~outside].max() < 1e-6 and least[outside].min() > 0
    grid = np.stack(np.meshgrid(*[np.linspace(-0.05, 1.05, 34)] * 3), axis=-1).reshape(-1, 3)
    grid = colour.lab(grid[~colour.outside(grid, LIMITS)])
    nearest = np.array([colour.deltaE_ciede2000(colour.lab(one), grid).min() for one in rgb[outside]])
    assert (least[outside] <= nearest + 0.15).all(), "a search over a grid finds none that is nearer"


def test_its_formulas_are_the_products_own(judging):
    colour, _ = judging
    one, other = np.random.default_rng(4).uniform(-0.1, 1.1, (2, 200, 3))
    labs = [xyz_to_lab(to_light(each, "bt709") @ rgb_to_xyz("bt709").T) for each in (one, other)]
    assert colour.difference(one, other) == pytest.approx(delta_e_2000(*labs), abs=0.02)


def test_no_picture_is_in_both_sets(judging):
    _, sets = judging
    assert not set(sets.TUNED_ON) & set(sets.KEPT_BACK)
    assert all(sets.picture(name).shape[2] == 3 for name in (*sets.TUNED_ON, *sets.KEPT_BACK))
