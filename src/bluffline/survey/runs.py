"""One long programme measured in runs of frames, wherever, and joined to the table of one process, to the bit.

Each run begins some frames earlier, which are measured and thrown away: what is made of two frames is the same then.
"""

import socket
from collections import deque
from collections.abc import Callable, Generator, Iterable
from concurrent.futures import CancelledError as GoneError
from concurrent.futures import Executor
from contextlib import closing
from dataclasses import dataclass, replace
from functools import partial
from itertools import islice
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import ElsewhereError
from bluffline.measure.region import Region
from bluffline.measure.table import DRIFT, SurveyTable
from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.rules.rules import Rules
from bluffline.rules.shots import Shot
from bluffline.signal.format import SignalFormat
from bluffline.survey.beside import Beside
from bluffline.survey.hearing import listening
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import (
    FIELDS_EVERY,
    Survey,
    end_survey,
    flash_history,
    measured_frames,
    run_survey,
    start_survey,
    to_hear,
)  # fmt: skip

_AT_ONCE = 8  # runs that are handed out at once: what they measured waits in memory
TRIES = 3  # of a run, where the machine that was given it does not see the file
_Asked = TypeVar("_Asked")
_Told = TypeVar("_Told")
SHORTEST = 200  # frames of a run: opening a file and coming to a frame has its price


@dataclass(frozen=True)
class Hands:
    """Who works on a long programme, in about so many ``runs``."""

    executor: Executor
    runs: int

    def each(
        self, function: Callable[[_Asked], _Told], asked: Iterable[_Asked], programme: Programme
    ) -> Generator[tuple[_Asked, _Told], None, None]:
        """What a function makes of pieces of work on a programme, in their order; closed, it gives up what is under way.

        A piece whose machine has gone, or does not see the file, is given again, `TRIES` times in all, while this one sees it.
        """
        todo = iter(asked)
        under_way = deque((each, self.executor.submit(function, each), 1) for each in islice(todo, _AT_ONCE))
        try:
            while under_way:
                one, future, turn = under_way.popleft()
                try:
                    told = future.result()
                except (ElsewhereError, GoneError):
                    if turn == TRIES or programme.changed():
                        raise
                    under_way.appendleft((one, self.executor.submit(function, one), turn + 1))
                    continue
                under_way.extend((each, self.executor.submit(function, each), 1) for each in islice(todo, 1))
                yield one, told
        finally:
            for _, future, _ in under_way:
                future.cancel()


@dataclass(frozen=True)
class RunAsked:
    """Frames of a programme from ``first`` on, to the one before ``after``; the rest as for a survey."""

    programme: Programme
    rules: Rules
    region: Region
    first: int
    after: int
    exact: tuple[Shot, ...] = ()


@dataclass(frozen=True)
class RunTold:
    """What a run measured: rows of the table and the formats that they count, and what rides on frames."""

    rows: NDArray[Any]
    formats: list[SignalFormat]
    riding: frozenset[str]


def runs_of(programme: Programme, count: int) -> list[tuple[int, int]]:
    """About so many runs of a programme, first frames and those after their last; they begin near frames that stand alone.

    Pairs of frames that are looked at for the order of fields are never parted.
    """
    total, keys = programme.frame_count, programme.index.keys
    wanted = np.arange(1, min(count, total // SHORTEST)) * total // max(min(count, total // SHORTEST), 1)
    starts = {0}
    for frame in wanted:
        after = keys[np.searchsorted(keys, frame) :] if len(keys) else keys
        near = int(after[0]) if len(after) else int(frame)
        starts.add(-(-near // FIELDS_EVERY) * FIELDS_EVERY)
    ordered = sorted(start for start in starts if start < total)
    return list(zip(ordered, [*ordered[1:], total], strict=True))


def measure_run(asked: RunAsked) -> RunTold:
    """Measure a run.

    Raises
    ------
    ElsewhereError : the file is not what was opened, on this machine
    MediaError : it could not be read
    """
    refuse_another(asked.programme)
    survey = start_survey(asked.programme, asked.rules, region=asked.region)
    flashes = flash_history(asked.programme, asked.rules)
    lead = max(DRIFT, 0 if flashes is None else flashes.frames)
    length = asked.after - asked.first + lead
    table = SurveyTable(length, len(asked.rules.limited), [survey.source], flashes)
    survey = replace(survey, table=table, exact=asked.exact)
    before = max(asked.first - lead, 0)  # frames that those of the run are held against
    with Reader(asked.programme) as reader:
        for told in measured_frames(survey, reader, before, asked.after, asked.first):
            survey.table.append(*told)
    rows = survey.table.rows[asked.first - before :].copy()
    return RunTold(rows, survey.table.formats, frozenset(survey.riding))


def run_survey_in_runs(survey: Survey, hands: Hands, monitor: Monitor, *, stage: str = "Survey") -> Survey:
    """`run_survey` by others, in runs; nothing may have been measured yet.

    A programme in which a frame can't be read is measured in one go, here.

    Raises
    ------
    MediaError : as for `measure_run`, or the file is no longer what was opened
    CancelledError : the monitor was asked to stop
    """
    programme, total = survey.programme, survey.programme.frame_count
    asked = (
        RunAsked(programme, survey.rules, survey.region, *run, survey.exact) for run in runs_of(programme, hands.runs)
    )
    with listening(programme, to_hear(survey)) as heard:
        reading = Beside(partial(packets_digest, programme))
        try:
            with closing(hands.each(measure_run, asked, programme)) as measured:
                for _, told in measured:
                    if not told.rows["readable"].all():
                        break
                    survey.table.extend(told.rows, told.formats)
                    survey.joins.grow(survey.table, complete=False)
                    survey.riding.update(told.riding)
                    monitor.at(stage, len(survey.table), total)
            if len(survey.table) == total:
                digest = reading.result()
        finally:
            reading.stop()
        if len(survey.table) == total:
            with Reader(programme) as reader:
                return end_survey(survey, reader, digest, monitor, heard)
    survey.clear()  # how much of it is lost depends on where one begins to read
    return run_survey(survey, monitor, stage=stage)


def refuse_another(programme: Programme) -> None:
    """Look whether this machine sees the file that was meant.

    Raises
    ------
    ElsewhereError : it does not
    """
    if programme.changed():
        raise ElsewhereError(f"{programme.name} is not what was opened any more on {socket.gethostname()}; check it again.")


def packets_digest(programme: Programme, monitor: Monitor) -> str:
    """What `Reader.digest` is of a programme, read without decoding."""
    total = programme.frame_count
    with Reader(programme) as reader:
        return reader.packets_digest(lambda number: monitor.at("Reading again", min(number, total), total))
