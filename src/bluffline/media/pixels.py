"""FFmpeg's pixel formats as native planes: which bytes hold which component."""

import re
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from av import VideoFrame
from numpy.typing import NDArray

from bluffline.errors import MediaError
from bluffline.signal.format import Model, Planes
from bluffline.signal.levels import Levels, Range

Plane = NDArray[np.uint8] | NDArray[np.uint16]

_PLANAR_YCBCR = re.compile(r"yuv(j?)a?(410|411|420|422|440|444)p(9|10|12|14|16)?(le|be)?")
_PLANAR_RGB = re.compile(r"gbra?p(9|10|12|14|16)?(le|be)?")
_FLOATING = re.compile(r"(gbra?p|gray)f(16|32)(le|be)")
_GREY = re.compile(r"gray(9|10|12|14|16)?(le|be)?")
_GREY_ALPHA = re.compile(r"ya(8|16)(le|be)?")
_HALVED = {
    "410": (True, True),
    "411": (True, False),
    "420": (True, True),
    "422": (True, False),
    "440": (False, True),
    "444": (False, False),
}
_SPREAD = {"410": (2, 2), "411": (2, 1)}
# Few bits or a palette: every pixel looked up, so nothing is lost in the format that can be measured.
_LOOKED_UP = {"pal8": "rgb24", "monow": "gray", "monob": "gray"} | dict.fromkeys(
    [f"{order}{bits}{end}" for order in ("rgb", "bgr") for bits in ("444", "555", "565") for end in ("le", "be")]
    + ["rgb8", "bgr8"],
    "rgb24",
)
_ALPHA = re.compile(r"yuva.*|gbra.*|ya(8|16).*|rgba.*|bgra.*|argb.*|abgr.*|ayuv.*|vuya|uyva|pal8")


@dataclass(frozen=True, slots=True)
class PixelLayout:
    """How a pixel format lays out its three components.

    ``sources`` gives for Y′, Cb, Cr (or R′, G′, B′) the plane, the sample step and the offset, in samples; ``None``
    where a plane does not exist (grey). ``shift`` is how far samples stand above the lowest bit. ``words``: where the three
    components begin in words of 32 bits that hold them all. ``spread``: how many columns and rows are handed on for one of
    stored chroma, where it is coarser than 4:2:2 or 4:2:0. ``looked_up``: the format that a frame is first brought to, of a
    palette or of fewer bits than can be measured. ``floating``: samples are numbers, 0 black and 1 white, that are handed on as
    16-bit narrow codes, which hold −7 … 109 %; what lies beyond is held there.
    """

    model: Model
    bit_depth: int
    halved: tuple[bool, bool]
    sources: tuple[tuple[int, int, int] | None, ...]
    big_endian: bool = False
    shift: int = 0
    words: tuple[int, int, int] | None = None
    spread: tuple[int, int] = (1, 1)
    looked_up: str = ""
    floating: bool = False


def has_alpha(pixel_format: str) -> bool:
    """Whether a pixel format holds an alpha channel, which is not measured."""
    return bool(_ALPHA.fullmatch(pixel_format))


def _packed() -> dict[str, PixelLayout]:
    ycbcr, rgb = Model.YCBCR, Model.RGB
    table = {
        "uyvy422": PixelLayout(ycbcr, 8, _HALVED["422"], ((0, 2, 1), (0, 4, 0), (0, 4, 2))),
        "yuyv422": PixelLayout(ycbcr, 8, _HALVED["422"], ((0, 2, 0), (0, 4, 1), (0, 4, 3))),
        "yvyu422": PixelLayout(ycbcr, 8, _HALVED["422"], ((0, 2, 0), (0, 4, 3), (0, 4, 1))),
    }
    table |= _in_pairs() | _of_wide_samples("le") | _of_wide_samples("be")
    for name, model, order in (
        ("vuya", ycbcr, (2, 1, 0)), ("vuyx", ycbcr, (2, 1, 0)), ("ayuv", ycbcr, (1, 2, 3)), ("uyva", ycbcr, (1, 0, 2)),
    ):  # fmt: skip
        table[name] = PixelLayout(model, 8, _HALVED["444"], tuple((0, 4, offset) for offset in order))
    table["vyu444"] = PixelLayout(ycbcr, 8, _HALVED["444"], ((0, 3, 1), (0, 3, 2), (0, 3, 0)))
    for name, model, words in (
        ("v30x", ycbcr, (12, 2, 22)), ("xv30", ycbcr, (10, 0, 20)),
        ("x2rgb10", rgb, (20, 10, 0)), ("x2bgr10", rgb, (0, 10, 20)),
    ):  # fmt: skip
        for end in ("le", "be"):
            table[name + end] = PixelLayout(model, 10, _HALVED["444"], ((0, 1, 0),) * 3, end == "be", words=words)
    for letters in ("rgb", "bgr", "rgba", "bgra", "argb", "abgr", "rgb0", "bgr0", "0rgb", "0bgr"):
        step = len(letters)
        sources = tuple((0, step, letters.index(component)) for component in "rgb")
        name = letters + ("24" if step == 3 else "")
        table[name] = PixelLayout(rgb, 8, _HALVED["444"], sources)
        if letters in ("rgb", "bgr", "rgba", "bgra"):
            for suffix in ("le", "be"):
                table[f"{letters}{16 * step}{suffix}"] = PixelLayout(
                    rgb, 16, _HALVED["444"], sources, big_endian=suffix == "be"
                )
    return table


