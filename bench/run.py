"""Speed and memory as ratios taken in one run, on clips made for it. Part of ``make bench``, or alone.

With ``--desk`` the survey is left out.
"""

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path
from statistics import median

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
for _place in ("DATA", "CACHE", "STATE"):
    os.environ[f"XDG_{_place}_HOME"] = tempfile.mkdtemp()  # nothing from another sitting

import av
import numpy as np
from av.filter import Graph
from PyQt6.QtCore import QEventLoop
from PyQt6.QtWidgets import QApplication

from bluffline.demo import demo_clip
from bluffline.gauges.catalogue import INSTRUMENTS, gauge_named
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.memory import keep_frame_memory
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.rules.rules import Rules
from bluffline.session.chart import ChartRequest, ChartSetup, read_and_fit
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.ui.desk import Desk
from bluffline.ui.style.style import dress
from heart import taken_away
from table import tell

FRAMES = 100
CHART_FRAME = 75
FAST = {"preset": "ultrafast", "x264-params": "log-level=error"}
STEPS = (SoftCeiling(100.0, 110.0, 85.0), SoftFloor(0.0, -8.0, 6.0), ChromaRein(0.0, 100.0))
START = """
import sys, time
from bluffline.ui import desk
original = desk.Desk._frame_shown
def first(self, frame):
    original(self, frame)
    self.repaint()
    print(time.time(), flush=True)
    self.close()
desk.Desk._frame_shown = first
from bluffline.entry import main
sys.exit(main(["--demo"]))
"""
PEAK = """
import sys
from pathlib import Path
from bluffline.media.probe import probe
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.rules.rulefile import load_rules
run_survey(start_survey(probe(Path(sys.argv[1])), load_rules("r103")), Monitor())
print(next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM")))
"""


ROUNDS = 5


def seconds(act: Callable[[], object]) -> float:
    """One run."""
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def in_turns(*acts: Callable[[], object]) -> list[list[float]]:
    """Several runs of each act by turns, so that a machine whose speed drifts slows all of them alike."""
    for act in acts:
        act()
    rounds = [[seconds(act) for act in acts] for _ in range(ROUNDS)]
    return [list(column) for column in zip(*rounds, strict=True)]


def spread(values: Iterable[float]) -> tuple[float, str]:
    """The median, and how far values spread."""
    each = sorted(values)
    return median(each), f"{each[0]:.2f} … {each[-1]:.2f}"


def ratio(ours: list[float], theirs: list[float]) -> tuple[float, str]:
    """Theirs over ours: the median of the rounds, and how far they spread."""
    return spread(b / a for a, b in zip(ours, theirs, strict=True))


def told_ratio(
    name: str, ours: list[float], theirs: list[float], *, least: float | None = None, most: float | None = None
) -> None:
    """Tell theirs over ours."""
    value, told = ratio(ours, theirs)
    tell(name, value, "×", least=least, most=most, told=told)


def make(
    path: Path, encoder: str, size: tuple[int, int], frames: int, options: dict[str, str], *, heard: bool = False
) -> Path:
    """A 10-bit 4:2:2 clip of consecutive frames of the demo, kiln and courtyard, scaled; with a stereo sound or none."""
    noise = np.random.default_rng(1).integers(-8000, 8000, (1, 2 * 1920), np.int16)
    with av.open(str(demo_clip())) as source:
        pictures = [p.reformat(*size, "yuv422p10le") for n, p in enumerate(source.decode(video=0)) if 220 <= n < 220 + FRAMES]
    with av.open(str(path), "w") as container:
        stream = container.add_stream(encoder, rate=25, options=options)
        stream.width, stream.height, stream.pix_fmt = *size, "yuv422p10le"
        track = container.add_stream("pcm_s16le", rate=48_000, layout="stereo") if heard else None
        for number in range(frames):
            picture = pictures[number % len(pictures)]
            picture.pts, picture.time_base = number, Fraction(1, 25)
            container.mux(stream.encode(picture))
            if track is not None:
                block = av.AudioFrame.from_ndarray(noise, format="s16", layout="stereo")
                block.sample_rate, block.pts, block.time_base = 48_000, number * 1920, Fraction(1, 48_000)
                container.mux(track.encode(block))
        container.mux(stream.encode(None))
    return path


def decode(path: Path) -> None:
    """Decode alone, as the survey does."""
    with Reader(probe(path)) as reader:
        for _ in reader.frames():
            pass


