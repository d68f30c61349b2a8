"""Printing certificates: as PDF, beside the certificate that it is of."""

from collections.abc import Callable
from pathlib import Path

from bluffline.media.target import certificate_paths
from bluffline.report.files import save_bytes
from bluffline.report.verify import print_certificate
from bluffline.session.faults import Fault
from bluffline.session.jobs import Ended, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor
from bluffline.ui.actions.runner import JobRunner


class Printing:
    """Prints beside all else; ``say`` and ``fault`` tell what came of it, whatever is under control by then."""

    def __init__(self, session: Session, say: Callable[[str], object], fault: Callable[[Fault], object]) -> None:
        self._session, self._say, self._fault = session, say, fault
        self._runner = JobRunner()
        self._runner.ended.connect(self._ended)

    def print_here(self) -> None:
        """Print the certificate of the programme in view."""
        if self._session.programme is not None:
            self.print_certificate(self._session.programme.path)

    def print_certificate(self, file: Path) -> None:
        """Print the certificate of a file; an earlier print of it is replaced."""
        target = certificate_paths(file).printed
        if self._runner.jobs.kind is not None:
            self._fault(Fault("Another certificate is being printed; do this again in a moment.", ""))
            return

        def job(monitor: Monitor) -> Path:
            save_bytes(target, print_certificate(file, monitor))
            return target

        self._say(f"Printing {target.name} …")
        self._runner.jobs.start(Kind.PRINT, job, lambda _: self._say(f"Printed: {target.name} lies beside the certificate"))

    def stop(self) -> None:
        """End what runs."""
        self._runner.jobs.stop()

    def _ended(self, ended: Ended) -> None:
        if self._runner.jobs.settle(ended) and ended.fault is not None:
            self._fault(ended.fault)
