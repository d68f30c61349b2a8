"""The compiled pass against plain NumPy in double precision, for every kind of step and every form of picture."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.measure.areas import Shape
from bluffline.treat.catalogue import KINDS
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.log import Log
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.reach import Key, Pose, Reach, ReachArea
from bluffline.treat.step import Heading
from clips import signal
from oracle import treated
from steps import EXAMPLES, FORMS, REACHES, picture

EVERY = [pytest.param(step, id=f"{kind}-{n}") for kind, steps in EXAMPLES.items() for n, step in enumerate(steps)]


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
