"""The severity mark: a diamond, solid for must fix, half for look, hollow for note."""

import math

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from bluffline.rules.severity import Severity


def draw_mark(painter: QPainter, centre: QPointF, severity: Severity, colour: QColor, radius: float = 5.0) -> None:
    """Draw a mark about ``centre``."""
    x, y = centre.x(), centre.y()
    outline = QPolygonF([QPointF(x, y - radius), QPointF(x + radius, y), QPointF(x, y + radius), QPointF(x - radius, y)])
    painter.setPen(QPen(colour, 1.3))
    painter.setBrush(colour if severity is Severity.MUST_FIX else QColor(0, 0, 0, 0))
    painter.drawPolygon(outline)
    if severity is Severity.LOOK:
        painter.setBrush(colour)
        painter.drawPolygon(QPolygonF([QPointF(x - radius, y), QPointF(x + radius, y), QPointF(x, y + radius)]))


def drawn_mark(severity: Severity, colour: QColor, radius: float = 5.0, ratio: float = 1.0) -> QPixmap:
    """A mark in a picture of its own, to be put down many times; ``ratio``: device pixels in one of the picture."""
    room = math.ceil(radius + 1.5)
    drawn = QPixmap(round(2 * room * ratio), round(2 * room * ratio))
    drawn.setDevicePixelRatio(ratio)
    drawn.fill(Qt.GlobalColor.transparent)
    painter = QPainter(drawn)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    draw_mark(painter, QPointF(room, room), severity, colour, radius)
    painter.end()
    return drawn
