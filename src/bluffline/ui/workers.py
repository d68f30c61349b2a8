"""Work beside the interface thread: frames made ready, and long jobs. Stale results are dropped."""

import threading
import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from bluffline.errors import BlufflineError, CancelledError
from bluffline.media.programme import Programme
from bluffline.media.reader import Reader
from bluffline.prove.monitor import Monitor, Progress
from bluffline.session.preview import Preview, View, make_preview

_TELL_EVERY = 0.05  # seconds between two tellings of progress


class FrameWorker(QObject):
    """Decodes, treats and measures the frame asked for last; frames asked for in between are skipped."""

    ready = pyqtSignal(object)  # Preview
    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._condition = threading.Condition()
        self._programme: Programme | None = None
        self._wanted: tuple[int, View] | None = None
        self._ahead = self._making = False
        self._stopping = False
        self._thread = threading.Thread(target=self._run, name="bluffline-frames", daemon=True)
        self._thread.start()

    def set_programme(self, programme: Programme) -> None:
        """Read frames of this programme from now on."""
        with self._condition:
            self._programme, self._wanted = programme, None
            self._condition.notify()

    def ask(self, frame: int, view: View, *, ahead: bool = False) -> None:
        """Make a frame ready; with ``ahead`` the one after it as well, as playing needs it next."""
        with self._condition:
            self._wanted, self._ahead = (frame, view), ahead
            self._condition.notify()

    @property
    def idle(self) -> bool:
        """Whether nothing is asked for that has not been made."""
        with self._condition:
            return self._wanted is None and not self._making

    def stop(self) -> None:
        """End the thread; the worker is of no use afterwards."""
        with self._condition:
            self._stopping = True
            self._condition.notify()
        self._thread.join()

    def _run(self) -> None:
        reader: Reader | None = None
        made: tuple[tuple[Programme, int, View], Preview] | None = None
        try:
            while True:
                with self._condition:
                    self._making = False
                    self._condition.wait_for(lambda: self._stopping or self._wanted is not None)
                    if self._stopping:
                        return
                    assert self._wanted is not None and self._programme is not None
                    (frame, view), programme, ahead = self._wanted, self._programme, self._ahead
                    self._wanted, self._making = None, True
                try:
                    if reader is None or reader.programme is not programme:
                        if reader is not None:
                            reader.close()
                        reader = Reader(programme)
                    if made is None or made[0][0] is not programme or made[0][1:] != (frame, view):
                        last = (made[0][2], made[1]) if made is not None and made[0][0] is programme else None
                        made = (programme, frame, view), make_preview(frame, reader.frame(frame).planes, view, last)
                    self.ready.emit(made[1])
                    following = frame + 1
                    if ahead and self._wanted is None and following < programme.frame_count:
                        # While this frame is painted the next is made; it is thrown away if something else is asked for.
                        planes = reader.frame(following).planes
                        made = (programme, following, view), make_preview(following, planes, view)
                except BlufflineError as error:
                    self.failed.emit(str(error))
        finally:
            if reader is not None:
                reader.close()


class JobRunner(QObject):
    """Runs one long job at a time on a thread of its own."""

    progress = pyqtSignal(object)  # Progress
    finished = pyqtSignal(object, object)  # what to do with the result, and what the job returned
    failed = pyqtSignal(str)
    cancelled = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._monitor: Monitor | None = None
        self._thread: threading.Thread | None = None

    @property
    def running(self) -> bool:
        """Whether a job is under way."""
        return self._thread is not None and self._thread.is_alive()

    def start(self, job: Callable[[Monitor], Any], then: Callable[[Any], None]) -> None:
        """Begin a job; ``then`` takes its result. One that is still running is cancelled and waited for first."""
        self.cancel_and_wait()
        last = 0.0

        def tell(progress: Progress) -> None:
            nonlocal last
            now = time.monotonic()
            if now - last >= _TELL_EVERY or progress.done == progress.total:
                last = now
                self.progress.emit(progress)

        monitor = Monitor(tell)

        def run() -> None:
            try:
                result = job(monitor)
            except CancelledError:
                self.cancelled.emit()
            except BlufflineError as error:
                self.failed.emit(str(error))
            else:
                self.finished.emit(then, result)

        self._monitor = monitor
        self._thread = threading.Thread(target=run, name="bluffline-job", daemon=True)
        self._thread.start()

    def cancel(self) -> None:
        """Ask the job to stop; `cancelled` tells when it has."""
        if self._monitor is not None:
            self._monitor.cancel()

    def cancel_and_wait(self) -> None:
        """Stop the job and wait until it has ended."""
        self.cancel()
        if self._thread is not None:
            self._thread.join()
