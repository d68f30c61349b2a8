"""What a written file will carry: found by writing a few black frames with all that goes with them, and reading those."""

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bluffline.errors import MediaError, WriteError
from bluffline.media.codecs import Codec
from bluffline.media.leftovers import remove_old_folders
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.media.tagging import TOP_FIRST
from bluffline.media.writer import IN_STEP, PROGRESSIVE, Writer
from bluffline.memory import give_back_memory
from bluffline.signal.format import Model, Planes, SignalFormat

_FRAMES = 3
_FOLDER = "bluffline-trial-"
_ROOM = 1 << 20  # bytes
_HDR = {"pq", "hlg"}


@dataclass(frozen=True, slots=True)
class Carriage:
    """What goes over into a written file.

    ``tracks``: numbers of the tracks that are carried beside the picture; ``losses``: what is not, each in a sentence.
    """

    tracks: frozenset[int]
    losses: tuple[str, ...] = ()


def rehearse(programme: Programme, source: SignalFormat, codec: Codec, target: Path, *, drop_tracks: bool = False) -> Carriage:
    """Write the beginning of a file like ``target`` and see what its readers will find.

    Raises
    ------
    WriteError : a track can't be carried and is not to be dropped; or readers would take its range, matrix or fields for others
    """
    tracks, losses = frozenset(track.index for track in programme.tracks), []
    for second in [track for track in programme.tracks if track.kind == "video"]:
        if not drop_tracks:
            raise WriteError(
                f"Track {second.index} ({second.description}) is a second picture, which is not judged and would be written "
                "unjudged: have it left out, or open it as the picture."
            )
        tracks -= {second.index}
        losses.append(f"Track {second.index} ({second.description}), a second picture, is left out, as asked.")
    remove_old_folders(Path(tempfile.gettempdir()), _FOLDER)
    with _trial_folder() as folder:
        trial = Path(folder) / f"trial{target.suffix}"
        try:
            written = _trial(programme, source, codec, trial, tracks)
        except WriteError:
            beside = [track for track in programme.tracks if track.index in tracks]
            refusals = {each: _refusal(programme, source, codec, trial, each.index) for each in beside}
            refused = {track: refusal for track, refusal in refusals.items() if refusal is not None}
            if not refused:
                raise
            if not drop_tracks:
                raise next(iter(refused.values())) from None
            tracks -= {track.index for track in refused}
            losses += [f"Track {track.index} ({track.description}) is left out, as asked." for track in refused]
            written = _trial(programme, source, codec, trial, tracks)
        give_back_memory()  # the encoder's
        try:
            read = probe(trial)
        except MediaError as error:
            raise WriteError(f"{codec.title} can't be written to {target.suffix} so that it can be read again.") from error
    if mistaken := mistaken_for(written, read):
        raise WriteError(f"Readers would mistake its {mistaken} in {target.suffix}; choose another codec or ending.")
    return Carriage(tracks, (*losses, *_losses(programme, written, read, tracks, target.suffix.lower())))


@contextmanager
def _trial_folder() -> Iterator[str]:
    """A folder for what is tried.

    Raises
    ------
    WriteError : there is no room for it
    """
    where = tempfile.gettempdir()
    try:
        with tempfile.TemporaryDirectory(prefix=f"{_FOLDER}{os.getpid()}-") as folder:
            yield folder
    except (WriteError, OSError) as error:
        if shutil.disk_usage(where).free < _ROOM:
            raise WriteError(f"The folder for temporary files, {where}, is full; make room there, or set TMPDIR.") from error
        raise


def _trial(programme: Programme, source: SignalFormat, codec: Codec, trial: Path, tracks: frozenset[int]) -> SignalFormat:
    """Write some frames as they would be; the format of what is written."""
    writer = Writer(trial, programme, source, codec, tracks)
    try:
        for number in range(min(_FRAMES, programme.frame_count)):
            writer.write(number, writer.picture(black_planes(writer.format)))
        writer.finish(carry=False)
    except BaseException:
        writer.abandon()
        raise
    return writer.format


def _refusal(programme: Programme, source: SignalFormat, codec: Codec, trial: Path, track: int) -> WriteError | None:
    """Why a file can't carry one track by itself."""
    try:
        _trial(programme, source, codec, trial, frozenset({track}))
    except WriteError as error:
        return error
    return None


