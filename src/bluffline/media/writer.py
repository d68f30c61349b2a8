"""Writing a programme: treated pictures encoded, everything else carried over untouched."""

from __future__ import annotations

import math
import os
import re
import shutil
import subprocess
import zlib
from collections.abc import Callable, Iterator
from contextlib import ExitStack, suppress
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from av.codec.context import Flags
from av.filter import Graph

from bluffline.errors import WriteError
from bluffline.media.codecs import MATRIX_TAGS, PRIMARIES_TAGS, RANGE_TAGS, TRANSFER_TAGS, Codec, written_format
from bluffline.media.opening import plain_name
from bluffline.media.pixels import put_planes
from bluffline.media.programme import Programme
from bluffline.media.riders import Riders, with_riders
from bluffline.media.source_file import opened
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.signal.siting import Siting

_FIELDS_APART = {True: 2, False: 3}  # FFmpeg's numbers for fields coded apart, by whether the top field is first
PROGRESSIVE = 1  # FFmpeg's number for pictures without fields
_LOCATIONS = {
    Siting.LEFT: "left", Siting.CENTRE: "center", Siting.TOP_LEFT: "topleft", Siting.TOP: "top",
    Siting.BOTTOM_LEFT: "bottomleft", Siting.BOTTOM: "bottom",
}  # fmt: skip
_OF_THE_PICTURE = frozenset({"language", "title"})  # of a track's own words those that its copy keeps
_MASTERING = 10  # numbers that describe a mastering display: x and y of red, green, blue and white, least and greatest light
IN_STEP = 0.001  # seconds that sound may begin beside the picture and still count as in step
_NO_RIDERS: Riders = {}
_MUXERS = {".mov": "mov", ".mxf": "mxf", ".mkv": "matroska", ".mp4": "mp4"}


def refuse_source_as_target(source: Path, target: Path) -> None:
    """Keep the source safe.

    Raises
    ------
    WriteError : ``target`` is the source itself, by whatever name, or its folder is not there.
    """
    if target.exists() and target.samefile(source):
        raise WriteError(f"{target} is the source itself, which is never written to; choose another name.")
    if not target.parent.is_dir():
        raise WriteError(f"{target} can't be written: there is no folder {target.parent}.")
    if target.is_dir():
        raise WriteError(f"{target} can't be written: it is a folder.")


