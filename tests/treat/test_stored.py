"""Stored steps and treatment files: a sound treatment or one sentence, whatever stands in them."""

import base64
import dataclasses
import json
import math
import zlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.treat.steps import STEP_ORDER, SoftCeiling
from bluffline.treat.stored import SCHEMA, load_treatment, step_from

CEILING = {"kind": "SoftCeiling", "limit": 103.0, "peak": 109.0, "knee": 90.0, "hard": False, "bypassed": False}
json_values = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
    max_leaves=12,
)
kinds = st.sampled_from([kind.__name__ for kind in STEP_ORDER])
keys = st.sampled_from([*CEILING, "gains", "light", "table", "shape", "name", "low", "high", "mode", "rows", "degree", "onset"])


@given(kinds, st.dictionaries(keys, json_values, max_size=8))
def test_whatever_is_stored_is_a_step_or_one_sentence(kind, fields):
    told = ""
    try:
        step = step_from({**fields, "kind": kind})
    except SettingsError as error:
        told = str(error)
    if told:
        assert "\n" not in told
    else:
        figures = [getattr(step, field.name) for field in dataclasses.fields(step)]
        assert type(step).__name__ == kind
        assert all(math.isfinite(figure) for figure in figures if isinstance(figure, float))


@given(json_values)
def test_whatever_stands_for_a_step_is_refused_in_a_sentence(value):
    with pytest.raises(SettingsError):
        step_from(value)


@pytest.mark.parametrize(
    ("key", "value", "words"),
    [
        ("limit", math.nan, "limit must be a number, not nan"),
        ("limit", "103", "SoftCeiling: limit must be a number, not 103"),
        ("limit", True, "must be a number"),
        ("limit", 1e300, "must be a number"),
        ("limit", None, "must be a number"),
        ("hard", 1, "hard must be true or false, not 1"),
        ("glaze", 1, "has no figure 'glaze'"),
        ("kind", "Glaze", "no step of the kind"),
    ],
)
def test_a_wrong_figure_is_named(tmp_path, key, value, words):
    path = tmp_path / "t.json"
    path.write_text(json.dumps({"schema": SCHEMA, "title": "t", "steps": [{**CEILING, key: value}]}))
    with pytest.raises(SettingsError, match="NaN is no number" if "nan" in words else words):
        load_treatment(path)
    with pytest.raises(SettingsError, match=words):
        step_from({**CEILING, key: value})
    assert step_from(CEILING) == SoftCeiling(103, 109, 90)


def test_what_is_missing_is_named():
    with pytest.raises(SettingsError, match="SoftCeiling lacks limit, knee"):
        step_from({"kind": "SoftCeiling", "peak": 109.0})


def lut(shape, data):
    table = base64.b64encode(zlib.compress(data)).decode()
    return {"kind": "Lut", "name": "x", "low": 0.0, "high": 1.0, "shape": shape, "table": table}


def test_a_table_takes_no_more_room_than_its_shape_tells():
    bomb = bytes(400_000_000)
    for shape in ([2, 3], [2, 2, 2, 3]):
        with pytest.raises(SettingsError, match="not of the shape that is told"):
            step_from(lut(shape, bomb))
    for shape in ([100_000, 3], [300, 300, 300, 3], [2.0, 3], [], [-2, 3], "23", None, [[2, 3]]):
        with pytest.raises(SettingsError, match="Lut: a table needs its shape"):
            step_from(lut(shape, b"1234"))
    with pytest.raises(SettingsError, match="damaged"):
        step_from({**lut([2, 3], bytes(24)), "table": "AAAA"})


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