def _in_pairs() -> dict[str, PixelLayout]:
    """Eight bits, chroma in pairs in a plane of its own."""
    kinds = (("nv12", "420", 0), ("nv21", "420", 1), ("nv16", "422", 0), ("nv24", "444", 0), ("nv42", "444", 1))
    luma, pair = (0, 1, 0), ((1, 2, 0), (1, 2, 1))
    return {
        name: PixelLayout(Model.YCBCR, 8, _HALVED[halved], (luma, pair[first], pair[1 - first]))
        for name, halved, first in kinds
    }


def _of_wide_samples(end: str) -> dict[str, PixelLayout]:
    """Samples in words of 16 bits, of either end: in pairs, packed, or in the upper bits of planes."""
    ycbcr, big = Model.YCBCR, end == "be"
    pairs = ((0, 1, 0), (1, 2, 0), (1, 2, 1))
    table = {f"nv20{end}": PixelLayout(ycbcr, 10, _HALVED["422"], pairs, big)}
    table[f"ayuv64{end}"] = PixelLayout(ycbcr, 16, _HALVED["444"], ((0, 4, 1), (0, 4, 2), (0, 4, 3)), big)
    for depth in (10, 12, 16):
        shift = 16 - depth
        for letter, halved in (("0", "420"), ("2", "422"), ("4", "444")):
            table[f"p{letter}{depth}{end}"] = PixelLayout(ycbcr, depth, _HALVED[halved], pairs, big, shift)
        packed = ((0, 2, 0), (0, 4, 1), (0, 4, 3))
        table[f"y2{depth}{end}"] = PixelLayout(ycbcr, depth, _HALVED["422"], packed, big, shift)
    for depth in (12, 16):
        whole = ((0, 4, 1), (0, 4, 0), (0, 4, 2))
        table[f"xv{3 * depth}{end}"] = PixelLayout(ycbcr, depth, _HALVED["444"], whole, big, 16 - depth)
    for depth in (10, 12):
        planes, green_first = ((0, 1, 0), (1, 1, 0), (2, 1, 0)), ((2, 1, 0), (0, 1, 0), (1, 1, 0))
        table[f"yuv444p{depth}msb{end}"] = PixelLayout(ycbcr, depth, _HALVED["444"], planes, big, 16 - depth)
        table[f"gbrp{depth}msb{end}"] = PixelLayout(Model.RGB, depth, _HALVED["444"], green_first, big, 16 - depth)
    return table


_PACKED = _packed()


def layout_of(pixel_format: str) -> PixelLayout:
    """Layout of an FFmpeg pixel format.

    Raises
    ------
    MediaError : the format has no native planes that can be measured (Bayer patterns, XYZ, frames kept by hardware).
    """
    if pixel_format in _PACKED:
        return _PACKED[pixel_format]
    if pixel_format in _LOOKED_UP:
        return replace(layout_of(_LOOKED_UP[pixel_format]), looked_up=_LOOKED_UP[pixel_format])
    straight = ((0, 1, 0), (1, 1, 0), (2, 1, 0))
    if match := _PLANAR_YCBCR.fullmatch(pixel_format):
        depth = int(match[3] or 8)
        return PixelLayout(
            Model.YCBCR, depth, _HALVED[match[2]], straight, match[4] == "be",
            spread=_SPREAD.get(match[2], (1, 1)),
        )  # fmt: skip
    if match := _PLANAR_RGB.fullmatch(pixel_format):
        order = ((2, 1, 0), (0, 1, 0), (1, 1, 0))
        return PixelLayout(Model.RGB, int(match[1] or 8), _HALVED["444"], order, match[2] == "be")
    if match := _GREY.fullmatch(pixel_format):
        return PixelLayout(Model.YCBCR, int(match[1] or 8), _HALVED["420"], ((0, 1, 0), None, None), match[2] == "be")
    if match := _GREY_ALPHA.fullmatch(pixel_format):
        return PixelLayout(Model.YCBCR, int(match[1]), _HALVED["420"], ((0, 2, 0), None, None), match[2] == "be")
    if match := _FLOATING.fullmatch(pixel_format):
        order = ((0, 1, 0),) * 3 if match[1] == "gray" else ((2, 1, 0), (0, 1, 0), (1, 1, 0))
        return PixelLayout(Model.RGB, 16, _HALVED["444"], order, match[3] == "be", floating=True)
    raise MediaError(f"The pixel format {pixel_format} is not one that Bluffline can measure.")


