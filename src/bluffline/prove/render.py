"""Rendering: treated shots through their steps, every other frame handed on as it stands."""

from collections.abc import Sequence
from contextlib import closing
from pathlib import Path

from bluffline.errors import WriteError
from bluffline.measure.region import Region
from bluffline.media.carriage import mistaken_for
from bluffline.media.codecs import Codec
from bluffline.media.handing import why_encoded
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.media.writer import Writer
from bluffline.memory import give_back_memory
from bluffline.prove.handing import HandedOn, treated_runs, write_handing_on
from bluffline.prove.pictures import KeepUnreadable, pictures, refuse_changed
from bluffline.prove.runs import PieceAsked, write_in_runs
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat
from bluffline.survey.monitor import Monitor
from bluffline.survey.runs import Hands
from bluffline.treat.ladder import Treatment


def render(
    programme: Programme,
    source: SignalFormat,
    shots: Sequence[Shot],
    treatments: dict[int, Treatment],
    target: Path,
    codec: Codec,
    monitor: Monitor,
    *,
    region: Region | None = None,
    keep_unreadable: KeepUnreadable | None = None,
    tracks: frozenset[int] | None = None,
    stage: str = "Render",
    hands: Hands | None = None,
    handed: HandedOn | None = None,
) -> tuple[Programme, str]:
    """Write the whole programme to ``target``, treating shots by their number in ``shots``.

    Parameters
    ----------
    region : the active picture; outside it treatments only hold what breaks their limits
    keep_unreadable : what is written for a frame that can't be decoded; where None it is an error
    tracks : those carried over beside the picture; all where None
    hands : who renders it in runs, where the codec allows and every frame can be read; the file is the same
    handed : where there is one, what is not treated goes over as it is coded, if that can be; it is told how much did, or why
        none. Every frame must be known to be readable, and of one format.

    Returns
    -------
    the programme as it is read back, and `Reader.digest` of what was read of the source

    Raises
    ------
    MediaError : a frame can't be decoded, or the source has changed since it was opened
    WriteError : also where readers would see other frames, levels, colours or fields than were written.
    CancelledError : the monitor was asked to stop. After any of these the caller removes what there is of ``target``.
    """
    writer = Writer(target, programme, source, codec, tracks)
    whole = PieceAsked(programme, source, shots, treatments, region, codec, 0, programme.frame_count, target)
    try:
        runs = _runs_to_code(writer, whole, handed) if handed is not None else None
    except BaseException:  # a ladder that can't be applied
        writer.abandon()
        raise
    if runs is not None and handed is not None:
        digest = write_handing_on(writer, whole, runs, handed, hands, monitor, stage)
    elif hands is not None and codec.apart and keep_unreadable is None:
        digest = write_in_runs(writer, whole, hands, monitor, stage)
    else:
        digest = _write(writer, source, shots, treatments, monitor, region, keep_unreadable, stage)
    written = writer.format
    del writer
    give_back_memory()  # the encoder's
    read = probe(target)
    if read.frame_count != programme.frame_count:
        raise WriteError(
            f"Only {read.frame_count} frames could be read back of {programme.frame_count} written: nothing was kept."
        )
    if mistaken := mistaken_for(written, read):
        raise WriteError(f"Readers would mistake its {mistaken}, so the file was not kept; choose another codec or ending.")
    return read, digest


def _runs_to_code(writer: Writer, asked: PieceAsked, handed: HandedOn) -> list[tuple[int, int]] | None:
    """The runs of frames that have to be coded where the others can go over as they are; None, and why, where they can't."""
    handed.frames, handed.digest = 0, ""
    handed.because = why_encoded(asked.programme, asked.source, asked.codec)
    if not handed.because and not writer.one_head:
        handed.because = "the source is coded with other options"
    if handed.because:
        return None
    runs = treated_runs(asked.shots, asked.treatments, writer.format, asked.region)
    if sum(after - first for first, after in runs) == asked.programme.frame_count:
        handed.because = "every frame is treated"
        return None
    return runs


def _write(
    writer: Writer, source: SignalFormat, shots: Sequence[Shot], treatments: dict[int, Treatment], monitor: Monitor,
    region: Region | None, keep_unreadable: KeepUnreadable | None, stage: str,
) -> str:  # fmt: skip
    """Write every frame, treated by its shot; returns the digest of what was read."""
    programme = writer.programme
    try:
        made = (writer, source, shots, treatments, region, keep_unreadable)
        with Reader(programme) as reader, closing(pictures(reader, *made)) as frames:
            for number, picture, riders in frames:
                writer.write(number, picture, riders)
                del picture
                monitor.at(stage, number + 1, programme.frame_count)
            digest = reader.digest
        refuse_changed(programme)
        writer.finish()
    except BaseException:
        writer.abandon()
        raise
    return digest
