"""Small clips with known contents."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from bluffline.media.pixels import layout_of, put_planes
from bluffline.media.writer import FieldMarker
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr

Picture = Callable[[int], np.ndarray]  # frame number → (H, W, 3) R′G′B′, 0 … 1, unclamped
BITS = 8


def signal(
    width: int = 64, height: int = 48, depth: int = 10, sampling: str = "422", *, model: Model = Model.YCBCR,
    signal_range: Range = Range.NARROW, matrix: Matrix = Matrix.BT709,
) -> SignalFormat:  # fmt: skip
    """A format by its usual name."""
    halved = {"420": (True, True), "422": (True, False), "444": (False, False)}[sampling]
    return SignalFormat(width, height, depth, model, halved, signal_range, matrix, "bt709", "bt709")


def to_planes(rgb: np.ndarray, source: SignalFormat, *, filtered: bool = False) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """R′G′B′ (0 … 1) to native planes; chroma is taken at its co-sited pixels, as it is or filtered by 1-2-1 and two rows."""
    levels, top = source.levels, (1 << source.bit_depth) - 1
    dtype = np.uint8 if source.bit_depth == 8 else np.uint16
    if source.model is Model.RGB:
        codes = levels.black + rgb * levels.swing
        return tuple(np.clip(np.rint(codes[..., c]), 0, top).astype(dtype) for c in range(3))
    ycbcr = rgb_to_ycbcr(rgb, source.matrix)
    luma = levels.black + ycbcr[..., 0] * levels.swing
    if filtered:
        wide = np.pad(ycbcr, ((0, 1), (1, 1), (0, 0)), mode="edge")
        if source.halved[0]:
            ycbcr[..., 1:] = (wide[:-1, :-2] + 2 * wide[:-1, 1:-1] + wide[:-1, 2:])[..., 1:] / 4
        if source.halved[1]:
            ycbcr[:-1, :, 1:] = (ycbcr[:-1, :, 1:] + ycbcr[1:, :, 1:]) / 2
    chroma = levels.zero + ycbcr[:: 1 + source.halved[1], :: 1 + source.halved[0], 1:] * levels.span
    return tuple(np.clip(np.rint(p), 0, top).astype(dtype) for p in (luma, chroma[..., 0], chroma[..., 1]))


def dissolved(path: Path, one: np.ndarray, other: np.ndarray, first: int, last: int, count: int) -> Path:
    """A clip in which one still dissolves into another over frames ``first`` to ``last``."""
    shares = [min(max((n - first + 1) / (last - first + 2), 0), 1) for n in range(count)]
    return make_clip(path, lambda n: one + (other - one) * shares[n], count)


def blocks(seed: int, brightest: float) -> np.ndarray:
    """(72, 128, 3) R′G′B′ in squares of any colours from 0.05 up."""
    return np.random.default_rng(seed).uniform(0.05, brightest, (9, 16, 3)).repeat(8, 0).repeat(8, 1)


def numbered(number: int, height: int = 96, width: int = 160) -> np.ndarray:
    """A picture that carries its own number, in bars of light and dark that any codec keeps."""
    bars = np.array([0.7 if number >> bit & 1 else 0.3 for bit in range(BITS)])
    return np.broadcast_to(bars[np.arange(width) * BITS // width][None, :, None], (height, width, 3)).astype(float)


def read_number(luma: np.ndarray, width: int, height: int, middle: float) -> int:
    """The number that `numbered` drew."""
    columns = (np.arange(BITS) * width + width // 2) // BITS
    return sum(int(luma[height // 2, column] > middle) << bit for bit, column in enumerate(columns))


def make_clip(
    path: Path, picture: Picture, frames: int, *, codec: str = "ffv1", pixel_format: str = "yuv422p10le",
    rate: Fraction | int = 25, timecode: str | None = None, sound: bool = False, options: dict[str, str] | None = None,
    tags: bool = True, times: Callable[[int], int] | None = None, full: bool = False, filtered: bool = False,
    top_first: bool | None = None,
) -> Path:  # fmt: skip
    """Encode ``frames`` pictures. Lossless where the codec is; tagged BT.709 narrow unless told otherwise."""
    layout = layout_of(pixel_format)
    height, width = picture(0).shape[:2]
    kind = Range.FULL if full else Range.NARROW
    source = SignalFormat(width, height, layout.bit_depth, layout.model, layout.halved, kind, Matrix.BT709, "bt709", "bt709")
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=rate, options=options or {})
        stream.width, stream.height, stream.pix_fmt = width, height, pixel_format
        if tags:
            context = stream.codec_context
            context.color_primaries = context.color_trc = 1
            context.color_range = 2 if full else 1
            if layout.model is Model.YCBCR:
                context.colorspace = 1
        if times is not None:
            stream.codec_context.time_base = stream.time_base = Fraction(1, 1000)
        if timecode:
            stream.metadata["timecode"] = container.metadata["timecode"] = timecode
        track = container.add_stream("pcm_s16le", rate=48000, layout="mono") if sound else None
        fields = None if top_first is None else FieldMarker(top_first)
        for number in range(frames):
            frame = av.VideoFrame(width, height, pixel_format)
            put_planes(frame, to_planes(picture(number), source, filtered=filtered))
            frame.pts = number if times is None else times(number)
            frame.time_base = 1 / Fraction(rate) if times is None else Fraction(1, 1000)
            if fields is not None:
                frame = fields.mark(frame)
            container.mux(stream.encode(frame))
            if track is not None:
                samples = (3000 * np.sin(np.arange(1920) * 0.13 + number)).astype(np.int16)
                block = av.AudioFrame.from_ndarray(samples[None], format="s16", layout="mono")
                block.sample_rate, block.pts, block.time_base = 48000, number * 1920, Fraction(1, 48000)
                container.mux(track.encode(block))
        container.mux(stream.encode(None))
        if track is not None:
            container.mux(track.encode(None))
    return path


def two_pictures(source: Path, target: Path) -> Path:
    """A file with the picture track of another, twice."""
    with av.open(str(source)) as one, av.open(str(target), "w") as both:
        copies = [both.add_stream_from_template(one.streams.video[0], opaque=None) for _ in range(2)]
        for packet in one.demux(video=0):
            for copy in copies if packet.dts is not None else ():
                packet.stream = copy
                both.mux(packet)
    return target


def two_corrections(path: Path, ids: tuple[str, str] = ("a", "b")) -> Path:
    """A collection of two corrections: of half and of full slope."""
    rest = "<Offset>0 0 0</Offset><Power>1 1 1</Power>"
    named = [f' id="{name}"' if name else "" for name in ids]
    each = [
        f"<ColorCorrection{name}><SOPNode><Slope>{slope} 1 1</Slope>{rest}</SOPNode></ColorCorrection>"
        for name, slope in zip(named, (0.5, 1), strict=True)
    ]
    path.write_text(f'<ColorCorrectionCollection xmlns="urn:ASC:CDL:v1.01">{"".join(each)}</ColorCorrectionCollection>')
    return path
