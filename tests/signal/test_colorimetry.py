"""Light and colour against published figures."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.signal.colorimetry import (
    PRIMARIES,
    gamut_matrix,
    light_table,
    rgb_to_xyz,
    to_light,
    white_xyz,
    xyz_to_lab,
)
from bluffline.signal.levels import Levels, Range
from clips import signal

FOUR_PLACES = 6e-5  # the published matrices are printed to four places


@pytest.mark.parametrize(
    ("primaries", "published"),
    [
        ("bt709", [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]),
        ("bt2020", [[0.6370, 0.1446, 0.1689], [0.2627, 0.6780, 0.0593], [0.0000, 0.0281, 1.0610]]),
        ("p3-d65", [[0.4866, 0.2657, 0.1982], [0.2290, 0.6917, 0.0793], [0.0000, 0.0451, 1.0439]]),
    ],
)
def test_matrices_to_xyz_are_the_published_ones(primaries, published):
    assert np.abs(rgb_to_xyz(primaries) - published).max() < FOUR_PLACES


@pytest.mark.parametrize("primaries", list(PRIMARIES))
def test_white_is_white_in_every_gamut(primaries):
    assert rgb_to_xyz(primaries) @ np.ones(3) == pytest.approx(white_xyz())
    assert xyz_to_lab(rgb_to_xyz(primaries) @ np.full(3, 0.18)) == pytest.approx([49.496, 0, 0], abs=1e-3)


@pytest.mark.parametrize(
    ("transfer", "signal_level", "light"),
    [
        ("bt709", 0.5, 0.5**2.4), ("srgb", 0.5, 0.21404), ("srgb", 0.04, 0.04 / 12.92), ("linear", 0.3, 0.3),
        ("pq", 0.580689, 1.0), ("pq", 1.0, 10000 / 203), ("pq", 0.0, 0.0), ("hlg", 0.75, 0.26496), ("hlg", 0.5, 1 / 12),
        ("hlg", 1.0, 1.0),
    ],
)  # fmt: skip
def test_light_of_a_signal(transfer, signal_level, light):
    """BT.1886's power, IEC 61966-2-1 at one half, PQ's 58 % for 203 cd/m² and HLG's 75 % for reference white."""
    assert float(to_light(np.array(signal_level), transfer)) == pytest.approx(light, abs=2e-4, rel=1e-3)


@given(st.floats(0, 1.2), st.sampled_from(["bt709", "srgb", "linear", "hlg"]))
def test_light_is_odd_and_rises(value, transfer):
    up, down = (float(to_light(np.array(sign * value), transfer)) for sign in (1, -1))
    assert up == -down
    assert float(to_light(np.array(value + 0.01), transfer)) > up


def test_lab_of_a_known_colour():
    """CIE 15 arithmetic: X, Y, Z at half of white has L* 76.07; below the linear edge the slope is 903.3."""
    assert xyz_to_lab(0.5 * white_xyz()) == pytest.approx([76.069, 0, 0], abs=1e-3)
    assert xyz_to_lab(0.001 * white_xyz())[0] == pytest.approx(0.9033, abs=1e-4)


def test_a_gamut_seen_from_itself_is_itself_and_from_a_smaller_one_goes_negative():
    wide = replace(signal(), primaries="bt2020")
    assert gamut_matrix(wide, "bt2020") == pytest.approx(np.eye(3), abs=1e-12)
    assert (gamut_matrix(wide, "bt709") @ [0, 1, 0]).min() < -0.05
    assert (gamut_matrix(signal(), "bt2020") @ np.eye(3)).min() > 0, "BT.2020 holds all of BT.709"


def test_the_light_table_has_every_code_and_its_room():
    levels = Levels.of(10, Range.NARROW)
    table = light_table(10, levels, "bt709", 512)
    assert len(table) == 2048 and table[512 + 940] == pytest.approx(1) and table[512 + 64] == 0 and table[0] < 0
