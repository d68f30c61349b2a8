"""The desk: one window over the session."""

from pathlib import Path

from PyQt6.QtCore import QEvent, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QShowEvent
from PyQt6.QtWidgets import QMainWindow

from bluffline.media.codecs import CODECS
from bluffline.session.gauges import GaugeModel
from bluffline.session.jobs import Kind
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.shift.gathering import gathered
from bluffline.ui.actions.balancing import Balancing
from bluffline.ui.actions.carrying import Carrying
from bluffline.ui.actions.delivering import Delivering
from bluffline.ui.actions.editing import Editing
from bluffline.ui.actions.for_shot import ForShot
from bluffline.ui.actions.helping import Helping
from bluffline.ui.actions.long_work import LongWork
from bluffline.ui.actions.luts import Luts
from bluffline.ui.actions.offering import Offering
from bluffline.ui.actions.overseeing import Overseeing
from bluffline.ui.actions.pairing import Pairing
from bluffline.ui.actions.programmes import Programmes
from bluffline.ui.actions.proposing import Proposing
from bluffline.ui.actions.shifting import Shifting
from bluffline.ui.actions.stocking import Stocking
from bluffline.ui.actions.trying import Trying
from bluffline.ui.actions.who import Who
from bluffline.ui.arrangement import Arrangement
from bluffline.ui.chart.charting import Charting
from bluffline.ui.chart.panel import WIDTH as CHART_WIDTH
from bluffline.ui.facts import Facts
from bluffline.ui.findings.list import FindingsList
from bluffline.ui.focus import FocusLine, by_key, go_on, is_for_focus
from bluffline.ui.gauges.measuring import Measuring
from bluffline.ui.header import Header
from bluffline.ui.ladder.bench import Bench
from bluffline.ui.ladder.ladder import LadderPanel
from bluffline.ui.ladder.lights import LightsPanel
from bluffline.ui.ladder.picking import Picking
from bluffline.ui.ladder.reaching import Reaching
from bluffline.ui.menus import Menus
from bluffline.ui.picture.held import HeldKeys
from bluffline.ui.picture.player import Player
from bluffline.ui.picture.viewer import Viewer
from bluffline.ui.skyline.skyline import Skyline
from bluffline.ui.style.pages import Page, Pages

_TITLE_BAR = 36  # pixels that a window manager puts above a window, at most
_LEFT = 292  # pixels that the left column is wide, but for the chart


