"""The desk: one window over the session."""

from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QMenuBar,
    QMessageBox,
    QVBoxLayout,
    QWidget,
)

from bluffline import __version__
from bluffline.demo import demo_clip
from bluffline.errors import BlufflineError
from bluffline.media.writer import codec_for
from bluffline.prove.monitor import Monitor
from bluffline.prove.prove import Proof, ProveRequest, propose_all, prove
from bluffline.prove.survey import Survey, run_survey
from bluffline.report.certificate import save_certificate
from bluffline.rules.rulefile import Rules, load_rules
from bluffline.session.preview import Preview, View
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.ui.card import Card
from bluffline.ui.commands import COMMANDS, MENUS
from bluffline.ui.dialogs import FactsDialog, KeySheet, WriteDialog
from bluffline.ui.findings import FindingsList
from bluffline.ui.gauges import Vectorscope, Waveform
from bluffline.ui.header import Header
from bluffline.ui.picture import PictureView
from bluffline.ui.player import Player
from bluffline.ui.skyline import Skyline
from bluffline.ui.style import percent
from bluffline.ui.treatment import TreatmentPanel
from bluffline.ui.workers import FrameWorker, JobRunner

_GROW_EVERY = 200  # milliseconds between two looks at a running survey


class Desk(QMainWindow):
    """Draws the session and turns the operator's acts into intents."""

    frame_shown = pyqtSignal(int)
    survey_done = pyqtSignal()
    proved = pyqtSignal(object)  # Proof

    def __init__(self, session: Session, settings: Settings) -> None:
        super().__init__()
        self.session, self.settings = session, settings
        self.jobs, self.frames = JobRunner(), FrameWorker()
        self._shown = -1
        self.hatching = True
        self._held_source = False
        self._treat_key: object = None
        self._frame_treatment: FrameTreatment | None = None
        self._menus = QMenuBar()
        self.header = Header(self._menus)
        self.skyline = Skyline(session)
        self.findings = FindingsList(session)
        self.picture = PictureView()
        self.waveform, self.vectorscope = Waveform(session), Vectorscope(session)
        self.treatment = TreatmentPanel(session, self.legalise)
        self.player = Player(session, lambda: self._shown, self._stopped)
        self._growing = QTimer(self)
        self._growing.setInterval(_GROW_EVERY)
        self._growing.timeout.connect(self._grow)
        self.setWindowTitle("Bluffline")
        self.setAcceptDrops(True)
        self._build()
        self._actions = self._make_menus()
        self._connect()
        self._refresh_all()
        self.resize(1280, 800)
        self.skyline.setFocus()

    def _build(self) -> None:
        self._skyline_card = Card("Skyline", self.skyline)
        self._findings_card = Card("Findings", self.findings)
        self._picture_card = Card("Picture", self.picture)
        self._treatment_card = Card("Treatment", self.treatment)
        self._waveform_card = Card("Waveform", self.waveform)
        self._vectorscope_card = Card("Vectorscope", self.vectorscope)
        self._findings_card.setFixedWidth(290)
        middle = QVBoxLayout()
        middle.addWidget(self._picture_card, 1)
        middle.addWidget(self._treatment_card)
        right = QVBoxLayout()
        right.addWidget(self._waveform_card, 5)
        right.addWidget(self._vectorscope_card, 6)
        lower = QHBoxLayout()
        lower.addWidget(self._findings_card)
        lower.addLayout(middle, 11)
        lower.addLayout(right, 5)
        whole = QVBoxLayout()
        whole.setContentsMargins(8, 4, 8, 8)
        whole.addWidget(self.header)
        whole.addWidget(self._skyline_card)
        whole.addLayout(lower, 1)
        for layout in (middle, right, lower, whole):
            layout.setSpacing(7)
        centre = QWidget()
        centre.setLayout(whole)
        self.setCentralWidget(centre)

    def _make_menus(self) -> dict[str, QAction]:
        menus = {name: self._menus.addMenu(name) for name in MENUS}
        actions: dict[str, QAction] = {}
        for command in COMMANDS:
            menu = menus[command.menu]
            assert menu is not None
            if command.apart:
                menu.addSeparator()
            action = QAction(command.title, self)
            action.setShortcuts([QKeySequence(key) for key in command.keys])
            action.triggered.connect(partial(self._do, command.do))
            menu.addAction(action)
            actions[command.id] = action
            if command.id == "open":
                self._recent = menu.addMenu("Open recent")
        for menu in menus.values():
            assert menu is not None
            menu.aboutToShow.connect(self._refresh_commands)
        return actions

    def _do(self, act, *_: object) -> None:  # type: ignore[no-untyped-def]
        act(self)
        self._refresh_commands()

    def _connect(self) -> None:
        session = self.session
        session.programme_changed.connect(self._programme_changed)
        session.survey_changed.connect(self._refresh_survey)
        session.place_changed.connect(self._ask_frame)
        session.treatment_changed.connect(self._treatment_changed)
        self.skyline.frame_chosen.connect(session.go_to)
        self.skyline.finding_chosen.connect(session.select)
        self.findings.chosen.connect(session.select)
        self.frames.ready.connect(self._show_frame)
        self.frames.failed.connect(self.picture.say)
        for resized in (self.picture.resized, self.waveform.resized):
            resized.connect(self._ask_frame)
        self.jobs.progress.connect(self.header.show_progress)
        self.jobs.finished.connect(self._job_finished)
        self.jobs.failed.connect(self._job_failed)
        self.jobs.cancelled.connect(self._job_cancelled)
        self.header.cancelled.connect(self.jobs.cancel)
        self.header.command.connect(lambda name: self._actions[name].trigger())
        self.header.rules_chosen.connect(self.choose_rules)
        application = QApplication.instance()
        assert application is not None
        application.installEventFilter(self)

    # Taking in -----------------------------------------------------------------------------------------------------

    def open(self, path: Path) -> bool:
        """Take a programme under control; a file that can't be read is told about and changes nothing."""
        self.player.pause()
        self.jobs.cancel_and_wait()
        try:
            self.session.open(path)
        except BlufflineError as error:
            self.header.say(str(error))
            if self.session.survey is not None and not self.session.survey.complete:
                self._run_survey()
            return False
        self.settings.opened(path)
        return True

    def open_demo(self) -> None:
        """Take the demo programme under control."""
        self.open(demo_clip())

    def choose_programme(self) -> None:
        """Ask for a file and open it."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a programme", str(Path.cwd()), "Programme files (*);;All files (*)")
        if name:
            self.open(Path(name))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        if data is not None and any(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        files = [url.toLocalFile() for url in data.urls() if url.isLocalFile()] if data is not None else []
        if files:
            self.open(Path(files[0]))

    def choose_rules(self, name: str = "") -> None:
        """Put other rules in force: those named, or a file asked for."""
        if not name:
            name, _ = QFileDialog.getOpenFileName(self, "Rules from a file", str(Path.cwd()), "Rule files (*.toml)")
        if not name:
            return
        try:
            rules = load_rules(name)
        except BlufflineError as error:
            self.header.say(str(error))
            self._refresh_survey()
            return
        self.settings.rules = name
        self.settings.save()
        self.survey_again(rules=rules)

    def survey_again(self, *, rules: Rules | None = None) -> None:
        """Survey anew, under other rules if given."""
        self.jobs.cancel_and_wait()
        self.session.survey_again(rules=rules)
        self._run_survey()

    def show_facts(self) -> None:
        """Show what the file says of itself, and take the operator's word against it."""
        dialog = FactsDialog(self.session, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            said = dialog.overrides
            self.jobs.cancel_and_wait()
            self.session.survey_again(signal_range=said.signal_range, matrix=said.matrix, region=said.region)
            self._run_survey()
            self._treatment_changed()

    def _programme_changed(self) -> None:
        programme = self.session.programme
        assert programme is not None
        self.frames.set_programme(programme)
        self._shown = -1
        self.waveform.clear()
        self.vectorscope.clear()
        self.picture.set_shape(self.session.source.width / self.session.source.height)
        self.picture.say("Reading the first frame")
        self._ask_frame()
        self._run_survey()

    def _run_survey(self) -> None:
        survey = self.session.survey
        if survey is not None:
            self.header.say("")
            self.jobs.start(lambda monitor: run_survey(survey, monitor))
            self._growing.start()

    def _grow(self) -> None:
        self.session.refresh()

    # Long work -----------------------------------------------------------------------------------------------------

    def legalise(self) -> None:
        """Propose the least treatment for every shot that needs one."""
        survey = self.session.survey
        if survey is None or not self.session.surveyed or self.jobs.running:
            return
        shots, findings = list(self.session.shots), list(self.session.findings)

        def job(monitor: Monitor) -> list:  # type: ignore[type-arg]
            monitor.at("Legalise", 0, 1)
            return propose_all(survey, shots, findings)

        self.jobs.start(job)

    def prove_and_write(self) -> None:
        """Ask where to, then write, read back and prove."""
        dialog = WriteDialog(self.session, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.start_proof(dialog.target, dialog.codec.name)

    def start_proof(self, target: Path, codec: str) -> None:
        """Write ``target`` in the background and prove it."""
        survey = self.session.survey
        assert survey is not None
        request = ProveRequest(
            survey, list(self.session.shots), dict(self.session.treatments), target, codec_for(target, codec)
        )
        self.player.pause()

        def job(monitor: Monitor) -> tuple[Proof, list[Path]]:
            proof = prove(request, monitor)
            return proof, save_certificate(proof)

        self.jobs.start(job)

    def _job_finished(self, result: object) -> None:
        self.header.end_progress()
        self._growing.stop()
        if isinstance(result, Survey):
            self.session.refresh()
            self.survey_done.emit()
        elif isinstance(result, list):
            self._accept(result)
        elif isinstance(result, tuple):
            self._tell_proof(*result)
        self._refresh_commands()

    def _accept(self, proposals: list) -> None:  # type: ignore[type-arg]
        self.session.accept(proposals)
        count = len(proposals)
        if count:
            shots = f"{count} shot{'s' if count > 1 else ''}"
            self.header.say(f"Legalise: the least treatment for {shots}; each can be undone by itself (Ctrl+Z)")
        else:
            self.header.say("Legalise: nothing has to be fixed")

    def _tell_proof(self, proof: Proof, certificate: list[Path]) -> None:
        rounds = f"{proof.rounds} round{'s' if proof.rounds > 1 else ''}"
        name = proof.request.target.name
        if proof.legal:
            self.header.say(f"{name} is proved legal ({rounds}); certificate: {certificate[-1].name}")
        else:
            self.header.say(f"{name} is still not legal after {rounds}; see {certificate[-1].name}")
        self.proved.emit(proof)

    def _job_failed(self, message: str) -> None:
        self.header.end_progress()
        self._growing.stop()
        self.header.say(message)
        self._refresh_commands()

    def _job_cancelled(self) -> None:
        self.header.end_progress()
        self._growing.stop()
        self.session.refresh()
        unfinished = self.session.survey is not None and not self.session.survey.complete
        self.header.say("Survey stopped; Survey again starts it anew" if unfinished else "Stopped; nothing was left behind")
        self._refresh_commands()

    # Looking -------------------------------------------------------------------------------------------------------

    def step(self, frames: int) -> None:
        """Move by frames."""
        self.player.pause()
        self.session.go_to(self.session.frame + frames)

    def step_seconds(self, seconds: int) -> None:
        """Move by seconds."""
        programme = self.session.programme
        if programme is not None:
            self.step(round(seconds * float(programme.frame_rate)))

    def cycle_wipe(self) -> None:
        """Put the wipe in the middle; from there to source, treated, and back."""
        self.picture.set_wipe({0.5: 1.0, 1.0: 0.0}.get(self.picture.wipe, 0.5))

    def toggle_hatching(self) -> None:
        """Show or hide the hatching."""
        self.hatching = not self.hatching
        self._ask_frame()

    def zoom_skyline(self, factor: float) -> None:
        """Zoom the skyline about the frame in view."""
        self.skyline.zoom(factor, self.session.frame)

    def bypass_all(self) -> None:
        """Take all steps of the shot in view out of force, or bring them back."""
        steps = self.session.treatment
        bypass = any(not step.bypassed for step in steps)
        act = "Bypass the shot's steps" if bypass else "Restore the shot's steps"
        self.session.set_treatment(self.session.shot, tuple(replace(step, bypassed=bypass) for step in steps), act)

    def _view(self) -> View:
        session = self.session
        assert session.survey is not None
        key = session.treatment, session.source
        if key != self._treat_key or self._frame_treatment is None:
            self._treat_key, self._frame_treatment = key, FrameTreatment(session.treatment, session.source)
        box = self.picture.box
        ratio = self.devicePixelRatioF()
        return View(
            source=session.source,
            region=session.survey.region,
            limits=session.rules.limits,
            treatment=self._frame_treatment,
            picture_size=(max(int(box.width() * ratio), 1), max(int(box.height() * ratio), 1)),
            waveform_columns=self.waveform.columns,
            hatching=self.hatching,
            gauges_show_source=self._held_source,
        )

    def _ask_frame(self) -> None:
        if self.session.survey is not None:
            self.frames.ask(self.session.frame, self._view(), ahead=self.player.playing)
            self._refresh_facts()

    def _show_frame(self, preview: Preview) -> None:
        self._shown = preview.frame
        self.picture.show_preview(preview)
        if preview.readable:
            self.waveform.show_preview(preview)
            self.vectorscope.show_preview(preview)
        else:
            self.waveform.clear()
            self.vectorscope.clear()
        self._preview = preview
        self._refresh_facts()
        self.frame_shown.emit(preview.frame)

    def _stopped(self) -> None:
        if self.player.dropped:
            self.header.say(f"Played with {self.player.dropped} frames not shown: this machine was too busy")

    def _treatment_changed(self) -> None:
        self._ask_frame()
        self._refresh_facts()
        self._refresh_commands()

    # Facts on the cards --------------------------------------------------------------------------------------------

    _preview: Preview | None = None

    def _refresh_all(self) -> None:
        self._refresh_survey()
        self._refresh_facts()
        self._refresh_commands()

    def _refresh_survey(self) -> None:
        session = self.session
        self.header.show_session(session)
        if session.survey is None:
            self._skyline_card.set_facts("")
            self._findings_card.set_facts("")
            return
        limits = session.rules.limits
        self._skyline_card.set_facts(
            f"luma pale, R′G′B′ behind it · limits: luma {percent(limits.luma[0], 0)} … {percent(limits.luma[1], 0)} dashed, "
            f"R′G′B′ {percent(limits.rgb[0], 0)} … {percent(limits.rgb[1], 0)} dotted · outside hatched"
        )
        count = session.must_fix_count
        self._findings_card.set_facts(f"{count} must fix · {len(session.findings) - count} others")
        self._refresh_facts()
        self._refresh_commands()

    def _refresh_facts(self) -> None:
        session = self.session
        if session.programme is None:
            return
        place = f"{session.programme.label(session.frame)} · frame {session.frame}"
        measure = self._preview.measure if self._preview is not None and self._preview.frame == session.frame else None
        treated = bool(session.treatment) and not self._held_source
        if measure is not None:
            levels = session.source.levels
            shown = "treated" if treated else "source"
            place += (
                f" · {shown}: luma {percent(levels.percent(measure.y_min))} … {percent(levels.percent(measure.y_max))}"
                f" · R′G′B′ {percent(measure.rgb_min)} … {percent(measure.rgb_max)}"
            )
        self._picture_card.set_facts(place)
        self._treatment_card.set_title(f"Treatment of shot {session.shot + 1}")
        reasons = session.reasons.get(session.shot, ()) if session.treatment else ()
        self._treatment_card.set_facts("; ".join(reasons) if reasons else "untreated" if not session.treatment else "")
        self._waveform_card.set_facts(f"luma, % · {'treated' if treated else 'source'}")
        self._vectorscope_card.set_facts(f"75 % targets, skin line · {'treated' if treated else 'source'}")

    def _refresh_commands(self) -> None:
        for command in COMMANDS:
            self._actions[command.id].setEnabled(command.enabled(self))
        for name, act in (("undo", self.session.undoes), ("redo", self.session.redoes)):
            self._actions[name].setText(f"{name.capitalize()}: {act}" if act else name.capitalize())
        self.header.enable({name: action.isEnabled() for name, action in self._actions.items()})
        self.header.point_to(self._next_command())
        self._fill_recent()

    def _next_command(self) -> str:
        """The next thing to press on the way from a file to its proof."""
        if self.session.programme is None:
            return "open"
        return "legalise" if self.session.must_fix_count and not self.session.treatments else "prove"

    def _fill_recent(self) -> None:
        menu: QMenu | None = self._recent
        assert menu is not None
        menu.clear()
        menu.setEnabled(bool(self.settings.recent))
        for name in self.settings.recent:
            action = menu.addAction(name)
            assert action is not None
            action.triggered.connect(lambda _, path=Path(name): self.open(path))

    # Help and ending -----------------------------------------------------------------------------------------------

    def show_keys(self) -> None:
        """Show the key sheet."""
        KeySheet(self).exec()

    def show_about(self) -> None:
        """Say what this is."""
        QMessageBox.about(
            self, "About Bluffline",
            f"Bluffline {__version__}\nBroadcast quality control: measure, judge, correct, prove.\nGPL-3.0-or-later.",
        )  # fmt: skip

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """The source is shown for as long as its key is held down, wherever the focus is but in a text field."""
        if isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_S and not event.modifiers() and not event.isAutoRepeat():
            typing = isinstance(QApplication.focusWidget(), QLineEdit | QAbstractSpinBox)
            if self.isActiveWindow() and not typing and watched is self.windowHandle():
                self._hold_source(event.type() == QEvent.Type.KeyPress)
        return super().eventFilter(watched, event)

    def _hold_source(self, held: bool) -> None:
        if held != self._held_source:
            self._held_source = held
            self.picture.set_source_only(held)
            self._ask_frame()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.player.pause()
        self._growing.stop()
        self.jobs.cancel_and_wait()
        self.frames.stop()
        application = QApplication.instance()
        assert application is not None
        application.removeEventFilter(self)
        super().closeEvent(event)
