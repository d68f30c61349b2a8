"""Frames of a programme, by number, as native planes."""

from __future__ import annotations

import zlib
from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import ExitStack, suppress
from dataclasses import dataclass, field
from itertools import dropwhile, islice
from typing import Self

import av
import numpy as np

from bluffline.errors import MediaError
from bluffline.media.codecs import LARGE
from bluffline.media.ffv1 import SliceChecks
from bluffline.media.pixels import native_planes
from bluffline.media.predicted import Predictions
from bluffline.media.probe import video_stream
from bluffline.media.programme import Programme, Tags
from bluffline.media.riders import RiderReader, Riders
from bluffline.media.source_file import opened
from bluffline.media.tagging import FrameWords, format_of, head_tags
from bluffline.signal.convert import convert
from bluffline.signal.format import Planes, SignalFormat

# Decoders that clip every sample to the bit depth. Others may hand on more, of a damaged or a careless file.
_CLIPPING = frozenset({"dnxhd", "h264", "hevc", "libdav1d", "prores", "v210"})
_LOSSLESS = "4:4:4"  # the profiles of H.264 that can code without a transform, and don't clip there
_STRICT = frozenset({"prores"})  # decoders that tell of a slice that could not be decoded only where they are asked to
_SOONER = 2  # frames ahead: as soon decoded on the way as sought


@dataclass(frozen=True, slots=True)
class Frame:
    """One picture as stored.

    ``planes``: Y′, Cb, Cr or R′, G′, B′; each (rows, stride) uint8 or uint16, C-contiguous, padding at the right.
    ``None`` where the file holds a frame here that can't be decoded, or that may be predicted from one. ``format``: how they
    are to be read, by what this frame and its track say and by the operator's word; None where there is no frame, or where it
    says what is not known here. ``riders``: what rides on it beside its samples, see `media.riders`. ``damaged``: whether it
    is not there, or not as it was coded.
    """

    number: int
    planes: Planes | None
    format: SignalFormat | None = None
    riders: Riders = field(default_factory=dict)
    damaged: bool = False

    def planes_as(self, wanted: SignalFormat) -> Planes | None:
        """The planes brought to another format of the same size, as far as that is arithmetic; see `signal.convert`."""
        if self.planes is None or self.format is None or self.format is wanted:
            return self.planes
        return convert(self.planes, self.format, wanted)