class Desk(QMainWindow):
    """Draws the session and turns the operator's acts into intents."""

    frame_shown = pyqtSignal(int)

    def __init__(self, session: Session, settings: Settings) -> None:
        super().__init__()
        self.session, self.settings = session, settings
        session.codec = session.codec or CODECS.get(settings.codec)
        self.gauges = GaugeModel(settings.gauges)
        self._areas = 0
        self.menus = Menus()
        self.header = Header(self.menus)
        self.skyline = Skyline(session)
        self.findings = FindingsList(session)
        self.viewer = Viewer(session, self.gauges, lambda: self.player.playing)
        self.work = LongWork(session, self.header, self.viewer.frames, self)
        self.work.codec_chosen.connect(settings.written_in)
        self.jobs, self.survey_done, self.proved = self.work.jobs, self.work.survey_done, self.work.proved
        self.editing = Editing(session, self.work.beside, self.header.say, self)
        self.picture = self.viewer.picture
        self.reaching = Reaching(session, self.viewer.look, self.work.beside, self.header.say)
        self.picking = Picking(session, self.reaching, self.viewer.look, self.work.beside, self.header.say)
        self.lights = LightsPanel()
        self.offering = Offering(session, self.lights, self.header.say)
        self.proposing = Proposing(session, self.viewer.look, self.picking, self.work.beside, self.offering, self.header.say)
        self.overseeing = Overseeing(session, self.jobs, self.work.beside, self.proposing, self)
        self.stocking = Stocking(session, self.work.beside, self.header.say, self)
        self.treatment = LadderPanel(session)
        self.bench = Bench(session, self.reaching, self.picking, self.viewer.look)
        self.measuring = Measuring(self.viewer, self.work.beside, self.header.say)
        self.carrying = Carrying(session, self.header.say, self)
        self.charting = Charting(self.viewer, self.jobs, self.carrying, self.header.say, self)
        self.pairing = Pairing(session, self.picking, self.charting.model, self.work.beside, self.header.say, self)
        for_shot = ForShot(session, self.work.beside, self.header.say)
        self.balancing = Balancing(session, for_shot, self.header.say, self)
        self.luts = Luts(session, self.charting.model, self.work.beside, for_shot, self.header.say, self)
        self.who = Who(settings, self)
        self.delivering = Delivering(self.work, settings, self.header, self.refresh_commands, self)
        self.shifting = Shifting(self.work, settings, self.who, self.header, self)
        self.delivering.decided = self.shifting.take_decision
        self.player = Player(session, self.viewer, self._stopped)
        self.trying = Trying(
            session, self.viewer.frames, self.header.fault, lambda: self.jobs.kind is Kind.PROOF or self.player.playing
        )
        self.programmes = Programmes(self.work, settings, self.who, self.header.say, self)
        self.open = self.programmes.open
        self.setWindowTitle("Bluffline")
        self.setAcceptDrops(True)
        self.menus.fill(self)
        self.held_keys = HeldKeys(self.viewer, self)
        self._build()
        self.facts = Facts(
            session, self.viewer, self.measuring, self.header, self.skyline_card, self.picture_card, self.pages.pages
        )
        self.acts = self.menus.acts
        self.helping = Helping(self.acts, self.header, self.refresh_commands, self)
        self.viewer.actions = list(self.acts.values())
        self._connect()
        self._refresh_all()
        self.focus_line = FocusLine(self)
        self.resize(1280, 800)
        self.skyline.setFocus()

    def _build(self) -> None:
        self.findings_card, self.areas_card = Page(self.findings, _LEFT), Page(self.viewer.panel, _LEFT)
        self.treatment_card, self.chart_card = Page(self.treatment, _LEFT), Page(self.charting.panel, CHART_WIDTH + 20)
        self.pages = Pages(
            {
                "Findings": self.findings_card, "Treatment": self.treatment_card, "Chart": self.chart_card,
                "Areas": self.areas_card,
            }
        )  # fmt: skip
        self.arrangement = Arrangement(
            self.header, self.skyline, self.viewer, self.pages, self.bench, self.lights, self.shifting.place, self.gauges,
            self.settings,
        )  # fmt: skip
        self.skyline_card, self.picture_card = self.arrangement.skyline_card, self.arrangement.picture_card
        self.setCentralWidget(self.arrangement)

    def _connect(self) -> None:
        session = self.session
        session.programme_changed.connect(self._programme_changed)
        session.survey_changed.connect(self._refresh_survey)
        session.place.changed.connect(self._place_changed)
        session.document.changed.connect(self._treatment_changed)
        session.trials_changed.connect(self._tried)
        self.skyline.frame_chosen.connect(session.place.go_to)
        self.skyline.finding_chosen.connect(session.place.select)
        self.findings.chosen.connect(session.place.select)
        self.viewer.shown_changed.connect(self._frame_shown)
        self.viewer.failed.connect(self.header.fault)
        self.viewer.probe.probed.connect(self.bench.point_at)
        self.bench.refused.connect(self.header.say)
        self.picture.key_picked.connect(self.picking.key_picked)
        self.picture.colour_picked.connect(self.picking.colour_picked)
        self.picture.reach_moved.connect(self.reaching.move)
        self.picture.reach_turned.connect(self.reaching.turn)
        self.viewer.reach_drawn.connect(self.reaching.drawn)
        session.place.rung_changed.connect(self._rung_changed)
        self.treatment.ladder.refused.connect(self.header.say)
        self.treatment.added.connect(self.header.say)
        self.pages.turned.connect(self._turned)
        self.gauges.changed.connect(self._gauges_changed)
        self.work.ended.connect(self.refresh_commands)
        self.work.ended.connect(self.trying.resume)
        self.header.cancelled.connect(self._cancel_shown)
        self.shifting.wanted.connect(self._turn)
        self.shifting.place.command.connect(lambda name: self.acts[name].trigger())
        self.work.opened.connect(lambda _: self._turn(to_shift=False) if self.in_hand else None)
        self.header.command.connect(lambda name: self.acts[name].trigger())
        self.header.rules_chosen.connect(self.programmes.choose_rules)
        self.acts["show-reach"].triggered.connect(self.held_keys.note_reach)
        self.menus.acted.connect(self.refresh_commands)
        self.menus.recent_chosen.connect(self.open)
        self.charting.panel.asked.connect(lambda name: self.acts[name].trigger())
        self.charting.model.changed.connect(self._chart_changed)

    # Taking in -----------------------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        if data is not None and any(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        files = [url.toLocalFile() for url in data.urls() if url.isLocalFile()] if data is not None else []
        paths = [Path(file) for file in files]
        if len(paths) == 1 and not self.in_hand and gathered(paths).paths == paths:
            self.open(paths[0])
        elif paths:
            self.shifting.add(paths)

    def _programme_changed(self) -> None:
        self.player.pause()
        self.picking.put_down()  # what is asked for is asked for in the programme before
        self.charting.model.let_go()
        self.viewer.begin()

    # Looking -------------------------------------------------------------------------------------------------------

    def cancel(self) -> None:
        """Stop what is running; else put down the tool in hand."""
        if self.work.busy:
            self.work.cancel()
        else:
            self.picture.drop_tool()
            self.picture.highlight(None)

    def _cancel_shown(self) -> None:
        """Stop what is shown to run; Esc, which also puts tools down, stops no delivery."""
        (self.work if self.work.busy else self.delivering).cancel()

    @property
    def in_hand(self) -> bool:
        """Whether the files in hand are shown, and not the programme under control."""
        return self.arrangement.in_hand

    def turn_to_shift(self) -> None:
        """Show the files in hand, or the desk again."""
        if self.in_hand:
            self._turn(to_shift=False)
        else:
            self.shifting.show()

    def _turn(self, to_shift: bool) -> None:
        self.player.pause()
        reason = Qt.FocusReason.ShortcutFocusReason if by_key(self) else Qt.FocusReason.OtherFocusReason
        self.arrangement.turn(to_shift=to_shift, reason=reason)
        self.header.programme_row.setVisible(not to_shift)
        self.refresh_commands()

    def show_page(self, name: str) -> None:
        """Turn the left column to a page."""
        self.pages.turn(name)

    def _turned(self, _: str) -> None:
        self._frame_shown(self.viewer.shown)

    def _rung_changed(self) -> None:
        self.skyline.update()
        self.viewer.ask()
        for gauge in self.viewer.gauges:
            gauge.update()
        self.refresh_commands()

    def show_chart(self) -> None:
        """Turn to the chart panel, or let the chart go and turn to the findings."""
        if self.pages.front == "Chart":
            self.charting.model.let_go()
            self.pages.turn("Findings")
        else:
            self.pages.turn("Chart")

    def find_chart(self) -> None:
        """Find the chart in view, with its panel open."""
        self._open_chart()
        self.charting.find()

    def place_chart(self) -> None:
        """Place the chart by hand, with its panel open."""
        self._open_chart()
        self.charting.place()

    def _open_chart(self) -> None:
        self.pages.turn("Chart")

    def _chart_changed(self) -> None:
        chart = self.charting.model.chart_frame
        found = "" if chart is None or chart.confidence is None else f"found, {chart.confidence:.2f}"
        self.chart_card.set_facts(found or ("" if chart is None else "by hand"))
        self.refresh_commands()

    def _place_changed(self) -> None:
        self.viewer.ask()
        self.charting.show_marks()
        self.facts.tell_place()

    def _gauges_changed(self) -> None:
        self.settings.gauges = self.gauges.setup
        self.settings.save()
        self.viewer.align()
        self.facts.tell_place()

    def _frame_shown(self, frame: int) -> None:
        if self.viewer.preview is not None:
            self.bench.show_tones(self.viewer.preview)
        areas = len(self.session.document.areas)
        if areas > self._areas and self.pages.front == "Findings":
            self.pages.turn("Areas")
        elif not areas and self.pages.front == "Areas" and self._areas:
            self.pages.turn("Findings")
        self._areas = areas
        self.facts.tell_place()
        self.frame_shown.emit(frame)

    def _stopped(self) -> None:
        self.viewer.settle()
        self.trying.resume()
        if self.player.dropped:
            self.header.say(f"Played with {self.player.dropped} frames not shown: this machine was too busy")

    def _tried(self) -> None:
        self.skyline.redraw_soon()
        self.facts.tell_left()
        self.facts.tell_place()

    def _treatment_changed(self) -> None:
        self.work.changed()
        self.viewer.ask()
        self.charting.show_marks()
        self.facts.tell_left()
        self.facts.tell_place()
        self.refresh_commands()

    # What can be done ----------------------------------------------------------------------------------------------

    def _refresh_all(self) -> None:
        self._refresh_survey()
        self.facts.tell_place()
        self.refresh_commands()

    def _refresh_survey(self) -> None:
        session = self.session
        self.header.show_session(session)
        self.setWindowTitle(f"{session.programme.title} · Bluffline" if session.programme is not None else "Bluffline")
        self.facts.tell_survey()
        if session.survey is not None:
            self.facts.tell_place()
            self.refresh_commands()

    def refresh_commands(self) -> None:
        """Enable what can be done now."""
        self.menus.enable(self.session, self.settings, in_hand=self.in_hand)
        self.header.enable({name: action.isEnabled() for name, action in self.acts.items()})
        self.header.point_to(self._next_command())

    def _next_command(self) -> str:
        """The next thing to press on the way from a file to its proof."""
        if self.session.programme is None:
            return "open"
        return "legalise" if self.session.must_fix_count and not self.session.document.treatments else "prove"

    # Keys and ending -----------------------------------------------------------------------------------------------

    def focusNextPrevChild(self, on: bool) -> bool:
        """Tab goes through the desk in the order of the work."""
        beneath = self.viewer.cards[:1] if self.gauges.setup.beneath else []
        here = (self.skyline_card, self.pages, self.picture_card, *beneath, self.bench, self.lights, self.viewer.board)
        return go_on((self.header, *((self.shifting.place,) if self.in_hand else here)), back=not on)

    def event(self, event: QEvent | None) -> bool:
        """Whatever is done at once, as the painting of all that has changed, is done with the interpreter in hand.

        Else each row of a list asks for it dozens of times, and waits for whatever computes beside it. Keys that what Tab has
        come to understands by itself are its own, and no command's.
        """
        if isinstance(event, QKeyEvent) and event.type() is QEvent.Type.ShortcutOverride and is_for_focus(event, self):
            event.accept()
            return True
        return super().event(event)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        window = self.windowHandle()
        assert window is not None, "a window that is shown has one"
        self.held_keys.watch(window)

    def fit_screen(self) -> None:
        """Stand where it stood when it was closed, or fit the screen it opens on, title bar and all."""
        screen = self.screen()
        assert screen is not None
        room = screen.availableGeometry()
        place = QRect(*self.settings.window) if self.settings.window else QRect()
        if not place.isEmpty() and room.contains(place):
            self.setGeometry(place)
            return
        self.resize(min(1280, room.width()), min(800, room.height() - _TITLE_BAR))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self.isMaximized():
            place = self.geometry()
            self.settings.window = [place.x(), place.y(), place.width(), place.height()]
            self.settings.save()
        if not self.work.clear_the_way():
            event.ignore()
            return
        self.end()
        super().closeEvent(event)

    def end(self) -> None:
        """End all that runs, and keep what has been done."""
        self.player.pause()
        self.shifting.stop()
        self.work.stop()
        self.delivering.stop()
        self.trying.stop()
        self.skyline.stop()
        self.facts.stop()
        self.header.say("")
        self.viewer.close()
