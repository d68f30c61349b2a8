"""Surveys whose figures are set one by one, and what rules find in them."""

import numpy as np

from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed
from bluffline.rules.judging import judge
from bluffline.rules.rulefile import parse_rules
from bluffline.rules.shots import Shot
from clips import signal, to_planes

SOURCE = signal(200, 100)
WHOLE = Region.whole(SOURCE)
LEVELS = "[limits]\nluma = [-1.0, 103.0]\nrgb = [-5.0, 105.0]\n[tolerance]\narea = 1.0\ngap = 0.2\n"
BLACK, SWING = 64, 876
RATE = 25.0


def usual():
    """A row of a frame of which nothing is wrong."""
    table = SurveyTable(1)
    grey = np.full((100, 200, 3), 0.4) + np.random.default_rng(1).normal(0, 0.01, (100, 200, 1))
    table.append(measure_frame(to_planes(grey, SOURCE), SOURCE, WHOLE, parse_rules(LEVELS, "own").limits))
    return table.rows[0].copy()


ROW = usual()


def table_of(count, formats=(SOURCE,), areas=0, **columns):
    """A survey of so many frames: what is not told is nothing wrong; one figure stands for all frames."""
    table = SurveyTable(count, areas)
    rows = np.zeros(count, table.rows.dtype)
    for name in ROW.dtype.names:
        if name in rows.dtype.names and not name.startswith("areas_"):
            rows[name] = ROW[name]
    rows["pixel_change"] = rows["tile_change"] = 5.0
    for name, values in columns.items():
        rows[name] = values
    table.extend(rows, list(formats))
    return table


def found(ids, table, text="", surveyed=None, shots=None, source=SOURCE):
    rules = parse_rules(LEVELS + text, "own")
    surveyed = surveyed or Surveyed(WHOLE, RATE, complete=True, source=source)
    every = judge(table, shots or [Shot(0, len(table) - 1)], source, rules, surveyed)
    return [each for each in every if each.rule in ids.split()]


def at(count, **places):
    """Of so many frames, figures at some."""
    made = np.zeros(count)
    for name, value in places.items():
        made[int(name[1:])] = value
    return made


def frames(findings):
    return [(each.first_frame, each.last_frame) for each in findings]


def told_by(**told):
    return Surveyed(WHOLE, RATE, **{"complete": True, "source": SOURCE} | told)
