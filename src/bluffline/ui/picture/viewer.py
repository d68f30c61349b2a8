"""Looking: asks for frames as they are to be seen, and hands them to picture, gauges and probe."""

import sys
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QPoint, QRect, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QInputDialog, QLineEdit

from bluffline.errors import SettingsError
from bluffline.measure.areas import Shape, Taken
from bluffline.measure.region import Region
from bluffline.prove.across import AcrossTreatment, Beside
from bluffline.rules.aims import usable_aims
from bluffline.session.faults import Fault
from bluffline.session.gauges import GaugeModel
from bluffline.session.session import Session
from bluffline.treat.ladder import Treatment
from bluffline.treat.reach import ReachArea
from bluffline.ui.gauges.board import GaugeBoard, GaugeCard, GaugeWindow
from bluffline.ui.gauges.gauge import Gauge
from bluffline.ui.picture.picture import PictureView
from bluffline.ui.picture.probe import Probe
from bluffline.ui.picture.readings import AreasPanel
from bluffline.ui.picture.shown import Point
from bluffline.ui.picture.workers import FrameWorker
from bluffline.view.costs import Work
from bluffline.view.looking import Field, Isolate, LookingModel
from bluffline.view.preview import GaugeView, PinnedFrame, Preview, View, half_size

# While something moves a frame is worked on at half the size where all of it would come too late: by what the last ones took …
_IN_HAND = 0.045  # … seconds, as a figure is pulled
_OF_A_FRAME = 0.9  # … parts of a frame's time, as it is played
_LARGE = 3_000_000  # … and where none was made yet with such steps and gauges, by its pixels times steps
_REST = 180  # milliseconds without a change after which nothing moves


