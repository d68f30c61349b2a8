"""*The Tide Hour* of Larkmoor Television, of which every fault is known by its frames. Run by ``make demo-data``."""

import json
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from bluffline.demo.line_up import Scene
from bluffline.demo.paint import HEIGHT, WIDTH, Picture, encode_709, grid, over, polygon, texture, tinted, view
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr

RATE, SOUND_RATE = 25, 48_000
START = "11:00:00:00"
_SEED = 2203
_PITCHES, _LEVEL = (131, 196, 262, 330, 392, 523), 0.062  # hertz; the amplitude of each
_GRAIN = 0.004
Sound = NDArray[np.float64]


@dataclass(frozen=True)
class Fault:
    """What is wrong, by the rule that tells of it, from its first frame to its last."""

    rule: str
    first: int
    last: int


FAULTS = (
    Fault("black", 120, 133),
    Fault("frozen", 186, 211),
    Fault("flash", 290, 339),
    Fault("red-flash", 410, 449),
    Fault("silence", 150, 249),
    Fault("sound-clipped", 500, 509),
    Fault("true-peak", 500, 509),
    Fault("phase", 560, 634),
    Fault("silence", 660, 759),  # of one channel
    Fault("loudness", 0, 799),  # the burst at 500 lifts it
)
LENGTHS = 134, 116, 120, 120, 160, 150  # frames of each shot; the first ends in black


def _shore(rng: np.random.Generator, sky: tuple[float, ...], sea: tuple[float, ...], boat: float) -> Scene:
    """Sky over a sea whose waves go by, and a boat."""
    x, y = grid()
    horizon = 300 + 20 * rng.uniform()
    clouds = tinted(0.8 + 0.2 * texture(rng, 90, 4, 2.5) - 0.0004 * (horizon - y), sky)  # type: ignore[arg-type]
    waves = texture(rng, 22, 3, 4.0)
    waves = np.concatenate([waves, waves[:, ::-1]], axis=1)  # comes round without a seam
    cloth = tinted(0.9 + 0.15 * texture(rng, 40, 4), (0.55, 0.50, 0.40))

    def at(frame: int) -> Picture:
        water = tinted(0.75 + 0.35 * np.roll(waves, frame * 3, axis=1)[:, : x.shape[1]], sea)  # type: ignore[arg-type]
        picture = np.where((y > horizon)[..., None], water, clouds)
        left, deck = boat + 1.1 * frame, horizon + 70 + 6 * np.sin(frame / 9)
        hull = [(left, deck), (left + 260, deck), (left + 215, deck + 58), (left + 45, deck + 58)]
        sail = [(left + 120, deck - 210), (left + 128, deck - 14), (left + 20, deck - 14)]
        picture = over(picture, polygon(x, y, hull), (0.16, 0.07, 0.04))
        return over(picture, polygon(x, y, sail), cloth)

    return at


def _pictures() -> list[Scene]:
    rng = np.random.default_rng(_SEED)
    colours = [
        ((0.30, 0.40, 0.52), (0.06, 0.15, 0.19)), ((0.42, 0.38, 0.34), (0.10, 0.14, 0.15)),
        ((0.05, 0.06, 0.09), (0.02, 0.03, 0.05)), ((0.20, 0.24, 0.22), (0.05, 0.09, 0.08)),
        ((0.36, 0.44, 0.50), (0.07, 0.18, 0.16)), ((0.48, 0.36, 0.26), (0.12, 0.11, 0.12)),
    ]  # fmt: skip
    return [_shore(rng, sky, sea, 80 + 90 * number) for number, (sky, sea) in enumerate(colours)]


def picture_at(number: int, scenes: list[Scene]) -> Picture:
    """A frame of the programme, R′G′B′, with whatever is wrong with it."""
    wrong = {fault.rule: fault for fault in FAULTS if fault.first <= number <= fault.last}
    if "frozen" in wrong:
        number = wrong["frozen"].first - 1
    ends = np.cumsum(LENGTHS)
    shot = int(np.searchsorted(ends, number, side="right"))
    linear = view(scenes[shot](number), 0, 0)
    if "black" in wrong:
        linear = np.zeros_like(linear)
    if "flash" in wrong and (number - wrong["flash"].first) % 7 < 3:
        linear = np.minimum(linear * 9 + 0.12, 0.9)
    if "red-flash" in wrong:
        lit = (number - wrong["red-flash"].first) % 6 < 3
        linear = linear * 0.3 + (np.array((0.35, 0.0, 0.0)) if lit else 0.0)
    grain = np.random.default_rng([_SEED, number]).standard_normal(linear.shape, np.float32) * np.float32(_GRAIN)
    return np.asarray(encode_709(np.asarray(linear, np.float32)) + grain * ("black" not in wrong), np.float32)


