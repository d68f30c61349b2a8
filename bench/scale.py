"""What many files cost, and a long one: processes against one after another, and against each other. Part of ``make bench``.

Two workers stand for two machines: each has a core of its own.
"""

import multiprocessing
import os
import resource
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from bluffline.media.probe import probe
from bluffline.rules.rulefile import load_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.runs import Hands, RunAsked, measure_run, run_survey_in_runs
from bluffline.survey.survey import start_survey
from table import tell

FILES, FRAMES, SIZE = 40, 50, (640, 360)
LONG, LARGE = 400, (1920, 1080)
_RUNS = 8


def make(path: Path, seed: int, frames: int = FRAMES, size: tuple[int, int] = SIZE) -> None:
    """A programme of grain on a slope of its own."""
    rng = np.random.default_rng(seed)
    slope = np.linspace(100, 900, size[0]) + rng.normal(0, 4, size[::-1])
    luma = np.clip(slope, 64, 940).astype(np.uint16)
    with av.open(str(path), "w") as output:
        stream = output.add_stream("prores_ks", 25, options={"profile": "3"})
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = *size, "yuv422p10le"
        stream.codec_context.color_range, stream.codec_context.colorspace = 1, 1
        for number in range(frames):
            frame = av.VideoFrame(*size, "yuv422p10le")
            for plane, values in zip(frame.planes, (np.roll(luma, number, 1), np.uint16(512), np.uint16(512)), strict=True):
                lines = np.zeros((plane.height, plane.line_size // 2), np.uint16)
                lines[:, : plane.width] = values
                plane.update(lines)
            frame.pts, frame.time_base = number, Fraction(1, 25)
            output.mux(stream.encode(frame))
        output.mux(stream.encode(None))


def _alone(places: "multiprocessing.Queue[int]") -> None:
    """Keep a worker to a core of its own."""
    os.sched_setaffinity(0, {places.get()})


def _most(_: int) -> int:
    time.sleep(0.2)  # so that each of them answers one
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10


def one_long_file(path: Path) -> None:
    """Two workers on one programme against one."""
    make(path, 1, LONG, LARGE)
    spawn, cores = multiprocessing.get_context("spawn"), sorted(os.sched_getaffinity(0))
    taken, most = {}, 0
    for count in (1, 2):
        places: multiprocessing.Queue[int] = spawn.Queue()
        for core in cores[:count]:
            places.put(core)
        with ProcessPoolExecutor(count, spawn, _alone, (places,)) as workers:
            survey = start_survey(probe(path), load_rules("r103"))
            warm = RunAsked(survey.programme, survey.rules, survey.region, 0, 8)
            list(workers.map(measure_run, [warm] * count))
            began = time.perf_counter()
            run_survey_in_runs(survey, Hands(workers, _RUNS), Monitor())
            taken[count] = time.perf_counter() - began
            most = max(most, *workers.map(_most, range(count)), 0)
    told = f"{taken[1]:.1f} and {taken[2]:.1f} s"
    tell(f"{LONG} frames of 1080p in {_RUNS} runs: two workers × one", taken[1] / taken[2], "×", least=1.7, told=told)
    tell("a worker's memory", most, "MiB", most=400)


def many_files() -> None:
    """A batch in two processes against one file after another."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "in"
        folder.mkdir()
        for number in range(FILES):
            make(folder / f"{number:02}.mov", number)

        def seconds(place: str, *commands: list[str | Path]) -> float:
            homes = {f"XDG_{each}_HOME": str(Path(name) / place) for each in ("CONFIG", "DATA", "STATE", "CACHE")}
            began = time.perf_counter()
            for command in commands:
                words = [sys.executable, "-m", "bluffline", *command]
                subprocess.run(words, env=os.environ | homes, stdout=subprocess.DEVNULL, check=False)
            return time.perf_counter() - began

        singly = seconds("a", *([Path("check"), path] for path in sorted(folder.iterdir())))
        batch = seconds("b", ["batch", folder, "--jobs", "2"])
        again = seconds("b", ["batch", folder, "--jobs", "2"])
    told = f"{singly:.0f} and {batch:.1f} s"
    tell(f"{FILES} files of {FRAMES} frames by batch × checked one after another", singly / batch, "×", least=2.5, told=told)
    tell("the same batch again with nothing changed", again, "s")


def main() -> None:
    """Measure and print."""
    many_files()
    with tempfile.TemporaryDirectory() as name:
        one_long_file(Path(name) / "long.mov")


if __name__ == "__main__":
    main()
