"""Rendering: treated shots through their steps, every other frame handed on as it stands."""

from bisect import bisect_right
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from bluffline.errors import WriteError
from bluffline.measure.frame_measure import Planes
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.media.reader import Frame, Reader
from bluffline.media.writer import Codec, Writer
from bluffline.prove.monitor import Monitor, in_order
from bluffline.rules.shots import Shot
from bluffline.signal.convert import convert
from bluffline.signal.format import Model, SignalFormat
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.steps import Treatment


def render(
    programme: Programme,
    source: SignalFormat,
    shots: Sequence[Shot],
    treatments: dict[int, Treatment],
    target: Path,
    codec: Codec,
    monitor: Monitor,
    *,
    stage: str = "Render",
) -> Programme:
    """Write the whole programme to ``target``, treating shots by their number in ``shots``, and return it as it is read back.

    A frame that can't be decoded is written as the last good frame before it.

    Raises
    ------
    WriteError : also where readers would see other frames, levels, colours or fields than were written.
    CancelledError : the monitor was asked to stop. After any of these the caller removes what there is of ``target``.
    """
    writer = Writer(target, programme, source, codec)
    try:
        starts = [shot.first for shot in shots]
        prepared = {number: FrameTreatment(steps, writer.format) for number, steps in treatments.items()}

        def treat(frame: Frame) -> tuple[int, Planes | None]:
            if frame.planes is None:
                return frame.number, None
            planes = convert(frame.planes, source, writer.format)
            treatment = prepared.get(bisect_right(starts, frame.number) - 1)
            return frame.number, treatment.apply(planes) if treatment else planes

        last = _black(writer.format)
        with Reader(programme) as reader:
            for number, planes in in_order(treat, reader.frames()):
                last = planes or last
                writer.write(number, last)
                monitor.at(stage, number + 1, programme.frame_count)
        writer.finish()
    except BaseException:
        writer.abandon()
        raise
    read = probe(target)
    if read.frame_count != programme.frame_count:
        raise WriteError(
            f"Only {read.frame_count} frames could be read back of {programme.frame_count} written: nothing was kept."
        )
    if mistaken := _mistaken(writer.format, read.format):
        raise WriteError(f"Readers would mistake its {mistaken}, so the file was not kept; choose another codec or ending.")
    return read


def _mistaken(written: SignalFormat, read: SignalFormat) -> str:
    """What of a format its readers take for something else, in words."""
    wrong = {
        "range": written.range is not read.range,
        "matrix": written.model is Model.YCBCR and written.matrix is not read.matrix,
        "scanning": written.interlaced != read.interlaced,
        "order of fields": written.interlaced and written.top_field_first != read.top_field_first,
    }
    return " and ".join(word for word, so in wrong.items() if so)


def _black(written: SignalFormat) -> Planes:
    """A black picture, for a programme whose first frame can't be decoded."""
    dtype = np.uint8 if written.bit_depth == 8 else np.uint16
    columns, rows = written.chroma_size
    luma = np.full((written.height, written.width), written.levels.black, dtype)
    chroma = np.full((rows, columns), written.levels.zero, dtype)
    return (luma, chroma, chroma) if written.sampling != "R′G′B′" else (luma, luma, luma)
