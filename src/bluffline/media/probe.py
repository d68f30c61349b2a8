"""Everything about a file that can be known without measuring its picture."""

from collections.abc import Iterator
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path

import av
from av.container import InputContainer
from av.video.stream import VideoStream

from bluffline.errors import MediaError
from bluffline.media.index import (
    FIELD_SAMPLE,
    Others,
    Walk,
    frame_index,
    frame_rate,
    with_lost_frames,
    with_missing,
    without_second_fields,
)
from bluffline.media.opening import USUAL_RATE, Opening, shown
from bluffline.media.pixels import has_alpha, layout_of
from bluffline.media.playing import Playing, playing_of
from bluffline.media.programme import Carried, FrameIndex, Programme, Tags, Track
from bluffline.media.riders import display_matrix
from bluffline.media.source_file import SourceFile, not_wholly_read, opened
from bluffline.media.tagging import (
    FrameTold,
    FrameWords,
    contradictions,
    forget_track,
    signal_format,
    told_by,
    track_tags,
)
from bluffline.media.timecode import Timecode

# What containers and encoders say of themselves, MXF with numbers of its own; a written file says its own.
_OWN_WORDS = frozenset(
    {"major_brand", "minor_version", "compatible_brands", "encoder", "creation_time", "timecode", "duration"}
    | {"handler_name", "vendor_id", "uid", "company_name", "product_name", "product_version", "product_version_num"}
    | {"application_platform", "toolkit_version_num", "modification_date", "timecode_at_mark_in", "timecode_at_mark_out"}
)
_OWN_NUMBERS = ("_ul", "_uid", "_umid")


def video_stream(container: InputContainer, name: str, track: int | None = None) -> VideoStream:
    """The picture track: the one asked for by its number in the file, else the first that is not a cover picture.

    Its decoder is told nothing of what the track says: see `forget_track`.

    Raises
    ------
    MediaError : there is none, or no decoder for it.
    """
    if track is not None and track not in [stream.index for stream in container.streams.video]:
        there = ", ".join(str(stream.index) for stream in container.streams.video) or "none"
        raise MediaError(f"{name} has no video track {track}; its video tracks: {there}.")
    for stream in container.streams.video:
        if stream.index == track or (track is None and not _is_cover(stream)):
            if getattr(stream, "codec_context", None) is None:
                raise MediaError(f"The picture in {name} is in a codec that can't be decoded here.")
            forget_track(stream)
            return stream
    raise MediaError(f"{name} has no video track.")


def _is_cover(stream: VideoStream) -> bool:
    return bool(stream.disposition & stream.disposition.__class__.attached_pic)


def probe(path: Path | str, *, rate: Fraction | None = None, track: int | None = None, walk: Walk = frame_index) -> Programme:
    """Read the facts of a file, or of numbered pictures.

    Parameters
    ----------
    path : a file, a pattern such as ``shot_%04d.dpx``, or a folder of numbered pictures
    rate : frames a second of numbered pictures
    track : number of the video track that is the picture, where there are several
    walk : gives the frames of the file by number

    Raises
    ------
    MediaError : it can't be read, for a reason told in one sentence.
    """
    opening = Opening.of(path, rate)
    identity, name = opening.identity(), shown(opening.path)
    with ExitStack() as again:
        source = again.enter_context(opened(opening))
        index, others = walk(source, video_stream(source.container, name, track))
        source = again.enter_context(opened(opening))  # neither a still nor a raw stream can be sought in
        container = source.container
        stream = video_stream(container, name, track)
        frames = _first_frames(source, stream, name)
        index = with_lost_frames(without_second_fields(index, [frame.pts for frame in frames]))
        kept = frame_rate(stream, index)
        index = with_missing(index, stream, kept)
        first = frames[0]
        told, said = told_by(first), FrameWords(stream).of(first)
        layout = layout_of(said.pixel_format)
        by_track = track_tags(opening, container.format.name, stream.index)
        tags = said.filled(by_track)
        carried = _carried(container, stream, first, told)
        alone = opening.numbered and rate is None
        try:
            playing = Playing() if opening.numbered else playing_of(opening.path, container.format.name, stream.index)
        except OSError as error:
            raise not_wholly_read(name, error.strerror or "reading failed") from error
        if playing.edits:
            raise MediaError(
                f"{name} has an edit list that is not followed here: {playing.edits}. Have it written out as it plays first."
            )
        return Programme(
            path=opening.path,
            container="Numbered pictures" if opening.numbered else container.format.long_name,
            codec=stream.codec_context.codec.long_name.split(" (")[0].split(" / ")[0],
            profile=stream.profile or "",
            pixel_format=said.pixel_format,
            layout=layout,
            tagged=signal_format(layout, tags, name, still=opening.numbered),
            frame_rate=kept,
            time_base=Fraction(stream.time_base or 1),
            index=index,
            timecode=Timecode.parse(_timecode_label(container, stream), kept),
            tags=tags,
            track=by_track,
            opening=opening,
            identity=identity,
            picture=stream.index,
            carried=carried,
            tracks=tuple(_tracks(container, stream, index, kept, others)),
            notes=tuple(
                _notes(
                    container, stream, index, by_track, said, mirrored=carried.mirrored, crop=playing.crop, assumed_rate=alone
                )
            ),
        )


