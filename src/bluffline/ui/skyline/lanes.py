"""Lanes of the skyline: findings of time and sound, from their first frame to their last."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from bluffline.rules.catalogue import aspect_of
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect
from bluffline.rules.severity import Severity
from bluffline.ui.style.style import CARD, DIM, TEXT, TINT, WELL, font

HIGH = 12  # pixels of a lane
_BAR, _LEAST = 5, 3  # pixels that a bar is high, and long at the least
_NEAR = 4  # pixels beside a bar that still mean it
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LANED = (Aspect.TIME, Aspect.SOUND)


@dataclass(frozen=True, eq=False)
class Lanes:
    """The findings of each lane, the shortest last, so that they are drawn over others."""

    lanes: Sequence[tuple[Aspect, list[Finding]]]

    @classmethod
    def of(cls, findings: Sequence[Finding]) -> tuple["Lanes", list[Finding]]:
        """Lanes for those that need one, and the findings that need none."""
        apart: dict[Aspect, list[Finding]] = {aspect: [] for aspect in Aspect}
        for finding in findings:
            apart[aspect_of(finding)].append(finding)
        rest = [each for aspect in Aspect if aspect not in _LANED for each in apart[aspect]]
        lanes = [(each, sorted(apart[each], key=lambda found: -found.length)) for each in _LANED if apart[each]]
        return cls(lanes), rest

    @property
    def high(self) -> int:
        """Pixels that they take."""
        return HIGH * len(self.lanes)

    def at(self, place: QPointF, top: float, x_of: Callable[[float], float], selected: Finding | None) -> Finding | None:
        """The finding whose bar lies at a place; of several the shortest, and after the selected one the next longer."""
        row = int((place.y() - top) // HIGH)
        if not 0 <= row < len(self.lanes) or place.y() < top:
            return None
        spans = [(each, *_span(each, x_of)) for each in self.lanes[row][1]]
        hit = [each for each, left, right in reversed(spans) if left - _NEAR <= place.x() <= right + _NEAR]
        return hit[(hit.index(selected) + 1) % len(hit) if selected in hit else 0] if hit else None

    def middle(self, finding: Finding, top: float, x_of: Callable[[float], float]) -> QPointF | None:
        """The middle of a finding's bar; None where it has none."""
        for row, (_, findings) in enumerate(self.lanes):
            if finding in findings:
                return QPointF(sum(_span(finding, x_of)) / 2, top + (row + 0.5) * HIGH)
        return None

    def draw(
        self, painter: QPainter, field: QRectF, top: float, x_of: Callable[[float], float], selected: Finding | None
    ) -> None:
        """Draw their names left of a field, and their bars above it."""
        painter.setFont(font(11))
        for row, (aspect, findings) in enumerate(self.lanes):
            y = top + row * HIGH
            painter.setPen(DIM)
            painter.drawText(QRectF(0, y - 2, field.left() - 6, HIGH + 4), RIGHT, aspect)
            painter.fillRect(QRectF(field.left(), y + HIGH - 1.5, field.width(), 0.5), WELL)
            for finding in findings:
                left, right = _span(finding, x_of)
                left, right = max(left, field.left()), min(right, field.right())
                if left < right:
                    bar = QRectF(left, y + (HIGH - _BAR) / 2, max(right - left, _LEAST), _BAR)
                    if any(_inside(each, finding) for each in findings):  # what is wrong all along leaves others to be seen
                        bar.adjust(0, 2, 0, -2)
                    painter.fillRect(bar.adjusted(-1, -1, 1, 1), CARD)
                    _draw_bar(painter, bar, finding, TINT if finding == selected else TEXT)


def _span(finding: Finding, x_of: Callable[[float], float]) -> tuple[float, float]:
    left = x_of(finding.first_frame)
    return left, max(x_of(finding.last_frame + 1), left + _LEAST)


def _inside(one: Finding, other: Finding) -> bool:
    return one.length < other.length and other.first_frame <= one.first_frame and one.last_frame <= other.last_frame


def _draw_bar(painter: QPainter, bar: QRectF, finding: Finding, colour: QColor) -> None:
    """Filled where it must be fixed, an outline where it is to be looked at, a line where it is a note or waived."""
    if finding.severity is Severity.NOTE or finding.waiver is not None:
        painter.fillRect(QRectF(bar.left(), bar.center().y() - 0.5, bar.width(), 1), colour)
    elif finding.severity is Severity.MUST_FIX:
        painter.fillRect(bar, colour)
    else:
        painter.setPen(QPen(colour, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(bar.adjusted(0.5, 0.5, -0.5, -0.5))
