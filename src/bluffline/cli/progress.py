"""Progress on a terminal; silence everywhere else."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager

from bluffline.survey.monitor import Monitor, Progress

_WIDTH = 28


@contextmanager
def terminal_monitor() -> Iterator[Monitor]:
    """A monitor that draws one line on standard error, if that is a terminal."""
    if not sys.stderr.isatty():
        yield Monitor()
        return
    try:
        yield Monitor(_draw)
    finally:
        print("\r\x1b[K", end="", file=sys.stderr, flush=True)


def _draw(progress: Progress) -> None:
    filled = _WIDTH * progress.done // max(progress.total, 1)
    bar = "█" * filled + "·" * (_WIDTH - filled)
    left = f"{progress.seconds_left:.0f} s left"
    print(
        f"\r\x1b[K{progress.stage}  {bar}  {progress.done} of {progress.total}, {progress.speed:.0f} a second, {left}",
        end="", file=sys.stderr, flush=True,
    )  # fmt: skip
