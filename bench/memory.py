"""The greatest memory that legalising takes, UHD and 8K, as ratios to one frame's planes. Part of ``make bench``, or alone."""

import subprocess
import sys
import tempfile
from pathlib import Path

import av
import numpy as np

from bluffline.media.probe import probe
from bluffline.media.writer import plain_name
from table import tell

# name, columns and rows, frames, encoder, its options, pixel format
UHD = ("uhd.mov", (3840, 2160), 12, "prores_ks", {"profile": "3"}, "yuv422p10le")
LARGER = ("8k.mkv", (7680, 4320), 5, "ffv1", {"level": "3", "slices": "24", "slicecrc": "1"}, "yuv422p12le")
# what is legalised, to what, and the most that is asked for in MiB
CASES = (
    (UHD, "ProRes", "out.mov", 819),
    (UHD, "H.264", "out.mp4", 819),
    (UHD, "FFV1", "out.mkv", 819),
    (LARGER, "ProRes", "out.mov", 1500),
)
RUN = """
import sys
from bluffline.entry import main
status = main()
print("peak", open("/proc/self/status").read().split("VmHWM:")[1].split()[0])
sys.exit(status)
"""


def make(path: Path, size: tuple[int, int], count: int, encoder: str, options: dict[str, str], pixel_format: str) -> None:
    """A slope with grain, a tenth of it above white, that moves from frame to frame."""
    columns, rows = size
    scale = 1 << (int(pixel_format[-4:-2]) - 8)
    grain = np.random.default_rng(1).normal(0, 2 * scale, (rows, columns)).astype(np.float32)
    luma = np.clip(np.linspace(16, 250, columns, dtype=np.float32) * scale + grain, 4 * scale, 254 * scale).astype(np.uint16)
    chroma = np.broadcast_to(np.linspace(60, 190, columns // 2) * scale, (rows, columns // 2)).astype(np.uint16)
    with av.open(plain_name(path), "w") as output:
        stream = output.add_stream(encoder, rate=25, options=options)
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height, stream.pix_fmt = columns, rows, pixel_format
        stream.codec_context.color_range, stream.codec_context.colorspace = 1, 1
        for number in range(count):
            frame = av.VideoFrame(columns, rows, pixel_format)
            for plane, values in zip(frame.planes, (np.roll(luma, 16 * number, 1), chroma, chroma[:, ::-1]), strict=True):
                lines = np.zeros((rows, plane.line_size // 2), np.uint16)
                lines[:, : plane.width] = values
                plane.update(lines)
            frame.pts = number
            output.mux(stream.encode(frame))
        output.mux(stream.encode(None))


def main() -> None:
    """Legalise each in a process of its own."""
    with tempfile.TemporaryDirectory() as named:
        folder = Path(named)
        for (name, *source), codec, target, most in CASES:
            if not (folder / name).exists():
                make(folder / name, *source)  # type: ignore[arg-type]
            frame = probe(folder / name).format.frame_bytes >> 10
            command = [sys.executable, "-c", RUN, "legalise", str(folder / name), str(folder / target), "--force"]
            said = subprocess.run(command, check=False, capture_output=True, text=True).stdout
            peak = int(said.split("peak")[-1])
            tell(
                f"legalise {name} to {codec}: memory",
                peak >> 10,
                "MiB",
                most=most,
                told=f"{peak / frame:.1f} × a frame's planes",
            )


if __name__ == "__main__":
    main()
