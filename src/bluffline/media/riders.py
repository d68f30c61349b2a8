"""What rides on frames and not in a track: captions, active format, timecode; and writing it where a codec can."""

from __future__ import annotations

import struct
import sys
from fractions import Fraction
from typing import Any, cast

import av
from av.filter import Graph

from bluffline.media.captions import triplets_say
from bluffline.media.timecode import Timecode

# By FFmpeg's names of side data. Mastering display, content light and rotation are told and carried by themselves; user data
# without a registered owner are an encoder's own words.
RIDERS = {
    "A53_CC": "captions on its frames (A53)",
    "AFD": "active format description (AFD)",
    "PANSCAN": "pan and scan",
    "GOP_TIMECODE": "timecode of groups of pictures",
    "S12M_TIMECODE": "timecode on its frames",
    "DYNAMIC_HDR_PLUS": "dynamic HDR metadata",
    "DOVI_RPU_BUFFER": "dynamic HDR metadata",
    "DOVI_METADATA": "dynamic HDR metadata",
    "DYNAMIC_HDR_VIVID": "dynamic HDR metadata",
    "AMBIENT_VIEWING_ENVIRONMENT": "ambient viewing environment",
    "ICC_PROFILE": "colour profile (ICC)",
    "STEREO3D": "stereoscopic metadata",
    "SPHERICAL": "spherical metadata",
    "FILM_GRAIN_PARAMS": "film grain parameters",
    "OTHER": "metadata of a kind that is not known here",
}
Riders = dict[str, bytes]
# Codecs of single pictures whose streams have no room for anything else.
_CARRY_NOTHING = frozenset({"prores", "dnxhd", "ffv1", "rawvideo", "v210", "v410", "dvvideo", "huffyuv", "ffvhuff", "utvideo"})
_SMALL = "w=16:h=16:flags=neighbor"
_OWNER = bytes.fromhex("b50031")  # ITU-T T.35: United States, ATSC [A53]
_DIGITS = (0, 3), (8, 7), (16, 7), (24, 3)  # where hours, minutes, seconds and frames stand in a label, and tens at most
_WORD = 4  # bytes
_PAIRS, _EUROPE = Fraction(30), Fraction(50)  # frames a second
_OFFSETS = slice(12, 24)  # of FFmpeg's structure for pan and scan
_CAPTIONS, _FORMAT = b"GA94", b"DTG1"


class RiderReader:
    """Reads what rides on the frames of one track.

    The binding's look at a frame's side data keeps the frame until the next full search for garbage, so it is taken of a copy
    that is a few pixels large.
    """

    def __init__(self, codec: str) -> None:
        self._may = codec not in _CARRY_NOTHING
        self._form: tuple[int, int, str] | None = None
        self._graph = Graph()

    def of(self, frame: av.VideoFrame) -> Riders:
        """What rides on a decoded frame, by FFmpeg's names."""
        if not self._may:
            return {}
        form = frame.width, frame.height, frame.format.name
        if form != self._form:
            self._form, self._graph = form, Graph()
            source = self._graph.add_buffer(
                width=frame.width, height=frame.height, format=frame.format, time_base=Fraction(1, 25)
            )
            self._graph.link_nodes(source, self._graph.add("scale", _SMALL), self._graph.add("buffersink")).configure()
        self._graph.vpush(frame)
        return _riders_on(self._graph.vpull())


def _riders_on(frame: av.VideoFrame) -> Riders:
    try:
        found = {data.type.name: bytes(data) for data in cast("Any", frame.side_data) if data.type.name in RIDERS}
    except ValueError:  # the binding has no name for one of them, and gives none of all then
        return {"OTHER": b""}
    if not any(found.get("PANSCAN", b"")[_OFFSETS]):  # every MPEG-2 picture has one; without offsets it moves nothing
        found.pop("PANSCAN", None)
    return found


