"""The frames of a file by number: its packets walked once, without decoding, and what it declares held against them."""

import re
import struct
from array import array
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

import av
import numpy as np
from av.video.stream import VideoStream

from bluffline.errors import MediaError
from bluffline.media.captions import says_something
from bluffline.media.gaps import lost_times
from bluffline.media.programme import FrameIndex
from bluffline.media.source_file import SourceFile

FIELD_SAMPLE = 4  # decoded frames that tell whether each field has a packet of its own
_RATE_SLACK = 0.005
_TELL_EVERY = 256  # frames
_PAUSE = 1.0  # seconds without captions that are no end of them
_COUNT = struct.Struct(">I")  # what a timecode track of QuickTime holds
_USUAL_RATES = tuple(Fraction(n) for n in range(1, 241)) + tuple(Fraction(n * 1000, 1001) for n in (24, 30, 48, 60, 120))


@dataclass(frozen=True, slots=True)
class Others:
    """What the packets of the other tracks tell, by their numbers; times are seconds of the file's clock.

    ``begins``, ``ends``: of each sound; ``said``: from when to when each track of captions has some, in their order;
    ``counts``: of each timecode track at what times its counting begins anew, and at which number of frames.
    """

    begins: dict[int, float] = field(default_factory=dict)
    ends: dict[int, float] = field(default_factory=dict)
    said: dict[int, list[tuple[float, float]]] = field(default_factory=dict)
    counts: dict[int, list[tuple[float, int]]] = field(default_factory=dict)

    def take(self, packet: Any) -> None:
        """Take account of a packet."""
        track, stream = packet.stream_index, packet.stream
        if packet.pts is None or not packet.size:
            return
        begin, end = (float(time * packet.time_base) for time in (packet.pts, packet.pts + (packet.duration or 0)))
        if stream.type == "audio":
            self.begins.setdefault(track, begin)
            self.ends[track] = max(end, self.ends.get(track, end))
        elif stream.type == "subtitle":
            said = self.said.setdefault(track, [])
            if not says_something(bytes(packet), stream.name):
                return
            if said and begin - said[-1][1] < _PAUSE:
                said[-1] = said[-1][0], max(end, said[-1][1])
            else:
                said.append((begin, end))
        elif packet.size == _COUNT.size:
            self.counts.setdefault(track, []).append((begin, *_COUNT.unpack(bytes(packet))))


# Gives the frames of a file by number, and what is known of its other tracks, as `frame_index` does.
Walk = Callable[[SourceFile, VideoStream], tuple[FrameIndex, Others]]


def frame_index(
    source: SourceFile, stream: VideoStream, tell: Callable[[int], object] = lambda _: None
) -> tuple[FrameIndex, Others]:
    """Where every frame is, and what the packets of sound, captions and timecode tell.

    Parameters
    ----------
    tell : called now and then with the number of frames found so far; may raise to stop

    Raises
    ------
    MediaError : no picture is found, or a read failed.
    """
    times, decode_times, keys = array("q"), array("q"), bytearray()  # lists of tuples would be collected again and again
    timed, others, broken = True, Others(), ""
    container, name = source.container, source.name
    latest, backwards = -(1 << 63), False
    streams = container.streams
    sounds = [track for track in streams.audio if getattr(track, "codec_context", None) is not None]
    clocks = [track for track in streams.data if "timecode" in track.metadata]
    try:
        for packet in source.packets([stream, *sounds, *streams.subtitles, *clocks]):
            if packet.stream_index != stream.index:
                others.take(packet)
                continue
            if packet.size == 0 or packet.is_discard:
                continue
            time = packet.pts if packet.pts is not None else packet.dts
            timed = timed and packet.pts is not None
            order = len(times)
            decode_time = packet.dts if packet.dts is not None else time
            if packet.dts is not None:
                backwards = backwards or packet.dts < latest
                latest = packet.dts
            if order % _TELL_EVERY == 0:
                tell(order)
            times.append(order if time is None else time)
            decode_times.append(order if decode_time is None else decode_time)
            keys.append(packet.is_keyframe)
    except av.error.FFmpegError as error:
        if not times:
            raise MediaError(f"{name} can't be read: no picture was found in it.") from error
        broken = error.strerror or "damaged"
    if not times:
        raise MediaError(f"{name} holds a video track with no frames in it.")
    # AVI stores no presentation times: those of reordered frames are the demuxer's guess.
    guessed = container.format.name == "avi" and not all(keys)
    table = np.array([times, decode_times, keys], np.int64)
    if not timed or guessed or backwards:  # a clock that is set back on the way is none
        count = np.arange(len(times), dtype=np.int64)
        return FrameIndex(count, count[:1], count[:1], timed=False, broken=broken), others
    table = table[:, np.lexsort(table[::-1])]
    at = np.flatnonzero(table[2])
    return FrameIndex(table[0].copy(), at, table[1, at].copy(), broken=broken), others


