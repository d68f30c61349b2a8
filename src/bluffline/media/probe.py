"""Opening a file: its tags, its tracks, its frame index; and one clear sentence where that fails."""

import re
from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import TypeVar

import av
import numpy as np
from av.container import InputContainer
from av.video.stream import VideoStream

from bluffline.errors import MediaError
from bluffline.media.pixels import layout_of
from bluffline.media.programme import FrameIndex, Programme, Tags, Track
from bluffline.media.timecode import Timecode
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.signal.siting import Siting

# H.273 code points, by the table they stand in.
_MATRICES = {1: Matrix.BT709, 5: Matrix.BT601, 6: Matrix.BT601, 9: Matrix.BT2020, 10: Matrix.BT2020}
_PRIMARIES = {1: "bt709", 5: "bt601-625", 6: "bt601-525", 7: "bt601-525", 9: "bt2020", 11: "p3-dci", 12: "p3-d65"}
_TRANSFERS = {1: "bt709", 6: "bt601", 8: "linear", 13: "srgb", 14: "bt2020", 15: "bt2020", 16: "pq", 18: "hlg"}
_UNSPECIFIED = 2
_SIZE_SD = 576
_FIELD_ORDERS = {2: True, 3: False, 4: True, 5: False}  # tt, bb, tb, bt: is the top field shown first?
_DECODABLE_SAMPLE = 4
_T = TypeVar("_T")


@contextmanager
def opened(path: Path) -> Iterator[InputContainer]:
    """Open a file for reading only, with decoder and file errors told in a sentence.

    Raises
    ------
    MediaError : the file is missing, empty, or nothing that FFmpeg's libraries can read.
    """
    if not path.exists():
        raise MediaError(f"There is no file {path}.")
    if path.is_dir():
        raise MediaError(f"{path} is a folder, not a programme file.")
    try:
        if path.stat().st_size == 0:
            raise MediaError(f"{path} is empty (0 bytes).")
        container = av.open(str(path), "r", metadata_errors="ignore")
    except PermissionError as error:
        raise MediaError(f"{path} may not be read by this user.") from error
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise MediaError(f"{path} can't be opened as a programme file: it is damaged, cut short or not a video.") from error
    try:
        yield container
    finally:
        container.close()


def video_stream(container: InputContainer, path: Path) -> VideoStream:
    """The picture track: the first video track that is not a cover picture.

    Raises
    ------
    MediaError : there is none, or no decoder for it.
    """
    for stream in container.streams.video:
        if not stream.disposition & stream.disposition.__class__.attached_pic:
            if getattr(stream, "codec_context", None) is None:
                raise MediaError(f"The picture in {path} is in a codec that can't be decoded here.")
            return stream
    raise MediaError(f"{path} has no video track.")


def probe(path: Path | str) -> Programme:
    """Read everything about a file that can be known without measuring its picture.

    Raises
    ------
    MediaError : the file can't be read, for a reason told in one sentence.
    """
    path = Path(path)
    with opened(path) as container:
        stream = video_stream(container, path)
        index = _index(container, stream, path)
        frames = _first_frames(container, stream, path)
        index = _without_second_fields(index, [frame.pts for frame in frames])
        first = frames[0]
        layout = layout_of(first.format.name)
        rate = stream.average_rate or stream.guessed_rate or stream.base_rate or Fraction(25)
        programme = Programme(
            path=path,
            container=container.format.long_name,
            codec=stream.codec_context.codec.long_name.split(" (")[0].split(" / ")[0],
            profile=stream.profile or "",
            pixel_format=first.format.name,
            layout=layout,
            format=_signal_format(stream, first),
            frame_rate=Fraction(rate),
            time_base=Fraction(stream.time_base or 1),
            index=index,
            timecode=Timecode.parse(_timecode_label(container, stream), Fraction(rate)),
            tags=_tags(stream, first),
            tracks=tuple(_tracks(container)),
            notes=("Variable frame rate",) if index.variable else (),
        )
        _refuse_if_cut_short(stream, programme)
        return programme


