"""The tools' lists say what the code says."""

import importlib
import json
import os
import re
import subprocess
import sys
import tomllib
from dataclasses import replace
from importlib.util import module_from_spec, spec_from_file_location
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parent.parent


@pytest.fixture
def tool(monkeypatch):
    """A tool, by its name, as a module."""

    def load(name):
        spec = spec_from_file_location(name, ROOT / "tools" / f"{name}.py")
        module = module_from_spec(spec)
        monkeypatch.setitem(sys.modules, name, module)
        spec.loader.exec_module(module)
        return module

    return load


def test_every_named_change_can_be_made_and_its_tests_are_there(tool):
    mutate = tool("mutate")
    for change in mutate.NAMED:
        assert change.old in (ROOT / "src" / "bluffline" / change.path).read_text(), change.name
        assert all((ROOT / "tests" / name).exists() for name in change.tests), change.name
    for package in mutate.WATCHED:
        for change in mutate.at_random(package, 40):
            text = (ROOT / "src" / "bluffline" / change.path).read_text()
            assert text[change.start :].startswith(change.old)


def test_an_archive_is_played_through_as_what_it_has_least_of_lets_it(tool):
    archive = tool("archive")
    costs = archive.Costs((0.01,), opening=0.5, seam=0.25, word=0.001, size=2e6)
    lengths = [30_000] * 40  # ten runs each
    sure = archive.Station(1, cores=1, storage=1e15, fails=1e12)
    seconds = sum(frames * 0.01 for frames in lengths) + 40 * (10 * 0.5 + 9 * 0.25)
    alone = archive.play(lengths, costs, sure)
    assert alone.seconds == pytest.approx(seconds + 0.001, rel=1e-6) and alone.cores == pytest.approx(1, abs=1e-6)
    assert alone.seams == pytest.approx(40 * 7.25 / seconds) and alone.again == 0
    many = archive.play(lengths, costs, archive.replace(sure, machines=20))
    assert many.seconds == pytest.approx(seconds / 20, rel=0.05) and many.cores > 0.95
    slow = archive.play(lengths, costs, archive.replace(sure, machines=20, storage=1e9))
    assert slow.seconds == pytest.approx(2 * sum(lengths) * 2e6 / 1e9, rel=0.05) and slow.storage > 0.95, "read twice"
    talking = archive.play(lengths, archive.replace(costs, word=5.0), archive.replace(sure, machines=100))
    assert talking.seconds == pytest.approx(400 * 5.0, rel=0.05) and talking.scheduler > 0.95
    whole = archive.play(lengths, costs, archive.replace(sure, machines=80, run=1 << 30))
    assert whole.seconds == pytest.approx(300.5, rel=0.01) and whole.cores < 0.51, "one machine a programme"
    failing = archive.play(lengths, costs, archive.replace(sure, machines=20, fails=0.1))
    assert failing.again > 10 and failing.seconds > many.seconds
    hours = archive.programmes(1000, archive.random.Random(3))
    assert sum(hours) == pytest.approx(1000 * 3600 * 25, rel=1e-3) and max(hours) <= 104 * 1.2 * 60 * 25


def test_what_the_demo_installs_is_of_what_developers_install_and_tests_nothing():
    def locked(name):
        lines = (ROOT / name).read_text("utf-8").splitlines()
        return {line.split()[0] for line in lines if line[:1].isalpha()}

    demo, whole = locked("requirements-demo.lock"), locked("requirements.lock")
    assert demo < whole
    declared = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
    names = {re.match(r"[\w-]+", each)[0].lower() for each in declared["dependencies"]}
    assert names <= {each.partition("==")[0] for each in demo}
    tools = {re.match(r"[\w-]+", each)[0].lower() for each in declared["optional-dependencies"]["dev"]}
    assert not tools & {each.partition("==")[0] for each in demo}


def test_what_was_asked_for_is_held_against_what_came_out_and_what_came_out_last_time(monkeypatch, tmp_path, capsys):
    monkeypatch.syspath_prepend(str(ROOT / "bench"))
    table = importlib.import_module("table")
    monkeypatch.setenv("BENCH_FIGURES", str(tmp_path / "figures"))
    table.tell("survey", 0.75, "×", least=0.9, told="0.70 … 0.80")
    table.tell("pull", 50, "ms", most=50)
    table.tell("frames", 0, most=0)
    table.tell("lost", 1, most=0)
    table.tell("speed", 120.4, "frames/s")
    assert "survey: 0.75 × (0.70 … 0.80); asked for ≥ 0.9 ×\n" in capsys.readouterr().out
    figures = [table.Figure(**json.loads(line)) for line in (tmp_path / "figures").read_text().splitlines()]
    assert [each.holds for each in figures] == ["no", "yes", "yes", "no", ""]
    before = {each.name: replace(each, value=each.value * 2) for each in figures[:2]}
    rows = table.as_table(figures, before).splitlines()
    assert rows[2] == "| survey | ≥ 0.9 × | 0.75 × (0.70 … 0.80) | no | 1.5 ×, 50% worse |"
    assert rows[3] == "| pull | ≤ 50 ms | 50 ms | yes | 100 ms, 50% better |"
    assert rows[6] == "| speed |  | 120 frames/s |  | – |"
    assert all((ROOT / "bench" / f"{part}.py").exists() for part in table.PARTS)


def test_a_changed_module_is_read_by_every_process_and_loops_are_known_by_who_calls_them(tool, tmp_path):
    mutate = tool("mutate")
    (tmp_path / "text.py").write_text("MARK = 7\n")
    told = "import bluffline.figures; print(bluffline.figures.MARK)"
    asked = f"import subprocess, sys; subprocess.run([sys.executable, '-c', {told!r}])"
    environment = os.environ | {
        "CHANGED": f"bluffline.figures={tmp_path / 'text.py'}", "PYTHONPATH": f"{ROOT / 'tools' / 'changed'}:{ROOT / 'src'}",
    }  # fmt: skip
    run = subprocess.run([sys.executable, "-c", asked], env=environment, capture_output=True, text=True, check=True)
    assert run.stdout == "7\n", "by those that it starts as well"
    callers = {f"bluffline.treat.{each}_kernels" for each in ("rein", "row", "hold", "pass")}
    assert mutate._with_callers("bluffline.treat.rein_kernels") == callers
    assert "treat/frame_treatment.py" in mutate._callers_of_loops()["treat/rein_kernels.py"]
