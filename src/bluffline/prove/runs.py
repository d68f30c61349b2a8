"""One long programme rendered in runs of frames, wherever, and joined by packets: the file that one process writes.

Only for codecs that code a frame the same whatever came before it. Each run is a file of pictures alone, beside the target;
what they hold goes into the target packet by packet, and everything else is carried over as ever.
"""

import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from uuid import uuid4

import av

from bluffline.errors import WriteError
from bluffline.measure.region import Region
from bluffline.media.codecs import Codec
from bluffline.media.opening import plain_name
from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.media.writer import Writer
from bluffline.prove.pictures import pictures, refuse_changed
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat
from bluffline.survey.beside import Beside
from bluffline.survey.monitor import Monitor
from bluffline.survey.runs import Hands, packets_digest, refuse_another, runs_of
from bluffline.treat.ladder import Treatment


@dataclass(frozen=True)
class PieceAsked:
    """Frames of a programme from ``first`` on, to the one before ``after``, to be written to ``piece``."""

    programme: Programme
    source: SignalFormat
    shots: Sequence[Shot]
    treatments: dict[int, Treatment]
    region: Region | None
    codec: Codec
    first: int
    after: int
    piece: Path

    @property
    def treated(self) -> dict[int, Treatment]:
        """The treatments of shots that have frames in the run, and of those that may be mixed with them."""
        here = {n for n, shot in enumerate(self.shots) if shot.first < self.after and shot.last >= self.first}
        return {number: steps for number, steps in self.treatments.items() if here & {number - 1, number, number + 1}}


def render_piece(asked: PieceAsked, tell: Callable[[int], object] = lambda _: None) -> None:
    """Write the pictures of a run; ``tell`` is called with the number of each.

    Raises
    ------
    ElsewhereError : the file is not what was opened, on this machine
    MediaError, WriteError : as for `render`
    """
    refuse_another(asked.programme)
    own = asked.piece.with_name(uuid4().hex + asked.piece.suffix)  # a machine that was given up may be at the same run still
    writer = Writer(own, asked.programme, asked.source, asked.codec, frozenset())
    run = range(asked.first, asked.after)
    try:
        with Reader(asked.programme) as reader, closing(
            pictures(reader, writer, asked.source, asked.shots, asked.treated, asked.region, None, run)
        ) as made:
            for number, picture, _ in made:
                writer.write(number, picture)
                del picture
                tell(number)
        refuse_changed(asked.programme)
        writer.finish(carry=False)
        own.replace(asked.piece)
    except BaseException:
        writer.abandon()
        own.unlink(missing_ok=True)
        raise


def write_in_runs(writer: Writer, asked: PieceAsked, hands: Hands, monitor: Monitor, stage: str) -> str:
    """Write every frame of a programme in which all can be read, in runs that others render.

    ``asked``: for the whole of it; its piece is not used. Returns `Reader.digest` of what was read of the source.

    Raises
    ------
    MediaError, WriteError, CancelledError : as for `render`
    """
    programme, total = asked.programme, asked.programme.frame_count
    reading = Beside(partial(packets_digest, programme))
    try:
        with folder_beside(writer.target) as folder:
            ending = asked.codec.containers[0]
            pieces = (
                replace(asked, first=first, after=after, piece=folder / f"{first}{ending}")
                for first, after in runs_of(programme, hands.runs)
            )
            with closing(hands.each(render_piece, pieces, programme)) as rendered:
                for done, _ in rendered:
                    join_piece(writer, done)
                    done.piece.unlink()
                    monitor.at(stage, done.after, total)
        digest = reading.result()
        refuse_changed(programme)
        writer.finish()
    except BaseException:
        writer.abandon()
        raise
    finally:
        reading.stop()
    return digest


def join_piece(writer: Writer, done: PieceAsked) -> None:
    """Hand the pictures of a run on to the target.

    Raises
    ------
    WriteError : it does not hold as many as it should
    """
    number = done.first
    try:
        with av.open(plain_name(done.piece)) as piece:
            for packet in piece.demux(piece.streams.video[0]):
                if packet.size:
                    writer.hand_on(number, bytes(packet))
                    number += 1
    except (av.error.FFmpegError, OSError) as error:
        raise WriteError(f"What was rendered of frames {done.first} to {done.after - 1} can't be read: {error}.") from error
    if number != done.after:
        raise WriteError(f"Of frames {done.first} to {done.after - 1} only {number - done.first} were rendered.")


@contextmanager
def folder_beside(target: Path) -> Iterator[Path]:
    """A folder for the runs, called by the target and beside it: whoever renders sees it there; see `remove_leftovers`.

    Raises
    ------
    WriteError : it can't be made
    """
    try:
        folder = tempfile.TemporaryDirectory(prefix=f"{target.name}.runs-", dir=target.parent, ignore_cleanup_errors=True)
    except OSError as error:
        raise WriteError(f"The runs can't be written beside {target.name}: {error.strerror}.") from error
    with folder as name:
        yield Path(name)
