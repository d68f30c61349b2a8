"""A line of text that changes many times a second: unlike a label it never asks the window to be laid out again."""

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from bluffline.ui.style.style import DIM, TEXT


class Line(QWidget):
    """Takes the width that is left; what does not fit is elided and told in the tool tip. ``cut``: whether it is."""

    cut = pyqtSignal(bool)

    def __init__(self, face: QFont, *, dim: bool = True, right: bool = True) -> None:
        super().__init__()
        self.setFont(face)
        self._text = ""
        self._colour = DIM if dim else TEXT
        self._side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(40, self.fontMetrics().height() + 2)

    def text(self) -> str:
        """The text, whole."""
        return self._text

    def setText(self, text: str) -> None:
        """Show a text."""
        if text != self._text:
            self._text = text
            self.setAccessibleDescription(text)
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(self._colour)
        shown = self.fontMetrics().elidedText(self._text, Qt.TextElideMode.ElideRight, self.width())
        tip = self._text if shown != self._text else ""
        if tip != self.toolTip():
            self.setToolTip(tip)
            self.cut.emit(bool(tip))
        painter.drawText(self.rect(), self._side | Qt.AlignmentFlag.AlignVCenter, shown)