def ridden(riders: Riders, rate: Fraction) -> tuple[int, int, int]:
    """What rides on a frame in figures, as `measure.table.RIDDEN` names them.

    How many triplets of captions say anything, −1 where the frame was not looked into; its timecode as a number of frames from
    midnight, and the code of its active format [ST2016-1], −1 where it has none.
    """
    captions = -1 if "OTHER" in riders else triplets_say(riders.get("A53_CC", b""))
    format_ = riders["AFD"][0] & 15 if riders.get("AFD") else -1
    clock = Timecode.parse(_label(riders, rate), rate)
    return captions, clock.start if clock.told else -1, format_


def _label(riders: Riders, rate: Fraction) -> str | None:
    """The timecode that rides on a frame [ST12-1]. That of groups of pictures is none of a frame's, and often stands still."""
    data = riders.get("S12M_TIMECODE", b"")
    if len(data) < 2 * _WORD or not data[0]:
        return None
    bits = int.from_bytes(data[_WORD : 2 * _WORD], sys.byteorder)
    hours, minutes, seconds, frames = (10 * (bits >> at + 4 & mask) + (bits >> at & 15) for at, mask in _DIGITS)
    if rate > _PAIRS:  # two frames have one number, and a bit of the second field is the second's
        frames = 2 * frames + (bits >> (7 if rate == _EUROPE else 23) & 1)
    return f"{hours:02d}:{minutes:02d}:{seconds:02d}{';' if bits >> 30 & 1 else ':'}{frames:02d}"


def display_matrix(frame: av.VideoFrame) -> tuple[int, ...]:
    """How a player turns and mirrors a frame: nine numbers, none where it shows it as it is."""
    try:
        found = [bytes(data) for data in cast("Any", frame.side_data) if data.type.name == "DISPLAYMATRIX"]
    except ValueError:
        return ()
    return struct.unpack("<9i", found[0][:36]) if found else ()


def words_for(riding: set[str]) -> list[str]:
    """What rides on frames, in words, each once."""
    return sorted({RIDERS[name] for name in riding})


def with_riders(packet: av.Packet[Any], riders: Riders, encoder: str) -> av.Packet[Any]:
    """A coded picture with captions and active format put in before its slices, where the codec has a place for them."""
    data = bytes(packet)
    if encoder == "mpeg2video":
        place, units = data.find(b"\x00\x00\x01\x01"), [b"\x00\x00\x01\xb2" + each for each in _user_data(riders)]
    elif encoder == "libx264":
        place, units = _first_slice(data), [_sei(_OWNER + each) for each in _user_data(riders)]
    else:
        return packet
    if place < 0 or not units:
        return packet
    made = av.Packet(data[:place] + b"".join(units) + data[place:])
    made.pts, made.dts, made.time_base = packet.pts, packet.dts, packet.time_base
    made.duration, made.is_keyframe, made.stream = packet.duration, packet.is_keyframe, packet.stream
    return made


def _user_data(riders: Riders) -> list[bytes]:
    """Registered user data [A53 6.2.3]: captions three bytes each, and the format in four bits."""
    made = []
    if captions := riders.get("A53_CC"):
        made.append(_CAPTIONS + bytes([3, 0x40 | len(captions) // 3, 0xFF]) + captions + b"\xff")
    if described := riders.get("AFD"):
        made.append(_FORMAT + bytes([0x41, 0xF0 | described[0] & 15]))
    return made


def _first_slice(data: bytes) -> int:
    """Where the start code of the first slice of an H.264 picture stands; −1 where there is none."""
    place = data.find(b"\x00\x00\x01")
    while place >= 0:
        if data[place + 3] & 31 in (1, 5):
            return place - 1 if place and data[place - 1] == 0 else place
        place = data.find(b"\x00\x00\x01", place + 3)
    return -1


def _sei(payload: bytes) -> bytes:
    """A unit of supplemental enhancement information that holds registered user data [H264 7.3.2.3]."""
    size = b"\xff" * (len(payload) // 255) + bytes([len(payload) % 255])
    body, zeros = bytearray(), 0
    for byte in bytes([6, 4]) + size + payload + b"\x80":
        if zeros == 2 and byte <= 3:
            body.append(3)  # so that no start code stands in it
            zeros = 0
        body.append(byte)
        zeros = zeros + 1 if byte == 0 else 0
    return b"\x00\x00\x00\x01" + bytes(body)
