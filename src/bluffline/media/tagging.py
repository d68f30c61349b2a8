"""What a file says of its signal, by the code points of H.273, and what is filled in where it says nothing."""

import re
import struct
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any, TypeVar

import av
from av.filter import Graph
from av.video.stream import VideoStream

from bluffline.errors import MediaError
from bluffline.media.frame_fields import chroma_location, content_light, mastering_display, pixel_shape
from bluffline.media.opening import Opening, shown
from bluffline.media.pixels import PixelLayout, layout_of
from bluffline.media.programme import UNSPECIFIED, Programme, Tags
from bluffline.media.source_file import not_wholly_read, opened
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix, standard
from bluffline.signal.siting import Siting

# H.273 code points, by the table they stand in.
_MATRICES = {1: Matrix.BT709, 5: Matrix.BT601, 6: Matrix.BT601, 9: Matrix.BT2020}
# Transfer characteristics and colorimetric specifications of ST 268 as code points of H.273.
_DPX_TRANSFERS = {2: 8, 5: 1, 6: 1, 7: 6, 8: 6}
_DPX_PRIMARIES = {5: 1, 6: 1, 7: 5, 8: 6}
_DPX_HEAD = 804  # bytes up to the end of the first element's bit depth
_UNKNOWN_MATRICES = {
    0: "R′G′B′ in planes of Y′CbCr", 4: "the FCC's matrix", 7: "SMPTE 240M", 8: "YCgCo", 10: "BT.2020 constant luminance",
    11: "Y′D′zD′x (ST 2085)", 12: "a matrix derived from its primaries", 13: "constant luminance derived from its primaries",
    14: "ICtCp", 15: "IPT-C2", 16: "YCgCo-Re", 17: "YCgCo-Ro",
}  # fmt: skip
_PRIMARIES = {1: "bt709", 5: "bt601-625", 6: "bt601-525", 7: "bt601-525", 9: "bt2020", 11: "p3-dci", 12: "p3-d65"}
_TRANSFERS = {1: "bt709", 6: "bt601", 8: "linear", 13: "srgb", 14: "bt2020", 15: "bt2020", 16: "pq", 18: "hlg"}
# Four names of one curve: BT.2020 takes over that of BT.709, and so does BT.601.
_ONE_CURVE = _TRANSFERS | dict.fromkeys((1, 6, 14, 15), "bt709")
_SIZE_SD = 576
TOP_FIRST = {2: True, 3: False, 4: False, 5: True}  # FFmpeg's tt, bb, tb, bt: the second letter is shown first
_LOCATIONS = {
    "left": Siting.LEFT, "center": Siting.CENTRE, "topleft": Siting.TOP_LEFT, "top": Siting.TOP,
    "bottomleft": Siting.BOTTOM_LEFT, "bottom": Siting.BOTTOM,
}  # fmt: skip
# Codecs whose frames say that they are progressive; of others a frame without fields says nothing.
_SAYS_PROGRESSIVE = frozenset({"mpeg2video", "h264", "prores", "dnxhd", "vc1", "dvvideo"})
# Containers that say something of the signal themselves.
_SAYING = re.compile(r"mov|matroska|mxf|nut|avi|gxf|yuv4mpegpipe|asf")
_T = TypeVar("_T")


@dataclass(frozen=True, slots=True)
class FrameTold:
    """What a decoded frame carries that FFmpeg's Python binding does not pass on.

    ``location``: of chroma samples, ``shape``: width to height of its pixels; None where it does not say. ``mastering``,
    ``light``: mastering display and content light (ST 2086, CTA-861.3) in FFmpeg's words, empty where there is none.
    """

    location: Siting | None
    mastering: str = ""
    light: str = ""
    shape: Fraction | None = None


def told_by(frame: av.VideoFrame) -> FrameTold:
    """Chroma location, shape of pixels and more of a frame."""
    location = _LOCATIONS.get(chroma_location(frame))
    return FrameTold(location, mastering_display(frame), content_light(frame), pixel_shape(frame))


