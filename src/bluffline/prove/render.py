"""Rendering: treated shots through their steps, every other frame handed on as it stands."""

from bisect import bisect_right
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from bluffline.measure.frame_measure import Planes
from bluffline.media.programme import Programme
from bluffline.media.reader import Frame, Reader
from bluffline.media.writer import Codec, Writer
from bluffline.prove.monitor import Monitor, in_order
from bluffline.rules.shots import Shot
from bluffline.signal.convert import convert
from bluffline.signal.format import SignalFormat
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
) -> None:
    """Write the whole programme to ``target``, treating shots by their number in ``shots``.

    A frame that can't be decoded is written as the last good frame before it.

    Raises
    ------
    WriteError, CancelledError : ``target`` may then hold part of a file; the caller removes it.
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


def _black(written: SignalFormat) -> Planes:
    """A black picture, for a programme whose first frame can't be decoded."""
    dtype = np.uint8 if written.bit_depth == 8 else np.uint16
    columns, rows = written.chroma_size
    luma = np.full((written.height, written.width), written.levels.black, dtype)
    chroma = np.full((rows, columns), written.levels.zero, dtype)
    return (luma, chroma, chroma) if written.sampling != "R′G′B′" else (luma, luma, luma)
