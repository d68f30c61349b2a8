"""Delivering to a gateway from the desk: beside all else, with progress, stopped and gone on with."""

import os
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QInputDialog, QLineEdit, QWidget

from bluffline.media.opening import shown
from bluffline.prove.prove import Proof
from bluffline.session.jobs import Ended, Ending, Kind
from bluffline.session.settings import Settings
from bluffline.shift.delivery import GATEWAY_TOKEN, Decided
from bluffline.survey.monitor import Monitor, Progress
from bluffline.ui.actions.long_work import LongWork
from bluffline.ui.actions.runner import JobRunner
from bluffline.ui.header import Header

_USUAL = "http://127.0.0.1:8600"


class Delivering:
    """Delivers one file at a time; its progress is shown where no other work has any."""

    def __init__(
        self, work: LongWork, settings: Settings, header: Header, changed: Callable[[], object], window: QWidget
    ) -> None:
        self._work, self._settings, self._header, self._changed, self._window = work, settings, header, changed, window
        self.decided: Callable[[Path, str, Decided], object] = lambda *_: None  # whoever keeps states puts itself here
        self._runner = JobRunner()
        self._runner.progress.connect(self._progressed)
        self._runner.ended.connect(self._ended)
        work.proved.connect(self._proved)

    @property
    def busy(self) -> bool:
        """Whether something is being delivered."""
        return self._runner.jobs.kind is not None

    def cancel(self) -> None:
        """Stop; what was sent stays at the gateway for a while."""
        self._runner.jobs.cancel()

    def stop(self) -> None:
        """End what runs."""
        self._runner.jobs.stop()

    def ask_here(self) -> None:
        """Ask where to, and deliver the programme in view with the certificate that it has."""
        programme = self._work.session.programme
        if programme is not None:
            self.ask(programme.path)

    def ask(self, file: Path) -> None:
        """Ask which gateway a file goes to, and deliver it with its certificate."""
        address, given = QInputDialog.getText(
            self._window, "Deliver", f"{shown(file.name)} goes with its certificate to the gateway at",
            QLineEdit.EchoMode.Normal, self._settings.gateway or _USUAL,
        )  # fmt: skip
        if given and address.strip():
            self.deliver(file, address.strip())

    def deliver(self, file: Path, gateway: str) -> None:
        """Deliver a file with its certificate."""
        if self.busy:
            self._header.say("Another file is being delivered; it can be stopped")
            return
        self._settings.gateway = gateway
        self._settings.save()
        token = os.environ.get(GATEWAY_TOKEN, "")

        def job(monitor: Monitor) -> Decided:
            from bluffline.shift.sending import deliver

            return deliver(file, gateway, monitor, token)

        self._runner.jobs.start(Kind.DELIVERY, job, partial(self._tell, file, gateway))
        self._changed()

    def _tell(self, file: Path, gateway: str, decided: Decided) -> None:
        name = shown(file.name)
        self.decided(file, gateway, decided)
        if decided.accepted:
            self._header.say(f"{name} is delivered: {gateway} accepted it")
        else:
            self._header.say(f"{name} was sent back by {gateway}: {' '.join(decided.reasons)}")

    def _proved(self, proof: Proof) -> None:
        if proof.legal:
            self._work.result_dialog.offer("Deliver …", partial(self.ask, proof.request.target))

    def _progressed(self, progress: Progress) -> None:
        if self.busy and self._work.jobs.kind is None:
            self._header.show_progress(progress)

    def _ended(self, ended: Ended) -> None:
        if self._work.jobs.kind is None:
            self._header.end_progress()
        self._runner.jobs.settle(ended)
        if ended.fault is not None:
            self._header.fault(ended.fault)
        elif ended.ending is Ending.CANCELLED:
            self._header.say("Delivering stopped; delivered again, it goes on from there")
        self._changed()