def filtered(path: Path, name: str, options: str) -> None:
    """The same decode through a filter of libavfilter."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        graph = Graph()
        graph.link_nodes(graph.add_buffer(template=stream), graph.add(name, options), graph.add("buffersink")).configure()
        for picture in container.decode(stream):
            graph.vpush(picture)
            graph.vpull()


def survey_times(path: Path, least: float) -> None:
    """Survey against decode and signalstats."""
    programme, rules = probe(path), load_rules("r103")
    count = programme.frame_count
    region = start_survey(programme, rules).region  # found once, so that only the survey itself is timed
    ours, alone, theirs = in_turns(
        lambda: run_survey(start_survey(programme, rules, region=region), Monitor()),
        lambda: decode(path),
        lambda: filtered(path, "signalstats", "stat=brng"),
    )
    tell(f"survey of {path.stem}", count / median(ours), "frames/s")
    told_ratio(f"survey of {path.stem} × decode alone", ours, alone, least=least)
    told_ratio(f"survey of {path.stem} × libavfilter's signalstats", ours, theirs, least=4)
    told_ratio(f"decode of {path.stem} alone × signalstats, which bounds it", alone, theirs)


def all_rules_times(path: Path) -> None:
    """A survey with every rule on against one by levels alone."""
    programme, everything = probe(path), load_rules("delivery")
    levels = parse_rules(everything.text.partition("[tags]")[0], "levels")
    region = start_survey(programme, levels).region

    def survey(rules: Rules) -> None:
        run_survey(start_survey(programme, rules, region=region), Monitor())

    alone, ours = in_turns(partial(survey, levels), partial(survey, everything))
    told_ratio(f"survey of {path.stem} by every rule × by levels alone", alone, ours, most=1.25)


def gauge_times(path: Path) -> None:
    """Each gauge's counts on one core at full size, and waveform and vectorscope against libavfilter's filters."""
    programme = probe(path)
    source = programme.format
    with Reader(programme) as reader:
        planes = tuple(plane.copy() for plane in reader.planes(10) or ())
    whole = Selection.whole(source)
    for name, instrument in INSTRUMENTS.items():
        for gauge in map(instrument, instrument.modes):
            if not gauge.around:
                (taken,) = in_turns(lambda gauge=gauge: gauge.count(FrameSignal(planes, source), whole, 960, None))  # type: ignore[misc]
                tell(f"counts of a 1080p frame, one core: {name}, {gauge.mode}", median(taken) * 1000, "ms", most=20)
    for kind, name, options, least in (
        (gauge_named("waveform"), "waveform", "mode=column:intensity=0.1", 3),
        (gauge_named("vectorscope"), "vectorscope", "mode=gray", 2.5),
    ):

        def followed(kind=kind) -> None:  # type: ignore[no-untyped-def]
            with Reader(programme) as reader:
                measured = (
                    kind.count(FrameSignal(frame.planes, source), whole, 960, None)
                    for frame in reader.frames()
                    if frame.planes is not None
                )
                for _ in measured:
                    pass

        ours, theirs, alone = in_turns(
            followed,
            lambda name=name, options=options: filtered(path, name, options),
            lambda: decode(path),  # type: ignore[misc]
        )
        told_ratio(f"{kind.name} × libavfilter's {name} on the same decode", ours, theirs, least=least)
        told_ratio(f"decode alone × the same {name}, which bounds it", alone, theirs)
        own, other = ([max(took - read, 1e-3) for took, read in zip(each, alone, strict=True)] for each in (ours, theirs))
        told_ratio(f"{kind.name} × libavfilter's {name}, decode taken off both", own, other)


def wait(signal, act: Callable[[], object]) -> None:  # type: ignore[no-untyped-def]
    """Do something and let the desk work until it tells of it."""
    loop = QEventLoop()
    signal.connect(loop.quit)
    act()
    loop.exec()
    signal.disconnect(loop.quit)


def desk_times(clip: Path, scratch: Path) -> None:
    """A changed figure to everything redrawn; and playing with both gauges open."""
    application = QApplication.instance() or QApplication(["bench"])
    assert isinstance(application, QApplication)
    dress(application)
    desk = Desk(Session(), Settings(scratch / "settings.json"))
    desk.resize(1280 + 320, 1000)
    desk.show()

    wait(desk.survey_done, lambda: desk.open(clip))
    box = desk.picture.box
    desk.resize(desk.width() + 960 - box.width(), desk.height() + max(540 - box.height(), 0))
    desk.session.document.set_treatment(desk.session.place.shot, STEPS, "bench")
    application.processEvents()

    def change(limit: float) -> None:
        wait(desk.frame_shown, lambda: desk.session.document.replace_step(0, replace(STEPS[0], limit=limit)))
        for widget in (desk.picture, *desk.viewer.gauges):
            widget.repaint()

    times = sorted(seconds(lambda n=n: change(100 - n / 5)) for n in range(30))  # type: ignore[misc]
    size = f"{desk.session.source.height}p"
    tell(f"a changed figure to picture and both gauges, {size}, three steps", times[15] * 1000, "ms", most=50)
    for gauges, treated in ((2, True), (2, False), (4, False)):
        desk.gauges.change(shown=gauges)
        desk.session.document.set_treatment(0, STEPS if treated else (), "bench")
        wait(desk.frame_shown, lambda: desk.session.place.go_to(0))
        application.processEvents()
        loop, away = QEventLoop(), taken_away()
        desk.player._stopped = loop.quit
        desk.player.play(1)
        loop.exec()
        count = desk.session.programme.frame_count  # type: ignore[union-attr]
        told = f"{desk.player.dropped} of {count}; the host took {taken_away() - away:.1f} s away"
        name = f"playing {size}25, {gauges} gauges, {'three steps' if treated else 'untreated'}: dropped"
        tell(name, 100 * desk.player.dropped / count, "%", most=1, told=told)
    desk.close()


def chart_times() -> None:
    """The demo's chart: found, sampled and fitted; and its fit over a frame, as watched and as written."""
    programme = probe(demo_clip())
    request = ChartRequest(programme, programme.format, CHART_FRAME, (CHART_FRAME - 15, CHART_FRAME + 54), ChartSetup())
    fit = read_and_fit(request, Monitor()).fit
    with Reader(programme) as reader:
        planes = tuple(plane.copy() for plane in reader.planes(CHART_FRAME) or ())
    ready = FrameTreatment(fit.steps, programme.format)
    read, treated = in_turns(lambda: read_and_fit(request, Monitor()), lambda: ready.apply(planes))  # type: ignore[arg-type]
    taken, told = spread(read)
    tell("the demo's chart found, sampled over 4 frames and fitted", taken, "s", most=0.8, told=told)
    tell("its fit over a 1280×720 frame, as watched and as written", median(treated) * 1000, "ms")