def track_tags(opening: Opening, kind: str, number: int) -> Tags:
    """What a container says of a track, read with no decoder at hand that could write over it.

    ``kind``: FFmpeg's name for the container; ``number``: of the track.

    Raises
    ------
    MediaError : it can't be read
    """
    if opening.heads:
        return head_tags(opening.files[0])
    if not _SAYING.search(kind):
        return Tags()
    with opened(opening, codec_whitelist="none", analyzeduration="1") as source:  # its head says all that it says
        stream = source.container.streams[number]
        context = getattr(stream, "codec_context", None)
        if not isinstance(stream, VideoStream) or context is None:
            return Tags()
        shape = stream.sample_aspect_ratio
        return Tags(
            int(context.color_range), int(context.colorspace), int(context.color_primaries), int(context.color_trc),
            int(context.field_order), None, Fraction(shape) if shape else None,
        )  # fmt: skip


def head_tags(path: Path) -> Tags:
    """What the head of a DPX picture says [ST268]: transfer characteristic, primaries, and the codes of black and white.

    Raises
    ------
    MediaError : it can't be read
    """
    try:
        with path.open("rb") as file:
            head = file.read(_DPX_HEAD)
    except OSError as error:
        raise not_wholly_read(shown(path), error.strerror or "reading failed") from error
    if len(head) < _DPX_HEAD:
        return Tags()
    order = "<" if head[:4] == b"XPDS" else ">"
    black, _, white = struct.unpack_from(f"{order}IfI", head, 784)
    transfer, colorimetric, depth = head[801], head[802], head[803]
    narrow = depth in range(8, 17) and (black, white) == (16 << (depth - 8), 235 << (depth - 8))
    full = depth in range(8, 17) and (black, white) == (0, (1 << depth) - 1)
    return Tags(
        1 if narrow else 2 if full else 0,
        primaries=_DPX_PRIMARIES.get(colorimetric, UNSPECIFIED),
        transfer=_DPX_TRANSFERS.get(transfer, UNSPECIFIED),
    )


def forget_track(stream: VideoStream) -> None:
    """Have a decoder say only what is in the pictures' own stream; what the track says is known apart from it."""
    context = stream.codec_context
    context.color_range, context.colorspace, context.color_primaries, context.color_trc = 0, *(UNSPECIFIED,) * 3


class FrameWords:
    """Reads what each frame of one track says, in the order in which they are decoded."""

    def __init__(self, stream: VideoStream) -> None:
        self._says_progressive = stream.codec_context.name in _SAYS_PROGRESSIVE
        self._orders: tuple[tuple[int, int, str], Graph, list[Any]] | None = None

    def of(self, frame: av.VideoFrame) -> Tags:
        """What a frame says."""
        size, name = (frame.width, frame.height), frame.format.name
        form = (*size, name)
        full = name.startswith("yuvj")  # a decoder may keep that name when the stream has come to say otherwise
        fields = int(self._says_progressive)
        if frame.interlaced_frame:
            fields = 2 if self._top_first(frame, form) else 3
        # 0 is reserved for primaries and transfer, and as a matrix it is R′G′B′, which no subsampled picture holds [H273].
        matrix = int(frame.colorspace)
        if matrix == 0 and any(layout_of(name).halved):
            matrix = UNSPECIFIED
        primaries, transfer = int(frame.color_primaries) or UNSPECIFIED, int(frame.color_trc) or UNSPECIFIED
        return Tags(
            int(frame.color_range) or 2 * full, matrix, primaries, transfer, fields, _LOCATIONS.get(chroma_location(frame)),
            pixel_shape(frame), size, name.replace("yuvj", "yuv") if full else name,
        )  # fmt: skip

    def _top_first(self, frame: av.VideoFrame, form: tuple[int, int, str]) -> bool:
        """The order of an interlaced frame's fields, by which way FFmpeg's ``select`` filter sends it."""
        if self._orders is None or self._orders[0] != form:
            graph = Graph()
            source = graph.add_buffer(
                width=frame.width, height=frame.height, format=frame.format, time_base=Fraction(1, 25)
            )
            select = graph.add("select", "n=2:e='if(eq(interlace_type,TOPFIRST),1,2)'")
            sinks = [graph.add("buffersink"), graph.add("buffersink")]
            source.link_to(select)
            for n, sink in enumerate(sinks):
                select.link_to(sink, n, 0)
            graph.configure()
            self._orders = form, graph, [source, *sinks]
        _, graph, (source, top, bottom) = self._orders
        source.push(frame)
        for first, sink in ((True, top), (False, bottom)):
            with suppress(av.error.BlockingIOError, av.error.EOFError):
                sink.pull()
                return first
        return True


