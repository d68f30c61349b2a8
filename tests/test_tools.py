"""The tools' lists say what the code says."""

import sys
from importlib.util import module_from_spec, spec_from_file_location
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


def test_every_named_change_can_be_made_and_its_tests_are_there(monkeypatch):
    spec = spec_from_file_location("mutate", ROOT / "tools" / "mutate.py")
    mutate = module_from_spec(spec)
    monkeypatch.setitem(sys.modules, "mutate", mutate)
    spec.loader.exec_module(mutate)
    for change in mutate.NAMED:
        assert change.old in (ROOT / "src" / "bluffline" / change.path).read_text(), change.name
        assert all((ROOT / "tests" / name).exists() for name in change.tests), change.name
    for package in mutate.WATCHED:
        for change in mutate.at_random(package, 40):
            assert change.old in (ROOT / "src" / "bluffline" / change.path).read_text()
