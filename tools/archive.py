"""What an archive takes on many machines: measured here on one, and played through on as many as are asked for.

Run as ``python tools/archive.py 10000 100`` for so many hours of programmes on so many machines of eight cores. What a frame,
an opening, a seam between two runs and the word of a scheduler cost is measured on this machine first; how long programmes are,
how fast storage reads and how often a machine fails is assumed, and said.
"""

import heapq
import random
import statistics
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from bluffline.media.probe import probe
from bluffline.rules.rulefile import load_rules
from bluffline.survey.runs import RunAsked, measure_run
from bluffline.survey.survey import start_survey

RATE = 25
_WHOLE = 1 << 30  # frames of a run, where no programme is cut
# Minutes that programmes last, and how many in a hundred do: made up after a station's week, not measured.
LENGTHS = ((1.5, 30), (5, 20), (12, 12), (26, 22), (51, 12), (104, 4))


@dataclass(frozen=True)
class Costs:
    """What was measured, in seconds of one core and bytes.

    ``frames``: seconds a frame, of several runs; ``opening``: of a file; ``seam``: of a run beyond its frames, with those
    before it that are measured twice; ``word``: of the scheduler for a run; ``size``: of a frame in the file.
    """

    frames: tuple[float, ...]
    opening: float
    seam: float
    word: float
    size: float


@dataclass(frozen=True)
class Station:
    """What is assumed. ``storage``: bytes a second for all; ``fails``: hours until a machine goes, in the mean."""

    machines: int
    cores: int = 8
    storage: float = 1.25e9
    fails: float = 1000.0
    run: int = 3000  # frames


@dataclass(frozen=True)
class Played:
    """What came of it: seconds until all is done, and the share of them that cores, storage and the scheduler were busy."""

    seconds: float
    cores: float
    storage: float
    scheduler: float
    seams: float
    again: int


def programmes(hours: float, chance: random.Random) -> list[int]:
    """Frames of programmes that last so many hours together."""
    lengths, weights = zip(*LENGTHS, strict=True)
    found, left = [], hours * 3600
    while left > 0:
        minutes = chance.choices(lengths, weights)[0] * chance.uniform(0.8, 1.2)
        found.append(max(int(min(minutes * 60, left) * RATE), 1))
        left -= found[-1] / RATE
    return found


