"""Examples of every kind of step, of what they reach, and of every form of picture that they act on."""

from dataclasses import replace

import numpy as np

from bluffline.measure.areas import Shape
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.signal.siting import Siting
from bluffline.treat.encodings import encodings
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.bands import Band, Bands
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_by_luma import ChromaByLuma
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.level_remap import LevelRemap
from bluffline.treat.kinds.log import MEASURED, Log
from bluffline.treat.kinds.look import Look
from bluffline.treat.kinds.lut import Lut
from bluffline.treat.kinds.matrix import ColourMatrix
from bluffline.treat.kinds.neutral_scale import NeutralScale
from bluffline.treat.kinds.root_polynomial import RootPolynomial
from bluffline.treat.kinds.sharpen import Sharpen
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.kinds.straighten import Straighten
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.reach import Key, Reach, ReachArea
from clips import signal

rng = np.random.default_rng(12)
AXIS = np.linspace(-0.1, 1.1, 9)
GRID = np.stack(np.meshgrid(AXIS, AXIS, AXIS, indexing="ij"), axis=-1)
CUBE = Lut("cube", -0.1, 1.1, (GRID * [0.9, 1.0, 0.8] + rng.normal(0, 0.02, GRID.shape)).astype(np.float32))
RAMPS = Lut("ramps", 0.0, 1.0, np.linspace([0.1, 0, 0], [1, 0.9, 1.2], 50).astype(np.float32) ** 1.3)
ROOTS = ((0.9, 0.1, 0.0, 0.05, -0.02, -0.03), (-0.1, 1.2, -0.1, 0.1, -0.05, -0.05), (0.0, -0.2, 1.3, -0.1, 0.02, -0.02))
EXAMPLES = {
    "level-remap": [LevelRemap(low_in=-3, high_in=106, low_out=0, high_out=100), LevelRemap("full to narrow", -7.3, 109.1)],
    "balance": [Balance((0.8, 1.0, 1.3)), Balance((1.2, 0.9, 1.0), light=False)],
    "cdl": [Cdl((1.1, 0.9, 1.0), (0.02, -0.03, 0.0), (1.2, 0.8, 1.0), 1.3), Cdl(saturation=0.4)],
    "hue-nudge": [HueNudge(turn=25), HueNudge(-170, 60, -40, 0, 100)],
    "bands": [
        Bands((Band(10, 40, 10, 4, -3, 2, 0.7), Band(35, 60, 20, -2, 5, 0, 1.4), Band(80, 120, 5, 0, 0, -6, 0.2))),
        Bands(tuple(Band(low, low + 15, 30, low / 20, -2, 1, 1.1) for low in (0, 20, 40, 60, 80))),
    ],
    "curves": [
        Curves(((0, 2), (30, 40), (70, 65), (100, 97)), red=((0, 0), (50, 55), (100, 90)), blue=((-10, 5), (100, 100))),
        Curves(((0, 0), (40, 30), (60, 30), (100, 110)), "luma", green=((0, 10), (100, 95))),
        Curves(((0, 2), (10, 14), (25, 22), (40, 45), (55, 50), (70, 72), (85, 80), (100, 98))),
    ],
    "hues": [
        Hues(((-90, 20), (30, -15), (123, 8)), ((0, 0.4), (123, 1.5), (240, 1)), ((60, -6), (200, 5))),
        Hues(((10, 170),), ((-100, 0), (100, 3))),
    ],
    "chroma-by-luma": [ChromaByLuma(((5, 0), (30, 1.3), (70, 1), (95, 0.2)))],
    "log": [
        Log(MEASURED, 0.3, 30, 5, 80), *(Log(name, -1, roll) for name, roll in zip(encodings()[:3], (30, 0, 55), strict=True)),
    ],
    "look": [Look("cube", 60, (CUBE,)), Look("several", 35, (Tone(saturation=0.2, exposure=0.5), Curves(((0, 5), (100, 90)))))],
    "sharpen": [Sharpen(150, 1.2, 0.5, 20), Sharpen(300, 3, 0, 100)],
    "lut": [CUBE, RAMPS],
    "matrix": [ColourMatrix(((1.2, -0.1, -0.1), (-0.2, 1.3, -0.1), (0.0, -0.3, 1.3)))],
    "neutral-scale": [NeutralScale(*(((0.05, 0.02), (0.3, 0.3 + d), (0.6, 0.62 - d), (0.95, 0.9)) for d in (0.02, 0, -0.03)))],
    "root-polynomial": [
        RootPolynomial(ROOTS, 2),
        RootPolynomial(tuple((*row, 0.03, -0.03, 0.02, -0.02, 0.01, -0.02, 0.01) for row in ROOTS), 3),
    ],
    "straighten": [Straighten(((0.04, 0.03), (0.5, 0.42), (0.9, 0.95)), 70)],
    "tone": [
        Tone(0.5, 1, 97, (2, 0, -1, 0.5), (1.1, 1, 0.95, 1.05), (0.98, 1, 1.02, 1)),
        Tone(offset=(1, 0, -1, 2), contrast=1.6, soft_ends=True, saturation=1.2),
        Tone(gamma=(1.4, 1, 1, 1), hold_chroma=True, contrast=0.8, pivot=60),
        Tone(gamma=(0.7, 1.1, 1, 1), exposure=-1),
    ],
    "chroma-rein": [ChromaRein(-5, 105, 3), ChromaRein(0, 100, 0)],
    "soft-ceiling": [SoftCeiling(90, 115, 60), SoftCeiling(80, 80, 70, hard=True)],
    "soft-floor": [SoftFloor(5, -12, 20), SoftFloor(3, 3, 10, hard=True)],
}  # fmt: skip
FORMS = {
    "444": signal(26, 22, depth=12, sampling="444"),
    "422": signal(26, 22, depth=12, sampling="422"),
    "422 centre": replace(signal(26, 22, depth=12, sampling="422"), siting=Siting.CENTRE),
    "422 odd": signal(25, 21, depth=12, sampling="422"),
    "422 of one site": signal(2, 22, depth=12, sampling="422"),
    "420": signal(26, 22, depth=12, sampling="420"),
    "420 odd": signal(25, 21, depth=12, sampling="420"),
    "420 top-left": replace(signal(26, 22, depth=12, sampling="420"), siting=Siting.TOP_LEFT),
    "420 bottom": replace(signal(26, 22, depth=12, sampling="420"), siting=Siting.BOTTOM),
    "420 interlaced": replace(signal(26, 24, depth=12, sampling="420"), interlaced=True),
    "420 interlaced, a site less": replace(signal(26, 22, depth=12, sampling="420"), interlaced=True),
    "420 interlaced odd": replace(signal(26, 23, depth=12, sampling="420"), interlaced=True),
    "rgb": signal(26, 22, depth=12, sampling="444", model=Model.RGB),
    "full": signal(26, 22, depth=12, sampling="422", signal_range=Range.FULL),
    "bt601": replace(signal(26, 22, depth=12, sampling="422"), matrix=Matrix.BT601),
    "bt2020": replace(signal(26, 22, depth=12, sampling="422"), matrix=Matrix.BT2020),
    "8 bit": signal(26, 22, depth=8, sampling="420"),
    "16 bit": signal(26, 22, depth=16, sampling="444"),
    "srgb": replace(signal(26, 22, depth=12, sampling="444", model=Model.RGB), transfer="srgb"),
    "hlg": replace(signal(26, 22, depth=12, sampling="422"), transfer="hlg"),
    "pq": replace(signal(26, 22, depth=12, sampling="422"), transfer="pq"),
    "linear": replace(signal(26, 22, depth=12, sampling="422"), transfer="linear"),
}


