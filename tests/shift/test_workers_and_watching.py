"""Processes that die, a folder that fills, and the two commands as an operator gives them."""

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest

from bluffline.errors import BlufflineError
from bluffline.shift.watching import Watcher
from bluffline.shift.workers import WorkerDiedError, Workers
from clips import make_clip
from working import breaks, dies, dies_once, refuses, tells, waits, whose

COMMAND = [sys.executable, "-m", "bluffline"]


def test_workers_stay_warm_and_what_dies_is_done_again_once(tmp_path):
    workers = Workers(1)
    first = workers.submit(whose, 0).result(60)
    assert first == workers.submit(whose, 1).result(60) != os.getpid()
    assert workers.submit(dies_once, str(tmp_path / "once")).result(60) == "done"
    assert workers.submit(whose, 2).result(60) != first, "another has taken its place"
    with pytest.raises(WorkerDiedError, match="without a word, 2 times"):
        workers.submit(dies, 0).result(60)
    with pytest.raises(BlufflineError, match="no such clay"):
        workers.submit(refuses, "no such clay").result(60)
    with pytest.raises(RuntimeError, match="ZeroDivisionError: by nought"):
        workers.submit(breaks, 0).result(60)
    workers.shutdown()


def test_what_work_tells_on_its_way_comes_with_what_it_was_given():
    told = []
    workers = Workers(1, told=lambda *what: told.append(what))
    assert workers.submit(tells, 3).result(60) == 3 and workers.submit(whose, 0).result(60) != os.getpid()
    workers.shutdown()
    assert told == [(0, 3), (1, 3), (2, 3)] and tells(2) == 2, "here nobody asked"


def test_what_is_stopped_removes_what_it_has_begun(tmp_path):
    workers, begun = Workers(2), tmp_path / "half"
    running = workers.submit(waits, str(begun))
    began = time.monotonic()
    while not (begun.exists() and begun.read_text()) and time.monotonic() - began < 60:
        time.sleep(0.01)
    workers.shutdown(cancel_futures=True)
    assert not begun.exists()
    with pytest.raises(WorkerDiedError, match="stopped"):
        running.result(1)


def test_a_watcher_waits_for_what_grows_and_tells_of_each_state_once(tmp_path):
    now = [0.0]
    left = tmp_path / "left"
    left.mkdir()
    watcher = Watcher(tmp_path, [left], quiet=3, clock=lambda: now[0])

    def look(seconds=1):
        now[0] += seconds
        return [path.name for path in watcher.steady()]

    film = tmp_path / "film.mov"
    film.write_bytes(b"1")
    (left / "copy.mov").write_bytes(b"1")
    assert [look(), look(), look()] == [[], [], []] and watcher.growing == [film]
    film.write_bytes(b"12")
    assert [look(), look(), look()] == [[], [], []], "it has grown, and is waited for again"
    assert [look(), look(), look(60)] == [["film.mov"], [], []] and watcher.growing == []
    (tmp_path / "second.mov").write_bytes(b"1")
    film.write_bytes(b"21")
    os.utime(film, (1, 1))
    assert [look(), look(4), look()] == [[], ["film.mov", "second.mov"], []]
    film.unlink()
    assert look(9) == []
    film.write_bytes(b"21")
    assert [look(), look(4)] == [[], ["film.mov"]], "it has gone and come back"


@pytest.fixture
def some(tmp_path, over_clip):
    folder = tmp_path / "in"
    folder.mkdir()
    shutil.copy(over_clip, folder / "over.mkv")
    for n in range(3):
        make_clip(folder / f"good-{n}.mkv", lambda f, n=n: np.full((64, 96, 3), 0.2 + 0.02 * ((f + n) % 5)), 10, codec="ffv1")
    (folder / "torn.mov").write_bytes(b"no film" * 500)
    return folder


def lines(path):
    return [json.loads(line) for line in path.read_text().splitlines()]


def test_batch_tells_of_each_file_in_words_lines_table_and_page(some, tmp_path, over_clip):
    out = some / "legal"
    command = [*COMMAND, "batch", some, "--certify", "--legalise", out, "--frames", tmp_path / "frames", "--jobs", "2"]
    kinds = {kind: tmp_path / f"all.{kind}" for kind in ("json", "csv", "html")}
    command += [word for kind, path in kinds.items() for word in (f"--{kind}", path)]
    run = subprocess.run(command, capture_output=True, text=True, check=False)
    assert run.returncode == 2, run.stderr
    assert "5 files in" in run.stdout and "3 good as it is" in run.stdout and run.stderr == ""
    told = {Path(each["path"]).name: each for each in lines(kinds["json"])}
    assert {name: each["state"] for name, each in told.items()} == {
        "good-0.mkv": "good as it is", "good-1.mkv": "good as it is", "good-2.mkv": "good as it is",
        "over.mkv": "proved", "torn.mov": "refused",
    }  # fmt: skip
    assert all(each["schema"] == "bluffline.batch/1" for each in told.values())
    assert told["over.mkv"]["must_fix_findings"] == 3 and told["over.mkv"]["report"]["proved"] is True
    rows = kinds["csv"].read_text().splitlines()
    assert len(rows) == 6 and rows[0].startswith("path,state,profile,rules,must_fix")
    page = kinds["html"].read_text()
    assert page.index("torn.mov") < page.index("over.mkv") < page.index("good-0.mkv") and page.count("<svg viewBox") == 4
    assert (out / "over-legal.mov").exists() and (some / "good-1.mkv.certificate.json").exists()
    assert len((tmp_path / "frames" / "over.mkv.frames.csv").read_text().splitlines()) == 25
    again = subprocess.run(command, capture_output=True, text=True, check=False)
    assert again.stdout.count("as before") == 4 and "4 of them were done in an earlier run" in again.stdout
    assert {each["path"]: each["state"] for each in lines(kinds["json"])} == {e["path"]: e["state"] for e in told.values()}


def test_watch_takes_what_comes_ends_on_a_signal_and_goes_on(some, tmp_path):
    out = tmp_path / "out"
    command = [*COMMAND, "watch", some, "--out", out, "--legalise", some / "legal", "--json", tmp_path / "w.jsonl"]

    def until(names):
        running = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
        began = time.monotonic()
        while not all((out / f"{name}.report.json").exists() for name in names) and time.monotonic() - began < 120:
            time.sleep(0.1)
        running.send_signal(signal.SIGTERM)
        assert running.wait(60) == 128 + signal.SIGTERM
        assert "stopped; nothing was left behind" in running.communicate()[1]
        return lines(tmp_path / "w.jsonl")

    assert {each["state"] for each in until(["over.mkv", "good-0.mkv", "good-1.mkv", "good-2.mkv"])} >= {"proved"}
    assert json.loads((out / "over.mkv.report.json").read_text())["proved"] is True
    assert (some / "legal" / "over-legal.mov").exists()
    (out / "over.mkv.report.json").unlink()
    shutil.copy(some / "good-0.mkv", some / "late.mkv")
    second = {Path(each["path"]).name: each["from_an_earlier_run"] for each in until(["late.mkv", "over.mkv"])}
    assert second["over.mkv"] is True and second["late.mkv"] is False
    assert not list(some.rglob(".*")), "nothing is left over"
