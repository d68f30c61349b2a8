"""Work done in a thread beside another job."""

from collections.abc import Callable
from threading import Thread
from typing import Generic, TypeVar

from bluffline.errors import CancelledError
from bluffline.survey.monitor import Monitor, Progress

Made = TypeVar("Made")


class Beside(Generic[Made]):
    """Begun at once, and stopped when the other job ends first: ``stop`` it wherever that ends."""

    def __init__(self, work: Callable[[Monitor], Made], tell: Callable[[Progress], None] = lambda _: None) -> None:
        self._monitor = Monitor(tell)
        self._made: list[Made] = []
        self._error: Exception | None = None
        self._thread = Thread(target=self._run, args=(work,), name="bluffline-beside", daemon=True)
        self._thread.start()

    def _run(self, work: Callable[[Monitor], Made]) -> None:
        try:
            self._made.append(work(self._monitor))
        except CancelledError:
            pass
        except Exception as error:  # noqa: BLE001 (whatever it is, whoever asks for the result has it)
            self._error = error

    def runs(self, seconds: float) -> bool:
        """Whether it still does after so many seconds, or sooner."""
        self._thread.join(seconds)
        return self._thread.is_alive()

    def result(self) -> Made:
        """What it came to.

        Raises
        ------
        Exception : what it raised
        """
        self._thread.join()
        if self._error is not None:
            raise self._error
        return self._made[0]

    def stop(self) -> None:
        """End it, if it still runs."""
        self._monitor.cancel()
        self._thread.join()
