"""The skyline: the extremes of every frame along the whole programme, as one silhouette."""

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)  # fmt: skip
from PyQt6.QtWidgets import QWidget

from bluffline.gauges.extremes import draw_extremes
from bluffline.rules.finding import Finding
from bluffline.rules.severity import Severity
from bluffline.session.session import Session
from bluffline.ui.findings.marks import draw_mark, drawn_mark
from bluffline.ui.skyline.followed import draw_followed
from bluffline.ui.skyline.lanes import RIGHT, Lanes
from bluffline.ui.skyline.marks import TOLD_APART, Marks, Meeting
from bluffline.ui.style.style import CARD, DIM, LINE, TEXT, TINT, WELL, font

LOW, HIGH = -12.0, 122.0  # percent at the foot and the top
_LEFT, _TOP, _FOOT = 52, 20, 20
_ANY_HIGH = (1 << 24) - 1  # Qt's own
_HIGH_LEAST, _LOW_HIGH = 132, 72  # pixels: the least it is high, and what it is high while a step is on the bench
_REST = 120  # milliseconds after which a change is drawn
_THREE = 44  # pixels that three figures need beside a field
_NARROWEST = 10  # frames across at the closest zoom
_UPRIGHT = 2.0  # pixels that a slope is wide at least
_MARK = 13  # pixels from one mark of a shot to the next
X = TypeVar("X", float, NDArray[np.float64])