def _signal_format(stream: VideoStream, frame: av.VideoFrame) -> SignalFormat:
    """H.273 tags as facts; what is unspecified filled in and named as assumed."""
    layout = layout_of(frame.format.name)
    tags = _tags(stream, frame)
    field_order = int(stream.codec_context.field_order)
    assumed: set[str] = set()

    def tag(name: str, value: _T | None, fallback: _T) -> _T:
        if value is None:
            assumed.add(name)
            return fallback
        return value

    sd = frame.height <= _SIZE_SD
    matrix = tag("matrix", _MATRICES.get(tags.matrix), Matrix.BT601 if sd else Matrix.BT709)
    ranges = {1: Range.NARROW, 2: Range.FULL}
    told = ranges.get(tags.range)
    if layout.full_by_name:
        told = Range.FULL
    fallback_range = Range.FULL if layout.model is Model.RGB else Range.NARROW
    by_size = ("bt601-525" if frame.height <= 486 else "bt601-625") if sd else "bt709"
    primaries = tag("primaries", _PRIMARIES.get(tags.primaries), by_size)
    if layout.model is Model.RGB:
        assumed.discard("matrix")
    return SignalFormat(
        width=frame.width,
        height=frame.height,
        bit_depth=layout.bit_depth,
        model=layout.model,
        halved=layout.halved,
        range=tag("range", told, fallback_range),
        matrix=matrix,
        primaries=primaries,
        transfer=tag("transfer", _TRANSFERS.get(tags.transfer), "bt601" if sd else "bt709"),
        siting=_siting(stream.codec_context.name, matrix),
        interlaced=bool(frame.interlaced_frame) or field_order in _FIELD_ORDERS,
        top_field_first=_FIELD_ORDERS.get(field_order, True),
        assumed=frozenset(assumed),
    )


def _tags(stream: VideoStream, frame: av.VideoFrame) -> Tags:
    """The frame's own tags where it has them, else the track's."""
    context = stream.codec_context
    return Tags(
        range=_tagged(frame.color_range, context.color_range, unspecified=0),
        matrix=_tagged(frame.colorspace, context.colorspace),
        primaries=_tagged(frame.color_primaries, context.color_primaries),
        transfer=_tagged(frame.color_trc, context.color_trc),
    )


def _tagged(of_frame: int, of_track: int, unspecified: int = _UNSPECIFIED) -> int:
    return int(of_frame) if int(of_frame) != unspecified else int(of_track)


def _siting(codec: str, matrix: Matrix) -> Siting:
    """Siting by the standard of the codec: FFmpeg's Python binding does not pass the tag on."""
    if codec in {"mpeg1video", "mjpeg"}:
        return Siting.CENTRE
    return Siting.TOP_LEFT if matrix is Matrix.BT2020 else Siting.LEFT


def _index(container: InputContainer, stream: VideoStream, path: Path) -> FrameIndex:
    """Walk the packets once, without decoding, so that frame n can be found again exactly."""
    entries: list[tuple[int, int, bool]] = []
    timed = True
    try:
        for packet in container.demux(stream):
            if packet.size == 0 or packet.is_discard:
                continue
            time = packet.pts if packet.pts is not None else packet.dts
            timed = timed and packet.pts is not None
            order = len(entries)
            decode_time = packet.dts if packet.dts is not None else time
            entries.append((order if time is None else time, order if decode_time is None else decode_time, packet.is_keyframe))
    except av.error.FFmpegError as error:
        if not entries:
            raise MediaError(f"{path} can't be read: no picture was found in it.") from error
    if not entries:
        raise MediaError(f"{path} holds a video track with no frames in it.")
    # AVI stores no presentation times: those of reordered frames are the demuxer's guess.
    if not timed or (container.format.name == "avi" and not all(key for _, _, key in entries)):
        count = np.arange(len(entries), dtype=np.int64)
        return FrameIndex(count, count[:1], count[:1], timed=False)
    entries.sort()
    if container.format.name == "mpegts":
        entries = _with_lost_frames(entries)
    table = np.array([(time, decode_time) for time, decode_time, _ in entries], np.int64)
    keys = np.flatnonzero([key for _, _, key in entries]).astype(np.int64)
    return FrameIndex(table[:, 0].copy(), keys, table[keys, 1].copy())


