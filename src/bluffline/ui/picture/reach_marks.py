"""The areas that the step on the bench reaches, drawn over the picture and taken by the edge."""

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPainterPathStroker, QPen, QPolygonF

from bluffline.treat.reach import ReachArea, area_in_samples
from bluffline.ui.picture.overlays import OnScreen, distance, outline
from bluffline.ui.style.style import TINT

_GRIP = 5  # pixels from a line that take hold of it


class ReachMarks:
    """A line where an area's full weight ends, and a second, dotted, where its feather does."""

    def __init__(self) -> None:
        self.areas: tuple[ReachArea, ...] = ()
        self._size = (16, 9)

    def show(self, areas: tuple[ReachArea, ...], size: tuple[int, int]) -> None:
        """Show areas as they stand on the frame in view, of a picture of a size."""
        self.areas, self._size = areas, size

    def at(self, point: QPointF, place: OnScreen) -> int | None:
        """The area whose line is under a point."""
        for number in reversed(range(len(self.areas))):
            path = self._line(number, place)
            if any(distance(point, a, b) <= _GRIP for a, b in zip(path, [*path[1:], path[0]], strict=True)):
                return number
        return None

    def draw(self, painter: QPainter, place: OnScreen) -> None:
        """Draw every area's lines."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        high = place((0, self._size[1])).y() - place((0, 0)).y()
        for number, area in enumerate(self.areas):
            line = QPainterPath()
            line.addPolygon(QPolygonF(self._line(number, place)))
            line.closeSubpath()
            for pen in (QPen(QColor(0, 0, 0), 3), QPen(TINT, 1.4)):
                painter.setPen(pen)
                painter.drawPath(line)
            if area.feather > 0:
                around = QPainterPathStroker()
                around.setWidth(2 * area.feather / 100 * high)
                around.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
                soft = QPen(TINT, 1.2)
                soft.setDashPattern([1, 4])
                painter.setPen(soft)
                painter.drawPath(around.createStroke(line).united(line).simplified())

    def _line(self, number: int, place: OnScreen) -> list[QPointF]:
        return outline(area_in_samples(self.areas[number], *self._size), place)
