"""Puts the scenes together: renders, encodes and writes the truth. Run by ``make demo-data``; needs Pillow."""

import argparse
import json
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

import av
import numpy as np

from bluffline.demo import CLIP, TIDE_CLIP, TIDE_TRUTH, TRUTH, fair, line_up, tide, works
from bluffline.demo.line_up import Scene
from bluffline.demo.paint import HEIGHT, WIDTH, Picture
from bluffline.signal.format import Planes
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr

RATE = 25
START = "10:00:00:00"
_TONE_HZ, _SOUND_RATE, _TONE_LEVEL = 1000, 48000, 10 ** (-18 / 20)
_SEED = 1703
_FONT = Path(__file__).parents[1] / "gauges" / "fonts" / "B612-Bold.otf"


@dataclass(frozen=True)
class ShotPlan:
    """One shot: what it shows, its length in frames, its sensor noise, and what is known to be wrong with it.

    ``low`` and ``high`` are where the camera clipped; noise never moves a clipped sample.
    """

    name: str
    frames: int
    scene: Callable[[np.random.Generator], Scene]
    noise: float
    low: float
    high: float
    faults: tuple[str, ...] = ()


def _caption(rng: np.random.Generator) -> Scene:
    return fair.caption(rng, str(_FONT))


PLAN = (
    ShotPlan("bars", 60, line_up.bars, 0.0, -1, 2, ("graphic-high", "graphic-low")),
    ShotPlan("chart of glaze tiles", 70, line_up.chart, 0.0022, -1, 2),
    ShotPlan("white, grey and black cards", 60, line_up.cards, 0.0018, -1, 2),
    ShotPlan("kiln mouth", 80, works.kiln_mouth, 0.0025, -1, 2),
    ShotPlan("courtyard", 60, works.courtyard, 0.0020, -1, works.SUPER_WHITE, ("clip-high",)),
    ShotPlan("potter", 80, fair.potter, 0.0024, -1, 2),
    ShotPlan("moor, recorded flat", 70, fair.moor, 0.0012, -1, 2),
    ShotPlan(
        "insert from a phone",
        80,
        fair.phone_insert,
        0.0025,
        fair.FULL_RANGE_BLACK,
        fair.FULL_RANGE_WHITE,
        ("levels", "clip-high", "clip-low"),
    ),
    ShotPlan("store room", 60, works.store_room, 0.0025, 0, 2, ("clip-low",)),
    ShotPlan("captioned stall", 70, _caption, 0.0018, -1, works.SUPER_WHITE, ("graphic-high",)),
    ShotPlan("three pots, nothing wrong", 60, fair.clean, 0.0016, -1, 2),
)


def render() -> Iterator[tuple[ShotPlan, Planes]]:
    """Every frame of the programme, in order, as 10-bit narrow-range 4:2:2 planes."""
    for number, plan in enumerate(PLAN):
        rng = np.random.default_rng([_SEED, number])
        scene = plan.scene(rng)
        for frame in range(plan.frames):
            picture = scene(frame)
            if plan.noise:
                grain = rng.standard_normal(picture.shape, np.float32) * np.float32(plan.noise)
                free = (picture > plan.low + 1e-4) & (picture < plan.high - 1e-4)
                picture = np.clip(picture + grain * free, plan.low, plan.high)
            yield plan, to_planes(picture)


def to_planes(picture: Picture) -> Planes:
    """R′G′B′ to 10-bit narrow-range BT.709 codes, 4:2:2 with chroma on the even columns."""
    ycbcr = rgb_to_ycbcr(picture, Matrix.BT709)
    chroma = ycbcr[..., 1:]
    edge = np.pad(chroma, ((0, 0), (1, 1), (0, 0)), mode="edge")
    sited = (0.25 * edge[:, :-2] + 0.5 * edge[:, 1:-1] + 0.25 * edge[:, 2:])[:, ::2]
    luma = np.clip(np.rint(64 + 876 * ycbcr[..., 0]), 4, 1019).astype(np.uint16)
    cb, cr = (np.clip(np.rint(512 + 896 * sited[..., c]), 4, 1019).astype(np.uint16) for c in (0, 1))
    return luma, cb, cr


