"""The frames of a programme as they are to be written: treated by their shots, all others as they stand."""

import os
from collections.abc import Generator, Mapping, Sequence
from concurrent.futures import Executor, ThreadPoolExecutor
from enum import StrEnum
from itertools import takewhile

from av import VideoFrame

from bluffline.errors import MediaError, WriteError
from bluffline.measure.region import Region
from bluffline.media.carriage import black_planes
from bluffline.media.codecs import LARGE
from bluffline.media.programme import Programme
from bluffline.media.reader import Frame, Reader
from bluffline.media.riders import Riders
from bluffline.media.writer import Writer
from bluffline.prove.across import across
from bluffline.rules.shots import Shot, shot_at
from bluffline.signal.colorimetry import one_light
from bluffline.signal.convert import convert
from bluffline.signal.format import Planes, SignalFormat
from bluffline.signal.matrix import standard
from bluffline.survey.monitor import ahead_of, in_order
from bluffline.treat.ladder import Treatment

_HUGE = 64 << 20  # bytes of a frame from which on one is worked on in halves, not one by each core
_FEW_CORES = 2  # with so many halves are as quick, and hold fewer frames
_LOOK_EVERY = 25  # frames between two looks at whether the source is still the same


class KeepUnreadable(StrEnum):
    """What is written for a frame that can't be decoded: the last good one before it, or black."""

    HOLD = "hold"
    BLACK = "black"


def pictures(
    reader: Reader, writer: Writer, source: SignalFormat, shots: Sequence[Shot], treatments: Mapping[int, Treatment],
    region: Region | None, keep_unreadable: KeepUnreadable | None, frames: range | None = None,
) -> Generator[tuple[int, VideoFrame, Riders], None, None]:  # fmt: skip
    """The frames of a run, of all where None, as they are to be written: by number, with what rides on them.

    Raises
    ------
    MediaError : a frame can't be decoded, or the source has changed since it was opened
    """
    programme = writer.programme
    prepared = across(shots, treatments, writer.format, region)
    run = range(programme.frame_count) if frames is None else frames

    def treat(frame: Frame) -> tuple[int, VideoFrame | None, Riders, Planes | None]:
        if frame.planes is None or frame.format is None:
            return frame.number, None, frame.riders, None
        refuse_other_light(frame.format, source, frame.number)
        planes = convert(frame.planes, frame.format, writer.format, dither=True)
        treatment = prepared.get(shot_at(shots, frame.number))
        treated = treatment.apply(planes, frame.number, halves) if treatment else planes
        held = treated if keep_unreadable is KeepUnreadable.HOLD else None
        return frame.number, writer.picture(treated), frame.riders, held  # and nothing else that is as large

    halves: Executor | None = None
    good: Planes | None = None  # the last one, where it may be needed again
    with ThreadPoolExecutor(1) as pool:
        one_by_one = source.frame_bytes > (LARGE if (os.cpu_count() or 1) <= _FEW_CORES else _HUGE)
        halves = pool if one_by_one else None
        read = takewhile(lambda frame: frame.number < run.stop, reader.frames(run.start))
        made = map(treat, read) if one_by_one else in_order(treat, read, ahead_of(source))
        for number, picture, riders, held in made:
            if picture is None:
                _refuse_unreadable(programme, number, keep_unreadable)
            good = held or good
            yield number, picture or writer.picture(good or black_planes(writer.format)), riders
            del picture  # the next one is made meanwhile
            if number % _LOOK_EVERY == 0:
                refuse_changed(programme, number)


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
