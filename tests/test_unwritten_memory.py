"""Nothing that is told or shown depends on what memory held before: arrays made empty are filled with two different things."""

import os
import subprocess
import sys

WORK = """
import hashlib
import sys
from dataclasses import fields

import numpy as np

poison, made = int(sys.argv[1]), np.empty


def empty(*given, **named):
    array = made(*given, **named)
    array.view().reshape(-1).view(np.uint8)[:] = poison
    return array


np.empty = empty
np.empty_like = lambda like, *given, **named: empty(np.shape(like), *(given or (like.dtype,)), **named)

from bluffline.measure.areas import Selection
from bluffline.measure.region import Region
from gauging import OF_PIXELS, counted
from bluffline.survey.survey import measure_by_rules
from bluffline.rules.rulefile import load_rules
from bluffline.signal.convert import convert
from bluffline.treat.frame_treatment import FrameTreatment
from clips import signal, to_planes
from steps import EXAMPLES

told = hashlib.sha256()


def tell(*arrays):
    for array in arrays:
        told.update(np.ascontiguousarray(array).tobytes())


rgb = np.random.default_rng(5).uniform(-0.1, 1.2, (10, 18, 3))
for source in (signal(18, 10, 8, "420"), signal(18, 10, 10), signal(17, 9, 10, "444")):
    planes = to_planes(rgb[: source.height, : source.width], source)
    row = measure_by_rules(planes, source, Region.whole(source), load_rules("r103"), thorough=True)
    tell(*(value for value in (getattr(row, each.name) for each in fields(row)) if isinstance(value, np.ndarray | float | int)))
    for steps in EXAMPLES.values():
        tell(*FrameTreatment(tuple(steps[:1]), source).apply(planes, 0))
    tell(*convert(planes, source, signal(source.width, source.height, 12, "420"), dither=True))
    for gauge in OF_PIXELS:
        trace = counted(gauge, planes, source)
        tell(trace.counts, trace.measured, trace.beyond, *([] if trace.chroma is None else [trace.chroma]))
print(np.empty(1, np.uint8)[0], told.hexdigest())
"""


def test_compiled_and_plain_loops_read_no_memory_that_they_have_not_written():
    told = [
        subprocess.run(
            [sys.executable, "-c", WORK, str(poison)], check=True, capture_output=True, text=True,
            env=os.environ | {"NUMBA_DISABLE_JIT": "1", "PYTHONPATH": os.pathsep.join(sys.path)},
        ).stdout.split()
        for poison in (0, 0xAB)
    ]  # fmt: skip
    (first, digest), (other, same) = told
    assert (first, other) == ("0", "171"), "empty arrays were filled"
    assert digest == same
