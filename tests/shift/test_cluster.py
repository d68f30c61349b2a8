"""A batch on a real scheduler and two workers of this machine, one of which is killed while it works."""

import json
import random
import re
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import av
import numpy as np
import pytest

from bluffline.errors import ElsewhereError, SettingsError
from bluffline.shift.cluster import cluster
from bluffline.shift.hand import Shift
from bluffline.shift.ledger import Ledger
from bluffline.shift.one_file import Asked, do
from bluffline.shift.profile import PLAIN
from bluffline.shift.somewhere import Somewhere
from bluffline.shift.states import State
from bluffline.shift.workers import Workers
from clips import make_clip
from shift.test_killed import BLUFFLINE, KILLS, assert_all_is_there, done_in, sources

__all__ = ["sources"]  # a fixture


def started(log, role, *words):
    """A process of Dask's, and the line of its log in which it says that it is there."""
    with log.open("w") as written:
        process = subprocess.Popen([sys.executable, "-m", f"distributed.cli.dask_{role}", *words], stderr=written)
    began, said = time.monotonic(), "Scheduler at" if role == "scheduler" else "Registered to"
    while time.monotonic() - began < 60:
        if line := next((line for line in log.read_text().splitlines() if said in line), ""):
            return process, line
        time.sleep(0.05)
    raise AssertionError(f"no {role} in a minute: {log.read_text()}")


@pytest.fixture
def scheduler(tmp_path):
    process, line = started(tmp_path / "scheduler.log", "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard")
    yield re.search(r"tcp://\S+", line)[0]
    process.terminate()
    process.wait(30)


def worker(folder, scheduler, name):
    """A worker, its log and what it keeps in files called by a name."""
    where = "--local-directory", str(folder / f"dask-{name}")
    log, plain = folder / f"worker-{name}.log", ("--no-nanny", "--nthreads", "1", "--no-dashboard")
    return started(log, "worker", scheduler, *plain, *where)[0]


@pytest.fixture
def workers(scheduler, tmp_path):
    made = [worker(tmp_path, scheduler, n) for n in range(2)]
    yield made
    for process in made:
        process.kill()
        process.wait(30)


def test_a_worker_that_is_killed_loses_nothing_and_nothing_is_told_twice(scheduler, workers, tmp_path, over_clip):
    folder, out = tmp_path / "in", tmp_path / "out"
    folder.mkdir()
    for n in range(4):
        shutil.copy(over_clip, folder / f"over-{n}.mkv")
        make_clip(folder / f"good-{n}.mkv", lambda f, n=n: np.full((64, 96, 3), 0.2 + 0.02 * ((f + n) % 5)), 10, codec="ffv1")
    (folder / "torn.mov").write_bytes(b"no film" * 500)
    command = [sys.executable, "-m", "bluffline", "batch", folder, "--legalise", out, "--cluster", scheduler]
    command += ["--json", tmp_path / "b.jsonl"]
    run = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert run.stdout.readline(), "one is done"
    workers[0].send_signal(signal.SIGKILL)
    told, complaint = run.communicate(timeout=180)
    assert run.returncode == 2, complaint
    lines = [json.loads(line) for line in (tmp_path / "b.jsonl").read_text().splitlines()]
    names = [Path(line["path"]).name for line in lines]
    assert sorted(names) == sorted(path.name for path in folder.iterdir()) and "9 files in" in told
    states = {Path(line["path"]).name: line["state"] for line in lines}
    assert states == {
        **{f"over-{n}.mkv": "proved" for n in range(4)}, **{f"good-{n}.mkv": "good as it is" for n in range(4)},
        "torn.mov": "refused",
    }  # fmt: skip
    assert not [path for path in out.iterdir() if path.name.startswith(".") and not path.name.endswith(".lock")]


def test_a_long_file_is_shared_and_a_machine_that_goes_changes_nothing(scheduler, workers, tmp_path):
    def moving(n):
        picture = np.full((96, 128, 3), 0.3 + 0.2 * (n > 700))
        picture[20:50, n % 100 : n % 100 + 20] = 1.05
        return picture

    film = make_clip(tmp_path / "long.mkv", moving, 2400, codec="ffv1", options={"g": "1"})
    reports, took = [], 0.0
    for words in ([], ["--cluster", scheduler]):
        out = tmp_path / f"{len(words)}.json"
        command = [sys.executable, "-m", "bluffline", "check", film, "--json", out, *words]
        began, run = time.monotonic(), subprocess.Popen(command, stdout=subprocess.PIPE)
        if words:
            time.sleep(0.55 * took)
            assert run.poll() is None, "it is still at work"
            workers[0].send_signal(signal.SIGKILL)
        run.communicate(timeout=180)
        took = time.monotonic() - began
        assert run.returncode == 1
        reports.append(json.loads(out.read_text()) | {"checked": ""})
    assert reports[0] == reports[1]


def test_a_long_file_is_rendered_by_many_and_a_machine_that_goes_changes_nothing(scheduler, workers, tmp_path):
    def moving(n):
        picture = np.full((96, 128, 3), 0.3 + 0.2 * (n > 700))
        picture[20:50, n % 100 : n % 100 + 20] = 1.05
        return picture

    film = make_clip(tmp_path / "long.mkv", moving, 2400, codec="ffv1", options={"g": "1"}, sound=True)
    held = []
    for place, words in (("alone", []), ("shared", ["--cluster", scheduler])):
        out = tmp_path / place / "out.mov"
        out.parent.mkdir()
        run = subprocess.Popen([sys.executable, "-m", "bluffline", "legalise", film, out, *words], stdout=subprocess.PIPE)
        if words:
            while run.poll() is None and not list(out.parent.glob(".*.runs-*/*")):
                time.sleep(0.02)
            assert run.poll() is None, "it renders"
            workers[0].send_signal(signal.SIGKILL)
        run.communicate(timeout=180)
        assert run.returncode == 0
        with av.open(str(out)) as container:
            held.append([(p.stream_index, p.pts, bytes(p)) for p in container.demux() if p.size])
        assert not [path for path in out.parent.iterdir() if path.name.startswith(".")]
    assert held[0] == held[1]


