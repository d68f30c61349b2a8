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
from bluffline.measure.areas import Taken
from bluffline.measure.bars import read_bars
from bluffline.measure.scopes import Instrument, Kind
from bluffline.media.signals import TestSignal, write_signal
from bluffline.media.writer import Codec, codec_for
from bluffline.prove.monitor import Monitor
from bluffline.prove.prove import Proof, ProveRequest, propose_all, prove
from bluffline.prove.survey import Survey, run_survey
from bluffline.report.certificate import save_certificate
from bluffline.report.gauge import save_gauge
from bluffline.rules.rulefile import Rules, load_rules
from bluffline.session.document import DocumentStore
from bluffline.session.gauges import SLOTS, GaugeModel
from bluffline.session.looking import Compare, Tool
from bluffline.session.overview import ShotCard, overview
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.signal.colorimetry import GAMUTS
from bluffline.ui.card import Card
from bluffline.ui.commands import COMMANDS, MENUS
from bluffline.ui.dialogs import FactsDialog, KeySheet, WriteDialog
from bluffline.ui.findings import FindingsList
from bluffline.ui.gauges import title_of
from bluffline.ui.header import Header
from bluffline.ui.line_up import BarsDialog, SignalDialog
from bluffline.ui.overview import ShotsDialog
from bluffline.ui.player import Player
from bluffline.ui.skyline import Skyline
from bluffline.ui.style import percent, standard
from bluffline.ui.treatment import TreatmentPanel
from bluffline.ui.viewer import Viewer
from bluffline.ui.workers import JobRunner

_KEEP_AFTER = 800  # milliseconds of rest after which work is kept
_GROW_EVERY = 200  # milliseconds between two looks at a running survey


