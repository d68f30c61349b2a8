"""Lanes of the skyline: findings of time and sound, from their first frame to their last."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from bluffline.rules.catalogue import aspect_of
from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect
from bluffline.rules.severity import Severity
from bluffline.ui.skyline.marks import TOLD_APART
from bluffline.ui.style.style import CARD, DIM, TEXT, TINT, WELL, font

HIGH = 12  # pixels of a lane
_BAR, _LEAST = 5, 3  # pixels that a bar is high, and long at the least
_NEAR = 4  # pixels beside a bar that still mean it
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LANED = (Aspect.TIME, Aspect.SOUND)
XOf = Callable[[NDArray[np.float64]], NDArray[np.float64]]  # where frames begin, in pixels


@dataclass(frozen=True, eq=False)
class Lane:
    """The findings of an aspect, the shortest last, so that they are drawn over others; (N,) each.

    ``thin``: those with a shorter one inside, which is to be seen before them; ``ranks``: the gravest have 0, the waived most.
    """

    aspect: Aspect
    findings: list[Finding]
    firsts: NDArray[np.float64]
    afters: NDArray[np.float64]
    thin: NDArray[np.bool_]
    ranks: NDArray[np.int64]

    @classmethod
    def of(cls, aspect: Aspect, findings: Sequence[Finding]) -> "Lane":
        """A lane for findings of one aspect."""
        findings = sorted(findings, key=lambda found: -found.length)
        spans = np.array([(each.first_frame, each.last_frame + 1) for each in findings], np.float64).reshape(-1, 2)
        order = {severity: rank for rank, severity in enumerate(Severity)}
        ranks = np.array([len(order) if each.waiver else order[each.severity] for each in findings], np.int64)
        return cls(aspect, findings, spans[:, 0], spans[:, 1], _holding_another(spans), ranks)

    def spans(self, x_of: XOf) -> NDArray[np.float64]:
        """(N, 2) from where to where each is drawn, in pixels."""
        lefts = x_of(self.firsts)
        return np.stack([lefts, np.maximum(x_of(self.afters), lefts + _LEAST)], axis=1)

    def drawn(self, spans: NDArray[np.float64]) -> list[int]:
        """The numbers of those that are drawn, in their order: of those too close to be told apart the gravest.

        ``spans``: (N, 2) from where to where each is seen, in pixels.
        """
        seen = np.flatnonzero(spans[:, 0] < spans[:, 1])
        left, wide = spans[seen, 0] // TOLD_APART, np.ptp(spans[seen], axis=1) // TOLD_APART
        order = np.lexsort((seen, self.ranks[seen], wide, left))
        places = np.stack([left, wide], axis=1)[order]
        first = np.r_[True, (places[1:] != places[:-1]).any(axis=1)][: len(order)]
        return sorted(seen[order[first]].tolist())

    def bar(self, number: int, span: NDArray[np.float64], y: float) -> QRectF:
        """Where one is drawn, in a lane that begins at ``y``."""
        left, right = span.tolist()
        high = 1 if self.thin[number] else _BAR
        return QRectF(left, y + (HIGH - high) / 2, max(right - left, _LEAST), high)


@dataclass(frozen=True, eq=False)
class Lanes:
    """A lane for each aspect that needs one and has findings."""

    lanes: Sequence[Lane]

    @classmethod
    def of(cls, findings: Sequence[Finding]) -> tuple["Lanes", list[Finding]]:
        """Lanes for those that need one, and the findings that need none."""
        apart: dict[Aspect, list[Finding]] = {aspect: [] for aspect in Aspect}
        for finding in findings:
            apart[aspect_of(finding)].append(finding)
        rest = [each for aspect in Aspect if aspect not in _LANED for each in apart[aspect]]
        return cls([Lane.of(aspect, apart[aspect]) for aspect in _LANED if apart[aspect]]), rest

    @property
    def high(self) -> int:
        """Pixels that they take."""
        return HIGH * len(self.lanes)

    def at(self, place: QPointF, top: float, x_of: XOf, selected: Finding | None) -> Finding | None:
        """The finding whose bar lies at a place; of several the shortest, and after the selected one the next longer."""
        row = int((place.y() - top) // HIGH)
        if not 0 <= row < len(self.lanes) or place.y() < top:
            return None
        lane = self.lanes[row]
        lefts, rights = lane.spans(x_of).T
        numbers = np.flatnonzero((lefts - _NEAR <= place.x()) & (place.x() <= rights + _NEAR))[::-1]
        hit = [lane.findings[number] for number in numbers.tolist()]
        return hit[(hit.index(selected) + 1) % len(hit) if selected in hit else 0] if hit else None

    def middle(self, finding: Finding, top: float, x_of: XOf) -> QPointF | None:
        """The middle of a finding's bar; None where it has none."""
        for row, lane in enumerate(self.lanes):
            if finding in lane.findings:
                return QPointF(float(lane.spans(x_of)[lane.findings.index(finding)].mean()), top + (row + 0.5) * HIGH)
        return None

    def draw(self, painter: QPainter, field: QRectF, top: float, x_of: XOf) -> None:
        """Draw their names left of a field, and their bars above it."""
        painter.setFont(font(11))
        for row, lane in enumerate(self.lanes):
            y = top + row * HIGH
            painter.setPen(DIM)
            painter.drawText(QRectF(0, y - 2, field.left() - 6, HIGH + 4), RIGHT, lane.aspect)
            painter.fillRect(QRectF(field.left(), y + HIGH - 1.5, field.width(), 0.5), WELL)
            spans = np.clip(lane.spans(x_of), field.left(), field.right())
            for number in lane.drawn(spans):
                _draw_bar(painter, lane.bar(number, spans[number], y), lane.findings[number], TEXT)

    def draw_selected(self, painter: QPainter, field: QRectF, top: float, x_of: XOf, selected: Finding) -> None:
        """Draw the bar of one over all others, where it has one in view."""
        for row, lane in enumerate(self.lanes):
            if selected in lane.findings:
                number = lane.findings.index(selected)
                span = np.clip(lane.spans(x_of)[number], field.left(), field.right())
                if span[0] < span[1]:
                    _draw_bar(painter, lane.bar(number, span, top + row * HIGH), selected, TINT)


def _holding_another(spans: NDArray[np.float64]) -> NDArray[np.bool_]:
    """(N,) which of (N, 2) spans have another that is shorter inside, in the time that sorting takes."""
    different, back = np.unique(spans, axis=0, return_inverse=True)
    holding, least = np.zeros(len(different), bool), np.inf
    for number in np.lexsort((different[:, 1], -different[:, 0])).tolist():  # the last to begin first
        holding[number] = least <= different[number, 1]
        least = min(least, different[number, 1])
    return np.asarray(holding[back.reshape(-1)])


def _draw_bar(painter: QPainter, bar: QRectF, finding: Finding, colour: QColor) -> None:
    """Filled where it must be fixed, an outline where it is to be looked at, a line where it is a note or waived."""
    painter.fillRect(bar.adjusted(-1, -1, 1, 1), CARD)
    if finding.severity is Severity.NOTE or finding.waiver is not None:
        painter.fillRect(QRectF(bar.left(), bar.center().y() - 0.5, bar.width(), 1), colour)
    elif finding.severity is Severity.MUST_FIX:
        painter.fillRect(bar, colour)
    else:
        painter.setPen(QPen(colour, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(bar.adjusted(0.5, 0.5, -0.5, -0.5))
