"""Trying treatments in the background, so that findings and skyline tell what becomes of them."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from bluffline.prove.trial import Trial
from bluffline.session.faults import Fault
from bluffline.session.jobs import Ended, Kind
from bluffline.session.session import Session
from bluffline.session.trials import try_all
from bluffline.survey.monitor import Monitor
from bluffline.ui.actions.runner import JobRunner
from bluffline.ui.picture.workers import FrameWorker

_REST = 400  # milliseconds without a change after which treatments are tried
_FRAME_FIRST = 1.0  # seconds that a frame to be tried waits at most for the frame in view


class Trying(QObject):
    """Tries what is to be tried whenever the treatments have come to rest; makes way for whatever the operator waits for.

    ``fault``: is told of what went wrong; ``busy``: whether a proof, say, needs the machine.
    """

    _tried = pyqtSignal(object)  # Trial

    def __init__(
        self, session: Session, frames: FrameWorker, fault: Callable[[Fault], object], busy: Callable[[], bool]
    ) -> None:
        super().__init__()
        self._session, self._frames, self._fault, self._busy = session, frames, fault, busy
        self._stopped = False
        self._runner = JobRunner(lambda: session.survey)
        self._runner.ended.connect(self._ended)
        self._tried.connect(self._take)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST)
        self._rest.timeout.connect(self._start)
        session.document.changed.connect(self.wait)
        session.programme_changed.connect(self.wait)
        session.survey_changed.connect(self.resume)

    def wait(self) -> None:
        """Something has changed: what is being tried is tried no longer, and what is to be tried by now comes after a rest."""
        self._runner.jobs.cancel()
        if not self._stopped:
            self._rest.start()

    def resume(self) -> None:
        """Go on where there is something to be tried and nothing else to be done."""
        idle = self._runner.jobs.kind is None and not self._rest.isActive() and not self._stopped
        if idle and not self._session.all_tried:
            self._rest.start()

    def stop(self) -> None:
        """End what runs; what is on its way is dropped."""
        self._stopped = True
        self._rest.stop()
        self._runner.jobs.stop()

    def _start(self) -> None:
        session = self._session
        survey, wanted = session.survey, session.untried()
        if survey is None or not wanted or self._busy():
            return

        coding = session.coding

        def run(own: Monitor) -> None:
            try_all(survey, wanted, _Patient(own, self._frames, self._busy), self._tried.emit, coding)

        self._runner.jobs.start(Kind.TRIAL, run, lambda _: None)

    def _take(self, trial: Trial) -> None:
        if not self._stopped:
            self._session.take_trial(trial)

    def _ended(self, ended: Ended) -> None:
        counts = self._runner.jobs.settle(ended)
        if counts and ended.fault is not None:
            self._fault(ended.fault)
        else:
            self.resume()


class _Patient(Monitor):
    """A job's monitor that lets the frame in view come first, and all else that the machine is needed for."""

    def __init__(self, own: Monitor, frames: FrameWorker, busy: Callable[[], bool]) -> None:
        super().__init__()
        self._own, self._frames, self._busy = own, frames, busy

    def at(self, stage: str, done: int, total: int, unit: str = "frames") -> None:
        self._frames.wait_until_idle(_FRAME_FIRST)
        if self._busy():
            self.cancel()
        super().at(stage, done, total, unit)
        self._own.at(stage, done, total, unit)
