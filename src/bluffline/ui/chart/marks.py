"""The chart frame over the picture: its corners to drag, and in every patch the colour that it ought to have."""

import math

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from bluffline.charts.frame import ChartFrame, Point
from bluffline.charts.reference import Layout
from bluffline.errors import ChartError
from bluffline.ui.picture.overlays import OnScreen, stroke
from bluffline.ui.style.style import INK, TEXT, TINT

_NEAR = 12  # screen pixels from a corner that take hold of it
_PATCH = 0.6  # share of a cell that is sampled, and drawn
_GRIP = 6.0


def screen_colour(rgb: NDArray[np.float64]) -> QColor:
    """R′G′B′ (3,), 0 … 1, as pictures are shown."""
    red, green, blue = (round(float(value) * 255) for value in np.clip(rgb, 0, 1))
    return QColor(red, green, blue)


class ChartMarks:
    """What is drawn of a chart, and the corner in hand."""

    def __init__(self) -> None:
        self.frame: ChartFrame | None = None
        self._layout: Layout | None = None
        self._wanted: NDArray[np.float64] | None = None
        self._corner: int | None = None

    def show(self, frame: ChartFrame | None, layout: Layout, wanted: NDArray[np.float64] | None) -> None:
        """Draw a chart frame; ``wanted``: (N, 3) R′G′B′ of its patches, once they are known."""
        self.frame, self._layout, self._wanted = frame, layout, wanted

    # Hands ---------------------------------------------------------------------------------------------------------

    def corner_at(self, point: QPointF, place: OnScreen) -> int | None:
        """The corner under a point of the widget."""
        if self.frame is None:
            return None
        gaps = [math.hypot(at.x() - point.x(), at.y() - point.y()) for at in map(place, self.frame.corners)]
        nearest = int(np.argmin(gaps))
        return nearest if gaps[nearest] <= _NEAR else None

    def grab(self, point: QPointF, place: OnScreen) -> bool:
        """Take hold of the corner under a point; whether there is one."""
        self._corner = self.corner_at(point, place)
        return self._corner is not None

    def drag(self, pixel: Point) -> None:
        """Move the corner in hand, as far as the frame stays a quadrangle."""
        if self.frame is not None and self._corner is not None:
            try:
                self.frame = self.frame.with_corner(self._corner, pixel)
            except ChartError:
                return
            self._wanted = None

    def release(self) -> bool:
        """Let go of the corner; whether one was in hand."""
        held, self._corner = self._corner is not None, None
        return held

    # Drawing -------------------------------------------------------------------------------------------------------

    def draw(self, painter: QPainter, place: OnScreen) -> None:
        """Outline, patches and corners; the chart's own upper left corner is filled."""
        if self.frame is None or self._layout is None:
            return
        corners = [place(corner) for corner in self.frame.corners]
        stroke(painter, corners, closed=True)
        for number, cell in enumerate(self.frame.cells(self._layout, _PATCH)):
            points = [place((float(x), float(y))) for x, y in cell]
            if self._wanted is not None:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(screen_colour(self._wanted[number]))
                painter.drawPolygon(QPolygonF(points[1:]))  # the half towards the chart's lower right
                painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(0, 0, 0, 150), 1))
            painter.drawPolygon(QPolygonF(points))
        for number, at in enumerate(corners):
            painter.setPen(QPen(INK, 1))
            painter.setBrush(TINT if number == 0 else TEXT)
            painter.drawEllipse(at, _GRIP, _GRIP)
        painter.setBrush(Qt.BrushStyle.NoBrush)
