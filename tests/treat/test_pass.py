"""The compiled pass against plain NumPy in double precision, for every kind of step and every form of picture."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.measure.areas import Shape
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.signal.siting import Siting
from bluffline.treat.catalogue import KINDS
from bluffline.treat.encodings import encodings
from bluffline.treat.frame_treatment import FrameTreatment
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
from bluffline.treat.reach import Key, Pose, Reach, ReachArea
from bluffline.treat.step import Heading
from clips import signal
from oracle import treated

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
EVERY = [pytest.param(step, id=f"{kind}-{n}") for kind, steps in EXAMPLES.items() for n, step in enumerate(steps)]
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


def assert_agrees(treatment, source, planes, slack=0.02):
    """Each code is the oracle's, rounded; ``slack`` in codes of 12 bit."""
    made = FrameTreatment(treatment, source).apply(planes)
    top = (1 << source.bit_depth) - 1
    allowed = 0.5 + slack * max(1.0, (top + 1) / 4096)
    for n, (codes, wanted) in enumerate(zip(made, treated(treatment, planes, source), strict=True)):
        off = np.abs(codes.astype(float) - np.clip(wanted, 0, top))
        assert off.max() <= allowed, f"plane {n}: {off.max():.3f} codes off at {np.unravel_index(off.argmax(), off.shape)}"


def pixelwise(step):
    """Limits at the end are held inwards on the codes that are written; before another step they are worked as they are."""
    return (step, Cdl(saturation=0.999, heading=Heading.LIMITS)) if step.limits else (step,)


def test_every_kind_has_an_example():
    assert EXAMPLES.keys() == KINDS.keys()


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize("step", EVERY)
def test_every_kind_is_exact_in_every_form(step, form):
    source = FORMS[form]
    flat = isinstance(step, Log)  # colours that no camera codes come to differences of thousands of times white
    assert_agrees(pixelwise(step), source, picture(source, calm=form == "pq" or flat))


@pytest.mark.parametrize("form", ["444", "422", "420 interlaced", "rgb", "full", "bt2020", "16 bit"])
def test_a_long_ladder_is_exact(form):
    """Every kind, one after the other: what folds, folds to the same."""
    source = FORMS[form]
    ladder = tuple(steps[0] for kind, steps in EXAMPLES.items() if kind not in ("lut", "log"))
    assert_agrees((*ladder, Cdl(saturation=0.999, heading=Heading.LIMITS)), source, picture(source), slack=0.1)


def test_powers_at_their_bounds_saturate_and_turn_nothing_over():
    """Powers of powers leave single precision behind; what is far over white is white still."""
    source = FORMS["rgb"]
    ramp = np.linspace(source.levels.black, 4095, source.width).astype(np.uint16) * np.ones((source.height, 1), np.uint16)
    ladder = (Cdl((8, 8, 8), power=(8, 8, 8)),) * 2
    made = FrameTreatment(ladder, source).apply((ramp, ramp, ramp))
    for codes, wanted in zip(made, treated(ladder, (ramp, ramp, ramp), source), strict=True):
        assert np.abs(codes - np.clip(wanted, 0, 4095)).max() <= 1


RECTANGLE = ReachArea(Shape.RECTANGLE, ((22, 30), (70, 66)), 12)
POLYGON = ReachArea(Shape.POLYGON, ((10, 10), (55, 5), (90, 80), (30, 95)), 20)
SKIN = Key((123, 40, 25), (6, 70, 8), (15, 85, 10))
REACHES = {
    "rectangle": Reach(areas=(RECTANGLE,)), "hard": Reach(areas=(ReachArea(Shape.RECTANGLE, ((25, 25), (75, 75))),)),
    "outside": Reach(False, (POLYGON,)), "two": Reach(areas=(RECTANGLE, POLYGON)), "key": Reach(key=SKIN),
    "all but a key": Reach(key=replace(SKIN, inverted=True)), "hard key": Reach(key=Key((-100, 90, 0), (10, 200, 0))),
    "both": Reach(False, (RECTANGLE,), SKIN), "luma": Reach(key=Key(luma=(30, 60, 20))),
}  # fmt: skip


@pytest.mark.parametrize("form", ["444", "422", "420 interlaced", "rgb", "bt2020"])
@pytest.mark.parametrize("reach", REACHES)
def test_steps_reach_where_they_are_to_and_nowhere_else(reach, form):
    """What comes into a step is keyed, not what came into the ladder; the same kind stands twice."""
    source = FORMS[form]
    first = Tone(exposure=0.3, saturation=0.8)
    ladder = (first, Tone(gamma=(1.3, 1, 1, 1), reach=REACHES[reach]), Cdl((1.1, 1, 0.9), reach=REACHES[reach]))
    assert_agrees(ladder, source, picture(source), slack=0.05)


@pytest.mark.parametrize("form", ["444", "420 interlaced"])
@pytest.mark.parametrize("step", EVERY)
def test_every_kind_acts_where_its_reach_is(step, form):
    source, flat = FORMS[form], isinstance(step, Log)
    reached = replace(step, reach=REACHES["both"])
    assert_agrees(pixelwise(reached), source, picture(source, calm=flat), slack=0.05)


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize(
    "reach",
    [Reach(areas=(ReachArea(Shape.ELLIPSE, ((40, 40), (40.01, 40.01))),)), Reach(key=Key(luma=(140, 145, 0)))],
    ids=["no pixel", "no colour"],
)
def test_an_empty_reach_leaves_frames_as_they_are(form, reach):
    source = FORMS[form]
    planes = picture(source)
    made = FrameTreatment((Tone(exposure=2, reach=reach), Tone(saturation=0, reach=reach)), source).apply(planes)
    assert all(np.array_equal(a, b) for a, b in zip(made, planes, strict=True))


