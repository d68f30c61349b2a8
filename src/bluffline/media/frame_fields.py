"""What FFmpeg keeps in a decoded frame and PyAV does not hand out, read where it lies; that is found out on frames of our own.

FFmpeg's ``showinfo`` filter would log it. But all that is logged, by any thread, then goes through the interpreter, and a
decoder whose threads wait for that is waited for by whoever closes it: the program would stand still.
"""

import ctypes
import os
import struct
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any, cast

import av
from av.filter import Graph
from av.sidedata.sidedata import Type

from bluffline.errors import MediaError

# Of H.273's chroma sample locations, in the order of FFmpeg's numbers.
LOCATIONS = ("unspecified", "left", "center", "topleft", "top", "bottomleft", "bottom")
_SHAPE = 64, 45
_LOOKED_AT = 400  # bytes of a frame's structure
_SIZE = 64, 48
_MASTERING, _LIGHT = "<22i", "<2I"  # AVMasteringDisplayMetadata and AVContentLightMetadata


def chroma_location(frame: av.VideoFrame) -> str:
    """Where a frame says that its chroma samples stand, as `LOCATIONS` names it.

    Raises
    ------
    MediaError : PyAV keeps frames otherwise than is known here
    """
    number = _int32(frame, _places()[0])
    return LOCATIONS[number] if 0 <= number < len(LOCATIONS) else LOCATIONS[0]


def pixel_shape(frame: av.VideoFrame) -> Fraction | None:
    """Width to height of a frame's pixels; None where it does not say.

    Raises
    ------
    MediaError : PyAV keeps frames otherwise than is known here
    """
    width, height = (_int32(frame, _places()[1] + 4 * n) for n in range(2))
    return Fraction(width, height) if width > 0 and height > 0 else None


def mastering_display(frame: av.VideoFrame) -> str:
    """The mastering display that rides on a frame, in FFmpeg's words [ST2086]; empty where there is none."""
    data = _side_data(frame, Type.MASTERING_DISPLAY_METADATA)
    if len(data) < struct.calcsize(_MASTERING):
        return ""
    numbers = struct.unpack_from(_MASTERING, data)
    parts = [over / under if under else 0.0 for over, under in zip(numbers[0:20:2], numbers[1:20:2], strict=True)]
    colours = " ".join(f"{name}({x:.4f},{y:.4f})" for name, x, y in zip("rgbw", parts[0:8:2], parts[1:8:2], strict=True))
    told = f"has_primaries:{numbers[20]} has_luminance:{numbers[21]} {colours.replace('w(', 'wp(')}"
    return f"{told} min_luminance={parts[8]:f}, max_luminance={parts[9]:f}"


def content_light(frame: av.VideoFrame) -> str:
    """The content light level that rides on a frame [CTA861]; empty where there is none."""
    data = _side_data(frame, Type.CONTENT_LIGHT_LEVEL)
    return "MaxCLL={}, MaxFALL={}".format(*struct.unpack_from(_LIGHT, data)) if len(data) >= struct.calcsize(_LIGHT) else ""


def _side_data(frame: av.VideoFrame, kind: Type) -> bytes:
    try:
        return next((bytes(data) for data in cast("Any", frame.side_data) if data.type is kind), b"")
    except ValueError:  # the binding has no name for one of them, and gives none of all then: see `media.riders`
        return b""


def _int32(frame: av.VideoFrame, place: int) -> int:
    return int(struct.unpack("<i", ctypes.string_at(_structure(frame) + place, 4))[0])


def _structure(frame: av.VideoFrame) -> int:
    """The address of FFmpeg's structure: the first thing that PyAV keeps of a frame, behind the object's head and methods."""
    return int(struct.unpack("<Q", ctypes.string_at(id(frame) + object.__basicsize__ + 8, 8))[0])


@cache
def _places() -> tuple[int, int]:
    """Where in a frame's structure the location of chroma and the shape of pixels are, by frames that have been given some."""
    located = [_words(_made("setparams", f"chroma_location={name}")) for name in LOCATIONS]
    shaped = _words(_made("setsar", "/".join(map(str, _SHAPE))))
    places = [4 * n for n, values in enumerate(zip(*located, strict=True)) if values == tuple(range(len(LOCATIONS)))]
    shapes = [4 * n for n in range(len(shaped) - 1) if shaped[n : n + 2] == _SHAPE]
    if len(places) != 1 or len(shapes) != 1:
        raise _unknown()
    return places[0], shapes[0]


def _words(frame: av.VideoFrame) -> tuple[int, ...]:
    """What lies where a frame's structure is thought to be, as numbers; read in a way that can go wrong without harm."""
    with Path("/proc/self/mem").open("rb") as memory:
        try:
            return struct.unpack(f"<{_LOOKED_AT // 4}i", os.pread(memory.fileno(), _LOOKED_AT, _structure(frame)))
        except (OSError, OverflowError, struct.error) as error:
            raise _unknown() from error


def _made(name: str, options: str) -> av.VideoFrame:
    """A frame that a filter has given something."""
    frame, graph = av.VideoFrame(*_SIZE, "yuv420p"), Graph()
    source = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=Fraction(1, 25))
    graph.link_nodes(source, graph.add(name, options), graph.add("buffersink")).configure()
    graph.vpush(frame)
    made = graph.vpull()
    assert isinstance(made, av.VideoFrame)
    return made


def _unknown() -> MediaError:
    return MediaError(f"Frames can't be read with PyAV {av.__version__}: it keeps them otherwise than is known here.")
