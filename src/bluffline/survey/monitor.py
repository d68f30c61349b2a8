"""How a long job tells where it is, and how it is stopped."""

import os
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from typing import TypeVar

from bluffline.errors import CancelledError
from bluffline.media.codecs import LARGE
from bluffline.signal.format import SignalFormat

_In = TypeVar("_In")
_Out = TypeVar("_Out")


@dataclass(frozen=True, slots=True)
class Progress:
    """Where a job is: ``done`` of ``total`` of a stage, counted in ``unit``, and the seconds it has taken."""

    stage: str
    done: int
    total: int
    seconds: float
    unit: str = "frames"

    @property
    def speed(self) -> float:
        """How many a second."""
        return self.done / self.seconds if self.seconds > 0 else 0.0

    @property
    def seconds_left(self) -> float:
        """Seconds until the stage ends at this speed."""
        return (self.total - self.done) / self.speed if self.speed > 0 else 0.0


class Monitor:
    """Carries progress out of a job and the wish to stop into it. Safe to use from any thread."""

    def __init__(self, tell: Callable[[Progress], None] = lambda _: None) -> None:
        self._tell = tell
        self._cancelled = threading.Event()
        self._stage = ""
        self._began = 0.0

    def cancel(self) -> None:
        """Ask the job to stop at its next frame."""
        self._cancelled.set()

    def at(self, stage: str, done: int, total: int, unit: str = "frames") -> None:
        """Tell progress.

        Raises
        ------
        CancelledError : the job was asked to stop.
        """
        if self._cancelled.is_set():
            raise CancelledError("Stopped.")
        now = time.monotonic()
        if stage != self._stage:
            self._stage, self._began = stage, now
        self._tell(Progress(stage, done, total, now - self._began, unit))


def ahead_of(source: SignalFormat) -> int:
    """How many frames of a format may wait beside those that are worked on: of large ones each is told in memory."""
    return 0 if source.frame_bytes > LARGE else 2


def in_order(function: Callable[[_In], _Out], items: Iterable[_In], ahead: int = 2) -> Iterator[_Out]:
    """Results of ``function`` in the order of ``items``, worked on by all cores, with a bounded number in flight.

    ``ahead``: how many may wait beside those that are worked on.

    The caller's thread, which makes the items, works too when all others are busy: a decoder has threads of its own, and more
    threads than cores would only take the cache away from each other.
    """
    workers = max((os.cpu_count() or 1) - 1, 1)
    waiting: deque[Future[_Out]] = deque()
    with ThreadPoolExecutor(workers, thread_name_prefix="bluffline") as pool:
        try:
            for item in items:
                if waiting and not (waiting[-1].running() or waiting[-1].done()):
                    own: Future[_Out] = Future()
                    own.set_result(function(item))
                    waiting.append(own)
                else:
                    waiting.append(pool.submit(function, item))
                if len(waiting) > workers + ahead:
                    yield waiting.popleft().result()
            while waiting:
                yield waiting.popleft().result()
        finally:
            for future in waiting:
                future.cancel()
