"""Stored steps and treatment files: a sound treatment or one sentence, whatever stands in them."""

import base64
import json
import math
import zlib

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.measure.areas import Shape
from bluffline.treat.catalogue import KINDS
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.matrix import ColourMatrix
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import ordered
from bluffline.treat.reach import Key, Pose, Reach, ReachArea
from bluffline.treat.step import Heading
from bluffline.treat.stored import SCHEMA, load_treatment, step_from, step_to, steps_from, treatment_text

FIGURES = {"limit": 103.0, "peak": 109.0, "knee": 90.0, "hard": False}
CEILING = {"kind": "soft-ceiling", "on": True, "heading": "limits", "values": FIGURES}
BEFORE = {"kind": "SoftCeiling", "limit": 103.0, "peak": 109.0, "knee": 90.0, "hard": False, "bypassed": False}
json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
    max_leaves=12,
)
kinds = st.sampled_from(sorted(KINDS))
keys = st.sampled_from(sorted({one.key for kind in KINDS.values() for one in kind.figures()}))
reaches = st.dictionaries(st.sampled_from(["inside", "areas", "key"]), json_values, max_size=3) | json_values


@given(kinds, st.dictionaries(keys, json_values, max_size=8), reaches, json_values, json_values)
def test_whatever_is_stored_is_a_step_or_one_sentence(kind, values, reach, on, heading):
    told = ""
    try:
        step = step_from({"kind": kind, "values": values, "reach": reach, "on": on, "heading": heading})
    except SettingsError as error:
        told = str(error)
    if told:
        assert "\n" not in told and "step" in told
    else:
        figures = [getattr(step, one.key) for one in step.figures()]
        assert step.kind == kind
        assert all(math.isfinite(figure) for figure in figures if isinstance(figure, float))


@given(json_values)
def test_whatever_stands_for_a_step_is_refused_in_a_sentence(value):
    with pytest.raises(SettingsError):
        step_from(value)


@pytest.mark.parametrize(
    ("key", "value", "words"),
    [
        ("limit", math.nan, "limit must be a number, not nan"),
        ("limit", "103", r"step 1 \(soft-ceiling\): limit must be a number, not 103"),
        ("limit", True, "must be a number"),
        ("limit", 1e300, "must be a number"),
        ("limit", 1e5, "limit must be between 0 and 120, not 100000"),
        ("limit", None, "must be a number"),
        ("hard", 1, "hard must be true or false, not 1"),
        ("glaze", 1, "has no figure 'glaze'"),
        ("knee", 105, "the knee must lie below the limit"),
    ],
)
def test_a_wrong_figure_is_named(tmp_path, key, value, words):
    path = tmp_path / "t.json"
    step = {**CEILING, "values": {**FIGURES, key: value}}
    path.write_text(json.dumps({"schema": SCHEMA, "title": "t", "steps": [step]}))
    with pytest.raises(SettingsError, match="NaN is no number" if "nan" in words else words):
        load_treatment(path)
    with pytest.raises(SettingsError, match=words.replace("step 1", "step")):
        step_from(step)
    assert step_from(CEILING) == SoftCeiling(103, 109, 90)


@pytest.mark.parametrize(
    ("part", "words"),
    [
        ({"kind": "glaze"}, "no step of the kind 'glaze'"),
        ({"on": 1}, "on must be true or false"),
        ({"heading": "kiln"}, "heading must be one of"),
        ({"heading": 3}, "heading must be one of"),
        ({"values": []}, "values must be an object"),
        ({"glaze": 1}, "has no 'glaze'"),
        ({"reach": []}, "reach must be an object"),
        ({"reach": {"outside": True}}, "reach has no 'outside'"),
        ({"reach": {"inside": "yes"}}, "reach: inside must be true or false"),
        ({"reach": {"areas": {}}}, "reach: areas must be a list"),
        ({"reach": {"areas": [{"shape": "heart", "points": [[0, 0], [9, 9]]}]}}, "area 1: shape must be one of"),
        ({"reach": {"areas": [{"shape": "polygon", "points": [[0, 0], [9, 9]]}]}}, "needs 3 points"),
        ({"reach": {"areas": [{"shape": "ellipse", "points": [[0, 0], [9, 1e9]]}]}}, "points must be"),
        ({"reach": {"areas": [{"shape": "ellipse", "points": [[0, 0], [9, 9]], "feather": -1}]}}, "feather must be between 0"),
        ({"reach": {"key": {"hue": [0, 30]}}}, "key: hue must be a list of 3"),
        ({"reach": {"key": {"luma": [80, 20, 5]}}}, "luma must run upwards"),
        ({"reach": {"key": {"tint": 1}}}, "key has no figure 'tint'"),
        ({"reach": {"key": {"clean": math.inf}}}, "clean must be a number"),
    ],
)
def test_what_is_wrong_with_a_step_is_named(part, words):
    with pytest.raises(SettingsError, match=words) as caught:
        steps_from([CEILING, {**CEILING, **part}])
    assert "step 2" in str(caught.value)


def test_what_is_left_out_is_neutral_and_stands_where_its_kind_belongs():
    assert steps_from([{"kind": kind} for kind in KINDS]) == tuple(kind() for kind in KINDS.values())
    assert step_from({"kind": "tone", "heading": "over-all"}).place is Heading.OVER_ALL
    assert step_from({"kind": "soft-ceiling", "heading": "shot"}).place is Heading.SHOT


