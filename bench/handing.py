"""What handing on saves: a ProRes programme of which a tenth is treated, against encoding all. Part of ``make bench``."""

import os
import tempfile
import time
from dataclasses import replace
from itertools import cycle
from pathlib import Path

for _place in ("DATA", "CACHE", "STATE"):
    os.environ[f"XDG_{_place}_HOME"] = tempfile.mkdtemp()  # nothing from another sitting

from bluffline.demo import demo_clip
from bluffline.media.codecs import CODECS
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.media.writer import Writer
from bluffline.prove.handing import HandedOn
from bluffline.prove.prove import ProveRequest, prove
from bluffline.prove.render import render
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.signal.convert import convert
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from table import tell

FRAMES, SHOTS = 1500, 10  # a minute of 1080p25
STEPS = (SoftCeiling(100.0, 110.0, 85.0), ChromaRein(0.0, 100.0))
CODEC = CODECS["prores-422"]


def _source(folder: Path) -> Path:
    """The demo, over and over, in ProRes 422."""
    demo, path = probe(demo_clip()), folder / "minute.mov"
    rows = replace(demo, index=replace(demo.index, times=demo.index.times[:1].repeat(FRAMES)), tracks=())
    writer = Writer(path, rows, demo.format, CODEC)
    with Reader(demo) as reader:
        frames = [convert(reader.planes(n), demo.format, writer.format) for n in range(0, demo.frame_count, 30)]
    for number, planes in zip(range(FRAMES), cycle(frames), strict=False):
        writer.write(number, writer.picture(planes))
    writer.finish()
    return path


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        programme = probe(_source(folder))
        long = FRAMES // SHOTS
        shots = [Shot(n * long, (n + 1) * long - 1) for n in range(SHOTS)]
        for words, treated, least in (("a tenth", {4: STEPS}, 5), ("all", dict.fromkeys(range(SHOTS), STEPS), 0.95)):
            seconds = []
            for handed in (HandedOn(), None):
                began = time.perf_counter()
                asked = programme, programme.format, shots, treated, folder / "out.mov", CODEC, Monitor()
                render(*asked, handed=handed)
                seconds.append(time.perf_counter() - began)
            ratio = seconds[1] / seconds[0]
            tell(f"render of a minute of ProRes 422, {words} treated: handing on × encoding all", ratio, "×", least=least)
        survey = run_survey(start_survey(programme, load_rules("r103")), Monitor())
        began = time.perf_counter()
        proof = prove(ProveRequest(survey, shots, {4: STEPS}, folder / "proved.mov", CODEC), Monitor())
        handed = time.perf_counter() - began
        began = time.perf_counter()
        prove(ProveRequest(survey, shots, {4: STEPS}, folder / "other.mov", CODECS["prores"]), Monitor())
        ratio = (time.perf_counter() - began) / handed
        tell("written, read back and proved, a tenth treated: × in another codec", ratio, "×", least=5, told=proof.coded)


if __name__ == "__main__":
    main()
