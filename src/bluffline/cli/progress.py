"""What is told on the way: a line on a terminal, each stage in words, or nothing; and what a log of its own keeps."""

import argparse
import logging
import re
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from bluffline.errors import SettingsError
from bluffline.media.opening import shown
from bluffline.session.faults import on_the_way
from bluffline.survey.monitor import Monitor, Progress

_WIDTH = 28
_DATED = re.compile(rb"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d,\d{3} ")  # how each entry of a log begins


def add_telling(parser: argparse.ArgumentParser) -> None:
    """Declare how much a command tells on the way, for it and whatever acts it has."""
    for action in parser._actions:  # noqa: SLF001 (argparse has no other way to the commands of a command)
        if isinstance(action, argparse._SubParsersAction):  # noqa: SLF001
            for each in dict.fromkeys(action.choices.values()):
                add_telling(each)
            parser.set_defaults(quiet=False, verbose=False, log_file=None)  # its acts may be left out, as those of keys
            return
    group = parser.add_argument_group("what is told on the way")
    either = group.add_mutually_exclusive_group()
    either.add_argument("--quiet", action="store_true", help="no progress: what comes of it, and errors, alone")
    either.add_argument("--verbose", action="store_true", help="each stage in a line, and all that is known of an error")
    group.add_argument("--log-file", type=Path, metavar="PATH", help="add stages and errors, with their times, to this file")


@contextmanager
def telling(options: argparse.Namespace) -> Iterator[None]:
    """Tell as a command was asked to.

    Raises
    ------
    SettingsError : the log can't be written, or it is something else
    """
    before, added = on_the_way.level, list[logging.Handler]()
    if options.verbose:
        added.append(logging.StreamHandler())
        added[-1].setLevel(logging.INFO)
        added[-1].setFormatter(logging.Formatter("%(message)s"))
    path: Path | None = options.log_file
    if path is not None:
        try:
            _refuse_others(path)
            added.append(logging.FileHandler(path, encoding="utf-8", errors="backslashreplace"))
        except OSError as error:
            raise SettingsError(f"The log {shown(path)} can't be written: {error.strerror}.") from error
        added[-1].setFormatter(logging.Formatter("%(asctime)s %(message)s"))
    for each in added:
        on_the_way.addHandler(each)
    if added:
        on_the_way.setLevel(logging.DEBUG)
    try:
        yield
    finally:
        on_the_way.setLevel(before)
        for each in added:
            on_the_way.removeHandler(each)
            each.close()


def _refuse_others(path: Path) -> None:
    """What is no log, as a programme or a report, is not added to.

    Raises
    ------
    SettingsError, OSError : it is none; it can't be read
    """
    if not path.exists():
        return
    with path.open("rb") as opened:
        begin = opened.read(len("2026-12-01 08:30:00,000 "))
    if begin and not _DATED.fullmatch(begin):
        raise SettingsError(f"{shown(path)} is there already and is no log; choose another name.")


@contextmanager
def terminal_monitor(options: argparse.Namespace) -> Iterator[Monitor]:
    """A monitor that draws one line on standard error, if that is a terminal, and tells each stage where that is asked for."""
    drawn = sys.stderr.isatty() and not (options.quiet or options.verbose)
    stages = _Stages(drawn=drawn)
    try:
        yield Monitor(stages.at)
    finally:
        if drawn:
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)
        stages.end()


class _Stages:
    """Draws where a job is, and logs each stage when it is over: other threads may tell of it as well."""

    def __init__(self, *, drawn: bool) -> None:
        self._drawn, self._last, self._begun = drawn, Progress("", 0, 0, 0.0), time.monotonic()

    def at(self, progress: Progress) -> None:
        if progress.stage != self._last.stage:
            self.end()
            self._begun = time.monotonic() - progress.seconds
        self._last = progress
        if self._drawn:
            _draw(progress)

    def end(self) -> None:
        """The stage so far is over, or was left where it is."""
        last, seconds = self._last, time.monotonic() - self._begun
        if last.stage:
            on_the_way.info("%s: %d of %d %s in %.1f s", last.stage, last.done, last.total, last.unit, seconds)
        self._last = Progress("", 0, 0, 0.0)


def _draw(progress: Progress) -> None:
    filled = _WIDTH * progress.done // max(progress.total, 1)
    bar = "█" * filled + "·" * (_WIDTH - filled)
    left = f"{progress.seconds_left:.0f} s left"
    print(
        f"\r\x1b[K{progress.stage}  {bar}  {progress.done} of {progress.total}, {progress.speed:.0f} a second, {left}",
        end="", file=sys.stderr, flush=True,
    )  # fmt: skip
