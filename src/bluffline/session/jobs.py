"""Long work: asked for with a ticket, run elsewhere, ended once; what comes too late is dropped by one rule."""

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from bluffline.errors import CancelledError
from bluffline.session.faults import Fault, fault_of
from bluffline.survey.monitor import Monitor, Progress

_TELL_EVERY = 0.05  # seconds between two tellings of progress


class Kind(StrEnum):
    """What a job does, as the subject of a sentence."""

    OPENING = "Opening a programme"
    SURVEY = "The survey"
    JUDGING = "Judging the shots"
    LEGALISE = "Legalise"
    PROOF = "The proof"
    SHOTS = "The view of all shots"
    PRINT = "The print of the certificate"
    MARKERS = "Making the markers"
    CUTS = "Reading the edit list"
    DELIVERY = "Delivering"
    SIGNAL = "The test signal"
    CHART = "Reading the chart"
    BARS = "Reading the bars"
    PICK = "The pick from areas"
    BAKE = "Baking"
    LUT = "Reading the LUT or CDL"
    LIKE_SHOTS = "The search for shots under the same light"
    PROPOSE = "The proposal"
    MATCH = "Bringing to the reference"
    STOCK = "The look at the shelf"
    FOLLOW = "Following the reach"
    BEFORE = "The look for work on the delivery before"
    TRIAL = "The trial of the treatments"
    REHEARSAL = "The look at what a file will carry"


@dataclass(frozen=True, slots=True, eq=False)
class Ticket:
    """One request. ``subject``: what it was asked of, as the survey that was the session's then."""

    kind: Kind
    number: int
    subject: object | None


class Ending(StrEnum):
    """How a job ended."""

    DONE = "done"
    FAILED = "failed"
    CANCELLED = "cancelled"


@dataclass(frozen=True, slots=True, eq=False)
class Ended:
    """The one ending of a job: its ``result`` where it is done, its ``fault`` where it failed."""

    ticket: Ticket
    ending: Ending
    result: Any = None
    fault: Fault | None = None


class Jobs:
    """Runs one job at a time, or one of each kind, each on a thread of its own.

    Parameters
    ----------
    side_by_side : whether jobs of several kinds run at once: short ones, of which none may end another
    subject : what requests are made of now; a result asked of another is dropped
    deliver : called once by each job's thread with its ending; brings it to the owner's thread, which hands it to `settle`
    tell : called by the job's thread with its progress, not too often
    """

    def __init__(
        self, subject: Callable[[], object | None], deliver: Callable[[Ended], None], tell: Callable[[Progress], None],
        *, side_by_side: bool = False,
    ) -> None:  # fmt: skip
        self._subject, self._deliver, self._tell, self._side_by_side = subject, deliver, tell, side_by_side
        self._latest: dict[Kind, Ticket] = {}
        self._running: dict[Kind, tuple[Ticket, Monitor, Callable[[Any], object]]] = {}
        self._threads: list[threading.Thread] = []
        self._number = 0

    @property
    def kind(self) -> Kind | None:
        """What is being done, of several the latest; None where nothing is."""
        return next(reversed(self._running), None)

    def start(self, kind: Kind, job: Callable[[Monitor], Any], then: Callable[[Any], object]) -> Ticket:
        """Begin a job; `settle` hands its result to ``then``.

        One that is under way, side by side one of its kind, is asked to stop, and not waited for.
        """
        for other in [each for each in self._running if each is kind or not self._side_by_side]:
            self._running.pop(other)[1].cancel()
        self._number += 1
        ticket = Ticket(kind, self._number, self._subject())
        last = 0.0

        def tell(progress: Progress) -> None:
            nonlocal last
            now = time.monotonic()
            if self.is_under_way(ticket) and (now - last >= _TELL_EVERY or progress.done == progress.total):
                last = now
                self._tell(progress)

        monitor = Monitor(tell)
        self._latest[kind], self._running[kind] = ticket, (ticket, monitor, then)
        thread = threading.Thread(
            target=self._run, args=(ticket, job, monitor), name=f"bluffline-job-{ticket.number}", daemon=True
        )
        self._threads = [other for other in self._threads if other.is_alive()] + [thread]
        thread.start()
        return ticket

    def is_under_way(self, ticket: Ticket) -> bool:
        """Whether a ticket is that of a job under way."""
        running = self._running.get(ticket.kind)
        return running is not None and running[0] is ticket

    def outlived(self, ticket: Ticket) -> bool:
        """Whether a job, the last of its kind, was asked of what is not in hand any more."""
        return self._latest.get(ticket.kind) is ticket and ticket.subject is not self._subject()

    def settle(self, ended: Ended) -> bool:
        """Take an ending, on the owner's thread. Whether it counts: that of a job under way, asked of what is in hand still.

        A result of any other is dropped here and nowhere else.
        """
        if not self.is_under_way(ended.ticket):
            return False
        _, _, then = self._running.pop(ended.ticket.kind)
        if self._latest[ended.ticket.kind] is not ended.ticket or self.outlived(ended.ticket):
            return False
        if ended.ending is Ending.DONE:
            then(ended.result)
        return True

    def cancel(self) -> None:
        """Ask what is under way to stop; its ending tells when it has."""
        for _, monitor, _ in self._running.values():
            monitor.cancel()

    def stop(self) -> None:
        """Ask all that is under way to stop, wait until it has, and let no ending count."""
        self.cancel()
        self._running.clear()
        for thread in self._threads:
            thread.join()
        self._threads.clear()

    def _run(self, ticket: Ticket, job: Callable[[Monitor], Any], monitor: Monitor) -> None:
        try:
            ended = Ended(ticket, Ending.DONE, job(monitor))
        except CancelledError:
            ended = Ended(ticket, Ending.CANCELLED)
        except Exception as error:  # noqa: BLE001 (whatever it is, a job has an ending)
            ended = Ended(ticket, Ending.FAILED, fault=fault_of(error, str(ticket.kind)))
        self._deliver(ended)
