"""Rendering: treated shots through their steps, every other frame handed on as it stands."""

import os
from bisect import bisect_right
from collections.abc import Sequence
from concurrent.futures import Executor, ThreadPoolExecutor
from enum import StrEnum
from pathlib import Path

from av import VideoFrame

from bluffline.errors import MediaError, WriteError
from bluffline.measure.region import Region
from bluffline.media.carriage import black_planes, mistaken_for
from bluffline.media.codecs import LARGE, Codec
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.media.reader import Frame, Reader
from bluffline.media.riders import Riders
from bluffline.media.writer import Writer
from bluffline.memory import give_back_memory
from bluffline.rules.shots import Shot
from bluffline.signal.colorimetry import one_light
from bluffline.signal.convert import convert
from bluffline.signal.format import Planes, SignalFormat
from bluffline.signal.matrix import standard
from bluffline.survey.monitor import Monitor, ahead_of, in_order
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.ladder import Treatment

_HUGE = 64 << 20  # bytes of a frame from which on one is worked on in halves, not one by each core
_FEW_CORES = 2  # with so many halves are as quick, and hold fewer frames
_LOOK_EVERY = 25  # frames between two looks at whether the source is still the same


class KeepUnreadable(StrEnum):
    """What is written for a frame that can't be decoded: the last good one before it, or black."""

    HOLD = "hold"
    BLACK = "black"


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
) -> tuple[Programme, str]:
    """Write the whole programme to ``target``, treating shots by their number in ``shots``.

    Parameters
    ----------
    region : the active picture; outside it treatments only hold what breaks their limits
    keep_unreadable : what is written for a frame that can't be decoded; where None it is an error
    tracks : those carried over beside the picture; all where None

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


def _write(
    writer: Writer, source: SignalFormat, shots: Sequence[Shot], treatments: dict[int, Treatment], monitor: Monitor,
    region: Region | None, keep_unreadable: KeepUnreadable | None, stage: str,
) -> str:  # fmt: skip
    """Write every frame, treated by its shot; returns the digest of what was read."""
    programme = writer.programme
    try:
        starts = [shot.first for shot in shots]
        prepared = {number: FrameTreatment(steps, writer.format, region=region) for number, steps in treatments.items()}

        def treat(frame: Frame) -> tuple[int, VideoFrame | None, Riders, Planes | None]:
            if frame.planes is None or frame.format is None:
                return frame.number, None, frame.riders, None
            refuse_other_light(frame.format, source, frame.number)
            planes = convert(frame.planes, frame.format, writer.format, dither=True)
            shot = bisect_right(starts, frame.number) - 1
            treatment = prepared.get(shot)
            treated = treatment.apply(planes, frame.number, halves) if treatment else planes
            held = treated if keep_unreadable is KeepUnreadable.HOLD else None
            return frame.number, writer.picture(treated), frame.riders, held  # and nothing else that is as large

        halves: Executor | None = None
        good: Planes | None = None  # the last one, where it may be needed again
        with Reader(programme) as reader, ThreadPoolExecutor(1) as pool:
            one_by_one = source.frame_bytes > (LARGE if (os.cpu_count() or 1) <= _FEW_CORES else _HUGE)
            halves = pool if one_by_one else None
            frames = reader.frames()
            made = map(treat, frames) if one_by_one else in_order(treat, frames, ahead_of(source))
            for number, picture, riders, held in made:
                if picture is None:
                    _refuse_unreadable(programme, number, keep_unreadable)
                good = held or good
                writer.write(number, picture or writer.picture(good or black_planes(writer.format)), riders)
                del picture  # the next one is made meanwhile
                if number % _LOOK_EVERY == 0:
                    refuse_changed(programme, number)
                monitor.at(stage, number + 1, programme.frame_count)
            digest = reader.digest
        refuse_changed(programme)
        writer.finish()
    except BaseException:
        writer.abandon()
        raise
    return digest


def _refuse_unreadable(programme: Programme, number: int, keep_unreadable: KeepUnreadable | None) -> None:
    if keep_unreadable is None:
        raise MediaError(f"Frame {number} of {programme.name} can't be read, so nothing was written.")


def refuse_other_light(frame: SignalFormat, source: SignalFormat, number: int) -> None:
    """What is coded for other light is not brought to the programme's by arithmetic: how it is to look has to be decided.

    Raises
    ------
    WriteError : a frame's primaries or transfer characteristic are others than the programme's
    """
    both = (one_light(each.transfer, each.primaries) for each in (frame, source))
    for name, one, other in zip(("transfer", "primaries"), *both, strict=True):
        if one != other:
            fact = "transfer characteristic is" if name == "transfer" else "primaries are"
            raise WriteError(
                f"From frame {number} on the {fact} {standard(getattr(frame, name))}, in the programme "
                f"{standard(getattr(source, name))}: how one is to look in the other is not decided here. "
                f"Have them brought together before, or overrule the tag with --{name}."
            )


def refuse_changed(programme: Programme, near: int | None = None) -> None:
    """Nothing can be said of a file that is not the one that was opened; see `Programme.changed`.

    Raises
    ------
    MediaError : its files have been changed, replaced or removed
    """
    if programme.changed(near):
        raise MediaError(f"{programme.name} was changed while it was worked on, so nothing of it is certified; open it again.")
