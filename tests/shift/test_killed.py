"""A batch and a watch that are killed again and again, and their workers: nothing lost, nothing done twice."""

import os
import random
import shutil
import signal
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path

import numpy as np
import pytest

from bluffline.media.target import certificate_paths
from clips import make_clip

KILLS = int(os.environ.get("KILLS", "3"))  # more of them by hand
LONGEST = {"batch": 9.0, "watch": 13.0}  # seconds until a kill: a run that is left alone takes less
BLUFFLINE = [sys.executable, "-m", "bluffline"]


@pytest.fixture
def sources(tmp_path, over_clip):
    """Six files in a folder, and what they hold."""
    folder = tmp_path / "in"
    folder.mkdir()
    for n in range(3):
        shutil.copy(over_clip, folder / f"over-{n}.mkv")
        make_clip(folder / f"good-{n}.mkv", lambda f, n=n: np.full((64, 96, 3), 0.2 + 0.02 * ((f + n) % 5)), 10, codec="ffv1")
    return {path: path.read_bytes() for path in folder.iterdir()}


def done_in(told, finished):
    """Note what was done in what was printed; what was done before may only be told as before."""
    for line in told.splitlines():
        if line.startswith(("proved ", "good as it is ")) or " proved " in line or " good as it is " in line:
            name = Path(line.split(": ")[0].split()[-1]).name
            assert name not in finished or "as before" in line, f"{name} was done twice"
            finished[name] = line


def assert_all_is_there(tmp_path, sources):
    assert all(path.read_bytes() == data for path, data in sources.items())
    assert sorted(path.name for path in (tmp_path / "out").iterdir()) == sorted(
        path.name for n in range(3) for path in (Path(f"over-{n}-legal.mov"), *certificate_paths(Path(f"over-{n}-legal.mov")))
    )
    assert not [path for path in tmp_path.rglob(".*") if "bluffline" not in path.parts], "nothing is left lying about"


@pytest.mark.parametrize("kind", ["batch", "watch"])
def test_kills_at_any_moment_lose_nothing_and_do_nothing_twice(kind, tmp_path, sources):
    folder, out, reports = tmp_path / "in", tmp_path / "out", tmp_path / "reports"
    where = ["--certify"] if kind == "batch" else ["--out", reports]
    command = [*BLUFFLINE, kind, folder, *where, "--legalise", out, "--jobs", "2"]
    clock, finished = random.Random(11), {}
    for _ in range(KILLS):
        run = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        time.sleep(clock.uniform(0.2, LONGEST[kind]))
        run.send_signal(signal.SIGKILL)
        done_in(run.communicate()[0], finished)
        time.sleep(1)  # the processes of one that is killed notice it, and remove what they have begun
        if len(finished) == len(sources):
            finished = {}
            shutil.rmtree(out)
            for path in {*folder.iterdir(), *(reports.iterdir() if reports.exists() else ())} - set(sources):
                path.unlink()
    if kind == "batch":
        last = subprocess.run(command, capture_output=True, text=True, check=False)
        told = last.stdout
        assert last.returncode == 0, told
    else:
        run = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        began = time.monotonic()
        while len(list(reports.glob("*.report.json"))) < len(sources) and time.monotonic() - began < 120:
            time.sleep(0.2)
        time.sleep(4)  # what was told as before is looked at by then
        run.terminate()
        told = run.communicate(timeout=60)[0]
        assert run.returncode == 128 + signal.SIGTERM and len(list(reports.glob("*.report.json"))) == len(sources)
    done_in(told, finished)
    assert "refused" not in told and sum(path.name in told for path in sources) == len(finished) == len(sources)
    assert_all_is_there(tmp_path, sources)


def children(process):
    """The processes that another has begun."""
    found = []
    for task in Path(f"/proc/{process}/task").iterdir():
        with suppress(OSError):
            found += [int(pid) for pid in (task / "children").read_text().split()]
    return found


def test_a_worker_that_is_killed_costs_nothing(tmp_path, sources):
    command = [*BLUFFLINE, "batch", tmp_path / "in", "--certify", "--legalise", tmp_path / "out", "--jobs", "2", "--again"]
    clock, killed = random.Random(5), 0
    for _ in range(KILLS):
        run = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        time.sleep(clock.uniform(0.5, 7))
        with suppress(OSError):
            workers = [pid for pid in children(run.pid) if b"spawn_main" in Path(f"/proc/{pid}/cmdline").read_bytes()]
            if workers and run.poll() is None:
                os.kill(clock.choice(workers), signal.SIGKILL)
                killed += 1
        told = run.communicate()[0]
        done_in(told, finished := {})
        assert run.returncode == 0 and len(finished) == len(sources) and "refused" not in told, told
        assert_all_is_there(tmp_path, sources)
    assert killed, "each was too late"