class Writer:
    """Writes one file, frame by frame; call `finish` when all are in.

    ``source`` is the programme's format with the operator's word on it, which the written tags follow. Planes are never
    converted here: `write` takes them in `format`. ``tracks``: those that are carried over beside the picture; all where None.

    Raises
    ------
    WriteError : a track, the matrix or a variable rate can't be carried, or the disk refuses.
    """

    def __init__(
        self, target: Path, programme: Programme, source: SignalFormat, codec: Codec, tracks: frozenset[int] | None = None
    ) -> None:
        self._kept = frozenset(track.index for track in programme.tracks) if tracks is None else tracks
        self.programme = programme
        self.codec = codec
        self.format = written_format(source, codec)
        self._pixel_format = codec.pixel_format or _writable(programme)
        self._tags = self._written_tags()
        self._ticks = programme.time_base if programme.index.variable else 1 / programme.frame_rate
        # Sound that begins before the picture would be cut: the picture waits for it, for whole ticks of its clock.
        before = max((-track.offset for track in programme.tracks if track.index in self._kept), default=0.0)
        self._lead = math.ceil(max(before - IN_STEP, 0.0) / self._ticks)
        self._riders: dict[int | None, Riders] = {}  # of pictures that the encoder holds, by their times
        self._stack = ExitStack()
        self.target = target
        self._end = _MUXERS[target.suffix.lower()]
        if programme.index.variable and self._end == "mxf":
            raise WriteError("An .mxf file can't hold a variable frame rate; choose .mov, .mp4 or .mkv.")
        said = {"movflags": "write_colr"} if codec.bare else {}  # else only where all of it is known
        self._output = self._guard(
            lambda: av.open(plain_name(target), "w", format=self._end, options=said, metadata_errors="ignore")
        )
        try:
            self._file = self._stack.enter_context(opened(programme.opening))
            self._source = self._file.container
            self._stream = self._add_picture()
            self._tracks = dict(self._add_tracks())
            self._begin()
        except BaseException:
            self.abandon()
            raise
        self._packets: Iterator[av.Packet[Any]] = iter(
            self._file.packets([self._source.streams[number] for number in self._tracks]) if self._tracks else ()
        )
        self._waiting: av.Packet[Any] | None = next(self._packets, None)
        self._handed_on = 0
        self._field_marker = FieldMarker(self.format.top_field_first) if self.format.interlaced else None

    def picture(self, planes: Planes) -> av.VideoFrame:
        """A picture to be written, made of planes in `format`. Safe to use from any thread."""
        picture = av.VideoFrame(self.format.width, self.format.height, self._pixel_format)
        put_planes(picture, planes)
        return picture

    def write(self, number: int, picture: av.VideoFrame, riders: Riders = _NO_RIDERS) -> None:
        """Encode a picture as frame ``number``, what rides on it too, and carry over the sound up to it."""
        time = self._time(number)
        picture.pts = time
        picture.time_base = self._ticks
        # Some encoders take the tags from each frame, others from the track.
        picture.color_range, picture.colorspace, picture.color_primaries, picture.color_trc = self._tags
        if self._field_marker is not None:
            picture = self._field_marker.mark(picture)
        if riders:
            self._riders[time] = riders
        try:
            packets = self._stream.encode(picture)
        except av.error.FFmpegError as error:
            raise self._beyond_the_encoder() from error
        self._mux(packets)
        self._carry_until(time * self._ticks)

    def hand_on(self, number: int, coded: bytes) -> None:
        """Have a picture that was coded elsewhere, all by itself, as frame ``number``, and carry over the sound up to it."""
        time = self._time(number)
        self._handed_on = zlib.crc32(coded, self._handed_on)
        packet: av.Packet[Any] = av.Packet(coded)
        packet.pts = packet.dts = time
        packet.time_base, packet.is_keyframe, packet.stream = self._ticks, True, self._stream
        self._mux([packet])
        self._carry_until(time * self._ticks)

    @property
    def handed_on(self) -> str:
        """What `Reader.digest` will be of the file, where all of it was handed on."""
        return f"{self._handed_on:08x}"

    @property
    def one_head(self) -> bool:
        """Whether what is read by the head of the source's picture is read the same by that of the file."""
        original = self._source.streams[self.programme.picture]
        return self.codec.name != "ffv1" or self._stream.codec_context.extradata == original.codec_context.extradata

    def finish(self, *, carry: bool = True) -> None:
        """Flush the encoder, carry over what is left of the other tracks, and close the file."""
        self._mux(self._stream.encode(None))
        if carry:
            self._carry_until(None)
        self._guard(self._output.close)
        self._stack.close()
        if self._end == "matroska" and self.programme.carried.pixel_shape != 1:
            _shape_pixels(self.target, self.programme.carried.pixel_shape * self.format.width / self.format.height)

    def _mux(self, packets: list[av.Packet[Any]]) -> None:
        for packet in packets:
            riders = self._riders.pop(packet.pts, None) if self._riders else None
            made = packet if riders is None else with_riders(packet, riders, self.codec.encoder)
            self._guard(lambda made=made: self._output.mux(made))  # type: ignore[misc]

    def abandon(self) -> None:
        """Close without finishing; the caller removes the file."""
        with suppress(av.error.FFmpegError, OSError):  # the file is thrown away: a failing trailer says nothing new
            self._output.close()
        self._stack.close()

    def _guard(self, act: Callable[[], Any]) -> Any:
        """Run ``act``, telling the library's and the disk's errors in a sentence."""
        try:
            return act()
        except (av.error.FFmpegError, OSError) as error:
            reason = getattr(error, "strerror", None) or str(error)
            raise WriteError(f"The file could not be written: {reason}.") from error

    def _add_picture(self) -> av.VideoStream:
        programme, codec = self.programme, self.codec
        options = codec.options_for(self.format, programme.frame_rate)
        if codec.name == "h264":
            options["x264-params"] = ":".join((options["x264-params"], *self._x264()))
        options["chroma_sample_location"] = _LOCATIONS[self.format.siting]
        stream: av.VideoStream = self._output.add_stream(codec.encoder, rate=programme.frame_rate, options=options)
        stream.width, stream.height, stream.pix_fmt = self.format.width, self.format.height, self._pixel_format
        context = stream.codec_context
        context.time_base = self._ticks
        context.color_range, context.colorspace, context.color_primaries, context.color_trc = self._tags
        original = self._source.streams[programme.picture]
        assert isinstance(original, av.VideoStream)
        if original.sample_aspect_ratio:
            context.sample_aspect_ratio = original.sample_aspect_ratio
        context.field_order = PROGRESSIVE
        if self.format.interlaced:
            context.flags |= Flags.interlaced_dct | Flags.interlaced_me
            context.field_order = _FIELDS_APART[self.format.top_field_first]
        context.thread_count, context.thread_type = os.cpu_count() or 1, codec.threads_for(self.format)
        stream.metadata.update({key: value for key, value in original.metadata.items() if key in _OF_THE_PICTURE})
        stream.disposition = original.disposition
        if programme.carried.display:
            stream.set_display_matrix(programme.carried.display)
        self._output.metadata.update(dict(programme.carried.metadata))
        if programme.carried.chapters:
            self._output.set_chapters(self._source.chapters())
        if programme.timecode.told:
            label = programme.label(0)
            stream.metadata["timecode"] = label
            self._output.metadata["timecode"] = label
        return stream

    def _x264(self) -> Iterator[str]:
        """What the H.264 encoder is told in its own words."""
        if self._tags[0]:  # the range is said in the same breath, and only then
            yield "videoformat=component"
        carried = self.programme.carried
        numbers = [float(number) for number in re.findall(r"\d+\.\d+", carried.mastering)]
        if len(numbers) == _MASTERING:
            red, green, blue, white = ([round(n * 50000) for n in numbers[k : k + 2]] for k in range(0, 8, 2))
            primaries = "".join(
                f"{name}({x},{y})" for name, (x, y) in zip(("G", "B", "R", "WP"), (green, blue, red, white), strict=True)
            )
            yield f"mastering-display={primaries}L({round(numbers[9] * 10000)},{round(numbers[8] * 10000)})"
        light = re.findall(r"\d+", carried.light)
        if len(light) == 2:
            yield f"cll={','.join(light)}"

    def _begin(self) -> None:
        """Write the file's head, which is where a container says that it won't carry a track."""
        try:
            self._stream.codec_context.open(strict=False)
        except (av.error.FFmpegError, ValueError) as error:
            raise self._beyond_the_encoder() from error
        try:
            self._output.start_encoding()
        except (av.error.FFmpegError, ValueError, OSError) as error:
            if not self._tracks:
                raise WriteError(f"The file could not be begun: {error}.") from error
            carried = ", ".join(
                f"{track.index} ({track.description})" for track in self.programme.tracks if track.index in self._tracks
            )
            raise WriteError(
                f"A {self._end} file can't carry track {carried} as it is; choose another ending, or have it left out."
            ) from error

    def _beyond_the_encoder(self) -> WriteError:
        size = f"{self.format.width}×{self.format.height} at {float(self.programme.frame_rate):.5g} frames/s"
        return WriteError(f"{self.codec.title} can't encode a picture of {size}; choose another codec.")

    def _written_tags(self) -> tuple[int, int, int, int]:
        """Range, matrix, primaries and transfer code points: the source's own, but for the operator's word."""
        tags, source, tagged = self.programme.tags, self.format, self.programme.tagged
        converted = source.model is not tagged.model  # R′G′B′ is full range without saying so, Y′CbCr is not
        signal_range = tags.range if source.range is tagged.range and not converted else RANGE_TAGS[source.range]
        matrix = tags.matrix
        if source.model is Model.YCBCR and (source.matrix is not tagged.matrix or converted):
            matrix = MATRIX_TAGS[source.matrix]
        matrix = dict(self.codec.matrix_tags).get(matrix, matrix)
        return (
            signal_range,
            matrix,
            tags.primaries if source.primaries == tagged.primaries else PRIMARIES_TAGS[source.primaries],
            tags.transfer if source.transfer == tagged.transfer else TRANSFER_TAGS[source.transfer],
        )

    def _add_tracks(self) -> Iterator[tuple[int, Any]]:
        """Copies of the sound, caption and data tracks; the timecode track is written anew by the container."""
        for track in self.programme.tracks:
            source = self._source.streams[track.index]
            if track.anew or track.index not in self._kept:
                continue
            if self._end == "mxf" and track.description.startswith("pcm") and abs(track.offset) > IN_STEP:
                raise WriteError(
                    f"An .mxf file can't hold sound that begins {track.offset:+.3f} s beside the picture; "
                    "choose .mov or .mkv, or have it left out."
                )
            try:
                copy = self._output.add_stream_from_template(source, opaque=None)
            except (av.error.FFmpegError, ValueError, TypeError) as error:
                raise WriteError(
                    f"A {self._end} file can't carry track {track.index} ({track.description}) as it is; "
                    "choose another ending, or have it left out."
                ) from error
            copy.metadata.update(source.metadata)
            copy.disposition = source.disposition
            yield track.index, copy

    def _time(self, number: int) -> int:
        index = self.programme.index
        return self._lead + (int(index.times[number] - index.times[0]) if index.variable else number)

    def _carry_until(self, time: Fraction | None) -> None:
        """Pass on packets of the other tracks up to ``time`` seconds; all that are left where it is None."""
        index = self.programme.index
        start = Fraction(int(index.times[0])) * self.programme.time_base if index.timed else Fraction(0)
        start -= self._lead * self._ticks
        while (packet := self._waiting) is not None:
            base = packet.time_base
            if packet.size and packet.dts is None:  # a cover belongs to no time
                packet.pts = packet.dts = round(start / base)
            if packet.dts is not None:
                if time is not None and packet.dts * base - start > time:
                    return
                shift = round(start / base)
                packet.dts -= shift
                packet.pts = packet.pts - shift if packet.pts is not None else None
                packet.stream = self._tracks[packet.stream_index]
                self._guard(lambda packet=packet: self._output.mux(packet))  # type: ignore[misc]
            self._waiting = next(self._packets, None)


