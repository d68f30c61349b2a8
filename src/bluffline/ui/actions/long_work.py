"""Long work: surveying, legalising, proving and the like, and keeping what has been done. Never blocks the window."""

from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from bluffline.errors import BlufflineError
from bluffline.media.carriage import rehearse
from bluffline.media.codecs import codec_for
from bluffline.media.opening import shown
from bluffline.media.target import certificate_paths, put_certificate
from bluffline.propose.propose import Proposal
from bluffline.prove.pictures import KeepUnreadable
from bluffline.prove.prove import Proof, ProveRequest, propose_all, prove
from bluffline.report.certify import certificate_files, standing_certificate
from bluffline.report.keys import Keys
from bluffline.session.asked import Asked
from bluffline.session.faults import Fault, fault_of
from bluffline.session.hold import Hold
from bluffline.session.jobs import Ended, Ending, Kind
from bluffline.session.judging import Judged, survey_and_judge
from bluffline.session.kept_surveys import SurveyStore
from bluffline.session.session import Session
from bluffline.session.store import DocumentStore, Known
from bluffline.session.taking_in import Opened, take_in
from bluffline.session.work import Work
from bluffline.session.workfile import ENDING, save_work
from bluffline.signal.format import NO_OVERRIDES, Overrides
from bluffline.survey.checking import check_again
from bluffline.survey.monitor import Monitor, Progress
from bluffline.survey.survey import Survey
from bluffline.ui.actions.earlier import EarlierWork
from bluffline.ui.actions.printing import Printing
from bluffline.ui.actions.runner import JobRunner
from bluffline.ui.dialogs.kept import KeptDialog
from bluffline.ui.dialogs.layout import asked, show_until_closed
from bluffline.ui.dialogs.result import ResultDialog
from bluffline.ui.dialogs.write import WriteDialog
from bluffline.ui.header import Header
from bluffline.ui.picture.workers import FrameWorker
from bluffline.view.small import hatched

_FRAME_FIRST = 1.0  # seconds that a survey waits at most for the frame in view, which would be shown later for it
_JUDGE_AFTER = 40  # milliseconds after which shots that were divided are judged: what the hand sees comes first
_KEEP_AFTER = 250  # milliseconds of rest after which work is kept


