"""No treated and no measured sample is another than before, unless somebody means it to be.

``golden.npz`` holds what every kind of step made of every form of picture, what was measured of it, and what told how one shot
becomes another, on 1 December 2026. If a change is meant, ``PYTHONPATH=tests python tests/test_golden.py`` makes it anew, and
the commit says why. Where processors differ in the last bit of a power, a code in a thousand may be off by one.
"""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from bluffline.measure.areas import Shape
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.rulefile import load_rules
from bluffline.rules.transitions import _Looks, find_transitions
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.log import Log
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.reach import Key, Pose, Reach, ReachArea
from clips import to_planes
from steps import EXAMPLES, FORMS, REACHES, picture

HELD = Path(__file__).with_name("golden.npz")
LEGAL = SoftCeiling(103, 112, 85), SoftFloor(-1, -8, 5), ChromaRein(-5, 105, 2)
MOVED = Pose(0), Pose(10, 20, 10, 0.6), Pose(20, 20, 10, 0.6, 40)
FOLLOWED = {
    f"{shape} at {frame}": (Reach(areas=(ReachArea(shape, points, 15, MOVED),)), frame)
    for shape, points in (
        (Shape.ELLIPSE, ((10, 15), (60, 55))), (Shape.RECTANGLE, ((10, 15), (60, 55))),
        (Shape.POLYGON, ((10, 15), (60, 20), (30, 70))),
    )
    for frame in (0, 7, 20)
}  # fmt: skip
REACHED = REACHES | {
    "soft key": Reach(key=Key((123, 60, 25), (6, 70, 8), (15, 85, 10), soften=2, clean=1)),
    "keyed outside": Reach(False, (), REACHES["key"].key),
}  # fmt: skip
MEASURED = ("422", "420", "rgb", "full", "bt2020", "8 bit", "pq", "420 interlaced")
SIZE = 160, 96


def treated(ladder, form, frame=0, *, calm=False):
    source = FORMS[form]
    planes = FrameTreatment(ladder, source).apply(picture(source, calm=calm), frame)
    return np.concatenate([plane.ravel() for plane in planes]).astype(np.uint16)


def of_kinds():
    """Every kind of step, alone and held within limits."""
    for kind, steps in EXAMPLES.items():
        for number, step in enumerate(steps):
            for form in ("422", "420 odd", "rgb"):
                yield f"{kind} {number} {form}", lambda step=step, form=form: treated((step,), form, calm=isinstance(step, Log))
    for form in FORMS:
        yield f"limits {form}", lambda form=form: treated(LEGAL, form, calm=form == "pq")
        yield f"tone and limits {form}", lambda form=form: treated((EXAMPLES["tone"][0], *LEGAL), form, calm=form == "pq")
    for name, reach in REACHED.items():
        yield f"reach {name}", lambda reach=reach: treated((Tone(gamma=(1.4, 1, 1, 1), reach=reach),), "422")
    for name, (reach, frame) in FOLLOWED.items():
        yield f"followed {name}", lambda reach=reach, frame=frame: treated((Tone(exposure=0.7, reach=reach),), "444", frame)


def shown():
    """Pictures in which there is something to measure, (H, W, 3)."""
    random, (width, height) = np.random.default_rng(21), SIZE
    y, x = np.mgrid[0:height, 0:width] / np.array([height, width])[:, None, None]
    colours = np.stack([0.2 + 0.9 * x, 0.6 * y + 0.1, 0.9 - 0.9 * x], axis=-1)
    grain = 0.4 + random.normal(0, 0.12, (height, width, 3))
    boxed = np.where(((y > 0.14) & (y < 0.86))[..., None], colours, 0.0)
    flat = np.minimum(np.repeat((0.1 + 1.1 * x)[..., None], 3, -1), 0.93)
    combed = np.rint(np.repeat(x[..., None], 3, -1) * 40) / 40
    return {"colours": colours, "grain": grain, "boxed": boxed, "flat": flat, "combed": combed, "dark": grain * 0.05}


def of_measures():
    """Every figure that a survey keeps of each, frame after frame."""
    for form in MEASURED:
        source = replace(FORMS[form], width=SIZE[0], height=SIZE[1])
        yield f"measured {form}", lambda source=source: measured(source)


def measured(source):
    limits, table = load_rules("r103").limits, SurveyTable(12)
    for number, each in enumerate(shown().values()):
        planes = to_planes(np.clip(each, -0.05, 1.05), source)
        table.append(measure_frame(planes, source, Region.whole(source), limits, low_pass=number % 2 == 1, thorough=True))
    kept = [name for name in table.rows.dtype.names if table.column(name).size]
    return table.rows[kept].copy()


def looks(kind, frames, seed=5):
    """(60, 208) how frames look in which one picture becomes another over so many, from frame 20 on; grain moves in both."""
    random, at = np.random.default_rng(seed), np.arange(60)
    one, other = random.integers(30, 200, (2, 144)).astype(float)
    share = np.clip((at - 19) / (frames + 1), 0, 1)[:, None]
    if kind == "wipe":
        share = np.clip(share * 17 - np.tile(np.arange(16), 9), 0, 1)
    blocks = other * share + (20 if kind == "fade" else one) * (1 - share)
    hues = np.zeros((60, 64))
    hues[:, 3], hues[:, 40] = 200 * (1 - share[:, 0]), 200 * share[:, 0]
    return np.concatenate([np.clip(blocks + random.normal(0, 1.5, (60, 144)), 0, 220), hues], axis=1).astype(np.uint8)


def of_looks():
    """What tells a dissolve and a wipe, and the transitions that are found by it."""
    for kind in ("dissolve", "wipe", "fade"):
        for frames in (5, 12, 25):
            made = looks(kind, frames)
            yield f"figures {kind} {frames}", lambda made=made, frames=frames: figures(made, frames + 1)
            yield (
                f"found {kind} {frames}",
                lambda made=made: np.array([(each.first, each.last) for each in find_transitions(made)]),
            )


def figures(made, span):
    seen = _Looks(made)
    before = np.array([3, 12, 19, 22, 30])
    worth = [seen.worth_a_look(each, np.array([20])) for each in (5, 8, 14, 25)]
    return np.concatenate([np.ravel(each) for each in (*seen.figures(before, span), *worth)]).astype(np.float64)


CASES = dict([*of_kinds(), *of_measures(), *of_looks()])


@pytest.fixture(scope="module")
def held():
    with np.load(HELD) as kept:
        return dict(kept)


@pytest.mark.parametrize("name", CASES)
def test_it_is_what_it_was(held, name):
    now, before = CASES[name](), held[name]
    assert now.shape == before.shape
    for column in before.dtype.names or ():  # of a survey; it may keep more by now
        assert now[column] == pytest.approx(before[column], rel=1e-4, abs=1e-5, nan_ok=True), column
    if before.dtype.names:
        return
    if now.dtype == np.uint16:
        off = np.abs(now.astype(int) - before)
        assert off.max() <= 1 and (off > 0).mean() <= 0.001
    else:
        assert now == pytest.approx(before, rel=1e-4, abs=1e-5, nan_ok=True)


def test_all_that_is_held_is_asked_for(held):
    assert held.keys() == CASES.keys()


if __name__ == "__main__":
    np.savez_compressed(HELD, **{name: make() for name, make in CASES.items()})
