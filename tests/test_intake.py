"""Small files that are read whole: nothing of another kind, or too large, is taken into memory; a sentence says so."""

import os
import tracemalloc
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.charts.reference import load_reference
from bluffline.errors import BlufflineError
from bluffline.intake import read_text
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.session.settings import Settings
from bluffline.treat.lutfile import read_step
from bluffline.treat.stored import load_treatment
from clips import signal

LOADERS = [
    (load_rules, "r.toml"), (load_reference, "ref.txt"), (load_reference, "ref.csv"),
    (read_step, "l.cube"), (read_step, "l.clf"), (read_step, "l.cdl"), (load_treatment, "t.json"),
]  # fmt: skip


@pytest.mark.parametrize(("load", "name"), LOADERS, ids=[name for _, name in LOADERS])
def test_devices_pipes_folders_and_floods_are_one_sentence_and_no_memory(tmp_path, load, name):
    (tmp_path / "zero").mkdir()
    device = tmp_path / "zero" / name
    device.symlink_to("/dev/zero")
    (tmp_path / "pipe").mkdir()
    os.mkfifo(tmp_path / "pipe" / name)
    (tmp_path / "folder" / name).mkdir(parents=True)
    flood = tmp_path / name
    with flood.open("wb") as file:
        file.truncate(3 << 30)  # of nothing but zeros, which take no room on the disk
    deep = tmp_path / "deep" / name
    deep.parent.mkdir()
    deep.write_text("x = " + "[" * 100_000)
    tracemalloc.start()
    for path in (device, tmp_path / "pipe" / name, tmp_path / "folder" / name, flood, deep):
        with pytest.raises(BlufflineError) as caught:
            load(path)
        assert len(str(caught.value)) < 600 and "\n" not in str(caught.value)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 300 << 20


def test_what_takes_no_room_in_a_file_takes_none_in_memory(tmp_path):
    (tmp_path / "dots.toml").write_text('title = "x"\n' + ".".join(["a"] * 50_000) + " = 1\n")
    (tmp_path / "many.toml").write_text("\n".join(f"k{n}{'.a' * 40} = 1" for n in range(2000)))
    (tmp_path / "digits.toml").write_text("[limits]\nluma = [" + "9" * 5000 + ", 103]\n")
    (tmp_path / "rows.cube").write_text("LUT_3D_SIZE 5\n" + "0.1 0.2 0.3\n" * 400_000)
    tracemalloc.start()
    for load, name in (
        (load_rules, "dots.toml"),
        (load_rules, "many.toml"),
        (load_rules, "digits.toml"),
        (read_step, "rows.cube"),
    ):
        with pytest.raises(BlufflineError) as caught:
            load(tmp_path / name)
        assert len(str(caught.value)) < 600
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert peak < 80 << 20


def sound_or_a_sentence(load, path):
    try:
        return load(path)
    except BlufflineError as error:
        told = str(error)
    assert told and "\n" not in told
    return None


CGATS = """CGATS.17
DESCRIPTOR "x"
BEGIN_DATA_FORMAT
SAMPLE_NAME LAB_L LAB_A LAB_B
END_DATA_FORMAT
NUMBER_OF_SETS 2
BEGIN_DATA
A1 50 0 0
A2 90 1 -1
END_DATA
"""
SAMPLES = {
    "a.txt": CGATS, "a.csv": "# white: D50\nname,L,a,b\nA1,50,0,0\nA2,90,1,-1\n",
    "a.cube": "LUT_3D_SIZE 2\nDOMAIN_MIN 0 0 0\n" + "0.5 0.5 0.5\n" * 8,
    "a.cdl": '<ColorDecisionList xmlns="urn:ASC:CDL:v1.2"><ColorDecision><ColorCorrection><SOPNode><Slope>1 1 1</Slope>'
    "<Offset>0 0 0</Offset><Power>1 1 1</Power></SOPNode></ColorCorrection></ColorDecision></ColorDecisionList>",
    "a.clf": '<?xml version="1.0"?><ProcessList id="a" compCLFversion="3"><Range inBitDepth="32f" outBitDepth="32f">'
    "<minInValue>0</minInValue><maxInValue>1</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range>"
    "</ProcessList>",
}  # fmt: skip
WORDS = ["nan", "inf", "-1e999", "1e308", "\x00", ",", "\n", '"', "9" * 400, "<", "&a;"]
odd = st.one_of(st.text(max_size=12), st.sampled_from(WORDS))


@pytest.mark.parametrize("name", SAMPLES)
def test_a_sound_file_is_read(tmp_path, name):
    (tmp_path / name).write_text(SAMPLES[name])
    (tmp_path / "a.toml").write_text("rows = 1\ncolumns = 2\n")
    assert (load_reference if name in ("a.txt", "a.csv") else read_step)(tmp_path / name) is not None


@pytest.mark.parametrize("name", SAMPLES)
@given(st.lists(st.tuples(st.integers(0, 400), st.integers(0, 30), odd), min_size=1, max_size=4))
def test_any_reference_or_lut_is_sound_or_one_sentence(tmp_path_factory, name, edits):
    text = SAMPLES[name]
    for place, gone, put in edits:
        at = place % (len(text) + 1)
        text = text[:at] + put + text[at + gone :]
    folder = tmp_path_factory.mktemp("odd")
    (folder / name).write_text(text, "utf-8", "surrogatepass")
    (folder / "a.toml").write_text("rows = 1\ncolumns = 2\n")
    if name in ("a.txt", "a.csv"):
        found = sound_or_a_sentence(load_reference, folder / name)
        assert found is None or (np.isfinite(found.xyz).all() and len(found.names) == 2)
    else:
        found = sound_or_a_sentence(read_step, folder / name)
        made = None if found is None else found.apply(np.array([[0.2, 0.5, 0.8]]), signal())
        assert made is None or np.isfinite(made).all()


@given(st.lists(st.tuples(st.sampled_from(["rows", "columns", "gap", "neutral", "skin", "odd"]), odd), max_size=4))
def test_any_layout_is_sound_or_one_sentence(tmp_path_factory, lines):
    folder = tmp_path_factory.mktemp("layout")
    (folder / "a.txt").write_text(CGATS)
    (folder / "a.toml").write_text("\n".join(f"{key} = {value}" for key, value in lines), "utf-8", "surrogatepass")
    found = sound_or_a_sentence(load_reference, folder / "a.txt")
    assert found is None or found.layout.rows * found.layout.columns == 2


def test_settings_that_are_none_count_as_none(tmp_path):
    path = tmp_path / "s.json"
    for text in ("[" * 100_000, "7", '{"version": 2}', '{"version": 2, "recent": 3, "rules": [], "gauges": {}}', "\x00"):
        path.write_text(text)
        assert Settings.load(path).rules == "r103"
    path.unlink()
    path.symlink_to("/dev/zero")
    assert Settings.load(path).recent == []


@given(st.text(max_size=200))
def test_any_text_is_rules_or_one_sentence(text):
    try:
        parse_rules(text, "r", Path())
    except BlufflineError as error:
        told = str(error)
    else:
        told = "rules"
    assert told and "Traceback" not in told


def test_text_is_read_with_or_without_a_mark_at_its_beginning(tmp_path):
    (tmp_path / "a.toml").write_bytes("\ufeffx = 1".encode())
    assert read_text(tmp_path / "a.toml") == "x = 1"
