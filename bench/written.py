"""What writing costs over a plain transcode of the same file: decoded and encoded by the same libraries, threads and options.

A transcode measures, treats, reads back and proves nothing, so nothing that is written can be faster. Part of ``make bench``.
"""

import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

for _place in ("DATA", "CACHE", "STATE"):
    os.environ[f"XDG_{_place}_HOME"] = tempfile.mkdtemp()  # nothing from another sitting

import av
from av.filter import Graph

from bluffline.demo import demo_clip
from bluffline.media.codecs import CODECS, Codec
from bluffline.media.probe import probe
from bluffline.memory import keep_frame_memory
from bluffline.prove.prove import ProveRequest, propose_all, prove
from bluffline.prove.render import render
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.kinds.tone import Tone
from run import STEPS, make, seconds, spread
from table import tell
from treating import NINE

_ROUNDS = 3
_FRAMES = 100
_CUBE = 33
SMALL = (Tone(gain=(1, 1, 1, 0.99)),)


def transcode(path: Path, target: Path, codec: Codec, *filters: tuple[str, str]) -> None:
    """Decode and encode again; through filters of libavfilter where there are some."""
    programme = probe(path)
    with av.open(str(path)) as source, av.open(str(target), "w") as output:
        pictures = source.streams.video[0]
        pictures.thread_type = "AUTO"
        options = codec.options_for(programme.format, programme.frame_rate)
        stream = output.add_stream(codec.encoder, rate=programme.frame_rate, options=options)
        stream.width, stream.height, stream.pix_fmt = pictures.width, pictures.height, codec.pixel_format
        stream.codec_context.thread_count, stream.codec_context.thread_type = (
            os.cpu_count(),
            codec.threads_for(programme.format),
        )
        graph = Graph()
        chain = [graph.add_buffer(template=pictures), *(graph.add(*each) for each in filters), graph.add("buffersink")]
        graph.link_nodes(*chain).configure()
        for frame in source.decode(pictures):
            if filters:
                graph.vpush(frame)
                frame = graph.vpull()  # noqa: PLW2901
            output.mux(stream.encode(frame.reformat(format=codec.pixel_format)))
        output.mux(stream.encode(None))


@dataclass(frozen=True)
class Taken:
    """Seconds of one run, and of the processor's, all cores and threads together."""

    seconds: float
    work: float


def by_turns(**acts: Callable[[], object]) -> dict[str, list[Taken]]:
    """Several runs of each act by turns."""
    found: dict[str, list[Taken]] = {name: [] for name in acts}
    for _ in range(_ROUNDS):
        for name, act in acts.items():
            began = time.process_time()
            found[name].append(Taken(seconds(act), time.process_time() - began))
    return found


def tell_ratio(name: str, ours: list[Taken], theirs: list[Taken], *, least: float | None = None) -> None:
    """Tell how many times as fast ours is, and how many times it would be if no core ever waited."""
    value, told = spread(b.seconds / a.seconds for a, b in zip(ours, theirs, strict=True))
    bound, _ = spread(b.work / a.work for a, b in zip(ours, theirs, strict=True))
    tell(name, value, "×", least=least, told=f"{told}; by processor time {bound:.2f}")


def against_transcode(path: Path, codec: Codec, folder: Path) -> None:
    """Rendering three steps, nine and a small one against plain transcodes, with a LUT and a limiter too."""
    programme, cube = probe(path), folder / "as-it-is.cube"
    axis = [n / (_CUBE - 1) for n in range(_CUBE)]
    points = (f"{r} {g} {b}" for b in axis for g in axis for r in axis)
    cube.write_text(f"LUT_3D_SIZE {_CUBE}\n" + "\n".join(points) + "\n", "utf-8")
    target = folder / f"out{codec.containers[0]}"

    def rendered(steps: tuple[object, ...]) -> Callable[[], object]:
        shots = [Shot(0, programme.frame_count - 1)]
        return lambda: render(programme, programme.format, shots, {0: steps}, target, codec, Monitor())  # type: ignore[dict-item]

    filters = ("format", "gbrp10le"), ("lut3d", f"file={cube}"), ("format", codec.pixel_format), ("limiter", "min=64:max=940")
    times = by_turns(
        plain=lambda: transcode(path, target, codec), lut=lambda: transcode(path, target, codec, *filters),
        small=rendered(SMALL), three=rendered(STEPS), nine=rendered(NINE),
    )  # fmt: skip
    for name, ours, theirs, least in (
        ("render of three steps × plain transcode", "three", "plain", 0.9),
        ("render of nine rungs × plain transcode", "nine", "plain", 0.75),
        ("render of three steps × transcode through lut3d and limiter", "three", "lut", 1.0),
        ("render of nine rungs × render of one small tone step", "nine", "small", None),
    ):
        tell_ratio(f"{name}, {path.stem} to {codec.title}", times[ours], times[theirs], least=least)


def proved(folder: Path) -> None:
    """Legalising the demo: rendered, read back, judged and hashed, against transcoding it."""
    codec = CODECS["prores"]
    survey = run_survey(start_survey(probe(demo_clip()), load_rules("r103")), Monitor())
    shots = survey.shots()
    treatments = {each.shot: each.treatment for each in propose_all(survey, shots, survey.findings(shots), Monitor())}
    asked = ProveRequest(survey, shots, treatments, folder / "proved.mov", codec)
    times = by_turns(
        plain=lambda: transcode(demo_clip(), folder / "plain.mov", codec), ours=lambda: prove(asked, Monitor()),
    )  # fmt: skip
    name = "the demo legalised to ProRes, read back, judged and hashed × plain transcode"
    tell_ratio(name, times["ours"], times["plain"], least=0.95)


def checked(path: Path) -> None:
    """Processor time of ``check`` besides the frames."""
    programme, rules = probe(path), load_rules("r103")
    run_survey(start_survey(programme, rules), Monitor())
    began = time.process_time()
    run_survey(start_survey(programme, rules), Monitor())
    frames = time.process_time() - began
    besides = []
    for _ in range(_ROUNDS):
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        subprocess.run([sys.executable, "-m", "bluffline", "check", str(path)], stdout=subprocess.DEVNULL, check=False)
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        besides.append(after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime - frames)
    value, told = spread(besides)
    tell("check of a ten-second file: processor time besides the frames", value, "s", most=1, told=told)


def main() -> None:
    """Measure and print."""
    keep_frame_memory()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        options = {"preset": "fast", "crf": "18", "x264-params": "log-level=error"}
        h264 = make(folder / "H.264.mov", "libx264", (1920, 1080), _FRAMES, options)
        prores = make(folder / "ProRes.mov", "prores", (1920, 1080), _FRAMES, {"profile": "3"})
        against_transcode(prores, CODECS["prores"], folder)
        against_transcode(h264, CODECS["h264"], folder)
        proved(folder)
        checked(make(folder / "ten.mov", "libx264", (640, 360), 250, options))


if __name__ == "__main__":
    main()
