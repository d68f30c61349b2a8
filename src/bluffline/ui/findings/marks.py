"""The severity mark: a diamond, solid for must fix, half for look, hollow for note."""

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

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