def picture(source, seed=1, *, calm=False):
    """Colours of all kinds, illegal ones and greys as well, in codes; ``calm`` ones are legal, since PQ ends at 1."""
    random = np.random.default_rng(seed)
    top, (columns, rows) = (1 << source.bit_depth) - 1, source.chroma_size
    dtype = np.uint8 if source.bit_depth == 8 else np.uint16
    if source.model is Model.RGB:
        planes = [random.integers(0, top + 1, (source.height, source.width)) for _ in range(3)]
        planes = [np.where(planes[0] % 5 == 0, planes[0], plane) for plane in planes]
    else:
        low, high = (top // 4, top // 2) if calm else (0, top + 1)
        luma = random.integers(low, high, (source.height, source.width))
        spread = source.levels.span // (20 if calm else 5)
        chroma = [source.levels.zero + random.integers(-spread, spread, (rows, columns)) for _ in range(2)]
        planes = [luma, *(np.where(random.random((rows, columns)) < 0.2, source.levels.zero, plane) for plane in chroma)]
    return tuple(plane.astype(dtype) for plane in planes)


RECTANGLE = ReachArea(Shape.RECTANGLE, ((22, 30), (70, 66)), 12)
POLYGON = ReachArea(Shape.POLYGON, ((10, 10), (55, 5), (90, 80), (30, 95)), 20)
SKIN = Key((123, 40, 25), (6, 70, 8), (15, 85, 10))
REACHES = {
    "rectangle": Reach(areas=(RECTANGLE,)), "hard": Reach(areas=(ReachArea(Shape.RECTANGLE, ((25, 25), (75, 75))),)),
    "outside": Reach(False, (POLYGON,)), "two": Reach(areas=(RECTANGLE, POLYGON)), "key": Reach(key=SKIN),
    "all but a key": Reach(key=replace(SKIN, inverted=True)), "hard key": Reach(key=Key((-100, 90, 0), (10, 200, 0))),
    "both": Reach(False, (RECTANGLE,), SKIN), "luma": Reach(key=Key(luma=(30, 60, 20))),
}  # fmt: skip