class Viewer(QObject):
    """The picture, the gauges, and the frames for both."""

    shown_changed = pyqtSignal(int)
    reach_drawn = pyqtSignal(object, object)  # Shape, points: for the step on the bench
    failed = pyqtSignal(object)  # Fault

    def __init__(self, session: Session, gauges: GaugeModel, playing: Callable[[], bool]) -> None:
        super().__init__()
        self.session, self.model, self._playing = session, gauges, playing
        self.look = LookingModel()
        self.frames = FrameWorker()
        self._first_request = 0
        self.picture = PictureView(self.look)
        self.board = GaugeBoard(session, gauges)
        self.window: GaugeWindow | None = None
        self.actions: list[QAction] = []  # what the second window's keys do as well
        self.panel = AreasPanel()
        self.probe = Probe(session, gauges, self.picture, lambda: self.gauges)
        self.preview: Preview | None = None
        self.shown = -1
        self.held_source = False
        self._asked: list[Gauge] = []
        self._treat_key: object = None
        self._frame_treatment: AcrossTreatment | None = None
        self._proxy_key: object = None
        self._proxy_treatment: AcrossTreatment | None = None
        self._moves = self._late = False
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST)
        self._rest.timeout.connect(self._settled)
        self._targets: tuple[NDArray[np.float64], NDArray[np.float64]] | None = None
        for gauge in (card.gauge for card in self.board.cards):
            self._connect_gauge(gauge)
        self.board.rearranged.connect(self.ask)
        self.picture.resized.connect(self._resized)
        self.picture.hovered.connect(self._hovered)
        self.picture.area_drawn.connect(self._add_area)
        self.picture.area_moved.connect(self._move_area)
        self.picture.area_asked.connect(self.change_area)
        queued = Qt.ConnectionType.QueuedConnection
        self.frames.ready.connect(self._show, queued)  # type: ignore[call-arg]  # PyQt's stubs leave it out
        self.frames.failed.connect(self._failed, queued)  # type: ignore[call-arg]
        session.document.changed.connect(self._moved)
        gauges.changed.connect(self.ask)
        session.survey_changed.connect(self._more_known)
        session.trials_changed.connect(self._more_known)
        self.look.changed.connect(self.ask)

    def _connect_gauge(self, gauge: Gauge) -> None:
        gauge.resized.connect(self._resized)
        gauge.pointed.connect(self.probe.point_back)
        gauge.asked_for.connect(self.session.place.go_to)

    def show_targets(self, targets: tuple[NDArray[np.float64], NDArray[np.float64]] | None) -> None:
        """Mark on gauges of colour where patches stand and where they ought to."""
        self._targets = targets
        for gauge in self.gauges:
            gauge.show_targets(targets)

    # Frames --------------------------------------------------------------------------------------------------------

    def begin(self) -> None:
        """A programme has come under control."""
        programme = self.session.programme
        assert programme is not None
        self._first_request = self.frames.set_programme(programme)
        self.shown, self.preview = -1, None
        self.probe.show(None)
        for gauge in self.gauges:
            gauge.clear()
        self.picture.set_shape(self.session.source.width, self.session.source.height)
        self.picture.say("Reading the first frame")
        self.ask()

    @property
    def cards(self) -> list[GaugeCard]:
        """The card of every gauge, on the desk and in the second window."""
        return self.board.cards + (self.window.board.cards if self.window is not None else [])

    @property
    def gauges(self) -> list[Gauge]:
        """Every gauge in sight."""
        return [card.gauge for card in self.cards if not card.isHidden()]

    def ask(self) -> None:
        """Ask for the frame in view, as it is to be shown now."""
        if self.session.survey is None:
            return
        self.picture.show_areas(self.session.document.areas)
        self.picture.reach.show(self._reach_here(), (self.session.source.width, self.session.source.height))
        self._asked = self.gauges
        view, work = self._view(), self._work()
        self._late = self._late and self._playing()
        self.frames.ask(self.session.place.frame, self._proxy(view, work), work, ahead=self._playing())

    def _moved(self) -> None:
        """A figure has been changed, and may be again in a moment."""
        self._moves = True
        self._rest.start()

    def _settled(self) -> None:
        self._moves = False
        self.settle()

    def settle(self) -> None:
        """Show the frame in view as it is, where nothing moves any more and half of it was shown."""
        if self.preview is not None and self.preview.proxy and not (self._moves or self._playing()):
            self.ask()

    @property
    def ladder(self) -> Treatment:
        """The rungs that are shown: all, or those up to the one on the bench where that is asked for."""
        ladder, rung = self.session.document.treatment, self.session.place.rung
        return ladder[: rung + 1] if self.look.state.until and rung is not None else ladder

    @property
    def _others(self) -> tuple[Beside, ...]:
        """What is mixed into the shot in view, where all of its ladder is shown."""
        document = self.session.document
        return self.session.beside(document.shot) if self.ladder == document.treatment else ()

    @property
    def treated_words(self) -> str:
        """What a treated picture is called: treated, or as far as the ladder is shown."""
        ladder, whole = self.ladder, self.session.document.treatment
        return "treated" if ladder == whole else f"up to rung {len(ladder)}"

    def _work(self) -> Work:
        """What has to be done to the frame in view."""
        ladders = self.ladder, *(each.steps for each in self._others)
        steps = tuple(type(step) for ladder in ladders for step in ladder if step.on)
        return Work(self.session.source, steps, tuple(gauge.instrument for gauge in self._asked), self.held_source)

    def _too_late(self, work: Work) -> bool:
        """Whether a frame would come too late at full size; while a programme is played it stays so."""
        playing, programme = self._playing(), self.session.programme
        assert programme is not None
        if playing and self._late:
            return True
        seconds = self.frames.costs.of(work, played=playing)
        if seconds is None:
            late = work.source.width * work.source.height * len(work.steps) > _LARGE
        else:
            late = seconds > (_OF_A_FRAME / float(programme.frame_rate) if playing else _IN_HAND)
        self._late = late and playing
        return late

    def _proxy(self, view: View, work: Work) -> View:
        """The same view at half the size, of one field, where something moves and all of it would come too late."""
        source = view.source
        plain = view.window is None and view.pinned is None and view.shown_reach is None and not view.areas
        plain = plain and view.isolated == (None, None) and not view.outline_source
        if not (plain and (self._moves or self._playing()) and self._too_late(work)):
            return view
        key = self.ladder, self._others, source, view.region
        if key != self._proxy_key or self._proxy_treatment is None:
            part = Region.whole(half_size(source)) if view.region == Region.whole(source) else None
            self._proxy_key = key
            self._proxy_treatment = AcrossTreatment(self.ladder, self._others, half_size(source), region=part, shrunk=2)
        return replace(view, proxy=self._proxy_treatment)

    def _view(self) -> View:
        session, look, setup = self.session, self.look.state, self.model.setup
        assert session.survey is not None
        source = session.source
        key = self.ladder, self._others, source, session.survey.region
        if key != self._treat_key or self._frame_treatment is None:
            self._treat_key, self._frame_treatment = (
                key,
                AcrossTreatment(self.ladder, self._others, source, region=session.survey.region),
            )
        ratio, shows_others = self.picture.devicePixelRatioF(), any(gauge.instrument.around for gauge in self._asked)
        areas, probe = session.document.areas, self.picture.probe
        column, line = (None, None) if probe is None else (int(probe[0]), int(probe[1]))
        isolated = {Isolate.COLUMN: (column, None), Isolate.LINE: (None, line)}.get(look.isolate, (None, None))
        return View(
            source=source,
            region=session.survey.region,
            limits=session.rules.limits,
            treatment=self._frame_treatment,
            picture_size=_pixels(self.picture.box, ratio),
            shown_reach=self._shown_reach(),
            gauges=tuple(GaugeView(gauge.instrument, _pixels(gauge.field, ratio)) for gauge in self._asked),
            look=setup.look,
            gamut=setup.gamut or session.rules.gamut,
            rules=session.rules,
            hatching=look.hatching,
            zones=look.zones,
            line_field={Field.FIRST: 0, Field.SECOND: 1}.get(look.field) if source.interlaced else None,
            window=self.picture.window_shown,
            areas=areas,
            taken=setup.taken if areas else Taken.WHOLE,
            isolated=isolated,
            gauges_show_source=self.held_source,
            pinned=look.pinned,
            outline_source=setup.outline_source,
            around=session.around(treated=not self.held_source) if shows_others else None,
        )

    def _reach_here(self) -> tuple[ReachArea, ...]:
        """The areas of the step on the bench, as they stand on the frame in view."""
        place, ladder, shots = self.session.place, self.session.document.treatment, self.session.shots
        if place.rung is None or place.rung >= len(ladder) or not shots:
            return ()
        return ladder[place.rung].reach.at(place.frame).areas

    def _shown_reach(self) -> tuple[Treatment, int] | None:
        """The rung on the bench, where its reach is to be shown and is not all."""
        rung, ladder = self.session.place.rung, self.session.document.treatment
        if not self.look.state.reach or rung is None or rung >= len(ladder) or ladder[rung].reach.everywhere:
            return None
        return ladder, rung

    def _failed(self, request: int, fault: Fault) -> None:
        if request >= self._first_request:
            self.picture.say(fault.sentence)
            self.failed.emit(fault)

    def _show(self, request: int, preview: Preview) -> None:
        if request < self._first_request:
            return  # of the programme before
        self.shown, self.preview = preview.frame, preview
        self.picture.treated_words = self.treated_words
        self.picture.show_preview(preview)
        if preview.readable:
            for gauge, (trace, pixels) in zip(self._asked, preview.gauges, strict=False):
                gauge.show_trace(trace, pixels)
        else:
            for gauge in self.gauges:
                gauge.clear()
        for gauge in self.gauges:
            gauge.show_targets(self._targets)
        self.panel.show_readings(preview.readings, self.session.source, self.model.setup.unit)
        self.probe.show(preview)
        self.shown_changed.emit(preview.frame)
        self.settle()  # half a frame may come when all is already at rest

    def hold_source(self, held: bool) -> None:
        """Show the source on picture and gauges, for as long as it is held."""
        if held != self.held_source:
            self.held_source = held
            self.picture.set_source_only(held)
            self.ask()

    def pin(self) -> None:
        """Keep the frame in view, as its gauges read it, for comparison; or let go of the one that is kept."""
        if self.look.state.pinned is not None:
            self.look.change(pinned=None)
        elif self.preview is not None and self.preview.signal is not None and self.session.programme is not None:
            planes = tuple(plane.copy() for plane in self.preview.signal.planes)
            programme = self.session.programme
            title = f"pinned: {programme.title}, {programme.label(self.preview.frame)}"
            self.look.change(pinned=PinnedFrame(title, planes, self.session.source))  # type: ignore[arg-type]

    # Where gauges stand --------------------------------------------------------------------------------------------

    def _resized(self) -> None:
        self.align()
        self.ask()

    def align(self) -> None:
        """Let the gauge beneath the picture stand column for column under it."""
        gauge, setup = self.board.cards[0].gauge, self.model.setup
        if not setup.beneath:
            gauge.align(None)
            return
        box = self.picture.box
        corner = gauge.mapFromGlobal(self.picture.mapToGlobal(QPoint(box.left(), 0)))
        gauge.align(QRect(corner.x(), 0, box.width(), 1))

    def open_window(self) -> None:
        """Open the second window of gauges, or close it."""
        if self.window is not None:
            self.window.close()
            return
        self.window = GaugeWindow(self.session, self.model)
        for card in self.window.board.cards:
            self._connect_gauge(card.gauge)
        self.window.addActions(self.actions)
        self.window.closed.connect(self._window_closed)
        self.window.show()
        self.ask()

    def _window_closed(self) -> None:
        window, self.window = self.window, None
        if window is not None:
            self.model.changed.disconnect(window.board.refresh)
            window.deleteLater()
        self.ask()

    def _hovered(self, _: Point | None) -> None:
        if self.look.state.isolate is not Isolate.NOTHING:
            self.ask()

    def _more_known(self) -> None:
        """More of the programme is known: gauges that show what is around the frame show more."""
        if any(gauge.instrument.around for gauge in self._asked):
            self.ask()

    # Areas ---------------------------------------------------------------------------------------------------------

    def _add_area(self, shape: Shape, points: list[Point]) -> None:
        if self.look.state.for_reach:
            self.look.change(for_reach=False)
            self.reach_drawn.emit(shape, points)
            return
        try:
            self.session.document.drawn.add(shape, points)
        except SettingsError as error:
            self.probe.line.setText(str(error))

    def _move_area(self, number: int, across: float, down: float, alone: bool, gesture: str) -> None:
        self.session.document.drawn.move(number, across, down, only_here=alone, gesture=gesture)

    def change_area(self, number: int, act: str) -> None:
        if act == "remove":
            self.session.document.drawn.remove(number)
            return
        name, given = QInputDialog.getText(
            self.picture, "Area", "Name of the area", QLineEdit.EchoMode.Normal, self.session.document.areas[number].name
        )
        if given and name.strip():
            name = name.strip()
            self.session.document.drawn.rename(number, name, here=usable_aims().names.tell(name))

    def close(self) -> None:
        """End what runs beside the desk."""
        if self.window is not None:
            self.window.close()
        self._rest.stop()
        self.frames.stop()
        self._first_request = sys.maxsize  # what was made ready last and is still on its way is shown nowhere


def _pixels(box: QRect, ratio: float) -> tuple[int, int]:
    return max(int(box.width() * ratio), 1), max(int(box.height() * ratio), 1)
