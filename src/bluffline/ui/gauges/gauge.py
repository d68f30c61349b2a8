"""A gauge: whatever instrument its slot holds, drawn from counts that were made elsewhere."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFontMetricsF,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
)
from PyQt6.QtWidgets import QInputDialog, QLineEdit, QMenu, QWidget

from bluffline.gauges.catalogue import INSTRUMENTS
from bluffline.gauges.graticule import Graticule, Point, Scale, Stroke
from bluffline.gauges.instrument import Box, Instrument, Trace
from bluffline.gauges.scale import Unit
from bluffline.session.gauges import GaugeModel
from bluffline.session.session import Session
from bluffline.ui.gauges.pulling import Pulling
from bluffline.ui.style.style import DIM, LINE, TEXT, TINT, WELL, font, image_of

_NEAR = 5  # pixels from a guide that take hold of it
_WIDER = 12  # pixels more that codes need at the side


class Gauge(QWidget):
    """Draws the trace it was last given under the graticule of its kind; tells where the operator points."""

    resized = pyqtSignal()
    pointed = pyqtSignal(object, object)  # Instrument, Box or None
    asked_for = pyqtSignal(int)  # a frame of the programme

    def __init__(self, session: Session, model: GaugeModel, slot: int) -> None:
        super().__init__()
        self._session, self._model, self._slot = session, model, slot
        self._trace: Trace | None = None
        self._image: QImage | None = None
        self._pixels: object = None  # what the image reads
        self._marks: tuple[object, QPixmap] | None = None
        self.places: list[list[Point]] = []
        self._targets: tuple[NDArray[np.float64], NDArray[np.float64]] | None = None
        self._aligned: QRect | None = None
        self._guide: int | None = None
        self._walked: Trace | None = None  # as it was when the hand was put on it: what is in view moves meanwhile
        self.pulling = Pulling(session, self)
        self._drag: QPointF | None = None
        self._chosen: Box | None = None
        self.setMinimumSize(150, 70)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Gauge {slot + 1}")

    def sizeHint(self) -> QSize:
        return QSize(290, 200)

    @property
    def instrument(self) -> Instrument:
        """What the slot holds."""
        return self._model.setup.slots[self._slot]

    def align(self, columns: QRect | None) -> None:
        """Let the field stand under the picture, column for column."""
        if columns != self._aligned:
            self._aligned = columns
            self.update()
            self.resized.emit()

    @property
    def field(self) -> QRect:
        """Where the trace is drawn, in widget pixels."""
        instrument = self.instrument
        left, top, right, bottom = instrument.margins
        upright = instrument.span is not None and not instrument.sideways
        if upright and self._model.setup.unit.wide:
            left += _WIDER
        if instrument.across and self._aligned is not None:
            left, width = self._aligned.left(), self._aligned.width()
        else:
            width = self.width() - left - right
        width, height = max(width, 16), max(self.height() - top - bottom, 16)
        if instrument.square:
            side = min(width, height)
            return QRect(left + (width - side) // 2, top + (height - side) // 2, side, side)
        return QRect(left, top, width, height)

    def clear(self) -> None:
        """Show that there is nothing to show."""
        self._trace = self._image = self._walked = None
        self.places, self._chosen = [], None
        self.update()

    def show_trace(self, trace: Trace, pixels) -> None:  # type: ignore[no-untyped-def]
        """Draw counts that were made for this gauge's kind; others are stale and left out."""
        if trace.gauge == self.instrument:
            self._trace = trace
            self._image, self._pixels = image_of(pixels), pixels
            self.update()

    def show_places(self, places: list[list[Point]]) -> None:
        """Mark what is probed: one list of places for each point, several points for a path."""
        self.places = places
        self.update()

    def show_targets(self, targets: tuple[NDArray[np.float64], NDArray[np.float64]] | None) -> None:
        """On gauges of colour mark where patches stand, with lines to where they ought to: two (N, 3) of R′G′B′."""
        if targets is not self._targets:
            self._targets = targets
            self.update()

    @property
    def trace(self) -> Trace | None:
        """The counts drawn."""
        return self._trace

    @property
    def graticule(self) -> Graticule:
        """The graticule of what the slot holds now."""
        return self.instrument.graticule(self._scale)

    @property
    def _scale(self) -> Scale:
        setup = self._model.setup
        return Scale(self._session.source, self._session.rules.limits, setup.unit, setup.guides, setup.luma)

    # Drawing -------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), WELL)
        if self._session.survey is None or self._trace is None or self._trace.gauge != self.instrument:
            painter.setPen(DIM)
            painter.setFont(font(12))
            text = "No programme is open" if self._session.programme is None else "No picture to measure"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return
        field = self.field
        painter.drawPixmap(0, 0, self._drawn_marks(field))
        if self._image is not None:  # the trace lies over its graticule, and adds light to it
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Lighten)
            painter.drawImage(field, self._image)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        self._draw_targets(painter)
        self._draw_probe(painter)
        self.pulling.draw(painter)

    def _drawn_marks(self, field: QRect) -> QPixmap:
        """The graticule, drawn once for as long as nothing of it changes."""
        ratio = self.devicePixelRatioF()
        key = self.instrument, self.size(), field, ratio, self._scale
        if self._marks is None or self._marks[0] != key:
            drawn = QPixmap(self.size() * ratio)
            drawn.setDevicePixelRatio(ratio)
            drawn.fill(Qt.GlobalColor.transparent)
            painter = QPainter(drawn)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            marks = self.graticule
            painter.save()
            painter.setClipRect(field.adjusted(-1, -1, 1, 1))
            for line in marks.lines:
                painter.setPen(_pen(line.stroke))
                painter.drawPolyline(QPolygonF([self.at(point) for point in line.points]))
            painter.restore()
            self._draw_words(painter, marks, field)
            painter.end()
            self._marks = key, drawn
        return self._marks[1]

    def _draw_words(self, painter: QPainter, marks: Graticule, field: QRect) -> None:
        painter.setFont(font(11))
        metrics = QFontMetricsF(painter.font())
        for word in marks.words:
            wide, (x, y) = metrics.horizontalAdvance(word.text), word.at
            at = self.at((max(x, 0), min(y, 1)))
            if x < 0:
                at = QPointF(field.left() - 5, at.y())
            if y > 1:
                at = QPointF(at.x(), field.bottom() + 10)
            left = at.x() - wide if word.side < 0 else at.x() - wide / 2 if word.side == 0 else at.x()
            inside = x < 0 and left < 2
            left = min(max(left, 2.0), self.width() - wide - 2)
            base = min(max(at.y() + metrics.ascent() / 2 - 1, metrics.ascent()), self.height() - 2.0)
            if inside:  # no room at the side: on the field, on a ground of its own
                left = field.left() + 3
                painter.fillRect(QRectF(left - 2, base - metrics.ascent(), wide + 4, metrics.height()), QColor(26, 26, 26, 200))
            painter.setPen(DIM)
            painter.drawText(QPointF(left, base), word.text)

    def _draw_targets(self, painter: QPainter) -> None:
        if self._targets is None:
            return
        source = self._session.source
        for measured, wanted in zip(*self._targets, strict=True):
            here, there = (self.instrument.place_of(source, rgb) for rgb in (measured, wanted))
            if here is None or there is None:
                continue
            painter.setPen(QPen(QColor(0, 0, 0), 2.6))
            painter.drawLine(self.at(here), self.at(there))
            painter.setPen(QPen(TEXT, 1.2))
            painter.drawLine(self.at(here), self.at(there))
            painter.drawEllipse(self.at(here), 2.2, 2.2)
            corner = self.at(there)
            painter.drawRect(QRectF(corner.x() - 3, corner.y() - 3, 6, 6))

    def _draw_probe(self, painter: QPainter) -> None:
        if len(self.places) > 1:
            painter.setPen(QPen(TEXT, 1))
            for component in range(len(self.places[0])):
                points = [self.at(places[component]) for places in self.places if component < len(places)]
                painter.drawPolyline(QPolygonF(points))
        elif self.places:
            for ink, wide in ((QColor(0, 0, 0), 3.0), (TEXT, 1.3)):
                painter.setPen(QPen(ink, wide))
                for place in self.places[0]:
                    at = self.at(place)
                    painter.drawEllipse(at, 5, 5)
                    painter.drawLine(at + QPointF(-9, 0), at + QPointF(-3, 0))
                    painter.drawLine(at + QPointF(3, 0), at + QPointF(9, 0))
        if self._chosen is not None:
            painter.setPen(QPen(TINT, 1))
            left, top, right, bottom = self._chosen
            painter.drawRect(QRectF(self.at((left, top)), self.at((right, bottom))))

    def at(self, place: Point) -> QPointF:
        """Where a place of the field is in the widget."""
        field = self.field
        return QPointF(field.left() + place[0] * field.width(), field.top() + place[1] * field.height())

    def place(self, point: QPointF) -> Point:
        """The place of the field under a point of the widget."""
        field = self.field
        return (point.x() - field.left()) / field.width(), (point.y() - field.top()) / field.height()

    # Hands ---------------------------------------------------------------------------------------------------------

    def level_at(self, point: QPointF) -> float | None:
        """Percent at a point of a level gauge."""
        across, down = self.place(point)
        span = self.instrument.span
        return None if span is None else span.level(across if self.instrument.sideways else 1 - down)

    def _guide_at(self, point: QPointF) -> int | None:
        span, sideways = self.instrument.span, self.instrument.sideways
        if span is None:
            return None
        for number, guide in enumerate(self._model.setup.guides):
            at = self.at((span.place(guide.level), 0) if sideways else (0, 1 - span.place(guide.level)))
            if abs((at.x() - point.x()) if sideways else (at.y() - point.y())) <= _NEAR:
                return number
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() is not Qt.MouseButton.LeftButton or self._trace is None:
            return
        if self.pulling.take(event.position()):
            self.update()
            return
        self._guide = self._guide_at(event.position())
        if self._guide is None and self._shows_programme:
            self._walked = self._trace
            self._go_to(event.position())
        elif self._guide is None:
            self._drag = event.position()
            self._choose(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.pulling.held:
            self.pulling.to(event.position())
        elif self._guide is not None:
            level = self.level_at(event.position())
            if level is not None:
                self._model.move_guide(self._guide, level)
        elif self._walked is not None:
            self._go_to(event.position())
        elif self._drag is not None:
            self._choose(event.position())
        else:
            near = self._guide_at(event.position()) is not None or self.pulling.near(event.position())
            across = Qt.CursorShape.SizeHorCursor if self.instrument.sideways else Qt.CursorShape.SizeVerCursor
            away = Qt.CursorShape.PointingHandCursor if self._shows_programme else Qt.CursorShape.CrossCursor
            self.setCursor(across if near else away)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._guide = self._drag = self._walked = None
        self.pulling.let_go()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Forget what was chosen."""
        if self._shows_programme:
            return
        self._drag = self._chosen = None
        self.pointed.emit(self.instrument, None)
        self.update()

    @property
    def _shows_programme(self) -> bool:
        """Whether it shows frames around the one in view, which a click goes to."""
        return self.instrument.around > 0

    def _go_to(self, point: QPointF) -> None:
        programme = self._session.programme
        wanted = None if self._walked is None else self.instrument.frame_at(self._walked, self.place(point))
        if wanted is not None and programme is not None:
            self.asked_for.emit(min(max(wanted, 0), programme.frame_count - 1))

    def _choose(self, point: QPointF) -> None:
        """The box from where the drag began; a plain click takes the few pixels about it."""
        assert self._drag is not None
        (x0, y0), (x1, y1) = self.place(self._drag), self.place(point)
        least_x, least_y = 3 / self.field.width(), 3 / self.field.height()
        left, right = min(x0, x1) - least_x / 2, max(x0, x1) + least_x / 2
        top, bottom = min(y0, y1) - least_y / 2, max(y0, y1) + least_y / 2
        self._chosen = left, top, right, bottom
        self.pointed.emit(self.instrument, self._chosen)
        self.update()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        menu = QMenu(self)
        self.fill_menu(menu)
        point = QPointF(event.pos())
        level, number = self.level_at(point), self._guide_at(point)
        if level is not None:
            menu.addSeparator()
            unit = self._model.setup.unit
            told = unit.text(level, self._session.source) if self._session.survey is not None else f"{level:.1f} {Unit.PERCENT}"
            _add(menu, f"Add a guide at {told} …", lambda: self.name_guide(level))
        if number is not None:
            guide = self._model.setup.guides[number]
            _add(menu, f"Remove the guide {guide.name}", lambda: self._model.set_guide(number, None))
        menu.exec(event.globalPos())

    def name_guide(self, level: float) -> None:
        """Ask what a new guide is called and add it."""
        name, given = QInputDialog.getText(self, "Guide", "Name of the guide", QLineEdit.EchoMode.Normal, "guide")
        if given and name.strip():
            self._model.add_guide(name.strip(), level)

    def fill_menu(self, menu: QMenu) -> None:
        """Every instrument in every mode, the one shown marked."""
        for kind in INSTRUMENTS.values():
            for instrument in map(kind, kind.modes):
                action = menu.addAction(instrument.title)
                assert action is not None
                action.setCheckable(True)
                action.setChecked(instrument == self.instrument)
                action.triggered.connect(lambda _, instrument=instrument: self._model.put(self._slot, instrument))
            menu.addSeparator()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.resized.emit()


def _add(menu: QMenu, text: str, do) -> None:  # type: ignore[no-untyped-def]
    action = menu.addAction(text)
    assert action is not None
    action.triggered.connect(lambda _: do())


def _pen(stroke: Stroke) -> QPen:
    match stroke:
        case Stroke.LIMIT | Stroke.RGB_LIMIT:
            pen = QPen(TEXT, 1)
            pen.setDashPattern([5, 4] if stroke is Stroke.LIMIT else [2, 4])
            return pen
        case Stroke.GUIDE:
            pen = QPen(DIM, 1)
            pen.setDashPattern([8, 3, 2, 3])
            return pen
        case Stroke.TARGET:
            return QPen(TEXT, 1)
        case Stroke.FAINT:
            return QPen(QColor(66, 66, 66), 1)
        case _:
            return QPen(LINE, 1)
