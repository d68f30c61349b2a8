"""The stock treatments that come with the desk, each on pictures with the fault that it is for."""

import numpy as np
import pytest

from bluffline.session.shipped_stock import SHIPPED
from bluffline.session.stock import StockShelf
from bluffline.signal.colorimetry import camera_light, camera_signal, rgb_to_xyz, to_light, xyz_to_lab
from bluffline.signal.difference import delta_e_2000
from bluffline.treat.ladder import apply_to_colours
from bluffline.treat.stored import load_stock, treatment_text
from clips import signal
from pictures import carried

SOURCE = signal()
WEIGHTS = np.array(SOURCE.matrix.luma_weights)


def glow(kelvin):
    """What a body at so many kelvins sends to R, G and B, by Planck's law at a wavelength of each."""
    metres = np.array([610e-9, 550e-9, 465e-9])
    power = metres**-5 / np.expm1(0.014388 / metres / kelvin)
    return power / power[1]


def lit(rgb, light):
    return camera_signal(camera_light(rgb, "bt709") * light, "bt709")


def saturated(rgb, by):
    luma = (rgb @ WEIGHTS)[..., None]
    return luma + by * (rgb - luma)


def hot(rgb):
    """Half a stop more light from the middle on, less and less towards it, as of a camera whose knee is off."""
    part = np.clip((rgb - 0.4) / 0.4, 0, 1)
    return rgb + (lit(rgb, 2**0.5) - rgb) * part


FAULTS = {
    "Over by a fifth": lambda rgb: lit(rgb, 1.2),
    "Under by a stop": lambda rgb: lit(rgb, 0.5),
    "Shade gone blue": lambda rgb: lit(rgb, glow(8000) / glow(5600)),
    "Lamp taken for day": lambda rgb: lit(rgb, glow(3200) / glow(5600)),
    "Day taken for lamp": lambda rgb: lit(rgb, glow(5600) / glow(3200)),
    "Green tubes": lambda rgb: lit(rgb, (0.95, 1.1, 0.95)),
    "Hot faces": hot,
    "Flat camera": lambda rgb: saturated(0.409 + 0.75 * (rgb - 0.409), 0.75),
    "Blacks lifted": lambda rgb: 0.06 + 0.94 * rgb,
    "Shadows sunk": lambda rgb: np.maximum(rgb, 0) ** 1.3,
    "Colours too loud": lambda rgb: saturated(rgb, 1.35),
}


def difference(one, other):
    labs = [xyz_to_lab(to_light(each, "bt709") @ rgb_to_xyz("bt709").T) for each in (one, other)]
    return delta_e_2000(*labs).mean()


@pytest.mark.parametrize("name", FAULTS)
def test_each_at_least_halves_the_fault_that_it_is_for(name):
    left = []
    for rgb in carried().values():
        faulty = np.clip(FAULTS[name](rgb), -0.07, 1.09)
        if (fault := difference(rgb, faulty)) > 1:  # a picture without highlights can't have hot ones
            left.append(difference(rgb, apply_to_colours(SHIPPED[name].steps, faulty, SOURCE)) / fault)
    assert len(left) >= 4 and np.median(left) < 0.5 and np.max(left) < 1, np.round(left, 2)


def test_captions_are_held():
    colours = np.random.default_rng(1).uniform(-0.2, 1.2, (500, 3))
    made = apply_to_colours(SHIPPED["Captions held"].steps, colours, SOURCE, reined=True)
    assert made.min() >= -1e-9 and made.max() <= 1 + 1e-9
    assert set(FAULTS) | {"Captions held"} == set(SHIPPED) and len(SHIPPED) == 12


def test_they_stand_behind_ones_own_and_can_be_replaced_but_not_thrown_away(tmp_path):
    shelf, own = StockShelf(tmp_path, SHIPPED), SHIPPED["Green tubes"].steps
    shelf.keep("Zebra", own)
    assert shelf.names() == ["Zebra", *sorted(SHIPPED)] and shelf.comes_with("Hot faces") and not shelf.comes_with("Zebra")
    shelf.keep("Hot faces", own, ("ours are hotter",))
    assert shelf.take("Hot faces").steps == own and not shelf.comes_with("Hot faces")
    shelf.remove("Hot faces")
    assert shelf.take("Hot faces") == SHIPPED["Hot faces"]
    shelf.remove("Hot faces")
    assert shelf.take("Hot faces") == SHIPPED["Hot faces"] and "Hot faces" in shelf.names()
    for name, stock in SHIPPED.items():
        shelf.give_out(name, tmp_path / "out.json")
        assert load_stock(tmp_path / "out.json").steps == stock.steps, "what is shipped, the reader reads"
        assert treatment_text(stock.title, stock.steps, stock.reasons)