class LongWork(QObject):
    """Runs one job at a time for the session and tells its results in the header."""

    opened = pyqtSignal(object)  # Path
    codec_chosen = pyqtSignal(str)  # its name
    refused = pyqtSignal()  # what was to be opened can't be
    survey_done = pyqtSignal()
    proved = pyqtSignal(object)  # Proof
    ended = pyqtSignal()  # a job has ended, well or not
    _grown = pyqtSignal(object)  # Judged
    _not_kept = pyqtSignal()

    def __init__(self, session: Session, header: Header, frames: FrameWorker, window: QWidget) -> None:
        super().__init__(window)
        self.session, self._header, self._frames, self._window = session, header, frames, window
        self.documents, self.surveys = DocumentStore(), SurveyStore()
        self.runner = JobRunner(lambda: session.survey)
        self.jobs = self.runner.jobs
        # Opening and short work run beside the others: what is under control, and its survey, goes on.
        self._opener, self._beside = JobRunner(), JobRunner(lambda: session.survey, side_by_side=True)
        self._judging = JobRunner(lambda: session.survey)
        self.beside = self._beside.jobs
        self._judge_soon = QTimer(self)
        self._judge_soon.setSingleShot(True)
        self._judge_soon.setInterval(_JUDGE_AFTER)
        self._judge_soon.timeout.connect(self._judge_again)
        session.judge_again = self._judge_soon.start
        self._keeper = ThreadPoolExecutor(1, "bluffline-keeping")
        self._kept: Future[bool] | None = None
        self._not_kept.connect(lambda: self._header.fault(Fault(self.documents.told, "")))
        self._hold: Hold | None = None
        self._mark = ""
        self._known: Known | None = None
        self.printing = Printing(session, header.say, header.fault)
        self.earlier = EarlierWork(session, self.beside, header.say, header.show_offer)
        self._news = ""  # what is told once the survey is done
        self._grown.connect(self._take_judged)
        self._keeping = QTimer(self)
        self._keeping.setSingleShot(True)
        self._keeping.setInterval(_KEEP_AFTER)
        self._keeping.timeout.connect(self._keep)
        self.runner.progress.connect(self._progressed)
        self.runner.ended.connect(self._ended)
        self._opener.ended.connect(self._opening_ended)
        self._beside.ended.connect(self._beside_ended)
        self._judging.ended.connect(partial(self._short_work_ended, self._judging))

    def changed(self) -> None:
        """What was done to the programme has changed; it is kept soon, however much more is done meanwhile."""
        if self.session.programme is not None and not self._keeping.isActive():
            self._keeping.start()

    def keep_now(self) -> None:
        """Keep what still waits, and wait until it is."""
        if self._keeping.isActive():
            self._keeping.stop()
            self._keep()
        if self._kept is not None:
            self._kept.result()

    def stop(self) -> None:
        """End whatever runs, keep what has been done, and let another desk have the programme."""
        self._judge_soon.stop()
        self.keep_now()
        self._keeper.shutdown()
        self.printing.stop()
        for runner in (self._opener, self._beside, self._judging, self.runner):
            runner.jobs.stop()
        if self._hold is not None:
            self._hold.release()
            self._hold = None

    @property
    def busy(self) -> bool:
        """Whether there is anything that `cancel` would stop."""
        return self.jobs.kind is not None or self._opener.jobs.kind is not None

    def cancel(self) -> None:
        """Stop the opening of a programme, or else what is done to the one under control."""
        (self.jobs if self._opener.jobs.kind is None else self._opener.jobs).cancel()

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
        asked(box)
        return box.clickedButton() is agreed

    def _keep(self) -> None:
        """Keep what has been done to the programme, so that the next sitting goes on from there."""
        session, programme = self.session, self.session.programme
        if programme is not None and self._known is not None:
            known, found, work, looks = self._known, session.document.found, session.document.work, session.looks()
            self._kept = self._keeper.submit(lambda: self.documents.keep(known, found, work, looks()))
            self._kept.add_done_callback(lambda kept: None if kept.result() else self._not_kept.emit())

    def show_kept(self) -> None:
        """List the work that is kept on programmes, for what is not needed any more to be forgotten."""
        self.keep_now()
        here = "" if self._known is None else self._known.content
        show_until_closed(KeptDialog(self.documents, here, self.ask, self._window))

    def save_work(self, path: Path) -> None:
        """Save the work on the programme as a file of its own."""
        assert self.session.programme is not None
        path = path if path.suffix == ENDING else path.with_name(path.name + ENDING)
        try:
            document = self.session.document
            save_work(path, self.session.programme, document.found, document.work, self.session.rules)
        except (BlufflineError, OSError) as error:
            self._header.fault(fault_of(error, "Saving the work"))
        else:
            self._header.say(f"{path.name} holds the work; opened beside the programme, here or elsewhere, it is taken up")

    def ask_where_to_save(self) -> None:
        """Ask where to, and save the work on the programme as a file of its own."""
        assert self.session.programme is not None
        beside = self.session.programme.path.with_suffix(ENDING)
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the work", str(beside), f"Work on a programme (*{ENDING})")
        if name:
            self.save_work(Path(name))

    def open(
        self, path: Path, *, rate: Fraction | None = None, track: int | None = None, read: Overrides = NO_OVERRIDES
    ) -> bool:
        """Begin to open a programme, or the work on one; whether nothing stands in the way.

        ``rate``: frames a second of numbered pictures; ``track``: the video track to take; ``read``: the operator's word on how
        it is read. What can't be opened is told, and what was under control remains.
        """
        if not self.clear_the_way():
            return False
        self.keep_now()
        rules, held = self.session.rules, self._hold

        def job(monitor: Monitor) -> Opened:
            return take_in(path, rules, self.documents, self.surveys, held, rate=rate, track=track, read=read, monitor=monitor)

        self._header.say(f"Opening {shown(path.name)} …")
        self._opener.jobs.start(Kind.OPENING, job, self._take)
        return True

    def _opening_ended(self, ended: Ended) -> None:
        if not self._opener.jobs.settle(ended):
            return
        if ended.ending is Ending.CANCELLED:
            self._header.say("Nothing was opened; what is under control goes on")
        elif ended.fault is not None:
            self._header.fault(ended.fault)
            self.refused.emit()

    def _short_work_ended(self, runner: JobRunner, ended: Ended) -> None:
        if runner.jobs.settle(ended) and ended.fault is not None:
            self._header.fault(ended.fault)

    def _beside_ended(self, ended: Ended) -> None:
        """Take what was looked at beside; what was asked of another reading of the same file is nothing, which is said."""
        self._short_work_ended(self._beside, ended)
        asked, survey = ended.ticket.subject, self.session.survey
        same = isinstance(asked, Survey) and survey is not None and asked.programme.path == survey.programme.path
        if same and self._beside.jobs.outlived(ended.ticket):
            self._header.say(f"{ended.ticket.kind} came to nothing: the programme is read otherwise now")

    def _take(self, opened: Opened) -> None:
        """Take over what was opened, and survey it."""
        if not self.clear_the_way():
            if opened.hold is not self._hold:
                opened.hold.release()
            return
        self.keep_now()
        if self._known is not None and opened.known.content == self._known.content and opened.brought is None:
            opened = replace(
                opened, kept=(self.session.document.work, self.session.document.found)
            )  # with what was done while it was opened
        if self._hold is not None and self._hold is not opened.hold:
            self._hold.release()
        self._hold, self._known, self._mark = opened.hold, opened.known, opened.mark
        self.session.take(opened)
        self.earlier.begin(opened.before)
        self._news = opened.told
        if (work := self.session.document.work) != Work() and not self._news:
            done = f"{len(work.treatments)} treated shots, {len(work.areas)} areas"
            self._news = f"Earlier work on this programme is taken up: {done} (Ctrl+Z begins anew)"
        self.opened.emit(opened.programme.path)
        self.survey()

    def survey(self, *, anew: bool = False) -> None:
        """Run the session's survey, drawing what it has measured as it grows.

        ``anew``: even where the same was measured before.
        """
        survey, session, mark = self.session.survey, self.session, self._mark
        if survey is None:
            return
        judge = session.judge

        def run(monitor: Monitor) -> Judged:
            fresh = anew or not self.surveys.fill(survey, mark)
            if fresh:
                self._frames.wait_until_idle(_FRAME_FIRST)
            judged = survey_and_judge(judge, lambda: session.document.work.cuts, monitor, self._grown.emit)
            if fresh:
                self.surveys.keep(survey, mark)
            return judged

        given_up = self.jobs.kind not in (None, Kind.SURVEY)
        self._header.say(f"{self.jobs.kind} came to nothing: the programme is measured anew" if given_up else "")
        self.jobs.start(Kind.SURVEY, run, self._surveyed)

    def _judge_again(self) -> None:
        """Judge the shots as they are divided by hand now."""
        if not self.session.surveyed:
            return
        judge, cuts = self.session.judge, self.session.document.work.cuts
        self._judging.jobs.start(Kind.JUDGING, lambda _: judge.judge(cuts), self.session.take_judged)

    def _take_judged(self, judged: Judged) -> None:
        self.session.take_judged(judged)

    def _surveyed(self, judged: Judged) -> None:
        set_aside = len(self.session.document.work.aside)
        self.session.take_judged(judged)
        if (more := len(self.session.document.work.aside) - set_aside) > 0:
            shots = f"The work on {more} shot{'s' if more > 1 else ''} that are no more"
            self._news = f"{shots} is kept aside: “Give what was kept aside” gives it to the shot in view"
        self.earlier.look_for()
        if self._news:
            self._header.say(self._news)
            self._news = ""
        self.survey_done.emit()

    def legalise(self) -> None:
        """Propose the least treatment for every shot that needs one; while the survey runs, for those that it has ended."""
        survey = self.session.survey
        if survey is None or not self.session.treatable or self.jobs.kind not in (None, Kind.SURVEY):
            return
        shots, work, judge = self.session.shots[: self.session.treatable], self.session.document.work, self.session.judge
        ladders, asked = work.ladders(len(shots)), self.session.document.ask(range(len(shots)))

        def job(monitor: Monitor) -> list[Proposal]:
            return propose_all(survey, shots, judge.judge(work.cuts).findings, monitor, ladders)

        accept = partial(self._accept, asked)
        (self.jobs if self.session.surveyed else self.beside).start(Kind.LEGALISE, job, accept)

    def _accept(self, asked: Asked, proposals: list[Proposal]) -> None:
        """Take over what was proposed for shots that are still as they were when it was asked for; of the others it is told."""
        same = self.session.document.settle(asked).same
        given = [replace(each, shot=same[each.shot]) for each in proposals if each.shot in same]
        self.session.document.accept(given)
        told = []
        if given:
            count = f"{len(given)} shot{'s' if len(given) > 1 else ''}"
            told.append(f"the least treatment for {count}; each can be undone by itself (Ctrl+Z)")
        if changed := len(proposals) - len(given):
            told.append(f"left as you made them meanwhile: {changed} shot{'s' if changed > 1 else ''}")
        self._header.say(f"Legalise: {'; '.join(told) or 'nothing has to be fixed'}")

    def prove_and_write(self) -> None:
        """Ask where to, then write, read back and prove."""
        dialog = WriteDialog(self.session, self._window)
        if asked(dialog):
            self.start_proof(dialog.rows.target, dialog.rows.codec.name, dialog.keep, drop_tracks=dialog.drop_tracks)

    def start_proof(self, target: Path, codec: str, keep: KeepUnreadable | None = None, *, drop_tracks: bool = False) -> None:
        """Write ``target`` in the background and prove it.

        ``keep``: what is written for frames that can't be read; ``drop_tracks``: leave out those that can't be carried.
        """
        survey = self._judged_survey()
        chosen = codec_for(target, codec)
        self.session.codec = chosen  # what is tried from now on is tried as it is written
        self.codec_chosen.emit(chosen.name)
        shots, treatments = list(self.session.shots), dict(self.session.document.treatments)

        def job(monitor: Monitor) -> Proof:
            key = Keys().own()  # without one there is no certificate: told before work begins
            files = partial(certificate_files, key=key, monitor=monitor, draw=hatched)
            carriage = rehearse(survey.programme, survey.source, chosen, target, drop_tracks=drop_tracks)
            return prove(ProveRequest(survey, shots, treatments, target, chosen, keep, carriage), monitor, files)

        self.jobs.start(Kind.PROOF, job, self._tell_proof)

    def _judged_survey(self) -> Survey:
        """The session's survey, with what is waived."""
        assert self.session.survey is not None
        return replace(self.session.survey, waivers=self.session.document.work.waivers)

    def certify(self) -> None:
        """Give a file that is good as it is its certificate, without writing it anew."""
        survey, shots = self._judged_survey(), list(self.session.shots)

        def job(monitor: Monitor) -> Path:
            key = Keys().own()
            files = standing_certificate(check_again(survey, monitor).divided(shots), key, monitor, hatched)
            put_certificate(survey.programme.path, files)
            return certificate_paths(survey.programme.path).page

        def tell(page: Path) -> None:
            self._header.say(f"Certified as it stands: {page.name} lies beside the file")

        self.jobs.start(Kind.PROOF, job, tell)

    def _tell_proof(self, proof: Proof) -> None:
        rounds = f"{proof.rounds} round{'s' if proof.rounds > 1 else ''}"
        name, certificate = proof.request.target.name, certificate_paths(proof.request.target).page.name
        if proof.legal:
            self._header.say(f"{name}: {proof.verdict} ({rounds}); certificate: {certificate}")
        elif proof.unreadable:
            self._header.say(f"{name}: {proof.verdict}; see {certificate}")
        else:
            self._header.say(f"{name} is still not legal after {rounds}; see {certificate}")
        self.result_dialog = ResultDialog(proof, self.printing.print_certificate, self._window)
        self.result_dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.result_dialog.show()
        self.proved.emit(proof)

    def _progressed(self, progress: Progress) -> None:
        if self.jobs.kind is not None:  # what was told last may arrive after the end
            self._header.show_progress(progress)

    def _ended(self, ended: Ended) -> None:
        if self.jobs.is_under_way(ended.ticket):
            self._header.end_progress()
        counts = self.jobs.settle(ended)
        if counts and ended.fault is not None:
            self._header.fault(ended.fault)
        elif counts and ended.ending is Ending.CANCELLED:
            self._cancelled(ended.ticket.kind)
        if self.jobs.kind is None:
            self.ended.emit()

    def _cancelled(self, kind: Kind) -> None:
        if kind is Kind.SURVEY:
            self._header.say("Survey stopped; Survey again starts it anew")
        else:
            self._header.say("Stopped; nothing was left behind")
