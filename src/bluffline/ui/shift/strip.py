"""How many files are in which state: a strip whose parts are told apart by pattern and words; a click or arrows filter."""

from collections.abc import Sequence

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from bluffline.shift.file_in_hand import FileInHand
from bluffline.shift.states import State
from bluffline.ui.shift.words import GROUPS, ONE
from bluffline.ui.style.style import DIM, LINE, TEXT, TINT, font

_BRUSHES = (
    QBrush(TEXT, Qt.BrushStyle.BDiagPattern), QBrush(QColor(140, 140, 140)), QBrush(QColor(205, 205, 205)),
    QBrush(TEXT), QBrush(DIM, Qt.BrushStyle.HorPattern), QBrush(QColor(72, 72, 72)), QBrush(Qt.BrushStyle.NoBrush),
)  # fmt: skip
_LEAST = 138.0  # pixels of a part, so that its words have room


class Strip(QWidget):
    """Draws counts of states."""

    chosen = pyqtSignal(object)  # frozenset[State], or None for all

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(40)
        self.setAccessibleName("Files by state")
        self.setToolTip("Click, or use the arrows, to show these files only; click again to show all")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._counts: list[tuple[str, frozenset[State], int, QBrush]] = []
        self._only: frozenset[State] | None = None

    def show_files(self, files: Sequence[FileInHand]) -> None:
        """Count these."""
        counted = [
            (words, states, sum(file.state in states for file in files), brush)
            for (words, states), brush in zip(GROUPS, _BRUSHES, strict=True)
        ]
        self._counts = [each for each in counted if each[2]]
        self.setAccessibleDescription(", ".join(_told(words, count) for words, _, count, _ in self._counts))
        if self._only is not None and self._only not in [states for _, states, _, _ in self._counts]:
            self._choose(None)
        self.update()

    def _parts(self) -> list[tuple[QRectF, str, frozenset[State], int, QBrush]]:
        total = sum(count for _, _, count, _ in self._counts)
        room = max(self.width() - _LEAST * len(self._counts), 0)
        parts, left = [], 0.0
        for words, states, count, brush in self._counts:
            wide = min(_LEAST, self.width() / len(self._counts)) + room * count / total
            parts.append((QRectF(left, 2, wide - 4, 36), words, states, count, brush))
            left += wide
        return parts

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for box, words, states, count, brush in self._parts():
            chosen = states == self._only
            painter.setPen(QPen(TINT if chosen else LINE, 1))
            painter.setBrush(brush)
            painter.drawRect(QRectF(box.left() + 0.5, 3.5, box.width() - 1, 9))
            painter.setPen(TINT if chosen else TEXT)
            painter.setFont(font(12))
            painter.drawText(QRectF(box.left(), 17, box.width(), 20), Qt.AlignmentFlag.AlignLeft, _told(words, count))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        for box, _, states, _, _ in self._parts():
            if box.contains(event.position()):
                self._choose(None if states == self._only else states)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        choices = [None, *(states for _, states, _, _ in self._counts)]
        self._choose(choices[(choices.index(self._only) + step) % len(choices)])

    def _choose(self, states: frozenset[State] | None) -> None:
        self._only = states
        self.chosen.emit(states)
        self.update()


def _told(words: str, count: int) -> str:
    return f"{count} {ONE.get(words, words) if count == 1 else words}"
