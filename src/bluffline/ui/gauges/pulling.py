"""What of the step on the bench can be pulled on a gauge: its tags, and the hand that moves them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from bluffline.figures import figure
from bluffline.session.pull import balancing, handles_in_view
from bluffline.session.session import Session
from bluffline.treat.ladder import Treatment
from bluffline.treat.pulling import Handle, balanced, pulled
from bluffline.treat.transfer import level_after
from bluffline.ui.style.style import INK, TEXT, TINT, WELL, font

if TYPE_CHECKING:
    from bluffline.ui.gauges.gauge import Gauge

_TAG, _HALF_TAG = 40, 8  # pixels that the tag of a level is wide, and half of its height
_BESIDE = 5  # pixels beside a tag that a drag may begin and still take it
_RING = 9.0  # pixels that the ring about a middle is from it
Chroma = tuple[float, float]


class Pulling:
    """The handles of one gauge."""

    def __init__(self, session: Session, gauge: Gauge) -> None:
        self._session, self._gauge = session, gauge
        self._handle: Handle | None = None
        self._middle: tuple[Chroma, Treatment, float] | None = None  # as it was seen when it was taken
        self._pulls = 0

    @property
    def held(self) -> bool:
        """Whether a handle is in the hand."""
        return self._handle is not None or self._middle is not None

    def let_go(self) -> None:
        """Let the handle go."""
        self._handle = self._middle = None

    def handles(self) -> list[tuple[Handle, QPointF]]:
        """The levels that can be pulled here, and the middle of each one's tag."""
        components, span = self._gauge.instrument.pulled, self._gauge.instrument.span
        if span is None or self._gauge.trace is None:
            return []
        count = len(components)
        return [
            (handle, self._gauge.at(((components.index(handle.grip.component) + 1) / count, 1 - span.place(handle.level))))
            for handle in handles_in_view(self._session, components)
        ]

    def middle(self) -> Chroma | None:
        """The mean Cb and Cr of what a vectorscope takes, where a balance is on the bench."""
        trace, reach = self._gauge.trace, self._gauge.instrument.reach
        if reach is None or trace is None or balancing(self._session) is None:
            return None
        counts = trace.counts[0].astype(np.float64)
        total = counts.sum()
        if total == 0:
            return None
        bins = (np.arange(counts.shape[0]) + 0.5) / counts.shape[0] - 0.5
        return float(counts.sum(axis=1) @ bins / total * reach), float(counts.sum(axis=0) @ bins / total * reach)

    @property
    def _reach(self) -> float:
        """The chroma that the gauge is wide."""
        reach = self._gauge.instrument.reach
        assert reach is not None, "a colour is pulled on gauges of chroma alone"
        return reach

    def place_of(self, chroma: Chroma) -> QPointF:
        """Where a chroma stands on the gauge."""
        return self._gauge.at((0.5 + chroma[0] / self._reach, 0.5 - chroma[1] / self._reach))

    # Hands ---------------------------------------------------------------------------------------------------------

    def near(self, point: QPointF) -> bool:
        """Whether there is a handle under a point."""
        return self._level_at(point) is not None or self._near_middle(point)

    def take(self, point: QPointF) -> bool:
        """Take the handle under a point, if there is one."""
        self._handle = self._level_at(point)
        seen = self.middle()
        if self._handle is None and seen is not None and self._near_middle(point):
            session = self._session
            assert session.survey is not None
            mean = session.source.levels.percent(float(session.survey.table.column("y_mean")[session.place.frame]))
            ladder = session.document.treatment
            self._middle = seen, ladder, level_after(ladder, session.source, mean)
        self._pulls += self.held
        return self.held

    def to(self, point: QPointF) -> None:
        """Bring what is held to a point, in one gesture with all since it was taken."""
        session, rung = self._session, self._session.place.rung
        if rung is None or rung >= len(session.document.treatment):
            return
        gesture = f"pull.{id(self)}.{self._pulls}"
        level = self._gauge.level_at(point)
        if self._handle is not None and level is not None:
            made = pulled(session.document.treatment, rung, self._handle.grip, level, session.source)
            session.document.replace_step(rung, made, gesture=gesture)
        elif self._middle is not None and balancing(session) is not None:
            seen, ladder, luma = self._middle
            across, down = self._gauge.place(point)
            wanted = (across - 0.5) * self._reach, (0.5 - down) * self._reach
            session.document.replace_step(rung, balanced(ladder, rung, seen, wanted, luma, session.source), gesture=gesture)
        self._gauge.update()

    def _level_at(self, point: QPointF) -> Handle | None:
        """The handle whose tag a point is on, or beside by a few pixels; of several the nearest."""
        near = []
        for handle, at in self.handles():
            beside = max(-_TAG - (point.x() - at.x()), point.x() - at.x(), 0.0)
            away = abs(at.y() - point.y())
            if beside <= _BESIDE and away <= _HALF_TAG + _BESIDE:
                near.append((beside + away, handle))
        return min(near, key=lambda each: each[0])[1] if near else None

    def _near_middle(self, point: QPointF) -> bool:
        middle = self.middle()
        return middle is not None and (self.place_of(middle) - point).manhattanLength() <= _RING + 4

    # Drawing -------------------------------------------------------------------------------------------------------

    def draw(self, painter: QPainter) -> None:
        """Draw the handles, and what is pulled."""
        for handle, at in self.handles():
            grip, own = handle.grip, self._handle.grip if self._handle is not None else None
            held = own is not None and (own.field, own.component) == (grip.field, grip.component)
            if grip.line:
                painter.setPen(QPen(TINT if held else TEXT, 1, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(at.x() - self._gauge.field.width(), at.y()), QPointF(at.x() - _TAG, at.y()))
            tag = QRectF(at.x() - _TAG, at.y() - _HALF_TAG, _TAG, 2 * _HALF_TAG)
            painter.setPen(QPen(INK, 1))
            painter.setBrush(TINT if held else TEXT)
            painter.drawPolygon(QPolygonF([tag.topRight(), tag.bottomRight(), QPointF(tag.left() + 6, tag.bottom()),
                                           QPointF(tag.left(), at.y()), QPointF(tag.left() + 6, tag.top())]))  # fmt: skip
            painter.setPen(INK)
            painter.setFont(font(11, bold=True))
            painter.drawText(tag.adjusted(6, 0, -2, 0), Qt.AlignmentFlag.AlignCenter, figure(handle.level, ".1f"))
            if held:
                painter.setPen(QPen(TINT, 1))
                left = at.x() - self._gauge.field.width() / len(self._gauge.instrument.pulled)
                painter.drawLine(QPointF(left, at.y()), QPointF(tag.left(), at.y()))
                self._tell(painter, QPointF(tag.left() - 41, at.y() - 11), f"pull: {grip.name}")
        middle = self.middle()
        if middle is not None:
            at, held = self.place_of(middle), self._middle is not None
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for pen in (QPen(INK, 3.4), QPen(TINT if held else TEXT, 1.6)):
                painter.setPen(pen)
                painter.drawEllipse(at, _RING, _RING)
            painter.setBrush(TINT if held else TEXT)
            painter.drawEllipse(at, 1.5, 1.5)
            self._tell(painter, at + QPointF(0, -_RING - 11), "pull: balance" if held else "middle")

    def _tell(self, painter: QPainter, middle: QPointF, words: str) -> None:
        painter.setFont(font(11, bold=True))
        wide = painter.fontMetrics().horizontalAdvance(words) + 8
        ground = QRectF(middle.x() - wide / 2, middle.y() - 8, wide, 16)
        painter.fillRect(ground, WELL)
        painter.setPen(QPen(TINT if self.held else TEXT, 1))
        painter.drawText(ground, Qt.AlignmentFlag.AlignCenter, words)