def broken_rules(planes: Planes) -> dict[str, float]:
    """R 103 by its text, in plain NumPy and sharing nothing with the survey: percent of the picture outside, by rule."""
    luma, cb, cr = (plane.astype(np.float64) for plane in planes)
    y = (luma - 64) / 876
    b, r = (np.repeat((plane - 512) / 896, 2, axis=1) for plane in (cb, cr))
    for wide in (b, r):
        wide[:, 1:-1:2] = (wide[:, 0:-2:2] + wide[:, 2::2]) / 2
    rgb = np.stack([y + 1.5748 * r, y - 0.1873 * b - 0.4681 * r, y + 1.8556 * b])
    return {
        "luma-high": 100.0 * float((luma > 966).mean()),
        "luma-low": 100.0 * float((luma < 55).mean()),
        "rgb-high": 100.0 * float((rgb > 1.0525).any(axis=0).mean()),
        "rgb-low": 100.0 * float((rgb < -0.0525).any(axis=0).mean()),
    }


def build(folder: Path, report: Callable[[str], None]) -> None:
    """Render, encode, and write the clip and its truth table into ``folder``."""
    clip = folder / CLIP
    areas: list[dict[str, float]] = []
    with av.open(str(clip), "w", options={"movflags": "faststart"}) as container:
        stream = container.add_stream(
            "libx264",
            rate=RATE,
            options={
                "preset": "slow",
                "crf": "19",
                "g": "50",
                "x264-params": "log-level=error:aq-mode=3:psy-rd=1.4,0.3:deblock=-2,-2",
            },
        )
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv422p10le"
        context = stream.codec_context
        context.colorspace = context.color_primaries = context.color_trc = context.color_range = 1
        stream.metadata["timecode"] = START
        container.metadata["timecode"] = START
        container.metadata["title"] = "Glaze Fair, part two"
        sound = container.add_stream("aac", rate=_SOUND_RATE, layout="mono")
        sound.bit_rate = 64000
        for number, (plan, planes) in enumerate(render()):
            areas.append(broken_rules(planes))
            picture = av.VideoFrame(WIDTH, HEIGHT, "yuv422p10le")
            for plane, target in zip(planes, picture.planes, strict=True):
                rows = np.frombuffer(memoryview(target), np.uint16).reshape(target.height, -1)
                rows[:, : plane.shape[1]] = plane
            picture.pts = number
            container.mux(stream.encode(picture))
            container.mux(sound.encode(_tone(number)))
            if number % 25 == 0:
                report(f"{plan.name}: frame {number}")
        container.mux(stream.encode(None))
        container.mux(sound.encode(None))
    (folder / TRUTH).write_text(json.dumps(truth(areas), indent=1) + "\n", encoding="utf-8")


def _tone(frame: int) -> av.AudioFrame:
    """One picture frame's worth of line-up tone."""
    samples = _SOUND_RATE // RATE
    time = (frame * samples + np.arange(samples)) / _SOUND_RATE
    wave = (_TONE_LEVEL * np.sin(2 * np.pi * _TONE_HZ * time)).astype(np.float32)
    block = av.AudioFrame.from_ndarray(wave[None, :], format="fltp", layout="mono")
    block.sample_rate, block.pts, block.time_base = _SOUND_RATE, frame * samples, Fraction(1, _SOUND_RATE)
    return block


def truth(areas: list[dict[str, float]]) -> dict[str, Any]:
    """The truth table: shots, the frames that break R 103 (over 1 % of the picture), and what was clipped by whom."""
    shots, first = [], 0
    for plan in PLAN:
        last = first + plan.frames - 1
        inside = areas[first : last + 1]
        broken = {
            rule: [first + n for n, area in enumerate(inside) if area[rule] > 1.0]
            for rule in ("luma-high", "luma-low", "rgb-high", "rgb-low")
        }
        shots.append(
            {
                "name": plan.name,
                "first_frame": first,
                "last_frame": last,
                "faults": list(plan.faults),
                "broken": {rule: [frames[0], frames[-1]] for rule, frames in broken.items() if frames},
                "broken_frames": {rule: len(frames) for rule, frames in broken.items() if frames},
            }
        )
        first = last + 1
    return {
        "title": "Glaze Fair, part two",
        "station": "Larkmoor Television (invented)",
        "frame_rate": f"{RATE}/1",
        "start_timecode": START,
        "frame_count": first,
        "rules": "r103",
        "shots": shots,
    }


def main() -> None:
    """Build the shipped demo programmes."""
    parser = argparse.ArgumentParser(description=main.__doc__)
    parser.add_argument("folder", type=Path, nargs="?", default=Path(__file__).parent / "data")
    folder: Path = parser.parse_args().folder
    folder.mkdir(parents=True, exist_ok=True)
    for make in (build, partial(tide.build, clip=TIDE_CLIP, truth=TIDE_TRUTH)):
        make(folder, report=lambda text: print(text, file=sys.stderr))


if __name__ == "__main__":
    main()
