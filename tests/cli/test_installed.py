"""What a new installation is told and gives: what is missing, and what its shell completes."""

import os
import re
import shlex
import subprocess
from importlib import metadata
from pathlib import Path

import pytest

from bluffline.cli import doctor
from bluffline.cli.completion import _SHELLS
from bluffline.cli.main import COMMANDS, main

TOOLS = Path(__file__).resolve().parents[2] / "tools"


def test_all_that_is_needed_is_here(capsys):
    assert main(["doctor"]) == 0
    told = capsys.readouterr().out
    assert "All that is needed is there." in told and "! " not in told
    assert "key: made when it is first needed" in told, "and looking makes none"


def test_what_is_missing_is_told_with_how_to_get_it(capsys, monkeypatch):
    monkeypatch.setattr(doctor, "DESK", {"libnone.so.9": "libnone9", "libc.so.6": "libc6"})
    monkeypatch.setattr(doctor, "PRINTING", {"libpress.so.1": "libpress1"})
    monkeypatch.setattr(metadata, "requires", lambda _: ["numpy>=2.4", "kiln>=3", 'glaze>=1; extra == "dev"'])
    monkeypatch.setattr(os, "access", lambda *_: False)
    assert main(["doctor"]) == 1
    told = capsys.readouterr().out
    assert "! libraries of the desk: sudo apt-get install libnone9\n" in told
    assert "· libraries for printing: sudo apt-get install libpress1\n" in told, "which only printing needs"
    assert "! packages: pip install 'kiln>=3'\n" in told and "glaze" not in told
    assert told.count("can't be written to by this user") == 4 and told.endswith("see what begins with !.\n")


def test_the_libraries_are_those_that_are_installed_from_a_clone():
    listed = dict(re.findall(r"(lib\S+?)=(\S+)", (TOOLS / "system-libraries").read_text().replace('"', " ")))
    assert listed == doctor.DESK | doctor.PRINTING


@pytest.mark.parametrize("shell", _SHELLS)
def test_every_command_is_completed(shell, capsys):
    assert main(["completion", shell]) == 0
    told = capsys.readouterr().out
    assert all(command in told for command in COMMANDS) and "certificate" in told


@pytest.mark.parametrize(("words", "found"), [("ver", "verify"), ("check --cert", "--certificate"), ("keys tr", "trust")])
def test_bash_completes(words, found, capsys):
    assert main(["completion", "bash"]) == 0
    script = capsys.readouterr().out
    (function,) = re.findall(r"^complete .*-F (\w+) bluffline", script, re.MULTILINE)
    given = ["bluffline", *words.split(" ")]
    line = f"COMP_WORDS=({' '.join(map(shlex.quote, given))}); COMP_CWORD={len(given) - 1}"
    asked = f"{line}; {function}; echo ${{COMPREPLY[@]}}"
    done = subprocess.run(["bash", "-c", f"{script}\n{asked}"], capture_output=True, text=True, check=True)
    assert found in done.stdout.split()