def _shape_pixels(path: Path, display: Fraction) -> None:
    """Have a Matroska file say the shape of its picture: by a stream copy with the `ffmpeg` program, as its binding can't.

    Where that is not installed the file stays as it is.

    Raises
    ------
    WriteError : the copy fails, when it had been said that the shape is kept
    """
    if (program := shutil.which("ffmpeg")) is None:
        return
    shaped = path.with_name(f"{path.stem}.shaped{path.suffix}")
    copying = ["-map", "0", "-c", "copy", "-copy_unknown", "-aspect:v:0", f"{display.numerator}:{display.denominator}"]
    try:
        subprocess.run(  # noqa: S603 (its own name for a file, and no shell)
            [program, "-v", "error", "-nostdin", "-y", "-i", f"file:{path}", *copying, f"file:{shaped}"],
            check=True, capture_output=True,
        )  # fmt: skip
        shaped.replace(path)
    except (subprocess.CalledProcessError, OSError) as error:
        shaped.unlink(missing_ok=True)
        raise WriteError("The shape of its pixels could not be written by the ffmpeg program; choose .mov or .mp4.") from error


class FieldMarker:
    """Marks frames as interlaced, which encoders read from each frame and the binding does not let one set."""

    def __init__(self, top_first: bool) -> None:
        self._mode = "tff" if top_first else "bff"
        self._graph: Graph | None = None

    def mark(self, picture: av.VideoFrame) -> av.VideoFrame:
        """The same picture, marked."""
        if self._graph is None:
            self._graph = Graph()
            self._graph.link_nodes(
                self._graph.add_buffer(
                    width=picture.width, height=picture.height, format=picture.format, time_base=picture.time_base
                ),
                self._graph.add("setfield", self._mode),
                self._graph.add("buffersink"),
            ).configure()
        self._graph.vpush(picture)
        marked = self._graph.vpull()
        marked.pts, marked.time_base = picture.pts, picture.time_base
        return marked


def _writable(programme: Programme) -> str:
    """The planar pixel format that holds the source's own samples."""
    source = programme.format
    depth = "" if source.bit_depth == 8 else f"{source.bit_depth}le"
    if source.model is Model.RGB:
        # Losslessly coded R′G′B′ starts at 9 bits in planar form.
        return "bgr0" if source.bit_depth == 8 else f"gbrp{depth}"
    if programme.layout.sources[1] is None:
        return f"gray{depth}"
    sampling = {(2, 2): "410", (2, 1): "411"}.get(programme.layout.spread, source.sampling.replace(":", ""))
    return f"yuv{sampling}p{depth}"
