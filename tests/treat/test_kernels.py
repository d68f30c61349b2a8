"""The loops of a treatment as plain Python and compiled: one and the same."""

import numpy as np
import pytest

from bluffline.measure.areas import Shape
from bluffline.signal.format import Model
from bluffline.treat import colour_kernels, hold_kernels, pass_kernels, power_kernels, reach_kernels, row_kernels, site_kernels
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.bands import Band, Bands
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_by_luma import ChromaByLuma
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.log import MEASURED, Log
from bluffline.treat.kinds.root_polynomial import RootPolynomial
from bluffline.treat.kinds.sharpen import Sharpen
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.kinds.straighten import Straighten
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.reach import Key, Reach, ReachArea
from clips import signal, to_planes

TONES = SoftCeiling(90, 115, 60), SoftFloor(5, -12, 20)
INSIDE = Reach(areas=(ReachArea(Shape.ELLIPSE, ((20, 20), (80, 70)), 10),), key=Key((100, 60, 20), (4, 80, 5), (10, 90, 5)))
ROOTS = ((0.9, 0.0, 0.0, 0.1, 0.0, 0.0), (0.0, 1.0, 0.0, 0.0, 0.0, 0.0), (0.0, 0.0, 0.8, 0.0, 0.1, 0.1))
LONG = (
    Cdl((1.2, 1.0, 0.8), power=(1.1, 1.0, 0.9), reach=INSIDE), RootPolynomial(ROOTS), HueNudge(turn=20),
    Bands((Band(20, 60, 10, 3, -2, 1, 1.2),)), Hues(((0, 8),), ((-90, 0.9), (90, 1.2)), ((45, 1),)),
    Curves(((0, 2), (50, 55), (100, 98)), "luma"), ChromaByLuma(((10, 0.8), (80, 1.1))), Sharpen(40, 0.8), Log(MEASURED, 1.5),
    Straighten(((0.0, 0.02), (0.5, 0.45), (1.0, 0.98))), Tone(0.2, contrast=1.2, soft_ends=True, hold_chroma=True),
)  # fmt: skip


@pytest.mark.parametrize(("sampling", "wide"), [("420", 16), ("422", 16), ("444", 16), ("rgb", 16), ("422", 2), ("420", 3)])
@pytest.mark.parametrize("steps", [(*TONES, ChromaRein(0, 95)), (*LONG, *TONES, ChromaRein(0, 95))])
def test_a_treatment_in_plain_python_is_the_compiled_one(monkeypatch, sampling, wide, steps):
    model = Model.RGB if sampling == "rgb" else Model.YCBCR
    source = signal(wide, 10, sampling="444" if sampling == "rgb" else sampling, model=model)
    planes = to_planes(np.random.default_rng(1).uniform(-0.1, 1.1, (10, wide, 3)), source)
    compiled = FrameTreatment(steps, source).apply(planes)
    for module in (colour_kernels, hold_kernels, pass_kernels, power_kernels, reach_kernels, row_kernels, site_kernels):
        for name, loop in vars(module).items():
            if hasattr(loop, "py_func"):
                monkeypatch.setattr(module, name, loop.py_func)
    plain = FrameTreatment(steps, source).apply(planes)
    for one, other in zip(compiled, plain, strict=True):
        one, other = one[:10, :wide].astype(int), other[:10, :wide].astype(int)
        assert np.abs(one - other).max() <= 1 and (one != other).mean() < 0.05, "but for what single precision rounds otherwise"


@pytest.mark.parametrize("wide", [1, 2, 3, 8, 9])
@pytest.mark.parametrize("taps", [(0.0, 1.0, 0.5, 0.5), (0.25, 0.75, 0.75, 0.25)])
def test_what_pixels_wish_comes_to_the_sites_that_they_read_by_how_much_they_read(wide, taps):
    rng, columns, taps = np.random.default_rng(wide), (wide + 1) // 2, np.array(taps, np.float32)
    sites, row = rng.normal(size=columns).astype(np.float32), rng.normal(size=wide).astype(np.float32)
    held, read = np.pad(sites, 1, mode="edge"), np.zeros(2 * columns, np.float32)
    hold_kernels._widen(held, taps, read)
    given = np.zeros(columns, np.float32)
    hold_kernels._add_at_sites(row, True, taps, np.float32(0.5), given)
    assert given @ sites == pytest.approx(0.5 * (row @ read[:wide]), abs=1e-5), "one is the other's transpose"