def _notes(
    container: InputContainer,
    stream: VideoStream,
    index: FrameIndex,
    track: Tags,
    said: Tags,
    *,
    mirrored: bool,
    crop: str,
    assumed_rate: bool,
) -> Iterator[str]:
    """What an operator should know before relying on the facts."""
    if index.variable:
        yield "Variable frame rate"
    if index.broken:
        yield f"It is damaged after frame {index.count - 1} ({index.broken}): what may follow could not be read"
    if index.missing:
        yield f"{index.missing} of {index.count} frames are missing"
    others = [other.index for other in container.streams.video if other.index != stream.index and not _is_cover(other)]
    if others:
        yield f"Video track {stream.index} is taken; there are others: {', '.join(map(str, others))}"
    yield from contradictions(track, said)
    if crop:
        yield f"A player shows {crop}; all that is stored is measured"
    if mirrored:
        yield "A player shows its picture mirrored; it is measured as it is stored"
    if assumed_rate:
        yield f"Rate assumed: {USUAL_RATE} frames/s"
    if (primaries := said.filled(track).primaries) not in (1, 2, 5, 6, 7, 9, 11, 12):
        yield f"Primaries {primaries} of H.273 are not known here"


def _first_frames(source: SourceFile, stream: VideoStream, name: str) -> list[av.VideoFrame]:
    frames: list[av.VideoFrame] = []
    try:
        for packet in source.packets([stream]):
            try:
                frames += packet.decode()
            except av.error.InvalidDataError:
                continue
            if len(frames) >= FIELD_SAMPLE:
                break
    except av.error.FFmpegError as error:
        if not frames:
            raise MediaError(f"The picture in {name} can't be decoded: {error.strerror}.") from error
    if not frames:
        raise MediaError(f"No frame of {name} can be decoded: the picture is damaged or its codec is unknown here.")
    return frames


def _carried(container: InputContainer, stream: VideoStream, frame: av.VideoFrame, told: FrameTold) -> Carried:
    shape = stream.sample_aspect_ratio
    display = display_matrix(frame)
    return Carried(
        rotation=int(frame.rotation),
        mirrored=bool(display) and display[0] * display[4] - display[1] * display[3] < 0,
        display=display,
        alpha=has_alpha(frame.format.name) or stream.metadata.get("alpha_mode") == "1",
        mastering=told.mastering,
        light=told.light,
        pixel_shape=Fraction(shape) if shape else Fraction(1),
        metadata=tuple((key, value) for key, value in container.metadata.items() if not _is_own_word(key.lower())),
        chapters=len(container.chapters()),
    )


def _is_own_word(key: str) -> bool:
    return key in _OWN_WORDS or key.endswith(_OWN_NUMBERS)


def _timecode_label(container: InputContainer, picture: VideoStream) -> str | None:
    """The start label: the picture track's own, else the file's, else that of a timecode track."""
    told = [picture.metadata, container.metadata, *(stream.metadata for stream in container.streams)]
    labels = (value for tags in told for key, value in tags.items() if key.lower() == "timecode")
    return next(labels, None)


def _tracks(
    container: InputContainer, picture: VideoStream, index: FrameIndex, rate: Fraction, others: Others
) -> Iterator[Track]:
    tick = picture.time_base if index.timed and picture.time_base else 1 / rate
    start, end = float(int(index.times[0]) * tick), float(int(index.times[-1]) * tick + 1 / rate)
    for stream in container.streams:
        if stream.index == picture.index:
            continue
        context = getattr(stream, "codec_context", None)
        flags = tuple(flag.name for flag in stream.disposition.__class__ if flag.name and stream.disposition & flag)
        language = stream.metadata.get("language", "")
        if stream.type == "data" and "timecode" in stream.metadata:
            counts = tuple((round((when - start) * rate), count) for when, count in others.counts.get(stream.index, ()))
            yield Track(stream.index, "timecode", stream.metadata["timecode"], counts=counts)
            continue
        if stream.name == "bin_data" and container.chapters():  # QuickTime keeps their titles in a track
            yield Track(stream.index, "chapters", "titles of chapters")
            continue
        name = context.name if context is not None else "unknown codec"
        kind: str = stream.type
        if stream.type == "audio" and context is not None:
            name = f"{name}, {context.sample_rate} Hz, {context.layout.nb_channels} ch"
        if isinstance(stream, VideoStream):
            kind = "cover" if _is_cover(stream) else "video"
            name = f"{name}, {stream.width}×{stream.height}" if context is not None else name
        offset = others.begins.get(stream.index, start) - start
        after = others.ends.get(stream.index, end) - end
        layout = context.layout.name if stream.type == "audio" and context is not None else ""
        yield Track(
            stream.index, kind, name, "" if language == "und" else language, flags, round(offset, 4), round(after, 4),
            stream.metadata.get("title", ""), "" if layout.endswith("channels") else layout,
            context.layout.nb_channels if stream.type == "audio" and context is not None else 0,
            tuple((round(begin - start, 4), round(end - start, 4)) for begin, end in others.said.get(stream.index, ())),
        )  # fmt: skip
