"""What a file says of its signal, by the code points of H.273, and what is filled in where it says nothing."""

import re
import threading
from dataclasses import dataclass
from typing import TypeVar

import av
import av.logging
from av.filter import Graph
from av.video.stream import VideoStream

from bluffline.errors import MediaError
from bluffline.media.pixels import PixelLayout
from bluffline.media.programme import Tags
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.signal.siting import Siting

# H.273 code points, by the table they stand in.
_MATRICES = {1: Matrix.BT709, 5: Matrix.BT601, 6: Matrix.BT601, 9: Matrix.BT2020}
_UNKNOWN_MATRICES = {
    0: "R′G′B′ in planes of Y′CbCr", 4: "the FCC's matrix", 7: "SMPTE 240M", 8: "YCgCo", 10: "BT.2020 constant luminance",
    11: "Y′D′zD′x (ST 2085)", 12: "a matrix derived from its primaries", 13: "constant luminance derived from its primaries",
    14: "ICtCp", 15: "IPT-C2", 16: "YCgCo-Re", 17: "YCgCo-Ro",
}  # fmt: skip
_PRIMARIES = {1: "bt709", 5: "bt601-625", 6: "bt601-525", 7: "bt601-525", 9: "bt2020", 11: "p3-dci", 12: "p3-d65"}
_TRANSFERS = {1: "bt709", 6: "bt601", 8: "linear", 13: "srgb", 14: "bt2020", 15: "bt2020", 16: "pq", 18: "hlg"}
_UNSPECIFIED = 2
_SIZE_SD = 576
TOP_FIRST = {2: True, 3: False, 4: False, 5: True}  # FFmpeg's tt, bb, tb, bt: the second letter is shown first
_LOCATIONS = {
    "left": Siting.LEFT, "center": Siting.CENTRE, "topleft": Siting.TOP_LEFT, "top": Siting.TOP,
    "bottomleft": Siting.BOTTOM_LEFT, "bottom": Siting.BOTTOM,
}  # fmt: skip
_capturing = threading.Lock()
_T = TypeVar("_T")


@dataclass(frozen=True, slots=True)
class FrameTold:
    """What a decoded frame carries that FFmpeg's Python binding does not pass on.

    ``location``: of chroma samples, None where unspecified; ``top_first``: of its fields, None where it is progressive;
    ``mastering``, ``light``: mastering display and content light (ST 2086, CTA-861.3) in FFmpeg's words, empty where there
    is none.
    """

    location: Siting | None
    top_first: bool | None
    mastering: str = ""
    light: str = ""


def told_by(frame: av.VideoFrame) -> FrameTold:
    """Chroma location and order of fields of a frame, from FFmpeg's ``showinfo`` filter."""
    graph = Graph()
    source = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=frame.time_base)
    graph.link_nodes(source, graph.add("showinfo", "checksum=0"), graph.add("buffersink")).configure()
    with _capturing:
        level = av.logging.get_level()
        av.logging.set_level(av.logging.INFO)
        try:
            with av.logging.Capture(local=True) as lines:
                graph.vpush(frame)
                graph.vpull()
        finally:
            av.logging.set_level(level)
    text = "".join(line for _, name, line in lines if name == "showinfo")
    location, scan = re.search(r" cl:(\w+)", text), re.search(r" i:([PTB])", text)
    mastering = re.search(r"Mastering display metadata: (.*)", text)
    light = re.search(r"(MaxCLL=\S+ MaxFALL=\S+)", text)
    return FrameTold(
        _LOCATIONS.get(location[1]) if location else None,
        {"T": True, "B": False}.get(scan[1]) if scan else None,
        mastering[1].strip() if mastering else "",
        light[1].strip(" ,") if light else "",
    )


def tags_of(stream: VideoStream, frame: av.VideoFrame, fields: int) -> Tags:
    """The frame's own tags where it has them, else the track's; ``fields`` is what the track said before it was decoded."""
    context = stream.codec_context
    return Tags(
        range=_tagged(frame.color_range, context.color_range, unspecified=0),
        matrix=_tagged(frame.colorspace, context.colorspace),
        primaries=_tagged(frame.color_primaries, context.color_primaries),
        transfer=_tagged(frame.color_trc, context.color_trc),
        fields=fields,
    )


def _tagged(of_frame: int, of_track: int, unspecified: int = _UNSPECIFIED) -> int:
    return int(of_frame) if int(of_frame) != unspecified else int(of_track)


def signal_format(frame: av.VideoFrame, layout: PixelLayout, tags: Tags, told: FrameTold, name: str) -> SignalFormat:
    """Tags as facts; what is unspecified filled in and named as assumed.

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

    sd = frame.height <= _SIZE_SD
    if layout.model is Model.YCBCR and tags.matrix in _UNKNOWN_MATRICES:
        raise MediaError(
            f"{name} is coded as {_UNKNOWN_MATRICES[tags.matrix]} (H.273 matrix {tags.matrix}), which can't be judged here."
        )
    wide = _PRIMARIES.get(tags.primaries) == "bt2020"
    usual = Matrix.BT2020 if wide else Matrix.BT601 if sd else Matrix.BT709
    matrix = _MATRICES.get(tags.matrix)
    if layout.model is Model.YCBCR:
        matrix = tag("matrix", matrix, usual)
    by_size = ("bt601-525" if frame.height <= 486 else "bt601-625") if sd else "bt709"
    by_matrix = "bt2020" if matrix is Matrix.BT2020 else by_size
    usual_transfer = "linear" if layout.floating else "bt2020" if matrix is Matrix.BT2020 else "bt601" if sd else "bt709"
    order = TOP_FIRST.get(tags.fields)
    interlaced = bool(frame.interlaced_frame) or order is not None
    top_first = told.top_first if told.top_first is not None else order
    signal_range = {1: Range.NARROW, 2: Range.FULL}.get(tags.range)
    if layout.full_by_name:
        signal_range = Range.FULL
    if layout.floating:
        signal_range = Range.NARROW
    location = told.location
    if location is None:
        location = Siting.TOP_LEFT if matrix is Matrix.BT2020 else Siting.LEFT
        if layout.halved == (True, True) and layout.model is Model.YCBCR and layout.sources[1] is not None:
            assumed.add("chroma location")
    return SignalFormat(
        width=frame.width,
        height=frame.height,
        bit_depth=layout.bit_depth,
        model=layout.model,
        halved=layout.halved,
        range=tag("range", signal_range, Range.FULL if layout.model is Model.RGB else Range.NARROW),
        matrix=matrix or usual,
        primaries=tag("primaries", _PRIMARIES.get(tags.primaries), by_matrix),
        transfer=tag("transfer", _TRANSFERS.get(tags.transfer), usual_transfer),
        siting=location,
        interlaced=interlaced,
        top_field_first=top_first if top_first is not None else True,
        assumed=frozenset(assumed),
    )
