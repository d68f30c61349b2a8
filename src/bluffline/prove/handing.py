"""A programme of which some shots are treated, written in its own codec: only those are coded anew.

What is not treated goes over packet by packet, so it loses nothing and costs a copy. What is treated is rendered to files of
its own, as runs are, and joined in between.
"""

from collections.abc import Generator, Iterable, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path

from bluffline.measure.region import Region
from bluffline.media.codecs import Codec
from bluffline.media.handing import why_encoded
from bluffline.media.reader import Reader
from bluffline.media.writer import Writer
from bluffline.prove.across import across
from bluffline.prove.pictures import refuse_changed
from bluffline.prove.runs import PieceAsked, folder_beside, join_piece, render_piece
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat
from bluffline.survey.monitor import Monitor
from bluffline.survey.runs import Hands
from bluffline.survey.survey import Survey, unreadable_frames
from bluffline.treat.ladder import Treatment

_LOOK_EVERY = 25  # frames between two looks at whether the source is still the same


@dataclass
class HandedOn:
    """How much of a file went over as it is coded: so many ``frames``; ``digest``: what `Reader.digest` has to be of the file.

    ``because``: why none did, in a clause.
    """

    frames: int = 0
    digest: str = ""
    because: str = ""


def why_all_encoded(survey: Survey, codec: Codec) -> str:
    """Why no frame of a surveyed programme can go over as it is coded, in a clause; empty where they can."""
    if unreadable_frames(survey):
        return "not every frame of the source can be read"
    if len(survey.table.formats) > 1:
        return "its frames are not all of one format"
    return why_encoded(survey.programme, survey.source, codec)


def treated_runs(
    shots: Sequence[Shot], treatments: Mapping[int, Treatment], source: SignalFormat, region: Region | None
) -> list[tuple[int, int]]:
    """The runs of frames that are changed, first frames and those after their last, in order."""
    found: list[tuple[int, int]] = []
    for number, treatment in sorted(across(shots, treatments, source, region).items()):
        for first, after in treatment.frames(shots[number]):
            if found and found[-1][1] >= first:
                found[-1] = found[-1][0], max(after, found[-1][1])
            else:
                found.append((first, after))
    return found


def write_handing_on(
    writer: Writer, asked: PieceAsked, runs: Sequence[tuple[int, int]], handed: HandedOn, hands: Hands | None,
    monitor: Monitor, stage: str,
) -> str:  # fmt: skip
    """Write every frame: those of ``runs`` treated and coded anew, all others as they are coded, which ``handed`` is told.

    ``asked``: for the whole of it; its piece is not used. Returns `Reader.digest` of what was read of the source.

    Raises
    ------
    MediaError, WriteError, CancelledError : as for `render`
    """
    programme, total = asked.programme, asked.programme.frame_count

    def here(pieces: Iterable[PieceAsked]) -> Generator[tuple[PieceAsked, None], None, None]:
        for piece in pieces:
            render_piece(piece, lambda number: monitor.at(stage, number + 1, total))
            yield piece, None

    try:
        with folder_beside(writer.target) as folder, Reader(programme) as reader:
            pieces = (_piece(asked, folder, first, after) for first, after in runs)
            rendered = here(pieces) if hands is None else hands.each(render_piece, pieces, programme)
            with closing(rendered):
                treated = 0  # frames up to here are written already
                waiting = iter(runs)
                coming = next(waiting, (total, total))
                for number, coded in reader.coded():
                    if number == coming[0]:
                        piece, _ = next(rendered)
                        join_piece(writer, piece)
                        piece.piece.unlink()
                        treated, coming = piece.after, next(waiting, (total, total))
                    if number >= treated:
                        writer.hand_on(number, coded)
                        handed.frames += 1
                        monitor.at(stage, number + 1, total)
                    if number % _LOOK_EVERY == 0:
                        refuse_changed(programme, number)
            digest = reader.digest
        refuse_changed(programme)
        writer.finish()
    except BaseException:
        writer.abandon()
        raise
    handed.digest = writer.handed_on
    return digest


def _piece(asked: PieceAsked, folder: Path, first: int, after: int) -> PieceAsked:
    return replace(asked, first=first, after=after, piece=folder / f"{first}{asked.codec.containers[0]}")
