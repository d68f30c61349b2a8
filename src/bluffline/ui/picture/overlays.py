"""What is drawn over a picture: outlines of areas, labels, the zone map's key."""

import math
from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from bluffline.measure.areas import Area, Shape
from bluffline.ui.style.style import TEXT, font, image_of
from bluffline.view.safe_areas import SAFE_AREAS
from bluffline.view.zones import ZONES, swatch

Point = tuple[float, float]
OnScreen = Callable[[Point], QPointF]  # where a point of the picture is drawn


def outline(area: Area, place: OnScreen) -> list[QPointF]:
    """The corners of an area, or points round an ellipse, where ``place`` puts them."""
    left, top, right, bottom = area.box
    if area.shape is Shape.POLYGON:
        corners = list(area.points)
    elif area.shape is Shape.RECTANGLE:
        corners = [(left, top), (right, top), (right, bottom), (left, bottom)]
    else:
        turns = np.linspace(0, 2 * math.pi, 49)[:-1]
        x, y, wide, high = (left + right) / 2, (top + bottom) / 2, (right - left) / 2, (bottom - top) / 2
        corners = [(x + wide * math.cos(t), y + high * math.sin(t)) for t in turns]
    return [place(corner) for corner in corners]


def stroke(painter: QPainter, points: list[QPointF], *, closed: bool) -> None:
    """A line that is seen on any picture: pale on a dark border."""
    line = QPolygonF([*points, points[0]] if closed else points)
    for pen in (QPen(QColor(0, 0, 0), 3), QPen(TEXT, 1)):
        painter.setPen(pen)
        painter.drawPolyline(line)


def label(painter: QPainter, text: str, place: QPointF, within: QRect, *, before: bool = False) -> None:
    """A word on a dark ground, right of a place or left of it; nothing where there is no room for it."""
    painter.setFont(font(12))
    width = painter.fontMetrics().horizontalAdvance(text) + 12
    left = place.x() - width if before else place.x()
    if left < within.left() or left + width > within.right():
        return
    painter.fillRect(QRectF(left, place.y(), width, 20), QColor(20, 20, 20, 190))
    painter.setPen(TEXT)
    painter.drawText(QRectF(left, place.y(), width, 20), Qt.AlignmentFlag.AlignCenter, text)


def safe_areas(painter: QPainter, size: tuple[int, int], place: OnScreen, within: QRect) -> None:
    """The outlines inside which action and graphics are safe, in a picture of so many columns and rows, and what they are."""
    for area in SAFE_AREAS:
        left, top, right, bottom = area.box(*size)
        stroke(painter, [place(corner) for corner in ((left, top), (right, top), (right, bottom), (left, bottom))], closed=True)
    _, top, right, _ = SAFE_AREAS[-1].box(*size)  # at the top, since captions stand at the foot
    words = ", ".join(f"{area.title} {100 - 2 * area.margin:g} %" for area in SAFE_AREAS)
    label(painter, f"safe: {words}", place((right, top)) + QPointF(-6, 6), within, before=True)


def zone_key(painter: QPainter, box: QRect) -> None:
    """What the zone map's marks mean, at the lower left of the picture."""
    named = [zone for zone in reversed(ZONES) if zone.name]
    painter.setFont(font(11))
    ground = QRectF(box.left() + 8, box.bottom() - 18 * len(named) - 14, 172, 18 * len(named) + 8)
    painter.fillRect(ground, QColor(20, 20, 20, 210))
    painter.setPen(TEXT)
    for n, zone in enumerate(named):
        top = ground.top() + 4 + 18 * n
        pixels = swatch(zone, 22, 14)
        painter.drawImage(QPointF(ground.left() + 6, top + 2), image_of(pixels))
        low = "under 0 %" if zone.low < 0 else f"{zone.low:.0f} % up"
        painter.drawText(QPointF(ground.left() + 34, top + 14), f"{zone.name}, {low}")


def distance(point: QPointF, a: QPointF, b: QPointF) -> float:
    """From a point to a line between two others."""
    x, y = b.x() - a.x(), b.y() - a.y()
    length = x * x + y * y
    t = 0.0 if length == 0 else min(max(((point.x() - a.x()) * x + (point.y() - a.y()) * y) / length, 0.0), 1.0)
    return math.hypot(point.x() - a.x() - t * x, point.y() - a.y() - t * y)
