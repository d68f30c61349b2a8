"""The ground of a graph on the bench: axes with their units, what the picture holds behind them, and places on it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from bluffline.figures import figure
from bluffline.ui.style.style import DIM, LINE, TEXT, TINT, WELL, font

_LEFT, _FOOT, _HEAD, _RIGHT = 40, 16, 5, 8
_BEHIND = QColor(58, 58, 58)
_MARK = 3.5
WAYS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
OWN_KEYS = {*WAYS, Qt.Key.Key_Delete, Qt.Key.Key_Backspace}


@dataclass(frozen=True)
class Axes:
    """Where a graph begins and ends, where its lines stand, and its units."""

    along: tuple[float, float]
    up: tuple[float, float]
    along_lines: Sequence[float]
    up_lines: Sequence[float]
    units: tuple[str, str]
    names: Mapping[float, str] = field(default_factory=dict)  # what stands at a line in place of its figure


class Graph(QWidget):
    """Places along and up a field; its children draw on it and take hold of what stands there."""

    def __init__(self) -> None:
        super().__init__()
        self.axes = Axes((0, 100), (0, 100), (0, 50, 100), (0, 50, 100), (" %", " %"))
        self.behind: NDArray[np.float64] | None = None
        self.pointed: float | None = None
        self.setMinimumSize(220, 110)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def event(self, event: QEvent | None) -> bool:
        """Arrows and the keys that take away are its own while it has the focus; all others act on the desk."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and event.key() in OWN_KEYS:
            event.accept()
            return True
        return super().event(event)

    @property
    def field(self) -> QRectF:
        """Where it is drawn."""
        return QRectF(_LEFT, _HEAD, max(self.width() - _LEFT - _RIGHT, 10), max(self.height() - _HEAD - _FOOT, 10))

    def at(self, along: float, up: float) -> QPointF:
        """Where a place is on the screen."""
        field, (x0, x1), (y0, y1) = self.field, self.axes.along, self.axes.up
        return QPointF(
            field.left() + (along - x0) / (x1 - x0) * field.width(), field.bottom() - (up - y0) / (y1 - y0) * field.height()
        )

    def place_at(self, point: QPointF) -> tuple[float, float]:
        """The inverse of `at`."""
        field, (x0, x1), (y0, y1) = self.field, self.axes.along, self.axes.up
        across = (point.x() - field.left()) / field.width()
        up = (field.bottom() - point.y()) / field.height()
        return x0 + across * (x1 - x0), y0 + up * (y1 - y0)

    def show_behind(self, shares: NDArray[np.float64] | None) -> None:
        """Draw behind it how much of the picture stands at each place along, evenly from end to end: 0 … 1 of the height."""
        self.behind = shares
        self.update()

    def point_at(self, along: float | None) -> None:
        """Mark where the pixel under the pointer stands."""
        if along != self.pointed:
            self.pointed = along
            self.update()

    def paint_ground(self, painter: QPainter) -> None:
        """Everything that lies behind."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        field = self.field
        painter.fillRect(field, WELL)
        if self.behind is not None and len(self.behind):
            step = field.width() / len(self.behind)
            for n, share in enumerate(self.behind):
                high = float(share) * field.height() * 0.8
                painter.fillRect(QRectF(field.left() + n * step, field.bottom() - high, step + 0.5, high), _BEHIND)
        painter.setFont(font(11))
        edge = painter.fontMetrics().height()
        for value in self.axes.along_lines:
            x = self.at(value, 0).x()
            painter.setPen(QPen(LINE, 1))
            painter.drawLine(QPointF(x, field.top()), QPointF(x, field.bottom()))
            painter.setPen(DIM)
            box = QRectF(x - 30, field.bottom() + 1, 60, edge)
            painter.drawText(
                box, Qt.AlignmentFlag.AlignCenter, self.axes.names.get(value, f"{figure(value, 'g')}{self.axes.units[0]}")
            )
        for value in self.axes.up_lines:
            y = self.at(0, value).y()
            painter.setPen(QPen(LINE, 1))
            painter.drawLine(QPointF(field.left(), y), QPointF(field.right(), y))
            painter.setPen(DIM)
            text = f"×{value:g}" if self.axes.units[1] == "×" else f"{figure(value, 'g')}{self.axes.units[1]}"
            box = QRectF(0, y - edge / 2, _LEFT - 4, edge)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)

    def paint_pointed(self, painter: QPainter) -> None:
        """The mark of the pixel under the pointer."""
        if self.pointed is not None and self.axes.along[0] <= self.pointed <= self.axes.along[1]:
            x, field = self.at(self.pointed, 0).x(), self.field
            painter.setPen(QPen(TEXT, 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(x, field.top()), QPointF(x, field.bottom()))

    def paint_line(self, painter: QPainter, along: NDArray[np.float64], up: NDArray[np.float64]) -> None:
        """A curve, as far as it lies in the field."""
        painter.save()
        painter.setClipRect(self.field)
        painter.setPen(QPen(TEXT, 1.6))
        painter.drawPolyline(QPolygonF([self.at(x, y) for x, y in zip(along.tolist(), up.tolist(), strict=True)]))
        painter.restore()

    def paint_mark(self, painter: QPainter, place: QPointF, *, chosen: bool) -> None:
        """A point that can be taken hold of."""
        painter.setPen(QPen(TINT if chosen else TEXT, 1.5))
        painter.setBrush(TINT if chosen else WELL)
        painter.drawRect(QRectF(place.x() - _MARK, place.y() - _MARK, 2 * _MARK, 2 * _MARK))