def start_desk() -> float:
    """Seconds from the command to the window with its first frame."""
    began = time.time()
    told = subprocess.run([sys.executable, "-c", START], capture_output=True, text=True, check=True).stdout
    return float(told.split()[0]) - began


def main() -> None:
    """Measure and print."""
    keep_frame_memory()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        h264 = make(
            folder / "h264-1080.mov",
            "libx264",
            (1920, 1080),
            FRAMES,
            {"preset": "fast", "crf": "18", "x264-params": "log-level=error"},
        )
        prores = make(folder / "prores-1080.mov", "prores", (1920, 1080), FRAMES, {"profile": "3"})
        for clip, least in ((h264, 0.9), (prores, 0.95)) if "--desk" not in sys.argv else ():
            survey_times(clip, least)
        if "--desk" not in sys.argv:
            all_rules_times(make(folder / "heard-1080.mov", "libx264", (1920, 1080), FRAMES, FAST, heard=True))
        gauge_times(h264)
        chart_times()
        for clip in (demo_clip(), h264):
            desk_times(clip, folder)
        start, told = spread(start_desk() for _ in range(ROUNDS))
        tell("command to the window with its first frame", start, "s", most=1.2, told=told)
        peaks = []
        for minutes in (1, 10):
            clip = make(
                folder / f"{minutes}.mov",
                "libx264",
                (320, 180),
                1500 * minutes,
                FAST,
            )
            peaks.append(
                int(subprocess.run([sys.executable, "-c", PEAK, str(clip)], capture_output=True, text=True, check=True).stdout)
            )
        told = f"{peaks[0] // 1024} and {peaks[1] // 1024} MiB"
        tell("survey memory, 10 minutes against 1", peaks[1] / peaks[0], "×", most=1.05, told=told)


if __name__ == "__main__":
    main()
