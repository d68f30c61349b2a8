"""What many files cost: a batch in two warm processes against a check of one after another. Run by ``make bench``, or alone."""

import os
import subprocess
import sys
import tempfile
import time
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

FILES, FRAMES, SIZE = 40, 50, (640, 360)


def make(path: Path, seed: int) -> None:
    """A short programme of grain on a slope of its own."""
    rng = np.random.default_rng(seed)
    slope = np.linspace(100, 900, SIZE[0]) + rng.normal(0, 4, (SIZE[1], SIZE[0]))
    luma = np.clip(slope, 64, 940).astype(np.uint16)
    with av.open(str(path), "w") as output:
        stream = output.add_stream("prores_ks", 25, options={"profile": "3"})
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv422p10le"
        stream.codec_context.color_range, stream.codec_context.colorspace = 1, 1
        for number in range(FRAMES):
            frame = av.VideoFrame(*SIZE, "yuv422p10le")
            for plane, values in zip(frame.planes, (np.roll(luma, number, 1), np.uint16(512), np.uint16(512)), strict=True):
                lines = np.zeros((plane.height, plane.line_size // 2), np.uint16)
                lines[:, : plane.width] = values
                plane.update(lines)
            frame.pts, frame.time_base = number, Fraction(1, 25)
            output.mux(stream.encode(frame))
        output.mux(stream.encode(None))


def main() -> None:
    """Measure and print."""
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
    told = f"{FILES} files of {FRAMES} frames: checked one after another {singly:.0f} s, by batch {batch:.1f} s"
    print(f"{told}: {singly / batch:.1f} × as fast, asked for 2.5; by batch again, nothing changed, {again:.1f} s")


if __name__ == "__main__":
    main()
