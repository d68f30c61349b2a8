"""Test signals: a stand-in for an external generator. Bars, ramps, steps and limits as exact pictures or as clips."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError, WriteError
from bluffline.media.codecs import MATRIX_TAGS, RANGE_TAGS, Codec, written_format
from bluffline.media.pixels import layout_of, put_planes
from bluffline.media.target import claimed
from bluffline.signal.convert import convert
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr

Picture = NDArray[np.float64]  # (H, W, 3) Y′ 0 … 1, Cb and Cr −0.5 … 0.5, unclamped
_HUES = ((1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1), (0, 0, 0))
_STEPS = 11
_RESERVED = 4  # 10-bit codes at either end that a serial link keeps for timing
_SECONDS_MOST = 3600
_PRIMARIES_625 = 5  # H.273 code point


@dataclass(frozen=True, slots=True)
class TestSignal:
    """A signal by its name: what it shows, and how it is drawn for a format."""

    name: str
    title: str
    draw: Callable[[SignalFormat], Picture]


def _of_rgb(rgb: NDArray[np.float64], source: SignalFormat) -> Picture:
    return np.asarray(rgb_to_ycbcr(rgb, source.matrix))


def _columns(colours: Sequence[tuple[float, ...]], edges: Sequence[float], width: int, rows: int) -> NDArray[np.float64]:
    """(rows, width, 3) flat columns; edges: where each begins, as shares of the width."""
    place = np.searchsorted(np.asarray(edges) * width, np.arange(width) + 0.5, side="right") - 1
    return np.broadcast_to(np.array(colours, float)[place], (rows, width, 3)).copy()


def _bars(source: SignalFormat) -> Picture:
    """EBU bars 100/0/75/0: white at 100 %, colours at 75 % [BT471]."""
    colours = [(1.0, 1.0, 1.0), *(tuple(0.75 * c for c in hue) for hue in _HUES[1:])]
    return _of_rgb(_columns(colours, [n / 8 for n in range(8)], source.width, source.height), source)


def _rp219(source: SignalFormat) -> Picture:
    """SMPTE RP 219 bars: 75 % colours between greys, then 100 % patches, a ramp, and steps about black."""
    width, height = source.width, source.height
    side, bar = 1 / 8, 3 / 28
    edges = [0.0, *(side + n * bar for n in range(7)), 1 - side]
    rows = [round(height * share) for share in (7 / 12, 8 / 12, 9 / 12)]
    grey = (0.4,) * 3
    top = _columns([grey, *(tuple(0.75 * c for c in hue) for hue in _HUES[:7]), grey], edges, width, rows[0])
    second = _columns([(0, 1, 1), (1, 1, 1), (0.75,) * 3, (0, 0, 1)], [0, side, side + bar, 1 - side], width, rows[1] - rows[0])
    third = _columns(
        [(1, 1, 0), (0,) * 3, (0,) * 3, (1, 1, 1), (1, 0, 0)], [0, side, side + bar, side + 6 * bar, 1 - side], width,
        rows[2] - rows[1],
    )  # fmt: skip
    x = (np.arange(width) + 0.5) / width
    ramp = np.clip((x - side - bar) / (5 * bar), 0, 1)
    inside = (x >= side + bar) & (x < side + 6 * bar)
    third[:, inside] = ramp[None, inside, None]
    parts = ((0.15, 0), (0, side), (1, side + 1.5 * bar), (0, side + 3.5 * bar))
    steps = [(level, side + (3.5 + 5 / 6 + n / 3) * bar) for n, level in enumerate((-0.02, 0, 0.02, 0, 0.04))]
    last = [(0, side + 6 * bar), (0.15, 1 - side)]
    levels = [*parts, *steps, *last]
    fourth = _columns([(level,) * 3 for level, _ in levels], [place for _, place in levels], width, height - rows[2])
    return _of_rgb(np.concatenate([top, second, third, fourth]), source)


def _grey(levels: NDArray[np.float64], source: SignalFormat) -> Picture:
    picture = np.zeros((source.height, source.width, 3))
    picture[..., 0] = levels
    return picture


def _ramp(source: SignalFormat) -> Picture:
    return _grey(np.linspace(0, 1, source.width), source)


def _near_black(source: SignalFormat) -> Picture:
    return _grey(np.linspace(-0.04, 0.08, source.width), source)


def _steps(source: SignalFormat) -> Picture:
    return _grey(np.arange(source.width) * _STEPS // source.width / (_STEPS - 1), source)


def _chroma_sweep(source: SignalFormat) -> Picture:
    """Every hue once across the picture, its saturation rising downwards to a quarter of the chroma range."""
    angle = np.linspace(0, 2 * np.pi, source.width)[None, :]
    strength = np.linspace(0, 0.25, source.height)[:, None]
    luma = np.full((source.height, source.width), 0.5)
    return np.stack([luma, strength * np.cos(angle), strength * np.sin(angle)], axis=-1)


def _legal_codes(source: SignalFormat) -> Picture:
    """Every legal code: luma from black to white, then Cb from yellow to blue, then Cr from cyan to red, all inside R′G′B′."""
    thirds = [round(source.height * n / 3) for n in range(4)]
    across = np.linspace(0, 1, source.width)[None, :, None]
    picture = np.zeros((source.height, source.width, 3))
    picture[: thirds[1], :, 0] = across[..., 0]
    for n, (start, stop) in enumerate((((1, 1, 0), (0, 0, 1)), ((0, 1, 1), (1, 0, 0))), 1):
        blend = np.array(start) * (1 - across) + np.array(stop) * across
        picture[thirds[n] : thirds[n + 1]] = _of_rgb(blend, source)
    return picture


def _over_limits(source: SignalFormat) -> Picture:
    """Patches that break every limit: luma over and under, R′G′B′ over and under with luma legal, and a legal grey."""
    patches = [(1.08,) * 3, (-0.06,) * 3, (1.25, 0.45, 0.1), (0.6, 0.3, -0.15), (0.5,) * 3]
    return _of_rgb(_columns(patches, [n / 5 for n in range(5)], source.width, source.height), source)


SIGNALS = {
    signal.name: signal
    for signal in (
        TestSignal("bars", "EBU bars 100/0/75/0", _bars),
        TestSignal("rp219", "RP 219 bars", _rp219),
        TestSignal("ramp", "ramp from 0 to 100 %", _ramp),
        TestSignal("near-black", "ramp from −4 to 8 %", _near_black),
        TestSignal("steps", "eleven grey steps", _steps),
        TestSignal("chroma-sweep", "every hue, saturation rising", _chroma_sweep),
        TestSignal("legal-codes", "every legal code of luma, Cb and Cr", _legal_codes),
        TestSignal("over-limits", "patches that break every limit", _over_limits),
    )
}


def signal_named(name: str) -> TestSignal:
    """A test signal by its name.

    Raises
    ------
    SettingsError : there is none of that name.
    """
    if name not in SIGNALS:
        raise SettingsError(f"There is no test signal named {name}; choose {', '.join(SIGNALS)}.")
    return SIGNALS[name]


def signal_planes(signal: TestSignal, source: SignalFormat) -> Planes:
    """A test signal as native planes of a Y′CbCr format, rounded to codes that a serial link may carry."""
    picture, levels = signal.draw(source), source.levels
    unit = 1 << (source.bit_depth - 8)
    low, high = max(_RESERVED * unit // 4, 1), (1 << source.bit_depth) - 1 - max(_RESERVED * unit // 4, 1)
    dtype = np.uint8 if source.bit_depth == 8 else np.uint16

    def stored(values: NDArray[np.float64], origin: int, span: int) -> NDArray[np.uint16]:
        return np.clip(np.rint(origin + values * span), low, high).astype(dtype)

    whole = SignalFormat(
        source.width, source.height, source.bit_depth, Model.YCBCR, (False, False), source.range, source.matrix,
        source.primaries, source.transfer,
    )  # fmt: skip
    planes = (
        stored(picture[..., 0], levels.black, levels.swing),
        stored(picture[..., 1], levels.zero, levels.span),
        stored(picture[..., 2], levels.zero, levels.span),
    )
    made: Planes = convert(planes, whole, source)
    return made


def write_signal(
    signal: TestSignal, target: Path, codec: Codec, *, size: tuple[int, int] = (1920, 1080), rate: Fraction = Fraction(25),
    depth: int = 10, seconds: float = 10.0, tell: Callable[[int, int], None] = lambda *_: None,
) -> None:  # fmt: skip
    """Write a test signal as a clip, narrow range, tagged as what it is: BT.601 up to 576 lines, else BT.709.

    ``tell`` is called with the frames written and their number, and may raise to stop.

    Raises
    ------
    SettingsError : the size, rate, depth or duration can't be written in this codec.
    WriteError : the codec can't tell the matrix, or the disk or the encoder refuses; nothing stands under the target's name
        that was not there before.
    """
    frames = round(seconds * rate) if math.isfinite(seconds) else 0
    if not 1 <= frames <= _SECONDS_MOST * rate:
        raise SettingsError(f"A test signal lasts from one frame to an hour, not {seconds:g} seconds.")
    if min(size) < 16 or size[0] % 2 or size[1] % 2 or max(size) > 8192:
        raise SettingsError(f"A test signal's size is even and between 16 and 8192 pixels, not {size[0]}×{size[1]}.")
    if depth not in (8, 10, 12) or (not codec.lossless and depth != layout_of(codec.pixel_format).bit_depth):
        raise SettingsError(f"{codec.title} can't hold {depth} bits; .mkv holds 8, 10 and 12.")
    pixels = codec.pixel_format or f"yuv422p{'' if depth == 8 else f'{depth}le'}"
    matrix = Matrix.BT601 if size[1] <= 576 else Matrix.BT709
    by_size = "bt601-625" if size[1] <= 576 else "bt709"
    source = written_format(
        SignalFormat(*size, depth, Model.YCBCR, (True, False), Range.NARROW, matrix, by_size, "bt709"), codec
    )
    with claimed(target, "unfinished") as claim:
        try:
            _encode(claim.working, codec, pixels, source, signal, rate, frames, tell)
        except (av.error.FFmpegError, OSError, ValueError) as error:
            raise WriteError(f"{target.name} could not be written in {codec.title}: {error}.") from error
        claim.settle({})


def _encode(
    path: Path, codec: Codec, pixels: str, source: SignalFormat, signal: TestSignal, rate: Fraction, frames: int,
    tell: Callable[[int, int], None],
) -> None:  # fmt: skip
    planes = signal_planes(signal, source)
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec.encoder, rate=rate, options=dict(codec.options))
        stream.width, stream.height, stream.pix_fmt = source.width, source.height, pixels
        context = stream.codec_context
        context.color_range, context.colorspace = RANGE_TAGS[source.range], MATRIX_TAGS[source.matrix]
        context.color_primaries = 1 if source.matrix is Matrix.BT709 else _PRIMARIES_625
        context.color_trc = 1  # BT.601 has the same transfer characteristic, and ProRes carries only this code point for it
        for number in range(frames):
            frame = av.VideoFrame(source.width, source.height, pixels)
            put_planes(frame, planes)
            frame.pts, frame.time_base = number, 1 / rate
            frame.color_range, frame.colorspace = context.color_range, context.colorspace
            frame.color_primaries, frame.color_trc = context.color_primaries, context.color_trc
            container.mux(stream.encode(frame))
            tell(number + 1, frames)
        container.mux(stream.encode(None))