class Reader:
    """Reads one programme, in order or at any frame. Not for use from several threads at once."""

    def __init__(self, programme: Programme, *, keep_bytes: int = 192 << 20) -> None:
        self.programme = programme
        self._stack = ExitStack()
        self._open()
        self._formats: dict[Tags, SignalFormat | None] = {}
        self._checks: SliceChecks | None = None
        self._damaged: set[int | None] = set()
        self._predictions: Predictions | None = None
        self._in_doubt = False  # where frames have no times: since something could not be decoded, up to one that stands alone
        self._kept: OrderedDict[int, Frame] = OrderedDict()
        self._keep_bytes = keep_bytes
        self._running: Iterator[Frame] | None = None
        self._next = 0
        self._digest: int | None = None

    def _open(self) -> None:
        """Open the file as FFmpeg does by itself: what it patches over it flags, and stricter ways reject sound streams."""
        self._file = self._stack.enter_context(opened(self.programme.opening))
        self._stream = video_stream(self._file.container, self.programme.name, self.programme.picture)
        codec = self._stream.codec_context.codec
        index = self.programme.index
        self._stand_alone = codec.intra_only or len(index.keys) + len(index.lost) >= index.count
        slices = (codec.intra_only or codec.name == "ffv1") and self.programme.format.frame_bytes > LARGE
        self._stream.thread_type = "SLICE" if slices else "AUTO"  # frames of their own, each held by its thread, are large
        if codec.name in _STRICT:
            self._stream.codec_context.options = {"err_detect": "explode"}
        self._words = FrameWords(self._stream)
        self._riders = RiderReader(self._stream.codec_context.name)
        name, profile = self._stream.codec_context.name, self._stream.profile or _LOSSLESS
        self._clips = name in _CLIPPING and not (name == "h264" and _LOSSLESS in profile)

    def close(self) -> None:
        """Let go of the file."""
        self._running = None
        self._kept.clear()
        self._stack.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def frames(self, start: int = 0) -> Iterator[Frame]:
        """Every frame from ``start`` to the end, each number exactly once; without planes where damaged, see `Predictions`."""
        self._digest = 0 if start == 0 else None
        self._predictions, self._in_doubt = None, False
        if not self.programme.index.timed or self._stand_alone:
            return self._pictured(start, start)
        self._predictions = Predictions(self.programme.index)
        frames = self._predictions.believed(self._pictured(start, max(self._key_before(start), 0)))
        return dropwhile(lambda frame: frame.number < start, frames)

    def _pictured(self, start: int, expected: int) -> Iterator[Frame]:
        """Frames from ``expected`` on, each by itself, from a place where decoding reaches ``start`` whole."""
        index, counted = self.programme.index, 0
        for picture in self._decode_from(start):
            if index.timed:
                if picture.pts is None:
                    continue
                number = int(np.searchsorted(index.times, picture.pts))
                if number == index.count or index.times[number] != picture.pts:
                    continue
                if number < expected <= np.searchsorted(index.times, picture.pts, side="right") - 1:
                    number = expected  # another picture of the same time
            else:
                number, counted = counted, counted + 1
            if number < expected:
                continue
            for missing in range(expected, min(number, index.count)):
                yield Frame(missing, None, damaged=True)
            if number >= index.count:
                return
            yield self._frame(number, picture)
            expected = number + 1
        for missing in range(expected, index.count):
            yield Frame(missing, None, damaged=True)

    @property
    def digest(self) -> str:
        """A checksum of what `frames` has read so far; empty where it did not start at the first frame."""
        return f"{self._digest:08x}" if self._digest is not None else ""

    def packets_digest(self, tell: Callable[[int], object]) -> str:
        """What `digest` is after all frames were read, without decoding; ``tell`` is called with the packets read so far."""
        found = 0
        for number, packet in enumerate(self._packets_from(0)):
            if packet.size:
                found = zlib.crc32(packet, found)
            tell(number)
        return f"{found:08x}"

    def coded(self) -> Iterator[tuple[int, bytes]]:
        """Every frame as it is coded, by number: of a programme in which each stands alone at a time of its own.

        What is read is counted in `digest`.

        Raises
        ------
        MediaError : one is not where the index says, or missing
        """
        self._digest, number, times = 0, 0, self.programme.index.times
        for packet in self._packets_from(0):
            if not packet.size:
                continue
            data = bytes(packet)
            self._digest = zlib.crc32(data, self._digest)
            if packet.is_discard:  # an edit list leaves it out
                continue
            if number == len(times) or packet.pts != times[number]:
                break
            yield number, data
            number += 1
        if number != len(times):
            raise MediaError(f"Frame {number} of {self.programme.name} is not where it was when the file was opened.")

    def frame(self, number: int) -> Frame:
        """Frame ``number``, exactly; cheap for a neighbour of the last one asked for.

        Raises
        ------
        MediaError : the programme has no such frame.
        """
        if not 0 <= number < self.programme.frame_count:
            raise MediaError(f"{self.programme.name} has no frame {number}: it holds {self.programme.frame_count}.")
        if number in self._kept:
            self._kept.move_to_end(number)
            return self._kept[number]
        key = self._key_before(number)
        if self._running is None or number < self._next or key > self._next + _SOONER:
            self._next = number if not self.programme.index.timed else max(key, 0)
            self._running = self.frames(self._next)
        for frame in self._running:
            self._next = frame.number + 1
            self._keep(frame)
            if frame.number == number:
                return frame
        raise MediaError(f"Frame {number} of {self.programme.name} can't be reached.")

    def planes(self, number: int) -> Planes | None:
        """Planes of a frame, brought to the programme's format where it says that it has another; None where unreadable.

        Raises
        ------
        MediaError : the programme has no such frame.
        """
        return self.frame(number).planes_as(self.programme.format)

    def key_frame(self, number: int) -> Frame:
        """Frame ``number``, one of the index's keys: only it is decoded, where the file lets it stand alone."""
        if self.programme.index.timed:
            self._running = None
            for packet in islice(self._packets_from(number), 1):
                self._check(packet)
                with suppress(av.error.FFmpegError):
                    for picture in [*packet.decode(), *self._stream.codec_context.decode(None)]:
                        if picture.pts == self.programme.index.times[number]:
                            return self._frame(number, picture)
        return self.frame(number)

    def _frame(self, number: int, picture: av.VideoFrame) -> Frame:
        said = self._words.of(picture)
        if self.programme.opening.heads:
            said = said.filled(head_tags(self.programme.opening.files[number]))
        if said not in self._formats:
            self._formats[said] = format_of(self.programme, said)
        source = self._formats[said]
        alike = (said.size, said.pixel_format) == (self.programme.tags.size, self.programme.pixel_format)
        damaged = self._hurt(picture)
        planes = None
        if alike and source is not None and not damaged:
            planes = self._planes(picture)
            damaged = planes is None
        return Frame(number, planes, source, self._riders.of(picture), damaged)

    def _hurt(self, picture: av.VideoFrame) -> bool:
        """Whether a picture is not as it was coded, as far as is known from it."""
        hurt = picture.is_corrupt or picture.pts in self._damaged
        if not self.programme.index.timed:
            self._in_doubt = hurt or (self._in_doubt and not picture.key_frame)
        return hurt or self._in_doubt

    def _planes(self, picture: av.VideoFrame) -> Planes | None:
        """Its samples; None where one lies beyond the bit depth."""
        programme = self.programme
        planes = native_planes(picture, programme.layout)
        top = (1 << programme.format.bit_depth) - 1
        bounded = top == np.iinfo(planes[0].dtype).max or self._clips
        return planes if bounded or all(plane.max() <= top for plane in planes) else None

    def _keep(self, frame: Frame) -> None:
        self._kept[frame.number] = frame
        size = sum(plane.nbytes for plane in frame.planes) if frame.planes else 1
        while len(self._kept) > max(2, self._keep_bytes // size):
            self._kept.popitem(last=False)

    def _key_before(self, number: int) -> int:
        keys = self.programme.index.keys
        place = int(np.searchsorted(keys, number, side="right")) - 1
        return int(keys[place]) if place >= 0 else -1

    def _decode_from(self, number: int) -> Iterator[av.VideoFrame]:
        for packet in self._packets_from(number):
            self._check(packet)
            if self._predictions is not None and packet.size:
                self._predictions.packet(packet.pts)
            if self._digest is not None and packet.size:  # the checksum of the last, empty packet is nothing's
                self._digest = zlib.crc32(packet, self._digest)
            try:
                yield from packet.decode()
            except av.error.FFmpegError:
                # This frame can't be decoded: `frames` tells it as missing. The decoder goes on with the next.
                self._in_doubt = not self.programme.index.timed and not self._stand_alone
        with suppress(av.error.FFmpegError):  # a damaged file ends without a word to the decoder, which holds some frames back
            yield from self._stream.codec_context.decode(None)

    def _check(self, packet: av.Packet[av.VideoStream]) -> None:
        """Remember a frame that its own checksum shows to be damaged."""
        if self._stream.codec_context.name != "ffv1" or not packet.size:
            return
        if self._checks is None:
            self._checks = SliceChecks(bytes(packet))
        elif not self._checks.whole(bytes(packet)):
            self._damaged.add(packet.pts)

    def _packets_from(self, number: int) -> Iterator[av.Packet[av.VideoStream]]:
        """Packets from a place where decoding reaches ``number`` whole."""
        index = self.programme.index
        key = self._key_before(number)
        targets: list[int | None] = [None]
        if index.timed and key > 0:
            key_time = int(index.times[key])
            decode_time = int(index.key_decode_times[np.searchsorted(index.keys, key)])
            second = round(1 / self.programme.time_base)
            targets = [key_time, decode_time, decode_time - second, decode_time - 10 * second, None]
        for target in targets:
            if target is None:
                self._rewind()
            else:
                self._file.seek(target, self._stream)  # where that can't be done, what comes first shows it
            packets = self._readable()
            first = next(packets, None)
            if first is None:
                continue
            at_or_before = first.pts is not None and first.pts <= index.times[max(key, 0)]
            if target is None or (at_or_before and first.is_keyframe):
                yield first
                yield from packets
                return

    def _rewind(self) -> None:
        """To the first byte: neither a still nor a raw stream can be sought in, and clocks start anywhere."""
        self._stack.close()
        self._open()

    def _readable(self) -> Iterator[av.Packet[av.VideoStream]]:
        """Packets up to the end, or to the place where a damaged file can't be read further: see `FrameIndex.broken`."""
        with suppress(av.error.FFmpegError):
            yield from self._file.packets([self._stream])
