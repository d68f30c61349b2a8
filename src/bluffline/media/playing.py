"""What a container asks a player to do with a picture that decoding does not show: crops, and edits of QuickTime files."""

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

_MOST_HEAD = 256 << 20  # bytes of a QuickTime file's index
_MOST_TRACKS = 16 << 20  # bytes from a Matroska file's start within which its tracks are described
_INSIDE = frozenset({b"moov", b"trak", b"edts", b"mdia", b"minf", b"stbl"})
_SEGMENT, _TRACKS, _ENTRY, _VIDEO = 0x18538067, 0x1654AE6B, 0xAE, 0xE0
_CROPS = {0x54AA: "bottom", 0x54BB: "top", 0x54CC: "left", 0x54DD: "right"}
_WHOLE_SPEED = 1 << 16


@dataclass(frozen=True, slots=True)
class Playing:
    """``crop``: what is shown of the picture, in words, empty where all is; ``edits``: why its edits can't be followed here."""

    crop: str = ""
    edits: str = ""


def playing_of(path: Path, container: str, number: int) -> Playing:
    """What a file asks of a player for track ``number`` of it; ``container``: FFmpeg's name for its kind.

    Raises
    ------
    OSError : it can't be read
    """
    try:
        if "mov" in container:
            return _of_quicktime(path, number)
        if "matroska" in container:
            return Playing(crop=_matroska_crop(path, number))
    except (struct.error, IndexError, ValueError, ZeroDivisionError):
        pass  # FFmpeg reads it all the same: what it says is damaged here
    return Playing()


def _of_quicktime(path: Path, number: int) -> Playing:
    with path.open("rb") as file:
        size = path.stat().st_size
        place = 0
        while place + 8 <= size:
            file.seek(place)
            head = file.read(16)
            length, kind = struct.unpack(">I4s", head[:8])
            length = struct.unpack(">Q", head[8:16])[0] if length == 1 else length or size - place
            if kind == b"moov" and length <= _MOST_HEAD:
                file.seek(place)
                tracks = [data for name, data in _boxes(file.read(length)[8:]) if name == b"trak"]
                return _of_track(tracks[number])
            if length < 8:
                break
            place += length
    return Playing()


def _boxes(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    """The boxes of some bytes, by name, what is in them without their heads."""
    place = 0
    while place + 8 <= len(data):
        length, kind = struct.unpack_from(">I4s", data, place)
        head = 8
        if length == 1:
            length, head = struct.unpack_from(">Q", data, place + 8)[0], 16
        length = length or len(data) - place
        if length < head:
            return
        yield kind, data[place + head : place + length]
        place += length


def _of_track(track: bytes) -> Playing:
    crop = edits = ""
    waiting = [track]
    while waiting:
        for kind, data in _boxes(waiting.pop()):
            if kind in _INSIDE:
                waiting.append(data)
            elif kind == b"elst":
                edits = _edits(data)
            elif kind == b"stsd" and (place := data.find(b"clap")) >= 0:
                wide, high = (_ratio(data, place + 4 + 8 * n) for n in range(2))
                stored = struct.unpack_from(">HH", data, 8 + 8 + 8 + 16)
                crop = "" if (wide, high) == stored else f"{wide:g}×{high:g} of {stored[0]}×{stored[1]} (clean aperture)"
    return Playing(crop, edits)


def _ratio(data: bytes, place: int) -> float:
    above, below = struct.unpack_from(">iI", data, place)
    return float(above / below)


def _edits(data: bytes) -> str:
    """Why an edit list shows something else than the frames as they are stored; empty where it does not."""
    form, size = (">Qqi", 20) if data[0] == 1 else (">Iii", 12)
    count = struct.unpack_from(">I", data, 4)[0]
    edits = [struct.unpack_from(form, data, 8 + size * n) for n in range(min(count, (len(data) - 8) // size))]
    shown = [(start, speed) for _, start, speed in edits if start >= 0]
    if any(start < 0 for _, start, _ in edits[1:]):
        return "it holds nothing in its middle"
    if any(speed != _WHOLE_SPEED for _, speed in shown):
        return "it plays at another speed, or dwells on a frame"
    if any(after < before for (before, _), (after, _) in pairwise(shown)):
        return "it plays parts in another order"
    return ""


def _matroska_crop(path: Path, number: int) -> str:
    with path.open("rb") as file:
        data = file.read(_MOST_TRACKS)
    for kind, segment in _elements(data):
        for inside, tracks in _elements(segment) if kind == _SEGMENT else ():
            if inside != _TRACKS:
                continue
            entries = [entry for name, entry in _elements(tracks) if name == _ENTRY]
            video = next((part for name, part in _elements(entries[number]) if name == _VIDEO), b"")
            crops = {_CROPS[name]: int.from_bytes(value) for name, value in _elements(video) if name in _CROPS}
            cut = [f"{pixels} px at the {side}" for side, pixels in sorted(crops.items()) if pixels]
            return f"all but {', '.join(cut)}" if cut else ""
    return ""


def _elements(data: bytes) -> Iterator[tuple[int, bytes]]:
    """The elements of some bytes of EBML, by their ids."""
    place = 0
    while place < len(data):
        wide = 9 - data[place].bit_length()
        kind = int.from_bytes(data[place : place + wide])
        place += wide
        wide = 9 - data[place].bit_length()
        length = int.from_bytes(data[place : place + wide]) & ((1 << 7 * wide) - 1)
        unknown = length == (1 << 7 * wide) - 1
        place += wide
        yield kind, data[place:] if unknown else data[place : place + length]
        place = len(data) if unknown else place + length
