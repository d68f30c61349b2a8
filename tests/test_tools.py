"""The tools' lists say what the code says."""

import re
import sys
import tomllib
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
            text = (ROOT / "src" / "bluffline" / change.path).read_text()
            assert text[change.start :].startswith(change.old)


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
