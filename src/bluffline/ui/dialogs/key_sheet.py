"""The key sheet: every key on one page, made from the commands."""

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from bluffline.ui.actions.commands import COMMANDS, MENUS, MOUSE, OTHER_KEYS
from bluffline.ui.dialogs.layout import close_button, dim, lay_out
from bluffline.ui.style.style import font

_WIDE = 1260  # pixels from which on there is room for the usual size
_ALIKE = {"nudge-right", "nudge-up", "nudge-down"}  # told in one line


class KeySheet(QDialog):
    """Every key on one page."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self._size = 12 if parent.width() >= _WIDE else 11
        columns = QHBoxLayout()
        columns.setSpacing(14)
        for group in (("Go", "Chart", "Help"), ("Treatment",), ("View", "Areas", "Shift"), ("Programme", "Gauges")):
            grid = QGridLayout()
            grid.setHorizontalSpacing(9)
            grid.setVerticalSpacing(4)
            row = 0
            for menu in MENUS:
                if menu not in group:
                    continue
                row = self._heading(grid, row, menu)
                for command in COMMANDS:
                    if command.id in _ALIKE:
                        continue
                    if command.menu == menu and command.id == "nudge-left":
                        row = self._line(grid, row, "Ctrl+arrows", "Nudge the step's reach")
                    elif command.menu == menu and command.keys:
                        keys = ", ".join(
                            QKeySequence(key).toString(QKeySequence.SequenceFormat.NativeText) for key in command.keys
                        )
                        row = self._line(grid, row, keys, command.title.removesuffix(" …"))
                for key, text in OTHER_KEYS.get(menu, ()):
                    row = self._line(grid, row, key, text)
            grid.setRowStretch(row, 1)
            columns.addLayout(grid)
        mouse = QHBoxLayout()
        mouse.setSpacing(22)
        half = -(-len(MOUSE) // 2)
        for part, title in ((MOUSE[:half], "Mouse"), (MOUSE[half:], " ")):
            grid = QGridLayout()
            grid.setHorizontalSpacing(9)
            grid.setVerticalSpacing(4)
            row = self._heading(grid, 0, title)
            for place, text in part:
                row = self._line(grid, row, place, text)
            grid.setRowStretch(row, 1)
            grid.setColumnStretch(1, 1)
            mouse.addLayout(grid)
        page = QWidget()
        whole = QVBoxLayout(page)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(12)
        whole.addLayout(columns)
        whole.addLayout(mouse)
        scrolled = QScrollArea()
        scrolled.setAccessibleName("All keys")
        scrolled.setWidget(page)
        scrolled.setWidgetResizable(True)
        scrolled.setFrameShape(QFrame.Shape.NoFrame)
        lay_out(self, scrolled, close_button(self))
        wanted = page.sizeHint() + QSize(48, 74)
        self.resize(wanted.boundedTo(parent.size()))

    @staticmethod
    def _heading(grid: QGridLayout, row: int, text: str) -> int:
        label = QLabel(text)
        label.setFont(font(13, bold=True))
        label.setContentsMargins(0, 10 if row else 0, 0, 2)
        grid.addWidget(label, row, 0, 1, 2)
        return row + 1

    def _line(self, grid: QGridLayout, row: int, keys: str, text: str) -> int:
        key = QLabel(keys)
        key.setFont(font(self._size, mono=True))
        grid.addWidget(key, row, 0)
        told = dim(text)
        told.setFont(font(self._size))
        grid.addWidget(told, row, 1)
        return row + 1