def native_planes(frame: VideoFrame, layout: PixelLayout) -> Planes:
    """The three planes of a decoded frame, without conversion.

    Returns
    -------
    three (rows, stride) arrays, uint8 at 8 bits and uint16 above, C-contiguous; columns past the picture are padding.
    Planar little-endian formats are views of the decoder's memory; others are re-laid once, codes unchanged. Chroma that is
    coarser than the format says is spread to it: see `PixelLayout`.
    """
    if layout.looked_up:
        frame = frame.reformat(format=layout.looked_up)
    if layout.words is not None:
        words = _samples(frame, 0, np.dtype("<>"[layout.big_endian] + "u4"), frame.height)
        found = [np.ascontiguousarray(words >> shift & 1023, dtype=np.uint16) for shift in layout.words]
        return found[0], found[1], found[2]
    if layout.floating:
        return _from_numbers(frame, layout)
    dtype = np.dtype(np.uint8 if layout.bit_depth == 8 else np.uint16)
    stored = dtype.newbyteorder(">") if layout.big_endian else dtype
    planes: list[Any] = []
    for index, source in enumerate(layout.sources):
        columns, rows = _stored_size(frame, layout, index)
        if source is None:
            planes.append(np.full((rows, columns), 1 << (layout.bit_depth - 1), dtype))
            continue
        number, step, offset = source
        view = _samples(frame, number, stored, rows)
        if step > 1:
            view = view[:, offset : offset + step * columns : step]
        if step > 1 or layout.big_endian or layout.shift:
            view = np.right_shift(view, layout.shift, dtype=dtype, casting="unsafe") if layout.shift else view
            view = np.ascontiguousarray(view, dtype=dtype)
        if index and layout.spread != (1, 1):
            view = _spread(view[:, :columns], layout.spread, *_handed_size(frame, layout))
        planes.append(view)
    return planes[0], planes[1], planes[2]


def _samples(frame: VideoFrame, number: int, stored: np.dtype[Any], rows: int) -> NDArray[Any]:
    """(rows, stride) samples of one of a frame's planes, where they lie."""
    plane = frame.planes[number]
    stride = plane.line_size // stored.itemsize
    return np.frombuffer(memoryview(plane), dtype=stored)[: rows * stride].reshape(rows, stride)


def _handed_size(frame: VideoFrame, layout: PixelLayout) -> tuple[int, int]:
    """Columns and rows of chroma as it is handed on."""
    across, down = (2 if halved else 1 for halved in layout.halved)
    return -(-frame.width // across), -(-frame.height // down)


def _stored_size(frame: VideoFrame, layout: PixelLayout, index: int) -> tuple[int, int]:
    """Columns and rows of a plane as it is stored."""
    if index == 0:
        return frame.width, frame.height
    columns, rows = _handed_size(frame, layout)
    return -(-columns // layout.spread[0]), -(-rows // layout.spread[1])


def _spread(plane: NDArray[Any], by: tuple[int, int], columns: int, rows: int) -> NDArray[Any]:
    """Chroma sites made more: 4:1:1 stands on the first of four pixels [IEC61834], those between are means; 4:1:0 repeats."""
    wide = np.repeat(plane, by[0], axis=1)[:, :columns]
    if by[1] > 1:
        return np.ascontiguousarray(np.repeat(wide, by[1], axis=0)[:rows])
    between = min(plane.shape[1] - 1, columns // 2)
    wide[:, 1 : 2 * between : 2] = (plane[:, :between].astype(np.uint32) + plane[:, 1 : between + 1] + 1) // 2
    return np.ascontiguousarray(wide)


def _from_numbers(frame: VideoFrame, layout: PixelLayout) -> Planes:
    """Floating-point samples as 16-bit narrow codes; what is no number counts as far too bright, so that it is found."""
    kind = np.dtype(("<", ">")[layout.big_endian] + ("f2" if "f16" in frame.format.name else "f4"))
    planes = []
    for number, _, _ in (source for source in layout.sources if source is not None):
        values = _samples(frame, number, kind, frame.height)[:, : frame.width].astype(np.float64)
        levels = Levels.of(16, Range.NARROW)
        codes = np.rint(levels.black + np.nan_to_num(values, nan=np.inf, posinf=2.0, neginf=-1.0) * levels.swing)
        planes.append(np.clip(codes, 0, 65535).astype(np.uint16))
    return planes[0], planes[1], planes[2]


def put_planes(frame: VideoFrame, planes: Planes) -> None:
    """Copy planes into a planar little-endian frame made for the same format and size."""
    layout = layout_of(frame.format.name)
    for index, source in enumerate(layout.sources):
        if source is None:
            continue
        number, step, offset = source
        columns, rows = _stored_size(frame, layout, index)
        across, down = layout.spread if index else (1, 1)
        target = _samples(frame, number, planes[index].dtype, rows)
        target[:, offset : offset + step * columns : step] = planes[index][: rows * down : down, : columns * across : across]
