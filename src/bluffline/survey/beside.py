"""Work done in a thread beside another job."""

from collections.abc import Callable
from threading import Thread

from bluffline.errors import CancelledError
from bluffline.survey.monitor import Monitor


class Beside:
    """Begun at once, and stopped when the other job ends first: ``stop`` it wherever that ends."""

    def __init__(self, work: Callable[[Monitor], str]) -> None:
        self._monitor = Monitor()
        self._made: list[str] = []
        self._error: Exception | None = None
        self._thread = Thread(target=self._run, args=(work,), name="bluffline-beside", daemon=True)
        self._thread.start()

    def _run(self, work: Callable[[Monitor], str]) -> None:
        try:
            self._made.append(work(self._monitor))
        except CancelledError:
            pass
        except Exception as error:  # noqa: BLE001 (whatever it is, whoever asks for the result has it)
            self._error = error

    def result(self) -> str:
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