def contradictions(track: Tags, frame: Tags) -> Iterator[str]:
    """What a track and its frames say differently, in words; the frames are believed."""
    told = (
        ("range", {1: "narrow", 2: "full"}, track.range, frame.range),
        ("matrix", {code: standard(name) for code, name in _MATRICES.items()}, track.matrix, frame.matrix),
        ("primaries", _PRIMARIES, track.primaries, frame.primaries),
        ("transfer characteristic", _ONE_CURVE, track.transfer, frame.transfer),
        ("scan", {1: "progressive"} | dict.fromkeys((2, 3, 4, 5), "interlaced"), track.fields, frame.fields),
    )
    for name, words, by_track, by_frame in told:
        if by_track in words and by_frame in words and words[by_track] != words[by_frame]:
            yield f"The track says {name} {words[by_track]}, its pictures {words[by_frame]}, which are believed"
    if track.fields in TOP_FIRST and frame.fields in TOP_FIRST and TOP_FIRST[track.fields] is not TOP_FIRST[frame.fields]:
        first, other = (("top" if TOP_FIRST[each.fields] else "bottom") for each in (frame, track))
        yield f"Its pictures say that the {first} field is first, the track says the {other}"


def signal_format(layout: PixelLayout, tags: Tags, name: str, *, still: bool = False) -> SignalFormat:
    """Tags as facts; what is unspecified filled in and named as assumed. ``still``: of pictures in files of their own.

    Raises
    ------
    MediaError : the matrix is one that is not known here; it is never read as another.
    """
    assumed: set[str] = set()

    def tag(field: str, value: _T | None, fallback: _T) -> _T:
        if value is None:
            assumed.add(field)
            return fallback
        return value

    width, height = tags.size
    sd = height <= _SIZE_SD
    if layout.model is Model.YCBCR and tags.matrix in _UNKNOWN_MATRICES:
        raise MediaError(
            f"{name} is coded as {_UNKNOWN_MATRICES[tags.matrix]} (H.273 matrix {tags.matrix}), which can't be judged here."
        )
    wide = _PRIMARIES.get(tags.primaries) == "bt2020"
    by_lines = sd and layout.model is Model.YCBCR and not still  # the number of lines says nothing of R′G′B′
    usual = Matrix.BT2020 if wide else Matrix.BT601 if by_lines else Matrix.BT709
    matrix = _MATRICES.get(tags.matrix)
    if layout.model is Model.YCBCR:
        matrix = tag("matrix", matrix, usual)
    by_size = ("bt601-525" if height <= 486 else "bt601-625") if by_lines else "bt709"
    by_matrix = {Matrix.BT2020: "bt2020", Matrix.BT709: "bt709"}.get(matrix or usual, by_size)
    usual_transfer = (
        "linear" if layout.floating else {Matrix.BT2020: "bt2020", Matrix.BT709: "bt709"}.get(matrix or usual, "bt601")
    )
    order = TOP_FIRST.get(tags.fields)
    signal_range = {1: Range.NARROW, 2: Range.FULL}.get(tags.range)
    if layout.floating:
        signal_range = Range.NARROW
    grey = layout.sources[1] is None
    location = tags.location
    if location is None:
        location = Siting.TOP_LEFT if matrix is Matrix.BT2020 else Siting.LEFT
        if layout.halved == (True, True) and layout.model is Model.YCBCR and layout.sources[1] is not None:
            assumed.add("chroma location")
    return SignalFormat(
        width=width,
        height=height,
        bit_depth=layout.bit_depth,
        model=layout.model,
        halved=layout.halved,
        # Grey pictures in files of their own are R′G′B′ of one component.
        range=tag("range", signal_range, Range.FULL if layout.model is Model.RGB or (grey and still) else Range.NARROW),
        matrix=matrix or usual,
        primaries=tag("primaries", _PRIMARIES.get(tags.primaries), by_matrix),
        transfer=tag("transfer", _TRANSFERS.get(tags.transfer), usual_transfer),
        siting=location,
        interlaced=order is not None,
        top_field_first=order if order is not None else True,
        assumed=frozenset(assumed),
        pixel_shape=tags.shape or Fraction(1),
    )


def format_of(programme: Programme, frame: Tags) -> SignalFormat | None:
    """How a frame that says ``frame`` is to be read; None where that is in no way known here."""
    tags = frame.filled(programme.track)
    if tags == programme.tags:
        return programme.format
    try:
        told = signal_format(
            layout_of(frame.pixel_format), tags, programme.name, still=programme.opening.numbered
        )
    except MediaError:
        return None
    return programme.overrides.on(told)
