"""The transfer line of the shot in view: what its treatment makes of a grey ramp."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from bluffline.session.session import Session
from bluffline.treat.transfer import MID_GREY, transfer_line
from bluffline.ui.style.style import LINE, TEXT, WELL, font, percent

_LOW, _HIGH = -8.0, 112.0
_NAMED = (("white", 100.0), ("grey", MID_GREY), ("black", 0.0))


class TransferLine(QWidget):
    """A small graph, luma in across and luma out upwards, and what becomes of black, mid-grey and white."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._key: object = None
        self._line: tuple[NDArray[np.float64], NDArray[np.float64]] | None = None
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

        def at(x: float, y: float) -> QPointF:
            across, up = ((value - _LOW) / (_HIGH - _LOW) for value in (x, y))
            return QPointF(field.left() + across * side, field.bottom() - up * side)

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
        painter.setPen(TEXT)
        painter.setFont(font(11))
        for row, text in enumerate(self.figures):
            box = QRectF(field.left(), field.bottom() - 48 + 15 * row, side - 5, 15)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