def _losses(programme: Programme, written: SignalFormat, read: Programme, tracks: frozenset[int], ending: str) -> Iterator[str]:
    """What the written file won't say, or says otherwise."""
    before, after = programme.carried, read.carried
    if before.alpha:
        yield "The alpha channel is not carried."
    if (before.rotation, before.mirrored) != (after.rotation, after.mirrored):
        turned = [f"rotation by {before.rotation}°"] if before.rotation else []
        turned += ["mirroring"] if before.mirrored else []
        yield f"The {' and '.join(turned) or 'way it is turned'} is not carried."
    if before.pixel_shape != after.pixel_shape:
        yield f"The shape of its pixels ({before.pixel_shape}) is not carried: it is read as {after.pixel_shape}."
    if before.mastering and before.mastering != after.mastering:
        yield "Mastering-display metadata are not carried."
    if before.light and before.light != after.light:
        yield "Content-light metadata are not carried."
    kept = dict(after.metadata)
    if lost := [key for key, value in before.metadata if kept.get(key) != value]:
        yield f"These words about it are not carried: {', '.join(lost)}."
    if before.chapters > after.chapters:
        yield f"Its {before.chapters} chapters are not carried."
    if programme.timecode.told and read.label(0) != programme.label(0):
        yield f"The start timecode {programme.label(0)} is not carried: it is read as {read.label(0)}."
    if ending == ".mxf":
        yield from _sound_fitted(programme, tracks)
    yield from _tag_losses(programme, written, read)
    yield from _track_losses(programme, read, tracks)


def _sound_fitted(programme: Programme, tracks: frozenset[int]) -> Iterator[str]:
    """What an MXF file does to sound that does not end with the picture."""
    for track in programme.tracks:
        if track.kind == "audio" and track.index in tracks and abs(track.after) > IN_STEP:
            done = "cut off after" if track.after > 0 else "filled up with silence to"
            yield f"Track {track.index}: {abs(track.after):.3f} s of sound are {done} the last picture, as .mxf files have it."


def _tag_losses(programme: Programme, written: SignalFormat, read: Programme) -> Iterator[str]:
    """Tags of the signal that are lost on the way."""
    tagged = {"primaries": programme.tags.primaries, "transfer characteristic": programme.tags.transfer}
    found = {"primaries": read.tags.primaries, "transfer characteristic": read.tags.transfer}
    for name, tag in tagged.items():
        if tag not in (2, found[name]):
            yield f"The tag of its {name} is not carried."
    if programme.tags.range and not read.tags.range:
        yield "The tag of its range is not carried: readers take narrow range for granted."
    if written.halved == (True, True) and written.siting is not read.format.siting:
        yield f"The place of its chroma ({written.siting}) is not carried: it is read as {read.format.siting}."


def _track_losses(programme: Programme, read: Programme, tracks: frozenset[int]) -> Iterator[str]:
    """Tracks, languages and flags that are lost on the way."""
    sent = [track for track in programme.tracks if track.index in tracks and not track.anew]
    there = [track for track in read.tracks if not track.anew]
    for before in sent:
        alike = (track for track in there if track.kind == before.kind)
        after = next(alike, next((track for track in there if {before.kind, track.kind} == {"cover", "video"}), None))
        if after is None:
            yield f"Track {before.index} ({before.description}) is not carried."
            continue
        there.remove(after)
        if before.language and before.language != after.language:
            yield f"The language of track {before.index} ({before.language}) is not carried."
        if before.title and before.title != after.title:
            yield f"The title of track {before.index} ({before.title}) is not carried."
        if before.layout and before.layout != after.layout:
            read_as = after.layout or "channels that are not named"
            yield f"The layout of track {before.index} ({before.layout}) is not carried: it is read as {read_as}."
        if lost := set(before.flags) - set(after.flags):
            yield f"Track {before.index} loses its flags {', '.join(sorted(lost))}."


def mistaken_for(written: SignalFormat, read: Programme) -> str:
    """What of a format its readers take for something else, in words; some go by the container, some by the pictures."""
    found, container = read.format, read.track.fields
    wrong = {
        "range": written.range is not found.range,
        "matrix": written.model is Model.YCBCR and written.matrix is not found.matrix,
        "transfer characteristic": {written.transfer, found.transfer} & _HDR and written.transfer != found.transfer,
        "scanning": written.interlaced != found.interlaced or (written.interlaced and container == PROGRESSIVE),
        "order of fields": written.interlaced
        and not (written.top_field_first is found.top_field_first is TOP_FIRST.get(container, found.top_field_first)),
    }
    return " and ".join(word for word, so in wrong.items() if so)


def black_planes(written: SignalFormat) -> Planes:
    """A black picture, for a programme whose first frame can't be decoded."""
    dtype = np.uint8 if written.bit_depth == 8 else np.uint16
    columns, rows = written.chroma_size
    luma = np.full((written.height, written.width), written.levels.black, dtype)
    chroma = np.full((rows, columns), written.levels.zero, dtype)
    return (luma, chroma, chroma) if written.model is Model.YCBCR else (luma, luma, luma)
