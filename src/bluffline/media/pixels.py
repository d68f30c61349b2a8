"""FFmpeg's pixel formats as native planes: which bytes hold which component."""

import re
from dataclasses import dataclass
from typing import Any

import numpy as np
from av import VideoFrame
from numpy.typing import NDArray

from bluffline.errors import MediaError
from bluffline.signal.format import Model

Plane = NDArray[np.uint8] | NDArray[np.uint16]
Planes = tuple[Plane, Plane, Plane]

_PLANAR_YCBCR = re.compile(r"yuv(j?)a?(420|422|444)p(9|10|12|14|16)?(le|be)?")
_PLANAR_RGB = re.compile(r"gbra?p(9|10|12|14|16)?(le|be)?")
_GREY = re.compile(r"gray(9|10|12|14|16)?(le|be)?")
_HALVED = {"420": (True, True), "422": (True, False), "444": (False, False)}


@dataclass(frozen=True, slots=True)
class PixelLayout:
    """How a pixel format lays out its three components.

    ``sources`` gives for Y′, Cb, Cr (or R′, G′, B′) the plane, the sample step and the offset, in samples; ``None``
    where a plane does not exist (grey). ``shift`` is how far samples stand above the lowest bit.
    """

    model: Model
    bit_depth: int
    halved: tuple[bool, bool]
    sources: tuple[tuple[int, int, int] | None, ...]
    big_endian: bool = False
    shift: int = 0
    full_by_name: bool = False


def _packed() -> dict[str, PixelLayout]:
    ycbcr, rgb = Model.YCBCR, Model.RGB
    table = {
        "uyvy422": PixelLayout(ycbcr, 8, _HALVED["422"], ((0, 2, 1), (0, 4, 0), (0, 4, 2))),
        "yuyv422": PixelLayout(ycbcr, 8, _HALVED["422"], ((0, 2, 0), (0, 4, 1), (0, 4, 3))),
        "yvyu422": PixelLayout(ycbcr, 8, _HALVED["422"], ((0, 2, 0), (0, 4, 3), (0, 4, 1))),
    }
    for name, halved in (("nv12", "420"), ("nv16", "422"), ("nv24", "444")):
        table[name] = PixelLayout(ycbcr, 8, _HALVED[halved], ((0, 1, 0), (1, 2, 0), (1, 2, 1)))
    for name, halved, depth in (
        ("p010le", "420", 10),
        ("p210le", "422", 10),
        ("p410le", "444", 10),
        ("p012le", "420", 12),
        ("p212le", "422", 12),
        ("p412le", "444", 12),
    ):
        table[name] = PixelLayout(ycbcr, depth, _HALVED[halved], ((0, 1, 0), (1, 2, 0), (1, 2, 1)), shift=16 - depth)
    for name, order in (
        ("y210le", (0, 1, 3)),
        ("y212le", (0, 1, 3)),
    ):
        depth = int(name[2:4])
        table[name] = PixelLayout(
            ycbcr, depth, _HALVED["422"], ((0, 2, 0), (0, 4, order[1]), (0, 4, order[2])), shift=16 - depth
        )
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


_PACKED = _packed()


def layout_of(pixel_format: str) -> PixelLayout:
    """Layout of an FFmpeg pixel format.

    Raises
    ------
    MediaError : the format has no native planes that can be measured (palettes, Bayer, 4:1:1, floating point).
    """
    if pixel_format in _PACKED:
        return _PACKED[pixel_format]
    straight = ((0, 1, 0), (1, 1, 0), (2, 1, 0))
    if match := _PLANAR_YCBCR.fullmatch(pixel_format):
        depth = int(match[3] or 8)
        return PixelLayout(Model.YCBCR, depth, _HALVED[match[2]], straight, match[4] == "be", full_by_name=match[1] == "j")
    if match := _PLANAR_RGB.fullmatch(pixel_format):
        order = ((2, 1, 0), (0, 1, 0), (1, 1, 0))
        return PixelLayout(Model.RGB, int(match[1] or 8), _HALVED["444"], order, match[2] == "be")
    if match := _GREY.fullmatch(pixel_format):
        return PixelLayout(Model.YCBCR, int(match[1] or 8), _HALVED["420"], ((0, 1, 0), None, None), match[2] == "be")
    raise MediaError(f"The pixel format {pixel_format} is not one that Bluffline can measure.")


def native_planes(frame: VideoFrame, layout: PixelLayout) -> Planes:
    """The three planes of a decoded frame, without conversion.

    Returns
    -------
    three (rows, stride) arrays, uint8 at 8 bits and uint16 above, C-contiguous; columns past the picture are padding.
    Planar little-endian formats are views of the decoder's memory; others are re-laid once, codes unchanged.
    """
    dtype = np.dtype(np.uint8 if layout.bit_depth == 8 else np.uint16)
    stored = dtype.newbyteorder(">") if layout.big_endian else dtype
    planes: list[Any] = []
    for index, source in enumerate(layout.sources):
        columns = -(-frame.width // (2 if index and layout.halved[0] else 1))
        rows = -(-frame.height // (2 if index and layout.halved[1] else 1))
        if source is None:
            planes.append(np.full((rows, columns), 1 << (layout.bit_depth - 1), dtype))
            continue
        number, step, offset = source
        plane = frame.planes[number]
        whole = np.frombuffer(memoryview(plane), dtype=stored)
        stride = plane.line_size // dtype.itemsize
        view = whole[: rows * stride].reshape(rows, stride)
        if step > 1:
            view = view[:, offset : offset + step * columns : step]
        if step > 1 or layout.big_endian or layout.shift:
            view = np.right_shift(view, layout.shift, dtype=dtype, casting="unsafe") if layout.shift else view
            view = np.ascontiguousarray(view, dtype=dtype)
        planes.append(view)
    return planes[0], planes[1], planes[2]


def put_planes(frame: VideoFrame, planes: Planes) -> None:
    """Copy planes into a planar little-endian frame made for the same format and size."""
    layout = layout_of(frame.format.name)
    for index, source in enumerate(layout.sources):
        if source is None:
            continue
        number, step, offset = source
        plane = frame.planes[number]
        dtype = planes[index].dtype
        stride = plane.line_size // dtype.itemsize
        columns = -(-frame.width // (2 if index and layout.halved[0] else 1))
        rows = -(-frame.height // (2 if index and layout.halved[1] else 1))
        target = np.frombuffer(memoryview(plane), dtype=dtype)[: rows * stride].reshape(rows, stride)
        target[:, offset : offset + step * columns : step] = planes[index][:rows, :columns]
