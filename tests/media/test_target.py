"""A target is written by one at a time, and never over what has come meanwhile."""

import os
import subprocess
import sys

import pytest

from bluffline.cli import main as command_line
from bluffline.errors import WriteError
from bluffline.media.target import claimed, put_certificate
from bluffline.report.files import save_text

HOLD = """
import sys, time
from pathlib import Path
from bluffline.media.target import claimed, put_certificate
with claimed(Path(sys.argv[1]), "part") as claim:
    claim.working.write_text("first")
    print("held", flush=True)
    sys.stdin.readline()
    claim.settle({})
"""


@pytest.fixture
def other(tmp_path):
    """Another process that writes a target until it is told to finish."""
    process = subprocess.Popen(
        [sys.executable, "-c", HOLD, str(tmp_path / "t.mkv")], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert process.stdout.readline() == "held\n"
    yield process
    if process.poll() is None:
        process.communicate("\n")
    process.stdout.close()
    process.stdin.close()


def test_the_second_of_two_processes_gets_a_sentence_and_the_first_result_stays(tmp_path, other, over_clip, capsys):
    words = ["legalise", str(over_clip), str(tmp_path / "t.mkv"), "--force"]
    assert command_line.main(words) == 2 and "is being written by another Bluffline" in capsys.readouterr().err
    other.communicate("\n")
    assert other.returncode == 0 and [path.name for path in tmp_path.iterdir() if path.is_file()] == ["t.mkv"]
    assert (tmp_path / "t.mkv").read_text() == "first"
    assert command_line.main(words) == 0, "a claim ends with its process"


def test_a_killed_process_holds_nothing(tmp_path, other):
    other.kill()
    other.wait()
    with claimed(tmp_path / "t.mkv", "part") as claim:
        claim.working.write_text("second")
        claim.settle({})
    assert [path.name for path in tmp_path.iterdir()] == ["t.mkv"], "and what it left is removed"


@pytest.mark.parametrize("there", [False, True])
def test_what_came_under_the_name_meanwhile_is_left_as_it_is(tmp_path, there):
    target = tmp_path / "t.mkv"
    if there:
        target.write_text("old")
    with claimed(target, "part") as claim:
        claim.working.write_text("new")
        target.write_text("somebody else's")
        with pytest.raises(WriteError, match="was written by somebody else meanwhile"):
            claim.settle({tmp_path / "t.mkv.certificate.json": b"of new"})
    assert [path.name for path in tmp_path.iterdir()] == ["t.mkv"] and target.read_text() == "somebody else's"


def test_a_name_that_comes_at_the_last_moment_is_not_replaced(tmp_path, monkeypatch):
    target = tmp_path / "t.mkv"

    def late(self):
        target.write_text("somebody else's")

    monkeypatch.setattr("bluffline.media.target.Claim._refuse_another", late)
    with claimed(target, "part") as claim:
        claim.working.write_text("new")
        with pytest.raises(WriteError, match="somebody else"):
            claim.settle({})
    assert target.read_text() == "somebody else's"


def test_names_that_would_be_too_long_are_refused_before_anything_is_done(tmp_path, over_clip, capsys):
    longest = "t" * 240 + ".mkv"
    assert command_line.main(["legalise", str(over_clip), str(tmp_path / longest)]) == 2
    assert "too long a name by" in capsys.readouterr().err and not list(tmp_path.iterdir())


def test_what_a_killed_process_left_beside_a_report_is_removed(tmp_path):
    (tmp_path / ".r.json.4194301.new-abc").write_text("half")
    save_text(tmp_path / "r.json", "whole")
    assert [path.name for path in tmp_path.iterdir()] == ["r.json"] and os.getpid() != 4194301


def test_of_two_that_would_put_a_certificate_one_does(tmp_path):
    file, beside = tmp_path / "good.mov", {tmp_path / "good.mov.certificate.json": b"first"}
    file.write_text("a programme")
    with claimed(file, "certificate"), pytest.raises(WriteError, match="is being written by another"):
        put_certificate(file, beside)
    put_certificate(file, beside)
    with pytest.raises(WriteError, match="there already, perhaps of a proof"):
        put_certificate(file, {next(iter(beside)): b"second"})
    assert next(iter(beside)).read_bytes() == b"first" and file.read_text() == "a programme"
    put_certificate(file, {next(iter(beside)): b"second"}, force=True)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["good.mov", "good.mov.certificate.json"]
