"""Draws the pictures in docs/kinds: frames of the demo, as they are and through a step. Run by ``make screenshots``."""

import sys
from pathlib import Path

import numpy as np
from PIL import Image

from bluffline.demo import demo_clip
from bluffline.measure.region import Region
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.rules.rulefile import load_rules
from bluffline.treat.bake import bake_cube
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.bands import Band, Bands
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_by_luma import ChromaByLuma
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.log import MEASURED, Log
from bluffline.treat.kinds.look import Look
from bluffline.treat.kinds.matrix import ColourMatrix
from bluffline.treat.kinds.neutral_scale import NeutralScale
from bluffline.treat.kinds.root_polynomial import RootPolynomial
from bluffline.treat.kinds.sharpen import Sharpen
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.kinds.straighten import Straighten
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.step import Step
from bluffline.view.preview import View, screen_picture

SIZE = (400, 225)
GAP = 8
GREYS = (0.05, 0.2, 0.4, 0.6, 0.8, 0.95)
CHART = 120
ROOTS = ((1.2, 0, 0, -0.15, 0, -0.05), (0, 1.2, 0, -0.1, -0.1, 0), (0, 0, 1.25, 0, -0.15, -0.1))
YARD, POTTER, MOOR, INSERT, STALL, POTS = 300, 369, 444, 519, 620, 700  # frames
DEMO = probe(demo_clip()).format
EXAMPLES: dict[str, tuple[int, Step]] = {
    "level-remap": (INSERT, LevelRemap.mistagged(RemapMode.FULL_TO_NARROW, DEMO.bit_depth, DEMO.levels)),
    "tone": (POTTER, Tone(0.2, 9.3, 82, gamma=(1.1, 1, 1, 1), hold_chroma=True)),
    "balance": (POTTER, Balance((1.19, 0.94, 1.21))),
    "bands": (POTTER, Bands((Band(0, 30, 12, 3, -2), Band(36, 66, 12, -3, 5), Band(76, 120, 12, luma=-12)))),
    "curves": (POTS, Curves(((0, 0), (28, 18), (70, 82), (100, 100)))),
    "hues": (STALL, Hues(((-130, 25), (0, 0), (110, -12)), ((-130, 1.2), (100, 0.4)))),
    "chroma-by-luma": (POTS, ChromaByLuma(((5, 0), (35, 1.4), (60, 1), (75, 0)))),
    "log": (MOOR, Log(MEASURED, -1.2, 30, 38.4, 66.2)),
    "look": (POTS, Look("evening", 70, (Tone(-0.3, saturation=0.8), Balance((1.15, 1, 0.78))))),
    "sharpen": (POTS, Sharpen(220, 2.2, 0.3, 30)),
    "hue-nudge": (POTTER, HueNudge(turn=-30, low=10, high=90)),
    "cdl": (POTS, Cdl((1.1, 1.0, 0.9), (0.01, 0.0, -0.01), (1.1, 1.0, 1.0), 1.2)),
    "lut": (POTS, bake_cube((Tone(contrast=1.2, saturation=0.7), Balance((0.9, 1, 1.15))), DEMO)),
    "neutral-scale": (CHART, NeutralScale(*(tuple((x, x**power) for x in GREYS) for power in (1.12, 1.0, 0.68)))),
    "straighten": (CHART, Straighten(tuple((x, x**0.75) for x in GREYS))),
    "matrix": (CHART, ColourMatrix(((1.25, -0.15, -0.1), (-0.1, 1.2, -0.1), (-0.05, -0.25, 1.3)))),
    "root-polynomial": (CHART, RootPolynomial(ROOTS)),
    "soft-ceiling": (YARD, SoftCeiling(100, 109.5, 80)),
    "soft-floor": (INSERT, SoftFloor(0, -7, 12)),
    "chroma-rein": (236, ChromaRein(-5, 105)),
}


def main() -> None:
    """Draw each example: at the left as it is, at the right treated, what is outside the rules hatched."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else Path(__file__).parent / "kinds")
    folder.mkdir(parents=True, exist_ok=True)
    rules, region = load_rules("r103"), Region.whole(DEMO)
    with Reader(probe(demo_clip())) as reader:
        for kind, (frame, step) in EXAMPLES.items():
            planes = reader.planes(frame)
            assert planes is not None
            view = View(DEMO, region, rules.limits, FrameTreatment((), DEMO), SIZE)
            both = [planes, FrameTreatment((step,), DEMO).apply(planes)]
            parts = [screen_picture(each, view).image for each in both]
            rgb = [np.stack([part >> shift & 255 for shift in (16, 8, 0)], axis=-1).astype(np.uint8) for part in parts]
            gap = np.full((rgb[0].shape[0], GAP, 3), 60, np.uint8)
            Image.fromarray(np.hstack([rgb[0], gap, rgb[1]])).save(folder / f"{kind}.png", optimize=True)


if __name__ == "__main__":
    main()
