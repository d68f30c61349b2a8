"""Where on the skyline the areas of a step are followed."""

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPen

from bluffline.session.session import Session
from bluffline.ui.style.style import TINT


def draw_followed(painter: QPainter, field: QRectF, session: Session, x_of: Callable[[float], float]) -> None:
    """Draw from where to where the reach of the step on the bench is followed, and the frames that it was placed on."""
    place, ladder, shots = session.place, session.document.treatment, session.shots
    if place.rung is None or place.rung >= len(ladder) or not shots:
        return
    y = field.bottom() - 4
    for area in ladder[place.rung].reach.areas:
        xs = [x_of(each.frame + 0.5) for each in area.follow]
        if len(xs) > 1:
            painter.setPen(QPen(TINT, 1))
            painter.drawLine(QPointF(max(xs[0], field.left()), y), QPointF(min(xs[-1], field.right()), y))
        for x in xs:
            if field.left() <= x <= field.right():
                painter.fillRect(QRectF(x - 1, y - 3, 2, 6), TINT)
        y -= 7