def _with_lost_frames(entries: list[tuple[int, int, bool]]) -> list[tuple[int, int, bool]]:
    """Places for frames that a transport stream lost on its way, so that those after them keep their numbers."""
    times = [time for time, _, _ in entries]
    steps = np.diff(times)
    if len(steps) < 2 or (step := int(np.median(steps))) <= 0 or float((np.abs(steps - step) <= 1).mean()) < 0.9:
        return entries
    lost = [
        (time + step * n, time + step * n, False)
        for time, gap in zip(times, steps, strict=False)
        for n in range(1, round(gap / step))
    ]
    return sorted(entries + lost)


def _first_frames(container: InputContainer, stream: VideoStream, path: Path) -> list[av.VideoFrame]:
    frames: list[av.VideoFrame] = []
    try:
        container.seek(0, any_frame=False)
        for packet in container.demux(stream):
            try:
                frames += packet.decode()
            except av.error.InvalidDataError:
                continue
            if len(frames) >= _DECODABLE_SAMPLE:
                break
    except av.error.FFmpegError as error:
        if not frames:
            raise MediaError(f"The picture in {path} can't be decoded: {error.strerror}.") from error
    if not frames:
        raise MediaError(f"No frame of {path} can be decoded: the picture is damaged or its codec is unknown here.")
    return frames


def _without_second_fields(index: FrameIndex, decoded: list[int | None]) -> FrameIndex:
    """Drop the times of second fields where a file carries each field in a packet of its own."""
    times = [time for time in decoded if time is not None]
    if not index.timed or len(times) < _DECODABLE_SAMPLE or index.count < 2 * len(times):
        return index
    if set(times) != set(index.times[: 2 * len(times) : 2].tolist()):
        return index
    keys, first = np.unique(index.keys // 2, return_index=True)
    return FrameIndex(index.times[::2].copy(), keys, index.key_decode_times[first])


def _timecode_label(container: InputContainer, picture: VideoStream) -> str | None:
    """The start label: the picture track's own, else the file's, else that of a timecode track."""
    told = [picture.metadata, container.metadata, *(stream.metadata for stream in container.streams)]
    labels = (value for tags in told for key, value in tags.items() if key.lower() == "timecode")
    return next(labels, None)


def _tracks(container: InputContainer) -> Iterator[Track]:
    for stream in container.streams:
        if stream.type == "video":
            continue
        context = getattr(stream, "codec_context", None)
        if stream.type == "data" and "timecode" in stream.metadata:
            yield Track(stream.index, "timecode", stream.metadata["timecode"])
            continue
        name = context.name if context is not None else "unknown codec"
        if stream.type == "audio" and context is not None:
            name = f"{name}, {context.sample_rate} Hz, {context.layout.nb_channels} ch"
        yield Track(stream.index, stream.type, name)


def _refuse_if_cut_short(stream: VideoStream, programme: Programme) -> None:
    """A file that ends before its own header says so can't be proved, so it is refused."""
    index, found = programme.index, programme.frame_count
    declared = stream.frames
    if not declared and index.timed and (seconds := _declared_seconds(stream)):
        step = float(np.median(np.diff(index.times))) if found > 1 else 0.0
        there = (float(index.times[-1] - index.times[0]) + step) * float(programme.time_base)
        declared = round(found * seconds / there) if there else found
    if found < declared - max(2, declared // 100):
        raise MediaError(
            f"{programme.path} is cut short: its header declares about {declared} frames and only {found} are there."
        )


def _declared_seconds(stream: VideoStream) -> float:
    """How long the picture lasts by the file's own word: Matroska keeps a duration for each track, as text, MXF as a number."""
    if stream.container.format.name == "mxf":
        return float((stream.duration or 0) * (stream.time_base or 0))
    match = re.fullmatch(r"(\d+):(\d+):(\d+(?:\.\d+)?)", stream.metadata.get("DURATION", ""))
    return 3600 * int(match[1]) + 60 * int(match[2]) + float(match[3]) if match else 0.0