@pytest.mark.parametrize("form", ["422", "420", "420 interlaced"])
def test_chroma_sites_beside_no_reached_pixel_keep_their_code(form):
    source = FORMS[form]
    planes, reach = picture(source), Reach(areas=(ReachArea(Shape.RECTANGLE, ((0, 0), (50, 50))),))
    made = FrameTreatment((Tone(saturation=0.2, exposure=0.5, reach=reach),), source).apply(planes)
    rows = source.height // 2 // (2 if source.halved[1] else 1) + (2 if source.halved[1] else 0)
    for before, after in zip(planes[1:], made[1:], strict=True):
        assert np.array_equal(before[rows:], after[rows:]) and np.array_equal(before[:, 8:], after[:, 8:])
        assert not np.array_equal(before, after)
    assert np.array_equal(planes[0][source.height // 2 :], made[0][source.height // 2 :])


def test_a_key_is_cleaned_of_specks_and_softened():
    source = signal(200, 100, depth=12, sampling="444")
    planes = list(picture(source))
    planes[0][:] = 1000
    planes[0][20:70, 60:140] = 3000
    planes[0][5, 5] = planes[0][90, 180] = 3000  # specks
    planes[0][40, 100] = 1000  # and a hole
    planes = tuple(planes)

    def changed(**how):
        reach = Reach(key=Key(luma=(60, 100, 0), **how))
        made = FrameTreatment((Tone(offset=(10, 0, 0, 0), reach=reach),), source).apply(planes)
        return (made[0].astype(float) - planes[0]) / 350.4

    plain, clean, soft = changed(), changed(clean=2), changed(clean=2, soften=4)
    block = np.zeros((100, 200))
    block[20:70, 60:140] = 1
    assert plain.sum() == pytest.approx(block.sum() + 1, rel=2e-3) and plain[40, 100] == 0
    assert clean[5, 5] == clean[90, 180] == 0 and clean[40, 100] == pytest.approx(1, abs=0.01)
    kernel = np.exp(-0.5 * (np.arange(-12, 13) / 4) ** 2)
    kernel /= kernel.sum()
    wanted = clean
    for axis in (0, 1):
        padded = np.pad(wanted, [(12, 12) if n == axis else (0, 0) for n in (0, 1)], mode="edge")
        wanted = np.apply_along_axis(lambda line: np.convolve(line, kernel, "valid"), axis, padded)
    assert soft == pytest.approx(wanted, abs=4e-3)  # codes of luma are rounded


def test_a_followed_area_moves_straight_between_its_places():
    source = signal(200, 100, depth=12, sampling="444")
    planes = tuple(np.full((100, 200), code, np.uint16) for code in (1500, 2048, 2048))
    places = Pose(0), Pose(10, 30, 20, 0.5), Pose(20, 30, 20, 0.5, 90)
    area = ReachArea(Shape.RECTANGLE, ((10, 10), (30, 30)), 0, places)
    treatment = FrameTreatment((Tone(offset=(10, 0, 0, 0), reach=Reach(areas=(area,))),), source)

    def box(frame):
        rows, columns = np.nonzero(treatment.apply(planes, frame)[0] != 1500)
        return columns.min(), columns.max() + 1, rows.min(), rows.max() + 1

    assert box(0) == (20, 60, 10, 30)
    assert box(5) == (55, 85, 22, 37), "half-way, three quarters as large"
    assert box(10) == (90, 110, 35, 45)
    assert box(20) == box(400) == (95, 105, 30, 50), "turned by a quarter, and held after the last place"


def test_a_followed_outline_is_moved_and_turned_as_it_is_and_not_mirrored():
    source = signal(200, 100, depth=12, sampling="444")
    planes = tuple(np.full((100, 200), code, np.uint16) for code in (1500, 2048, 2048))
    places = Pose(0), Pose(10, 30), Pose(20, 30, turn=90)
    area = ReachArea(Shape.POLYGON, ((10, 20), (30, 20), (10, 60)), 0, places)  # its right angle at the upper left
    treatment = FrameTreatment((Tone(offset=(10, 0, 0, 0), reach=Reach(areas=(area,))),), source)

    def corner(frame):
        rows, columns = np.nonzero(treatment.apply(planes, frame)[0] != 1500)
        below, right = 2 * rows > rows.min() + rows.max(), 2 * columns > columns.min() + columns.max()
        return np.bincount(2 * below + right, minlength=4).argmax()

    assert corner(0) == corner(10) == 0
    assert corner(20) == 1, "clockwise, so that it stands at the upper right"


@pytest.mark.parametrize("form", FORMS)
def test_neutral_figures_leave_frames_as_they_are(form):
    source = FORMS[form]
    planes = picture(source)
    ladder = tuple(kind() for kind in KINDS.values())
    assert all(a is b for a, b in zip(FrameTreatment(ladder, source).apply(planes), planes, strict=True))