def sound() -> Sound:
    """(n, 2) samples of the whole programme, with whatever is wrong with them."""
    count = sum(LENGTHS) * SOUND_RATE // RATE
    time = np.arange(count) / SOUND_RATE
    swell = 0.75 + 0.25 * np.sin(2 * np.pi * time / 5.3)
    left, right = (
        swell * _LEVEL * sum(np.sin(2 * np.pi * pitch * time + n * turn) for n, pitch in enumerate(_PITCHES))
        for turn in (0.0, 0.4)
    )
    heard = np.stack([left, right], 1)
    for fault in FAULTS:
        part = slice(fault.first * SOUND_RATE // RATE, (fault.last + 1) * SOUND_RATE // RATE)
        if fault.rule == "silence":
            heard[part, slice(1, 2) if fault.first > LENGTHS[0] + LENGTHS[1] else slice(None)] = 0
        elif fault.rule == "sound-clipped":
            heard[part] = np.clip(20 * heard[part], -1, 1)
        elif fault.rule == "phase":
            heard[part, 1] = -heard[part, 0]
    return heard


def build(folder: Path, clip: str, truth: str, report: Callable[[str], None]) -> None:
    """Render, encode, and write the programme and what is known to be wrong with it."""
    scenes, samples = _pictures(), sound()
    with av.open(str(folder / clip), "w", options={"movflags": "faststart"}) as container:
        options = {"preset": "slow", "crf": "23", "g": "50", "x264-params": "log-level=error"}
        stream = container.add_stream("libx264", rate=RATE, options=options)
        stream.width, stream.height, stream.pix_fmt = WIDTH // 2, HEIGHT // 2, "yuv422p10le"
        context = stream.codec_context
        context.colorspace = context.color_primaries = context.color_trc = context.color_range = 1
        stream.metadata["timecode"] = container.metadata["timecode"] = START
        container.metadata["title"] = "The Tide Hour"
        track = container.add_stream("aac", rate=SOUND_RATE, layout="stereo")
        track.bit_rate = 128_000
        for number in range(sum(LENGTHS)):
            container.mux(stream.encode(_frame(picture_at(number, scenes), number)))
            container.mux(track.encode(_block(samples, number)))
            if number % 100 == 0:
                report(f"The Tide Hour: frame {number}")
        container.mux(stream.encode(None))
        container.mux(track.encode(None))
    told: dict[str, Any] = {
        "title": "The Tide Hour", "station": "Larkmoor Television (invented)", "frame_rate": f"{RATE}/1",
        "start_timecode": START, "frame_count": sum(LENGTHS), "rules": "delivery",
        "faults": [{"rule": each.rule, "first_frame": each.first, "last_frame": each.last} for each in FAULTS],
    }  # fmt: skip
    (folder / truth).write_text(json.dumps(told, indent=1) + "\n", encoding="utf-8")


def _frame(picture: Picture, number: int) -> av.VideoFrame:
    small = picture.reshape(HEIGHT // 2, 2, WIDTH // 2, 2, 3).mean(axis=(1, 3))
    ycbcr = rgb_to_ycbcr(small, Matrix.BT709)
    luma = np.clip(np.rint(64 + 876 * ycbcr[..., 0]), 4, 1019)
    chroma = np.clip(np.rint(512 + 896 * ycbcr[:, ::2, 1:]), 4, 1019)
    frame = av.VideoFrame(WIDTH // 2, HEIGHT // 2, "yuv422p10le")
    for plane, target in zip((luma, chroma[..., 0], chroma[..., 1]), frame.planes, strict=True):
        rows = np.frombuffer(memoryview(target), np.uint16).reshape(target.height, -1)
        rows[:, : plane.shape[1]] = plane
    frame.pts = number
    return frame


def _block(samples: Sound, number: int) -> av.AudioFrame:
    """What is heard with a frame."""
    count = SOUND_RATE // RATE
    part = np.ascontiguousarray(samples[number * count : (number + 1) * count].T, np.float32)
    block = av.AudioFrame.from_ndarray(part, format="fltp", layout="stereo")
    block.sample_rate, block.pts, block.time_base = SOUND_RATE, number * count, Fraction(1, SOUND_RATE)
    return block