def test_machines_that_go_again_and_again_lose_nothing_and_do_nothing_twice(scheduler, workers, sources, tmp_path_factory):
    folder = next(iter(sources)).parent.parent
    command = [*BLUFFLINE, "batch", folder / "in", "--certify", "--legalise", folder / "out", "--cluster", scheduler, "--again"]
    clock, took, killed = random.Random(3), 8.0, 0
    for turn in range(KILLS):
        began, run = time.monotonic(), subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        time.sleep(clock.uniform(0.3, 1.0) * took)
        going = clock.randrange(2)
        if run.poll() is None:
            workers[going].send_signal(signal.SIGKILL)
            killed += 1
        told = run.communicate(timeout=180)[0]
        took = max(time.monotonic() - began, 2.0) if workers[going].poll() is None else took
        done_in(told, finished := {})
        assert run.returncode == 0 and len(finished) == len(sources) and "refused" not in told, told
        assert_all_is_there(folder, sources)
        workers[going].kill()
        workers[going].wait(30)
        workers[going] = worker(tmp_path_factory.mktemp("log"), scheduler, turn)
    assert killed, "each was too late"


def test_files_in_hand_are_worked_on_elsewhere_and_here_where_nobody_answers(
    scheduler, workers, sources, tmp_path, monkeypatch
):
    told, here, under_way = [], [], {State.GROWING, State.WAITING, State.MEASURING}

    def processes():
        here.append(Workers(1))
        return here[-1]

    doing = Somewhere(scheduler, processes, 1, told.append)
    shift = Shift(Ledger(tmp_path / "l.sqlite"), doing, quiet=0, at_once=lambda: doing.hands)
    shift.elsewhere = True
    folder = next(iter(sources)).parent
    shift.add([folder])

    def until(done):
        began = time.monotonic()
        while not done() and time.monotonic() - began < 120:
            shift.step(0.1)
        return {file.path.name: file.state for file in shift.files}

    measured = {f"over-{n}.mkv": State.TO_FIX for n in range(3)} | {f"good-{n}.mkv": State.GOOD for n in range(3)}
    assert until(lambda: not under_way & {file.state for file in shift.files}) == measured
    assert doing.hands == 2 and not here and not told, "by the two machines"
    monkeypatch.setattr("bluffline.shift.cluster._WAIT", 1)
    doing.turn_to("tcp://127.0.0.1:9")
    make_clip(folder / "late.mkv", lambda f: np.full((64, 96, 3), 0.3), 10, codec="ffv1")
    shift.add([folder / "late.mkv"])
    assert until(lambda: not under_way & {file.state for file in shift.files}) == measured | {"late.mkv": State.GOOD}
    assert len(here) == 1 and "There is no scheduler at tcp://127.0.0.1:9" in told[0] and "by this machine" in told[0]
    doing.shutdown(cancel_futures=True)
    with pytest.raises(RuntimeError):
        doing.submit(print)


def test_a_scheduler_that_goes_costs_time_and_nothing_else(sources, tmp_path, tmp_path_factory, monkeypatch):
    monkeypatch.setattr("bluffline.shift.cluster._WAIT", 2)
    where = "--host", "127.0.0.1", "--port", "0", "--no-dashboard"
    going, line = started(tmp_path_factory.mktemp("log") / "scheduler.log", "scheduler", *where)
    address, told = re.search(r"tcp://\S+", line)[0], []
    machine = worker(tmp_path_factory.mktemp("work"), address, 0)
    doing = Somewhere(address, lambda: Workers(1), 1, told.append)
    shift = Shift(Ledger(tmp_path / "l.sqlite"), doing, quiet=0, at_once=lambda: doing.hands)
    shift.elsewhere = True
    shift.add([next(iter(sources)).parent])
    under_way, began = {State.GROWING, State.WAITING, State.MEASURING}, time.monotonic()

    def on():
        shift.step(0.1)
        return {file.path.name: file.state for file in shift.files}

    while State.MEASURING not in on().values():
        assert time.monotonic() - began < 60
    going.kill()
    going.wait(30)
    while under_way & set(on().values()) and time.monotonic() - began < 150:
        pass
    assert on() == {f"over-{n}.mkv": State.TO_FIX for n in range(3)} | {f"good-{n}.mkv": State.GOOD for n in range(3)}
    assert any("Files are worked on by this machine" in words for words in told)
    doing.shutdown(cancel_futures=True)
    machine.kill()
    machine.wait(30)


def test_a_scheduler_that_is_not_there_and_another_file_elsewhere_are_sentences(over_clip, monkeypatch):
    monkeypatch.setattr("bluffline.shift.cluster._WAIT", 1)

    with pytest.raises(SettingsError, match="There is no scheduler at tcp:"), cluster("tcp://127.0.0.1:9"):
        pass
    with pytest.raises(ElsewhereError, match="is another file where it was to be measured"):
        do(Asked(over_clip, PLAIN, content="another"))
    with pytest.raises(ElsewhereError, match="is not there where it was to be measured"):
        do(Asked(over_clip.with_name("gone.mkv"), PLAIN, content="another"))
