"""Long work: surveying, legalising, proving and the like, and keeping what has been done. Never blocks the window."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QDialog, QMessageBox, QWidget

from bluffline.media.carriage import rehearse
from bluffline.media.codecs import Codec, codec_for
from bluffline.media.signals import TestSignal, write_signal
from bluffline.prove.monitor import Monitor, Progress
from bluffline.prove.propose import Proposal
from bluffline.prove.prove import Proof, ProveRequest, certificate_paths, propose_all, prove
from bluffline.prove.render import KeepUnreadable
from bluffline.prove.survey import Survey, run_survey
from bluffline.report.certificate import certificate_files
from bluffline.session.document import DocumentStore
from bluffline.session.jobs import Ended, Ending, Kind
from bluffline.session.overview import ShotCard, overview
from bluffline.session.session import Session
from bluffline.session.work import Work
from bluffline.ui.dialogs import WriteDialog
from bluffline.ui.header import Header
from bluffline.ui.line_up import SignalDialog
from bluffline.ui.overview import ShotsDialog
from bluffline.ui.workers import FrameWorker, JobRunner

_GROW_EVERY = 200  # milliseconds between two looks at a running survey
_FRAME_FIRST = 1.0  # seconds that a survey waits at most for the frame in view, which would be shown later for it
_KEEP_AFTER = 250  # milliseconds of rest after which work is kept


class LongWork(QObject):
    """Runs one job at a time for the session and tells its results in the header."""

    survey_done = pyqtSignal()
    proved = pyqtSignal(object)  # Proof
    ended = pyqtSignal()  # a job has ended, well or not

    def __init__(
        self, session: Session, header: Header, frames: FrameWorker, open_file: Callable[[Path], object], window: QWidget
    ) -> None:
        super().__init__(window)
        self.session, self._header, self._frames, self._open, self._window = session, header, frames, open_file, window
        self.runner, self.documents = JobRunner(lambda: session.survey), DocumentStore()
        self.jobs = self.runner.jobs
        self._news = ""  # what is told once the survey is done
        self._growing = QTimer(self)
        self._growing.setInterval(_GROW_EVERY)
        self._growing.timeout.connect(self.session.refresh)
        self._keeping = QTimer(self)
        self._keeping.setSingleShot(True)
        self._keeping.setInterval(_KEEP_AFTER)
        self._keeping.timeout.connect(self._keep)
        self.runner.progress.connect(self._progressed)
        self.runner.ended.connect(self._ended)

    def changed(self) -> None:
        """What was done to the programme has changed; it is kept as soon as there is rest."""
        if self.session.programme is not None:
            self._keeping.start()

    def keep_now(self) -> None:
        """Keep what still waits for rest."""
        if self._keeping.isActive():
            self._keeping.stop()
            self._keep()

    def stop(self) -> None:
        """End whatever runs, and keep what has been done."""
        self._growing.stop()
        self.keep_now()
        self.jobs.stop()

    def clear_the_way(self) -> bool:
        """Whether something else may begin: what runs makes way for it, but a proof only if the operator says so."""
        if self.jobs.kind is not Kind.PROOF:
            return True
        if not self.ask("A proof is running. Stop it? Nothing of the file it writes will remain.", "Stop the proof"):
            return False
        self.jobs.stop()
        self._header.end_progress()
        return True

    def ask(self, question: str, yes: str) -> bool:
        """Ask the operator before something is lost."""
        box = QMessageBox(QMessageBox.Icon.Question, "Bluffline", question, QMessageBox.StandardButton.Cancel, self._window)
        agreed = box.addButton(yes, QMessageBox.ButtonRole.DestructiveRole)
        box.exec()
        return box.clickedButton() is agreed

    def _keep(self) -> None:
        """Keep what has been done to the programme, so that the next sitting goes on from there."""
        session, programme = self.session, self.session.programme
        if programme is not None and not self.documents.keep(programme.path, session.work_shots, session.work):
            self._header.say(self.documents.told)

    def begin(self) -> None:
        """A programme has come under control: what was done to it before is taken up, and it is surveyed."""
        assert self.session.programme is not None
        self.documents.told = ""
        kept = self.documents.recall(self.session.programme.path)
        if kept is not None:
            self.session.take_up(*kept)
        self._news = self.documents.told
        if (work := self.session.work) != Work():
            done = f"{len(work.treatments)} treated shots, {len(work.areas)} areas"
            self._news = f"Earlier work on this programme is taken up: {done} (Ctrl+Z begins anew)"
        self.survey()

    def survey(self) -> None:
        """Run the session's survey, drawing what it has measured as it grows."""
        survey = self.session.survey
        if survey is None:
            return

        def run(monitor: Monitor) -> Survey:
            self._frames.wait_until_idle(_FRAME_FIRST)
            return run_survey(survey, monitor)

        self._header.say("")
        self.jobs.start(Kind.SURVEY, run, self._surveyed)
        self._growing.start()

    def _surveyed(self, _: object) -> None:
        set_aside = len(self.session.work.aside)
        self.session.refresh()
        if (more := len(self.session.work.aside) - set_aside) > 0:
            shots = f"The work on {more} shot{'s' if more > 1 else ''} that are no more"
            self._news = f"{shots} is kept aside: “Give what was kept aside” gives it to the shot in view"
        if self._news:
            self._header.say(self._news)
            self._news = ""
        self.survey_done.emit()

    def legalise(self) -> None:
        """Propose the least treatment for every shot that needs one."""
        survey = self.session.survey
        if survey is None or not self.session.surveyed or self.jobs.kind is not None:
            return
        shots, findings, treatments = list(self.session.shots), list(self.session.findings), self.session.treatments

        def job(monitor: Monitor) -> list[Proposal]:
            return propose_all(survey, shots, findings, monitor, treatments)

        self.jobs.start(Kind.LEGALISE, job, self._accept)

    def _accept(self, proposals: list[Proposal]) -> None:
        self.session.accept(proposals)
        count = len(proposals)
        if count:
            shots = f"{count} shot{'s' if count > 1 else ''}"
            self._header.say(f"Legalise: the least treatment for {shots}; each can be undone by itself (Ctrl+Z)")
        else:
            self._header.say("Legalise: nothing has to be fixed")

    def prove_and_write(self) -> None:
        """Ask where to, then write, read back and prove."""
        dialog = WriteDialog(self.session, self._window)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.start_proof(dialog.rows.target, dialog.rows.codec.name, dialog.keep, drop_tracks=dialog.drop_tracks)

    def start_proof(self, target: Path, codec: str, keep: KeepUnreadable | None = None, *, drop_tracks: bool = False) -> None:
        """Write ``target`` in the background and prove it.

        ``keep``: what is written for frames that can't be read; ``drop_tracks``: leave out those that can't be carried.
        """
        survey = self.session.survey
        assert survey is not None
        chosen = codec_for(target, codec)
        shots, treatments = list(self.session.shots), dict(self.session.treatments)

        def job(monitor: Monitor) -> Proof:
            carriage = rehearse(survey.programme, survey.source, chosen, target, drop_tracks=drop_tracks)
            return prove(ProveRequest(survey, shots, treatments, target, chosen, keep, carriage), monitor, certificate_files)

        self.jobs.start(Kind.PROOF, job, self._tell_proof)

    def _tell_proof(self, proof: Proof) -> None:
        rounds = f"{proof.rounds} round{'s' if proof.rounds > 1 else ''}"
        name, certificate = proof.request.target.name, certificate_paths(proof.request.target)[-1].name
        if proof.legal:
            self._header.say(f"{name} is proved legal ({rounds}); certificate: {certificate}")
        elif proof.unreadable:
            self._header.say(f"{name} is {proof.verdict}; see {certificate}")
        else:
            self._header.say(f"{name} is still not legal after {rounds}; see {certificate}")
        self.proved.emit(proof)

    def show_shots(self) -> None:
        """Make a card of every shot and show them all."""
        session = self.session
        survey, shots, findings, treatments = session.survey, list(session.shots), list(session.findings), session.treatments
        if survey is None or not session.surveyed:
            return

        def job(monitor: Monitor) -> list[ShotCard]:
            return overview(survey, shots, findings, treatments, lambda done: monitor.at("Shots", done, len(shots), "shots"))

        self.jobs.start(Kind.SHOTS, job, self._show_cards)

    def _show_cards(self, cards: list[ShotCard]) -> None:
        assert self.session.programme is not None
        self.shots_dialog = ShotsDialog(cards, self.session.programme, self.session.shot, self._window)
        self.shots_dialog.chosen.connect(self.session.go_to)
        self.shots_dialog.open()

    def make_signal(self) -> None:
        """Ask which test signal to make, make it and open it."""
        dialog = SignalDialog(self._window)
        if self.clear_the_way() and dialog.exec() == QDialog.DialogCode.Accepted:
            self.write_test_signal(dialog.signal, dialog.rows.target, dialog.rows.codec, dialog.settings)

    def write_test_signal(self, signal: TestSignal, target: Path, codec: Codec, settings: dict[str, object]) -> None:
        """Write a test signal in the background and open it."""

        def job(monitor: Monitor) -> Path:
            tell = partial(monitor.at, "Test signal")
            write_signal(signal, target, codec, tell=tell, **settings)  # type: ignore[arg-type]
            return target

        self.jobs.start(Kind.SIGNAL, job, self._open)

    def _progressed(self, progress: Progress) -> None:
        if self.jobs.kind is not None:  # what was told last may arrive after the end
            self._header.show_progress(progress)

    def _ended(self, ended: Ended) -> None:
        if self.jobs.is_under_way(ended.ticket):
            self._header.end_progress()
            self._growing.stop()
        counts = self.jobs.settle(ended)
        if counts and ended.fault is not None:
            self._header.fault(ended.fault)
        elif counts and ended.ending is Ending.CANCELLED:
            self._cancelled(ended.ticket.kind)
        if self.jobs.kind is None:
            self.ended.emit()

    def _cancelled(self, kind: Kind) -> None:
        if kind is Kind.SURVEY:
            self.session.refresh()
            self._header.say("Survey stopped; Survey again starts it anew")
        else:
            self._header.say("Stopped; nothing was left behind")