def with_lost_frames(index: FrameIndex) -> FrameIndex:
    """The index with places for frames whose times are missing between others, so that those after them keep their numbers."""
    more = lost_times(index.times) if index.timed else index.times[:0]
    if not len(more):
        return index
    times = np.sort(np.concatenate([index.times, more]))
    places = np.searchsorted(times, index.times[index.keys])
    return replace(index, times=times, keys=places, lost=np.searchsorted(times, more))


def without_second_fields(index: FrameIndex, decoded: list[int | None]) -> FrameIndex:
    """Drop the times of second fields where a file carries each field in a packet of its own."""
    times = [time for time in decoded if time is not None]
    if not index.timed or len(times) < FIELD_SAMPLE or index.count < 2 * len(times):
        return index
    if len(set(times)) < len(times) or set(times) != set(index.times[: 2 * len(times) : 2].tolist()):
        return index
    keys, first = np.unique(index.keys // 2, return_index=True)
    return replace(index, times=index.times[::2].copy(), keys=keys, key_decode_times=index.key_decode_times[first])


def frame_rate(stream: VideoStream, index: FrameIndex) -> Fraction:
    """Frames a second: of the rates that the file tells, the one that its frames keep to, or else what they keep to."""
    told = [Fraction(rate) for rate in (stream.average_rate, stream.guessed_rate, stream.base_rate) if rate]
    steps = np.diff(index.times)
    steps = steps[steps > 0]  # pictures of one time say nothing of the rate
    if not index.timed or not len(steps) or not stream.time_base:
        # A raw stream's average counts the ticks of its clock; what FFmpeg guesses from its pictures is their rate.
        return next((rate for rate in told if rate <= 240), Fraction(25))
    # The last of a file may be cut short; but where frames last 2 and 3 fields in turn, their rate is the mean of all.
    usual = steps if index.variable else steps[np.abs(steps - np.median(steps)) <= 0.25 * np.median(steps)]
    kept = 1 / (float(usual.mean()) * float(stream.time_base))
    near = [rate for rate in told if abs(float(rate) / kept - 1) < _RATE_SLACK]
    usual_rates = [rate for rate in near if rate in _USUAL_RATES]
    if usual_rates:
        return usual_rates[0]
    # What a container works out from coarse times lies beside a rate that is in use; of two, the one of the same family.
    family = {rate.denominator for rate in told if rate in _USUAL_RATES}
    known = [rate for rate in _USUAL_RATES if abs(float(rate) / kept - 1) < _RATE_SLACK]
    known.sort(key=lambda rate: (rate.denominator not in family, abs(float(rate) - kept)))
    return (known or near or [Fraction(kept).limit_denominator(1001)])[0]


def with_missing(index: FrameIndex, stream: VideoStream, rate: Fraction) -> FrameIndex:
    """The index with places for frames that the file declares and does not hold."""
    missing = _declared(index, stream, rate) - (index.count - len(index.lost))
    if index.timed:  # what left a gap is declared as well, where frames are counted and not times
        missing -= len(index.lost)
    if missing <= 0:
        return index
    step = 1 / rate / stream.time_base if index.timed and stream.time_base else Fraction(1)
    more = np.array([int(index.times[-1]) + round(step * n) for n in range(1, missing + 1)], np.int64)
    lost = np.concatenate([index.lost, np.arange(index.count, index.count + missing)])
    return replace(index, times=np.concatenate([index.times, more]), lost=lost)


def _declared(index: FrameIndex, stream: VideoStream, rate: Fraction) -> int:
    """How many frames there should be by the file's own word; those found where it says nothing."""
    kind = stream.container.format.name
    if "mov" in kind and len(stream.index_entries):
        # The index as the edit list leaves it: what it cuts away is not declared.
        return sum(not entry.is_discard for entry in stream.index_entries)
    if kind == "mxf":
        return round(Fraction(stream.duration or 0) * (stream.time_base or 0) * rate)
    if (end := _matroska_end(stream)) and index.timed and stream.time_base:
        last = float((int(index.times[-1])) * stream.time_base) + float(1 / rate)
        # Matroska's times are rounded to its clock; half a frame is the least that can be missing.
        return index.count + max(round((end - last) * float(rate)), 0)
    return stream.frames if kind != "gxf" else 0


def _matroska_end(stream: VideoStream) -> float:
    """When the picture ends: Matroska keeps it for each track, as text."""
    match = re.fullmatch(r"(\d+):(\d+):(\d+(?:\.\d+)?)", stream.metadata.get("DURATION", ""))
    return 3600 * int(match[1]) + 60 * int(match[2]) + float(match[3]) if match else 0.0
