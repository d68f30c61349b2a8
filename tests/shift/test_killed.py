"""A batch that is killed again and again: nothing is lost, nothing is done twice, nothing is left lying about."""

import os
import random
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np

from clips import make_clip

KILLS = int(os.environ.get("KILLS", "4"))  # more of them by hand
LONGEST = 9.0  # seconds until a kill: a run that is left alone takes less


def test_kills_at_any_moment_lose_nothing_and_do_nothing_twice(tmp_path, over_clip):
    folder, out = tmp_path / "in", tmp_path / "out"
    folder.mkdir()
    for n in range(3):
        shutil.copy(over_clip, folder / f"over-{n}.mkv")
        make_clip(folder / f"good-{n}.mkv", lambda f, n=n: np.full((64, 96, 3), 0.2 + 0.02 * ((f + n) % 5)), 10, codec="ffv1")
    command = [sys.executable, "-m", "bluffline", "batch", folder, "--certify", "--legalise", out, "--jobs", "2"]
    sources = {path: path.read_bytes() for path in folder.iterdir()}
    clock, finished = random.Random(11), {}
    for _ in range(KILLS):
        run = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        time.sleep(clock.uniform(0.2, LONGEST))
        run.send_signal(signal.SIGKILL)
        told = run.communicate()[0]
        for line in told.splitlines():
            if " proved " in line or " good as it is " in line:
                name = Path(line.split(": ")[0].split()[-1]).name
                assert name not in finished or "as before" in line, f"{name} was done twice"
                finished[name] = line
        time.sleep(1)  # the processes of one that is killed notice it, and remove what they have begun
        if len(finished) == len(sources):
            finished = {}
            shutil.rmtree(out)
            for path in set(folder.iterdir()) - set(sources):
                path.unlink()
    last = subprocess.run(command, capture_output=True, text=True, check=False)
    assert last.returncode == 0, last.stdout
    assert last.stdout.count(" proved ") >= 3 and last.stdout.count("good as it is  ") >= 3 and "refused" not in last.stdout
    assert all(path.read_bytes() == data for path, data in sources.items())
    assert sorted(path.name for path in out.iterdir()) == sorted(
        f"over-{n}-legal.mov{end}" for n in range(3) for end in ("", ".certificate.html", ".certificate.json", ".findings.csv")
    )
    assert not [path for path in tmp_path.rglob(".*") if "bluffline" not in path.parts], "nothing is left lying about"