class Desk(QMainWindow):
    """Draws the session and turns the operator's acts into intents."""

    frame_shown = pyqtSignal(int)
    survey_done = pyqtSignal()
    proved = pyqtSignal(object)  # Proof

    def __init__(self, session: Session, settings: Settings) -> None:
        super().__init__()
        self.session, self.settings = session, settings
        self.jobs = JobRunner()
        self.gauges = GaugeModel(settings.gauges)
        self.documents = DocumentStore()
        self._menus = QMenuBar()
        self.header = Header(self._menus)
        self.skyline = Skyline(session)
        self.findings = FindingsList(session)
        self.treatment = TreatmentPanel(session, self.legalise)
        self.viewer = Viewer(session, self.gauges, lambda: self.player.playing)
        self.picture = self.viewer.picture
        self.player = Player(session, lambda: self.viewer.shown, self._stopped)
        self._growing = QTimer(self)
        self._growing.setInterval(_GROW_EVERY)
        self._growing.timeout.connect(self._grow)
        self._keeping = QTimer(self)
        self._keeping.setSingleShot(True)
        self._keeping.setInterval(_KEEP_AFTER)
        self._keeping.timeout.connect(self._keep)
        self.setWindowTitle("Bluffline")
        self.setAcceptDrops(True)
        self._build()
        self._actions = self._make_menus()
        self.viewer.actions = list(self._actions.values())
        self._connect()
        self._refresh_all()
        self.resize(1280, 800)
        self.skyline.setFocus()

    def _build(self) -> None:
        self._skyline_card = Card("Skyline", self.skyline)
        self._findings_card = Card("Findings", self.findings)
        self._picture_card = Card("Picture", self.picture, self.viewer.probe_line)
        self._areas_card = Card("Areas", self.viewer.panel)
        self._treatment_card = Card("Treatment", self.treatment)
        for card in (self._findings_card, self._areas_card):
            card.setFixedWidth(290)
        left = QVBoxLayout()
        left.addWidget(self._findings_card, 3)
        left.addWidget(self._areas_card, 2)
        self._areas_card.hide()
        middle = QVBoxLayout()
        middle.addWidget(self._picture_card, 5)
        middle.addLayout(self.viewer.board.beneath, 3)
        middle.addWidget(self._treatment_card)
        self._lower = lower = QHBoxLayout()
        lower.addLayout(left)
        lower.addLayout(middle)
        lower.addWidget(self.viewer.board)
        whole = QVBoxLayout()
        whole.setContentsMargins(8, 4, 8, 8)
        whole.addWidget(self.header)
        whole.addWidget(self._skyline_card)
        whole.addLayout(lower, 1)
        for layout in (left, middle, lower, whole):
            layout.setSpacing(7)
        centre = QWidget()
        centre.setLayout(whole)
        self.setCentralWidget(centre)
        self._share_room()

    def _share_room(self) -> None:
        """One gauge or four get more of the width than two, which stand one above the other."""
        setup = self.gauges.setup
        self.viewer.board.setVisible(not (setup.beneath and setup.shown == 1))
        self._lower.setStretch(1, 11)
        self._lower.setStretch(2, 5 if setup.shown == 2 or setup.beneath else 9)

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
        session.place_changed.connect(self._place_changed)
        session.treatment_changed.connect(self._treatment_changed)
        self.skyline.frame_chosen.connect(session.go_to)
        self.skyline.finding_chosen.connect(session.select)
        self.findings.chosen.connect(session.select)
        self.viewer.shown_changed.connect(self._frame_shown)
        self.gauges.changed.connect(self._gauges_changed)
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

    def _keep(self) -> None:
        """Keep what has been done to the programme, so that the next sitting goes on from there."""
        programme = self.session.programme
        if programme is not None and self.session.surveyed:
            self.documents.keep(programme.path, self.session.shots, self.session.work)

    def open(self, path: Path) -> bool:
        """Take a programme under control; a file that can't be read is told about and changes nothing."""
        self.player.pause()
        if self._keeping.isActive():
            self._keeping.stop()
            self._keep()
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
        self.viewer.begin()
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
            self._take_up()
            self.survey_done.emit()
        elif isinstance(result, Path):
            self.open(result)
        elif isinstance(result, list) and result and isinstance(result[0], ShotCard):
            self._show_cards(result)
        elif isinstance(result, list):
            self._accept(result)
        elif isinstance(result, tuple):
            self._tell_proof(*result)
        self._refresh_commands()

    def _take_up(self) -> None:
        """Go on with what was done to this programme before, if anything was."""
        programme = self.session.programme
        if programme is None or self.session.undoes is not None:
            return
        work = self.documents.recall(programme.path, self.session.shots)
        if work is not None and (work.treatments or work.areas):
            self.session.take_up(work)
            done = f"{len(work.treatments)} treated shots, {len(work.areas)} areas"
            self.header.say(f"Earlier work on this programme is taken up: {done} (Ctrl+Z begins anew)")

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

    def show_shots(self) -> None:
        """Make a card of every shot and show them all."""
        session = self.session
        survey, shots, findings, treatments = session.survey, list(session.shots), list(session.findings), session.treatments
        if survey is None or not session.surveyed:
            return

        def job(monitor: Monitor) -> list[ShotCard]:
            return overview(survey, shots, findings, treatments, lambda done: monitor.at("Shots", done, len(shots)))

        self.jobs.start(job)

    def _show_cards(self, cards: list[ShotCard]) -> None:
        assert self.session.programme is not None
        self.shots_dialog = ShotsDialog(cards, self.session.programme, self.session.shot, self)
        self.shots_dialog.chosen.connect(self.session.go_to)
        self.shots_dialog.open()

    def check_bars(self) -> None:
        """Read the bars in view and say what is wrong with them."""
        preview, survey, programme = self.viewer.preview, self.session.survey, self.session.programme
        if preview is None or preview.signal is None or survey is None or programme is None:
            return
        reading = read_bars(preview.signal, survey.region)
        if reading is None:
            self.header.say("No colour bars are recognised in this frame")
            return
        self.bars_dialog = BarsDialog(reading, programme.label(preview.frame), self)
        self.bars_dialog.open()

    def make_signal(self) -> None:
        """Ask which test signal to make, make it and open it."""
        dialog = SignalDialog(self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.write_test_signal(dialog.signal, dialog.target, dialog.codec, dialog.settings)

    def write_test_signal(self, signal: TestSignal, target: Path, codec: Codec, settings: dict[str, object]) -> None:
        """Write a test signal in the background and open it."""

        def job(monitor: Monitor) -> Path:
            monitor.at("Test signal", 0, 1)
            write_signal(signal, target, codec, **settings)  # type: ignore[arg-type]
            return target

        self.jobs.start(job)

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

    def turn_wipe(self) -> None:
        """Turn the wipe by an eighth of a full turn."""
        look = self.viewer.look
        look.change(angle=(look.state.angle + 45 + 90) % 180 - 90)

    def take_tool(self, tool: Tool) -> None:
        """Take a tool for drawing on the picture, or put it down if it is in hand."""
        if self.viewer.look.state.tool is tool:
            self.picture.drop_tool()
        else:
            self.picture.drop_tool()
            self.viewer.look.change(tool=tool)

    def flip(self) -> None:
        """Compare by flipping, and flip."""
        look = self.viewer.look
        if look.state.compare is Compare.FLIP:
            look.toggle("flipped")
        else:
            look.change(compare=Compare.FLIP, flipped=True)

    def zoom_picture(self, steps: int) -> None:
        """Zoom the picture about the pixel under the pointer, or its middle."""
        source = self.session.source
        self.viewer.look.zoom_by(steps, self.picture.probe or (source.width / 2, source.height / 2))

    def gauge_beneath(self) -> None:
        """Put the first gauge under the picture, column for column, or back."""
        self.gauges.change(beneath=not self.gauges.setup.beneath)

    def histogram_scale(self) -> None:
        """Count histograms in decades, or evenly."""
        look = self.gauges.setup.look
        self.gauges.change(look=replace(look, log=not look.log))

    def outline_source(self) -> None:
        """Lay the source's traces over those of the treated frame, or take them away."""
        self.gauges.change(outline_source=not self.gauges.setup.outline_source)

    def next_taken(self) -> None:
        """Gauges take the areas, all but them, or the whole picture."""
        kinds = list(Taken)
        self.gauges.change(taken=kinds[(kinds.index(self.gauges.setup.taken) + 1) % len(kinds)])

    def save_gauge(self) -> None:
        """Ask where to save the first gauge as a picture, or its counts."""
        name, _ = QFileDialog.getSaveFileName(self, "Save the gauge", "gauge.png", "PNG, SVG or CSV (*.png *.svg *.csv)")
        if name:
            self.write_gauge(Path(name))

    def write_gauge(self, path: Path) -> None:
        """Save the first gauge in view."""
        gauge, programme = self.viewer.gauges[0], self.session.programme
        if gauge.trace is None or programme is None:
            return
        setup = self.gauges.setup
        title = f"{programme.title}, {programme.label(self.viewer.shown)} · {title_of(gauge.kind)}"
        try:
            save_gauge(
                path, gauge.trace, title, self.session.source, self.session.rules.limits,
                unit=setup.unit, look=setup.look, gamut=setup.gamut,
            )  # fmt: skip
        except BlufflineError as error:
            self.header.say(str(error))
        else:
            self.header.say(f"{path.name} is saved")

    def next_gamut(self) -> None:
        """The next gamut that the chromaticity diagram marks colours against, or none."""
        names = [None, *GAMUTS]
        self.gauges.change(gamut=names[(names.index(self.gauges.setup.gamut) + 1) % len(names)])

    def cancel(self) -> None:
        """Stop what is running; else put down the tool in hand."""
        if self.jobs.running:
            self.jobs.cancel()
        else:
            self.picture.drop_tool()
            self.picture.highlight(None)

    def zoom_skyline(self, factor: float) -> None:
        """Zoom the skyline about the frame in view."""
        self.skyline.zoom(factor, self.session.frame)

    def bypass_all(self) -> None:
        """Take all steps of the shot in view out of force, or bring them back."""
        steps = self.session.treatment
        bypass = any(not step.bypassed for step in steps)
        act = "Bypass the shot's steps" if bypass else "Restore the shot's steps"
        self.session.set_treatment(self.session.shot, tuple(replace(step, bypassed=bypass) for step in steps), act)

    def _place_changed(self) -> None:
        self.viewer.ask()
        self._refresh_facts()

    def _gauges_changed(self) -> None:
        self.settings.gauges = self.gauges.setup
        self.settings.save()
        self._share_room()
        self.viewer.align()
        self._refresh_facts()

    def _frame_shown(self, frame: int) -> None:
        self._areas_card.setVisible(bool(self.viewer.preview is not None and self.viewer.preview.readings))
        self._refresh_facts()
        self.frame_shown.emit(frame)

    def _stopped(self) -> None:
        if self.player.dropped:
            self.header.say(f"Played with {self.player.dropped} frames not shown: this machine was too busy")

    def _treatment_changed(self) -> None:
        if self.session.programme is not None and self.session.surveyed:
            self._keeping.start()
        self.viewer.ask()
        self._refresh_facts()
        self._refresh_commands()

    # Facts on the cards --------------------------------------------------------------------------------------------

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
        preview = self.viewer.preview
        measure = preview.measure if preview is not None and preview.frame == session.frame else None
        treated = bool(session.treatment) and not self.viewer.held_source
        if measure is not None:
            levels = session.source.levels
            luma = _between(levels.percent(measure.y_min), levels.percent(measure.y_max))
            place += f" · luma {luma} · R′G′B′ {_between(measure.rgb_min, measure.rgb_max)}"
        self._picture_card.set_facts(place)
        self._treatment_card.set_title(f"Treatment of shot {session.shot + 1}")
        reasons = session.reasons.get(session.shot, ()) if session.treatment else ()
        self._treatment_card.set_facts("; ".join(reasons) if reasons else "untreated" if not session.treatment else "")
        for gauge_card in self.viewer.board.cards:
            gauge_card.set_facts(self._gauge_facts(gauge_card.gauge.kind, treated=treated))

    def _gauge_facts(self, kind: Kind, *, treated: bool) -> str:
        """What a gauge shows beside its name: its unit, the pixels it takes, and whether they are treated."""
        setup = self.gauges.setup
        if self.session.areas and setup.taken is not Taken.WHOLE:
            return str(setup.taken)
        if kind.instrument is Instrument.CHROMATICITY:
            return f"outside {standard(setup.gamut)} hatched" if setup.gamut is not None else ""
        if kind.instrument is Instrument.VECTORSCOPE:
            return f"dotted: legal at Y′ {setup.luma:.0f} %" if setup.shown < SLOTS else ""
        return f"{setup.unit} · {'treated' if treated else 'source'}" if setup.shown < SLOTS else str(setup.unit)

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
                self.viewer.hold_source(event.type() == QEvent.Type.KeyPress)
        return super().eventFilter(watched, event)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.player.pause()
        self._growing.stop()
        if self._keeping.isActive():
            self._keeping.stop()
            self._keep()
        self.jobs.cancel_and_wait()
        self.viewer.close()
        application = QApplication.instance()
        assert application is not None
        application.removeEventFilter(self)
        super().closeEvent(event)


def _between(low: float, high: float) -> str:
    return f"{low:.1f} … {high:.1f} %".replace("-", "−")
