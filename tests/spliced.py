"""Clips whose frames say one thing of themselves and later on another."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from bluffline.media.pixels import layout_of, put_planes
from bluffline.media.writer import FieldMarker
from bluffline.signal.format import SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from clips import to_planes

CODES = {Matrix.BT709: 1, Matrix.BT601: 6, Matrix.BT2020: 9}


@dataclass(frozen=True)
class Part:
    """Frames that say the same: of what matrix and range, with what code points for primaries and transfer, in what fields."""

    frames: int = 15
    matrix: Matrix = Matrix.BT709
    range: Range = Range.NARROW
    primaries: int = 1
    transfer: int = 1
    top_first: bool | None = None
    options: dict[str, str] = field(default_factory=dict)


def spliced(
    path: Path, parts: Sequence[Part], picture: np.ndarray, *, codec: str = "libx264", pixels: str = "yuv420p"
) -> Path:
    """One track of all parts, each from an encoder of its own; the picture is that of every frame, 0 … 1 in R′G′B′."""
    height, width = picture.shape[:2]
    layout = layout_of(pixels)
    with av.open(str(path), "w") as container:
        stream, number = None, 0
        for part in parts:
            context = av.CodecContext.create(codec, "w")
            context.width, context.height, context.pix_fmt = width, height, pixels
            context.time_base, context.framerate = Fraction(1, 25), Fraction(25)
            options = {"qp": "0", "bf": "0", "g": "1", "x264-params": "log-level=-1"} if codec == "libx264" else {}
            context.options = options | part.options
            said = 2 if part.range is Range.FULL else 1, CODES[part.matrix], part.primaries, part.transfer
            context.color_range, context.colorspace, context.color_primaries, context.color_trc = said
            marker = None if part.top_first is None else FieldMarker(part.top_first)
            if marker is not None:
                context.flags |= av.codec.context.Flags.interlaced_dct
            if stream is None:
                stream = container.add_stream(codec, rate=25)
                stream.width, stream.height, stream.pix_fmt = width, height, pixels
            source = SignalFormat(
                width, height, layout.bit_depth, layout.model, layout.halved, part.range, part.matrix, "bt709", "bt709"
            )
            packets = []
            for n in range(part.frames):
                frame = av.VideoFrame(width, height, pixels)
                put_planes(frame, to_planes(picture, source))
                frame.color_range, frame.colorspace, frame.color_primaries, frame.color_trc = said
                frame.pts, frame.time_base = number + n, Fraction(1, 25)
                packets += context.encode(frame if marker is None else marker.mark(frame))
            for packet in [*packets, *context.encode(None)]:
                packet.stream = stream
                packet.time_base = Fraction(1, 25)
                container.mux(packet)
            number += part.frames
    return path


def with_silent_frames(source: Path, target: Path) -> Path:
    """A ProRes file again, its track as it was, its frames made to say nothing of their colours."""
    return with_frames_saying(source, target, "color_primaries=unknown:color_trc=unknown:colorspace=unknown")


def with_frames_saying(source: Path, target: Path, words: str) -> Path:
    """A ProRes file again, its track as it was, its frames made to say something else."""
    with av.open(str(source)) as one, av.open(str(target), "w") as other:
        stream = one.streams.video[0]
        made = other.add_stream_from_template(stream, opaque=None)
        said = av.bitstream.BitStreamFilterContext(f"prores_metadata={words}", stream)
        for packet in one.demux(stream):
            for changed in said.filter(packet if packet.size else None):
                changed.stream = made
                other.mux(changed)
    return target
