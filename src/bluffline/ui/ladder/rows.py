"""Rows of the ladder's list, and how they are painted."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QListWidget, QStyledItemDelegate, QStyleOptionViewItem

from bluffline.treat.step import Heading, Step
from bluffline.ui.style.style import DIM, LINE, TEXT, TINT, WELL, font

ROW = Qt.ItemDataRole.UserRole + 1
BOX = QRectF(6, 6, 13, 13)  # of a rung, in pixels from its corner: the box that is ticked
_HEADING_HIGH, _RUNG_HIGH = 24, 40
_GAP = 2.0  # codes between neighbours of an 8-bit source, from which it is told


@dataclass(frozen=True)
class Row:
    """A row of the list: a heading with what it says at the right, or a rung with its place on the ladder."""

    heading: Heading
    told: str = ""
    rung: int | None = None
    step: Step | None = None
    gap: float = 1.0

    @property
    def warning(self) -> str:
        """What an 8-bit source suffers by the ladder up to here; nothing where that is little."""
        return f"8 bits stretched: gaps of {self.gap:.1f} codes" if self.gap >= _GAP else ""


class RowDelegate(QStyledItemDelegate):
    """Paints the rows of a list; ``title_of`` gives a heading's title."""

    def __init__(self, rows: QListWidget, title_of: Callable[[Heading], str]) -> None:
        super().__init__(rows)
        self._rows, self._title_of = rows, title_of

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, _HEADING_HIGH if index.data(ROW).step is None else _RUNG_HIGH)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box, row = option.rect, index.data(ROW)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        if row.step is None:
            painter.setPen(TEXT)
            painter.setFont(font(12, bold=True))
            title = self._title_of(row.heading)
            painter.drawText(box.adjusted(2, 0, -2, 0), left, title)
            used = painter.fontMetrics().horizontalAdvance(title) + 12
            painter.setPen(DIM)
            painter.setFont(font(11))
            room = box.adjusted(used, 0, -4, 0)
            told = painter.fontMetrics().elidedText(row.told, Qt.TextElideMode.ElideRight, room.width())
            painter.drawText(room, right, told)
        else:
            self._paint_rung(painter, box, row, chosen=self._rows.currentIndex() == index)
        painter.restore()

    def _paint_rung(self, painter: QPainter, box: QRect, row: Row, *, chosen: bool) -> None:
        assert row.step is not None and row.rung is not None
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        if chosen:
            painter.setPen(QPen(TINT, 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(box).adjusted(0.5, 0.5, -0.5, -1.5), 3, 3)
        tick = BOX.translated(QPointF(box.topLeft()))
        painter.setPen(QPen(DIM, 1))
        painter.setBrush(WELL)
        painter.drawRoundedRect(tick, 2, 2)
        if row.step.on:
            painter.setPen(QPen(TEXT, 2))
            x, y, size = tick.left(), tick.top(), tick.width()
            corners = [QPointF(x + a * size, y + b * size) for a, b in ((0.22, 0.52), (0.42, 0.74), (0.80, 0.26))]
            painter.drawLine(corners[0], corners[1])
            painter.drawLine(corners[1], corners[2])
        ink = TEXT if row.step.on else LINE.lighter(150)
        painter.setPen(ink)
        painter.setFont(font(12, bold=True))
        top = QRect(box.left() + 26, box.top() + 3, box.width() - 32, 18)
        painter.drawText(top, left, f"{row.rung + 1}  {row.step.title}")
        used = painter.fontMetrics().horizontalAdvance(f"{row.rung + 1}  {row.step.title}") + 10
        painter.setPen(DIM)
        painter.setFont(font(11))
        metrics = painter.fontMetrics()
        where = metrics.elidedText(row.step.reach.text, Qt.TextElideMode.ElideRight, max(top.width() - used, 0))
        painter.drawText(top, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, where)
        foot = QRect(box.left() + 44, box.top() + 20, box.width() - 50, 16)
        told = " · ".join(part for part in ("" if row.step.on else "bypassed", row.warning, row.step.text) if part)
        painter.drawText(foot, left, metrics.elidedText(told, Qt.TextElideMode.ElideRight, foot.width()))