def play(lengths: Sequence[int], costs: Costs, station: Station, seed: int = 1) -> Played:
    """Give every run to the core that is free first, longest programmes before others.

    All runs that are under way share the storage: where they ask for more than it reads, all are as much slower. The scheduler
    gives one word after another. A run whose machine goes is done again.
    """
    chance = random.Random(seed)
    waiting = _runs(lengths, costs, station, chance)
    hands = station.machines * station.cores
    running: list[tuple[float, float, float]] = []  # when it ends by the clock of work, bytes a second, seconds of work
    now = work = asked = busy = read = seams = 0.0
    spoken, again, more = 0.0, 0, True
    while more or running:
        slow = min(1.0, station.storage / asked) if asked > 0 else 1.0
        while more and len(running) < hands and spoken <= now:
            run = next(waiting, None)
            more = run is not None
            if run is not None:
                seconds, size, seam = run
                if chance.random() < seconds / (station.fails * 3600):
                    again, seconds = again + 1, seconds * (1 + chance.random())
                heapq.heappush(running, (work + seconds, size / seconds, seconds))
                asked, seams, spoken = asked + size / seconds, seams + seam, max(spoken, now) + costs.word
                slow = min(1.0, station.storage / asked)
        if not running and not more:
            break
        ends = now + (running[0][0] - work) / slow if running else float("inf")
        speaks = spoken if more and len(running) < hands and spoken > now else float("inf")
        then = min(ends, speaks)
        work += (then - now) * slow
        read += (then - now) * min(asked, station.storage)
        now = then
        if ends <= speaks:
            done, rate, seconds = heapq.heappop(running)
            work, asked, busy = max(work, done), max(asked - rate, 0.0), busy + seconds
    count = sum(-(-frames // station.run) for frames in lengths)
    return Played(
        now, busy / (now * hands), read / (now * station.storage), count * costs.word / now, seams / max(busy, 1e-9), again
    )


def _runs(
    lengths: Sequence[int], costs: Costs, station: Station, chance: random.Random
) -> Iterator[tuple[float, float, float]]:
    """Seconds, bytes and seconds that are the seam's, of every run of every programme."""
    for frames in sorted(lengths, reverse=True):
        a_frame = chance.choice(costs.frames)
        times = 2 if frames > station.run else 1  # what was cut is read once more in its order, for its checksums
        for first in range(0, frames, station.run):
            own = min(station.run, frames - first)
            seam = costs.opening + (costs.seam if first else 0.0)
            yield own * a_frame + seam, times * own * costs.size, seam


def measured(path: Path) -> Costs:
    """What a programme costs here."""
    opened = []
    for _ in range(3):
        began = time.perf_counter()
        survey = start_survey(probe(path), load_rules("r103"))
        opened.append(time.perf_counter() - began)
    programme, total = survey.programme, survey.programme.frame_count

    def seconds(first: int, after: int) -> float:
        began = time.process_time()
        measure_run(RunAsked(programme, survey.rules, survey.region, first, after))
        return time.process_time() - began

    seconds(0, 50)  # what is compiled is not counted
    at, step = total // 2, total // 6
    frames = [seconds(n * step, (n + 1) * step) / step for n in range(6)]
    seam = max(seconds(at, at + 100) - 100 * statistics.median(frames), 0.0)
    size = path.stat().st_size / total
    return Costs(tuple(frames), statistics.median(opened), seam, _word(), size)


def _nothing(_: int) -> None:
    return None


def _word() -> float:
    """Seconds that a scheduler takes for a run, whatever is done in it."""
    from distributed import Client, LocalCluster

    here = LocalCluster(n_workers=1, threads_per_worker=2, processes=False, dashboard_address=None)
    with here, Client(here) as client:
        client.gather(client.map(_nothing, range(100), pure=False))
        began = time.perf_counter()
        client.gather(client.map(_nothing, range(2000), pure=False))
        return (time.perf_counter() - began) / 2000


def main() -> None:
    """Measure, play through, and print."""
    hours, machines = (float(sys.argv[1]), int(sys.argv[2])) if len(sys.argv) > 2 else (10_000.0, 100)
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "programme.mov"
        sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "bench"))
        from scale import LARGE, make

        make(path, 1, 600, LARGE)
        costs = measured(path)
    a_frame = statistics.median(costs.frames)
    least, most = min(costs.frames) * 1000, max(costs.frames) * 1000
    print(f"measured, {LARGE[0]} × {LARGE[1]} ProRes: a frame {1000 * a_frame:.1f} ms of one core ({least:.1f} … {most:.1f})")
    print(f"and {costs.size / 1e6:.2f} MB, opening {costs.opening:.2f} s, a seam {costs.seam:.2f} s", end=", ")
    print(f"the scheduler's word {1000 * costs.word:.2f} ms")
    lengths = programmes(hours, random.Random(1))
    print(f"{hours:.0f} hours are {len(lengths)} programmes, the longest {max(lengths) / RATE / 60:.0f} minutes")
    heads = ("machines", "Gbit/s", "run", "fails", "hours", "cores", "storage", "scheduler", "seams", "again")
    print("".join(f"{head:>11}" for head in heads))
    plain = Station(machines)
    fast = replace(plain, storage=12.5e9)
    for station in (
        *(replace(plain, machines=max(count, 1)) for count in (1, machines // 10, machines)), replace(plain, run=_WHOLE),
        replace(plain, storage=5e9), fast, replace(fast, run=1000), replace(fast, run=_WHOLE), replace(fast, fails=10),
    ):  # fmt: skip
        told = play(lengths, costs, station)
        cells = (
            station.machines, f"{station.storage * 8e-9:.0f}", station.run if station.run < _WHOLE else "whole",
            f"{station.fails:.0f} h", f"{told.seconds / 3600:.1f}", f"{told.cores:.0%}", f"{told.storage:.0%}",
            f"{told.scheduler:.1%}", f"{told.seams:.1%}", told.again,
        )  # fmt: skip
        print("".join(f"{cell:>11}" for cell in cells))


if __name__ == "__main__":
    main()
