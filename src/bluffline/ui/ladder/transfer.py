"""The transfer line of the shot in view: what its treatment makes of a grey ramp, and the points to pull it by."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from bluffline.session.pull import handles_in_view
from bluffline.session.session import Session
from bluffline.treat.pulling import Handle, pulled
from bluffline.treat.transfer import MID_GREY, transfer_line
from bluffline.ui.style.style import INK, LINE, TEXT, TINT, WELL, font, percent

_LOW, _HIGH = -8.0, 112.0
_GRIP = 9  # pixels from a point that take hold of it
_BEHIND = QColor(58, 58, 58)
_NAMED = (("white", 100.0), ("grey", MID_GREY), ("black", 0.0))


class TransferLine(QWidget):
    """A small graph, luma in across and luma out upwards, and what becomes of black, mid-grey and white."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._key: object = None
        self._line: tuple[NDArray[np.float64], NDArray[np.float64]] | None = None
        self._tones: NDArray[np.float64] | None = None
        self._held: Handle | None = None
        self._pulls = 0
        self.setMouseTracking(True)
        self.setFixedSize(self.sizeHint())
        self.setAccessibleName("Transfer line of the treatment")
        self.setToolTip("A grey ramp through the treatment: luma in across, luma out upwards; 18 % grey is 40.9 % of luma")

    def sizeHint(self) -> QSize:
        return QSize(124, 122)

    def refresh(self) -> None:
        """Draw the treatment in force."""
        key = self._session.document.treatment, self._session.source if self._session.survey is not None else None
        if key != self._key and self._session.survey is not None:
            self._key, self._line = key, transfer_line(self._session.document.treatment, self._session.source)
            self.update()

    def show_tones(self, tones: NDArray[np.int64] | None) -> None:
        """Draw behind the line how often each code of luma comes in: (2**depth,) counts."""
        if tones is None or self._session.survey is None:
            self._tones = None
        else:
            levels = self._session.source.levels
            percents = (np.arange(len(tones)) - levels.black) / levels.swing * 100
            counts, _ = np.histogram(percents, bins=int(_HIGH - _LOW), range=(_LOW, _HIGH), weights=tones)
            self._tones = np.sqrt(counts / max(counts.max(), 1))  # so that small parts of the picture are seen as well
        self.update()

    # Hands ---------------------------------------------------------------------------------------------------------

    def points(self) -> list[tuple[Handle, QPointF]]:
        """What of a tone step on the bench can be pulled here, and where it stands."""
        return [(handle, self._at(handle.grip.comes_in, handle.level)) for handle in handles_in_view(self._session, (None,))]

    def _point_at(self, place: QPointF) -> Handle | None:
        near = [(handle, (at - place).manhattanLength()) for handle, at in self.points()]
        handle, off = min(near, key=lambda each: each[1], default=(None, _GRIP + 1.0))
        return handle if off <= _GRIP else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._held = self._point_at(event.position())
        self._pulls += 1
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        session, rung = self._session, self._session.place.rung
        if self._held is None or rung is None:
            over = self._point_at(event.position()) is not None
            self.setCursor(Qt.CursorShape.SizeVerCursor if over else Qt.CursorShape.ArrowCursor)
            return
        level = _HIGH - (event.position().y() - 1) / (self.height() - 2) * (_HIGH - _LOW)
        made = pulled(session.document.treatment, rung, self._held.grip, level, session.source)
        session.document.replace_step(rung, made, gesture=f"line.{id(self)}.{self._pulls}")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = None
        self.update()

    def _at(self, x: float, y: float) -> QPointF:
        side = self.height() - 2
        across, up = ((value - _LOW) / (_HIGH - _LOW) for value in (x, y))
        return QPointF(1 + across * side, 1 + side - up * side)

    # Drawing -------------------------------------------------------------------------------------------------------

    @property
    def figures(self) -> list[str]:
        """What becomes of white, mid-grey and black."""
        if self._line is None:
            return []
        return [f"{name} {percent(float(np.interp(level, *self._line)))}" for name, level in _NAMED]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        side = self.height() - 2
        field = QRectF(1, 1, side, side)
        painter.fillRect(field, WELL)

        at = self._at
        if self._tones is not None:
            for n, share in enumerate(self._tones):
                painter.fillRect(QRectF(at(_LOW + n, _LOW + 0.45 * share * (_HIGH - _LOW)), at(_LOW + n + 1, _LOW)), _BEHIND)
        painter.setPen(QPen(LINE, 1))
        for level in (0.0, 100.0):
            painter.drawLine(at(_LOW, level), at(_HIGH, level))
            painter.drawLine(at(level, _LOW), at(level, _HIGH))
        painter.drawLine(at(_LOW, _LOW), at(_HIGH, _HIGH))
        if self._line is None:
            return
        painter.setPen(QPen(TEXT, 1.6))
        painter.setClipRect(field)
        across = np.linspace(_LOW, _HIGH, int(side) + 1)
        painter.drawPolyline(QPolygonF([at(x, y) for x, y in zip(across, np.interp(across, *self._line), strict=True)]))
        painter.setClipping(False)
        for handle, place in self.points():
            painter.setPen(QPen(INK, 1))
            painter.setBrush(TINT if self._held is not None and self._held.grip.field == handle.grip.field else TEXT)
            painter.drawEllipse(place, 4, 4)
        painter.setPen(TEXT)
        painter.setFont(font(11))
        for row, text in enumerate(self.figures):
            box = QRectF(field.left() + 5, field.top() + 3 + 15 * row, side - 5, 15)
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