class Skyline(QWidget):
    """Draws the session's extremes; a click or drag goes to a frame, the wheel zooms about the pointer."""

    frame_chosen = pyqtSignal(int)
    finding_chosen = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._start, self._end = 0.0, 1.0
        self._image: QImage | None = None
        self._drawn: tuple[object, QPixmap] | None = None
        self._stripped: tuple[Marks, object, QPixmap] | None = None
        self._marked, self._met, self._lanes, self._told = Marks.of([], []), Meeting.of([]), Lanes([]), session.findings
        self._pan_from: tuple[float, float] | None = None
        self._low = False
        self._rest = QTimer(self)  # while a figure is pulled, what it makes of the whole programme has time
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST)
        self._rest.timeout.connect(self.redraw)
        self._more = QTimer(self)  # what is made of thousands of shots is reckoned between what the hand does
        self._more.setSingleShot(True)
        self._more.timeout.connect(self._foresee)
        self.setMinimumHeight(_HIGH_LEAST)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Skyline of the programme")
        self.setToolTip("Click or drag to go to a frame · wheel zooms · Shift and drag moves along · double-click shows all")
        session.programme_changed.connect(self.show_all)
        self._next = QTimer(self)  # after what changed has been told to all, and drawn by others
        self._next.setSingleShot(True)
        self._next.timeout.connect(self.redraw)
        self._over = QTimer(self)  # once what is under the marks is drawn
        self._over.setSingleShot(True)
        self._over.timeout.connect(self._redraw_over)
        session.survey_changed.connect(self._next.start)
        session.document.changed.connect(self._rest.start)
        session.place.changed.connect(self._follow)

    def sizeHint(self) -> QSize:
        return QSize(1240, 140)

    def set_low(self, low: bool) -> None:
        """Leave room for the bench: lower, and without the names of shots."""
        self._low = low
        self.setFixedHeight(_LOW_HIGH) if low else self.setMinimumHeight(_HIGH_LEAST)
        if not low:
            self.setMaximumHeight(_ANY_HIGH)
        self.redraw()

    def redraw_soon(self) -> None:
        """Draw anew in a moment, once for all that becomes known until then."""
        if not self._rest.isActive():
            self._rest.start()

    def stop(self) -> None:
        """Draw nothing more of its own accord."""
        for timer in (self._rest, self._more, self._next, self._over):
            timer.stop()

    def _foresee(self) -> None:
        self._session.foresee()
        if not self._session.foreseen:
            self._more.start()

    # Place ---------------------------------------------------------------------------------------------------------

    @property
    def _count(self) -> int:
        return self._session.programme.frame_count if self._session.programme else 1

    @property
    def _field(self) -> QRectF:
        top, foot = _TOP + self._lanes.high, 6 if self._low else _FOOT
        return QRectF(_LEFT, top, max(self.width() - _LEFT - 8, 1), max(self.height() - top - foot, 1))

    def x_of(self, frame: X) -> X:
        """Where a frame, or each of many, begins, in widget pixels."""
        return self._field.left() + (frame - self._start) / (self._end - self._start) * self._field.width()

    def frame_at(self, x: float) -> int:
        """The frame drawn at a widget pixel."""
        frame = self._start + (x - self._field.left()) / self._field.width() * (self._end - self._start)
        return int(min(max(frame, 0), self._count - 1))

    def _y_of(self, value: float) -> float:
        return self._field.bottom() - (value - LOW) / (HIGH - LOW) * self._field.height()

    def show_all(self) -> None:
        """Zoom out to the whole programme."""
        self._start, self._end = 0.0, float(self._count)
        self._stripped = None
        self.redraw()

    def zoom(self, factor: float, about: float) -> None:
        """Show ``factor`` times as much, keeping the frame ``about`` where it is."""
        span = min(max((self._end - self._start) * factor, min(_NARROWEST, self._count)), self._count)
        part = (about - self._start) / (self._end - self._start)
        self._move_to(about - part * span, span)

    def zoom_here(self, factor: float) -> None:
        """The same about the frame in view."""
        self.zoom(factor, self._session.place.frame)

    def _move_to(self, start: float, span: float) -> None:
        self._start = min(max(start, 0.0), self._count - span)
        self._end = self._start + span
        self.redraw()

    def _follow(self) -> None:
        frame, span = self._session.place.frame, self._end - self._start
        if not self._start <= frame < self._end:
            self._move_to(frame - span / 4, span)
        self.update()

    # Hands ---------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        shifted = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if event.button() == Qt.MouseButton.MiddleButton or shifted:
            self._pan_from = event.position().x(), self._start
            return
        finding = self._mark_at(event.position())
        if finding is not None:
            self.finding_chosen.emit(finding)
        elif self._session.programme is not None:
            self.frame_chosen.emit(self.frame_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._pan_from is not None:
            x, start = self._pan_from
            span = self._end - self._start
            self._move_to(start - (event.position().x() - x) / self._field.width() * span, span)
        elif self._session.programme is not None and event.position().y() > self._field.top():
            self.frame_chosen.emit(self.frame_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._pan_from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.show_all()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        about = self._start + (event.position().x() - self._field.left()) / self._field.width() * (self._end - self._start)
        self.zoom(0.8 ** (event.angleDelta().y() / 120), about)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            self.zoom(1.5 if event.key() == Qt.Key.Key_Minus else 1 / 1.5, self._session.place.frame)
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.redraw()

    def mark_place(self, finding: Finding) -> QPointF:
        """Where a finding's mark stands, or the middle of its bar."""
        marks = self._marks()
        if (bar := self._lanes.middle(finding, _TOP, self.x_of)) is not None:
            return bar
        return QPointF(float(self._xs_of(marks)[marks.findings.index(finding)]), _TOP / 2)

    def _marks(self) -> Marks:
        if self._told is not self._session.findings:
            self._told = self._session.findings
            self._lanes, marked = Lanes.of(self._told)
            self._marked = Marks.of(marked, self._session.shots)
        return self._marked

    def _meeting(self) -> Meeting:
        if self._met.shots is not self._session.shots:
            self._met = Meeting.of(self._session.shots)
        return self._met

    def _xs_of(self, marks: Marks) -> NDArray[np.float64]:
        width = self._field.width() / (self._end - self._start)
        return self.x_of(marks.middles) + marks.places * np.minimum(_MARK, width * marks.room)

    def _mark_at(self, place: QPointF) -> Finding | None:
        marks = self._marks()
        if place.y() > _TOP or not marks.findings:
            return self._lanes.at(place, _TOP, self.x_of, self._session.place.selected)
        off = np.abs(self._xs_of(marks) - place.x())
        nearest = int(off.argmin())
        return marks.findings[nearest] if off[nearest] <= 8 else None

    # Drawing -------------------------------------------------------------------------------------------------------

    def redraw(self) -> None:
        """Draw anew all but the place in view."""
        self._image = self._drawn = None
        self._marks()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        field = self._field
        if self._session.programme is None:
            painter.fillRect(field, WELL)
            painter.setPen(DIM)
            painter.setFont(font(14))
            painter.drawText(field, Qt.AlignmentFlag.AlignCenter, "Open a programme, or drop a file anywhere on the desk")
            return
        painter.drawPixmap(0, 0, self._still(field))
        draw_followed(painter, field, self._session, self.x_of)
        self._draw_place(painter, field)

    def _still(self, field: QRectF) -> QPixmap:
        """All but the place in view, which alone moves while the programme plays; drawn again when anything of it changes.

        What is about to be drawn anew stands as it was until then: an act, its drawing and the drawing of its marks are three
        waits, not one.
        """
        key = self._session.place.shot, self._session.place.selected, self.devicePixelRatioF()
        if self._drawn is None or (self._drawn[0] != key and not self._next.isActive()):
            drawn, painter = self._layer(self.height())
            painter.fillRect(field, WELL)
            self._draw_scale(painter, field)
            fresh = self._image is None
            if fresh:
                self._image = self.drawn_silhouette(int(field.width()), int(field.height()))
            if self._image is not None:
                painter.drawImage(field.topLeft(), self._image)
            self._draw_limits(painter, field)
            self._draw_shots(painter, field)
            painter.drawPixmap(0, 0, self._strip(field, soon=fresh and self._image is not None))
            self._draw_selected(painter, field)
            painter.end()
            self._drawn = key, drawn
        return self._drawn[1]

    def _layer(self, height: int) -> tuple[QPixmap, QPainter]:
        """Something to draw on, as wide as all of it, and what draws there."""
        drawn = QPixmap(QSize(self.width(), height) * self.devicePixelRatioF())
        drawn.setDevicePixelRatio(self.devicePixelRatioF())
        drawn.fill(Qt.GlobalColor.transparent)
        painter = QPainter(drawn)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        return drawn, painter

    def _draw_scale(self, painter: QPainter, field: QRectF) -> None:
        painter.setFont(font(11, mono=True))
        painter.setPen(DIM)
        for value in (0, 50, 100) if field.height() >= _THREE else (0, 100):
            painter.drawText(QRectF(0, self._y_of(value) - 8, _LEFT - 6, 16), RIGHT, f"{value} %")

    def drawn_silhouette(self, width: int, height: int) -> QImage | None:
        """The extremes of every frame in view at a size; None where nothing has been measured."""
        session = self._session
        image = np.full((height, width), WELL.red(), np.uint8)
        both = session.source_columns(), session.treated_columns()
        if not draw_extremes(image, both, (self._start, self._end), (LOW, HIGH), session.rules.limits):
            return None
        if not session.foreseen:
            self._more.start()
        drawn = QImage(image.tobytes(), width, height, width, QImage.Format.Format_Grayscale8)
        return drawn.copy()  # the copy owns its pixels

    def _draw_limits(self, painter: QPainter, field: QRectF) -> None:
        limits = self._session.rules.limits
        for values, colour in ((limits.rgb, QColor(150, 150, 150)), (limits.luma, TEXT)):
            pen = QPen(colour, 1.0)
            pen.setDashPattern([5, 4] if colour is TEXT else [2, 4])
            painter.setPen(pen)
            for value in values:
                y = round(self._y_of(value)) + 0.5
                painter.drawLine(QPointF(field.left(), y), QPointF(field.right(), y))

    def _redraw_over(self) -> None:
        self._drawn = None
        self.update()

    def _strip(self, field: QRectF, *, soon: bool) -> QPixmap:
        """The findings in view, over the field; drawn again when they, or what is in view, are others.

        ``soon``: in a moment, if only they are others.
        """
        marks, key = self._marks(), (self._start, self._end, field.width(), field.top(), self.devicePixelRatioF())
        if soon and self._stripped is not None and self._stripped[0] is not marks and self._stripped[1] == key:
            self._over.start()
        elif self._stripped is None or self._stripped[0] is not marks or self._stripped[1] != key:
            drawn, painter = self._layer(int(field.top()))
            self._draw_marks(painter, field, marks)
            painter.end()
            self._stripped = marks, key, drawn
        return self._stripped[2]

    def _draw_marks(self, painter: QPainter, field: QRectF, marks: Marks) -> None:
        """The findings in view; of those too close to be told apart the gravest."""
        xs = self._xs_of(marks)
        drawn = {severity: drawn_mark(severity, TEXT, 4.5, self.devicePixelRatioF()) for severity in Severity}
        for number in marks.at_places(xs, field.left(), field.right()):
            mark = drawn[marks.findings[number].severity]
            half = mark.deviceIndependentSize().width() / 2
            painter.drawPixmap(round(xs[number] - half), round(_TOP / 2 - half), mark)
        self._lanes.draw(painter, field, _TOP, self.x_of)

    def _draw_selected(self, painter: QPainter, field: QRectF) -> None:
        selected = self._session.place.selected
        if selected is None:
            return
        self._lanes.draw_selected(painter, field, _TOP, self.x_of, selected)
        if selected in self._marks().findings:
            draw_mark(painter, self.mark_place(selected), selected.severity, TINT, 4.5)

    def _draw_shots(self, painter: QPainter, field: QRectF) -> None:
        """Where shots meet, and their numbers, as far as there is room to tell them apart."""
        painter.setFont(font(11))
        shots, here, meeting = self._session.shots, self._session.place.shot, self._meeting()
        lefts, rights = self.x_of(meeting.firsts), self.x_of(meeting.afters)
        self._draw_edges(painter, field)
        wide = rights - np.maximum(lefts, field.left()) > TOLD_APART
        told = False
        for number in np.flatnonzero(wide & (rights >= field.left()) & (lefts <= field.right())):
            left, right = float(lefts[number]), float(rights[number])
            if self._low:
                continue
            painter.setPen(TINT if number == here else DIM)
            left = max(left, field.left())
            label = f"shot {number + 1}" if right - left > 52 else str(number + 1)
            if right - left > painter.fontMetrics().horizontalAdvance(label) + 4:
                painter.drawText(QPointF(left + 4, field.bottom() + 14), label)
                told |= number == here
        if shots and not told and not self._low:  # there is always room for the one in view
            label = f"shot {here + 1}"
            width = painter.fontMetrics().horizontalAdvance(label)
            left = min(max(float(lefts[here]) + 4, field.left()), field.right() - width)
            if field.left() <= lefts[here] <= field.right():
                painter.fillRect(QRectF(left - 3, field.bottom() + 2, width + 6, 16), CARD)
                painter.setPen(TINT)
                painter.drawText(QPointF(left, field.bottom() + 14), label)

    def _draw_edges(self, painter: QPainter, field: QRectF) -> None:
        """Where shots come and go: upright at a cut, else a slope over all of a dissolve, a wipe or a fade."""
        ends = self.x_of(self._meeting().ends)
        seen = (ends.max(axis=1) > field.left()) & (ends.min(axis=1) < field.right())
        upright = np.ptp(ends, axis=1) < _UPRIGHT
        painter.save()
        painter.setClipRect(field)
        cuts = np.sort(ends[seen & upright, 0])
        for left in cuts[np.unique(cuts // TOLD_APART, return_index=True)[1]].round().tolist():
            painter.fillRect(QRectF(left - 1, field.top(), 2, field.height()), WELL)
        for pen in (QPen(WELL, 4.0), QPen(DIM, 1.0)):  # seen before the silhouette and beside it
            painter.setPen(pen)
            for foot, head in ends[seen & ~upright].tolist():
                painter.drawLine(QPointF(foot, field.bottom()), QPointF(head, field.top()))
        painter.restore()

    def _draw_place(self, painter: QPainter, field: QRectF) -> None:
        x = self.x_of(self._session.place.frame + 0.5)
        if not field.left() <= x <= field.right():
            return
        painter.setPen(QPen(TINT, 1.5))
        painter.drawLine(QPointF(x, field.top()), QPointF(x, field.bottom()))
        painter.setBrush(TINT)
        painter.drawPolygon(
            QPolygonF([QPointF(x - 5, field.bottom() + 6), QPointF(x + 5, field.bottom() + 6), QPointF(x, field.bottom())])
        )
        painter.setPen(LINE)