def test_steps_with_a_reach_come_back():
    place = Pose(4, 1.5, -2, 1.1, 30)
    areas = (
        ReachArea(Shape.POLYGON, ((1, 2), (30, 4), (20, 50)), 5, (Pose(0), place)),
        ReachArea(Shape.ELLIPSE, ((5, 5), (9, 9))),
    )
    step = Tone(0.5, heading=Heading.GROUP, on=False, reach=Reach(False, areas, Key((120, 20, 5), clean=0.5, inverted=True)))
    assert step_from(json.loads(json.dumps(step_to(step)))) == step


def test_a_table_may_be_a_list():
    rows = [[0, 0, 0], [0.5, 0.4, 0.6], [1, 1, 1]]
    assert step_from({"kind": "lut", "values": {"name": "x", "table": rows}}).table.tolist() == pytest.approx(np.array(rows))
    for table in ([[0, 0], [1, 1]], [[0, 0, 0], [1, 1]], ["a"], [[[0, 0, 0]]], [[0, 0, math.inf], [1, 1, 1]], 7, {}):
        with pytest.raises(SettingsError, match=r"step \(lut\): table|LUT: a table"):
            step_from({"kind": "lut", "values": {"table": table}})


def test_version_1_is_brought_up_and_acts_in_the_order_in_which_it_stood(tmp_path):
    """What a step carried of its programme is gone: the same on any other."""
    line = [[0.0, 0.0], [1.0, 0.9]]
    remap = {"kind": "LevelRemap", "mode": "full to narrow", "low_in": -7.3, "high_in": 109.1, "low_out": 0, "high_out": 100}
    steps = [
        {"kind": "Balance", "gains": [1.1, 1, 0.9], "light": "bt709", "bypassed": False},
        {"kind": "Balance", "gains": [1.1, 1, 0.9], "light": None, "bypassed": True},
        {"kind": "Straighten", "curve": line, "strength": 80.0, "bypassed": False},
        {"kind": "ColourMatrix", "rows": [[1, 0, 0], [0, 1, 0], [0, 0, 1]], "light": "bt2020", "bypassed": False},
        {"kind": "HueNudge", "hue": 120, "width": 30, "turn": 5, "low": 5, "high": 80, "matrix": "bt601", "bypassed": False},
        {**remap, "chroma_gain": 0.875, "bypassed": False},
        BEFORE,
    ]
    path = tmp_path / "t.json"
    path.write_text(json.dumps({"schema": "bluffline.treatment/1", "title": "t", "steps": steps}))
    _, made = load_treatment(path)
    assert made[0] == Balance((1.1, 1, 0.9)) and made[1] == Balance((1.1, 1, 0.9), light=False, on=False)
    assert made[3] == ColourMatrix() and made[4] == HueNudge(120, 30, 5, 5, 80)
    assert made[5] == LevelRemap(RemapMode.FULL_TO_NARROW, -7.3, 109.1, heading=Heading.SHOT)
    assert made[6] == SoftCeiling(103, 109, 90) and ordered(made) == made
    assert load_treatment(save(tmp_path, made))[1] == made
    with pytest.raises(SettingsError, match="no step of the kind 'Glaze'"):
        steps_from([{"kind": "Glaze", "bypassed": False}])


def save(folder, treatment):
    path = folder / "again.json"
    path.write_text(treatment_text("t", treatment))
    return path


def lut(shape, data):
    table = base64.b64encode(zlib.compress(data)).decode()
    return {"kind": "lut", "values": {"name": "x", "low": 0.0, "high": 1.0, "table": {"shape": shape, "packed": table}}}


def test_a_table_takes_no_more_room_than_its_shape_tells():
    bomb = bytes(400_000_000)
    for shape in ([2, 3], [2, 2, 2, 3]):
        with pytest.raises(SettingsError, match="not of the shape that is told"):
            step_from(lut(shape, bomb))
    for shape in ([100_000, 3], [300, 300, 300, 3], [2.0, 3], [], [-2, 3], "23", None, [[2, 3]]):
        with pytest.raises(SettingsError, match="table needs its shape"):
            step_from(lut(shape, b"1234"))
    with pytest.raises(SettingsError, match="damaged"):
        step_from({"kind": "lut", "values": {"table": {"shape": [2, 3], "packed": "AAAA"}}})


@pytest.mark.parametrize(
    "text",
    [
        *("{}", "[]", "7", '"x"', "\x00", "{'a': 1}", '{"schema": Infinity}'),
        "[" * 100_000,
        '{"schema": ' + "9" * 5000 + "}",
        *(
            json.dumps({"schema": SCHEMA, "title": title, "steps": steps})
            for title, steps in ((7, []), ("t", {}), ("t", [7]), ("t", [CEILING] * 1001))
        ),
    ],
    ids=range(13),
)
def test_a_file_that_is_none_is_one_sentence(tmp_path, text):
    path = tmp_path / "t.json"
    path.write_text(text)
    with pytest.raises(SettingsError) as caught:
        load_treatment(path)
    assert len(str(caught.value)) < 400
