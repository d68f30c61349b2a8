"""Small files that are read whole: nothing of another kind, or too large, is taken into memory; a sentence says so."""

import os
import tracemalloc
from pathlib import Path

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
