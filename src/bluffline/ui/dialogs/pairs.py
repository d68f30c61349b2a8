"""Colours that become others: pairs of them, what each is to become, and how near the curves come."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QDialog,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bluffline.figures import figure
from bluffline.propose.pairs import Colour, Pair, Paired
from bluffline.ui.dialogs.layout import dim
from bluffline.ui.style.buttons import quiet_button
from bluffline.ui.style.style import LINE, font

_COMPONENTS = "R′", "G′", "B′"
_LEAST, _MOST = -20.0, 120.0  # percent
_HINT = "Drag over a colour of the shot, then say what it becomes: typed, picked in any shot, or a patch of the chart."
_HEADS = "", "", "R′, G′, B′, %", "", "becomes", *(f"{name}, %" for name in _COMPONENTS), "", "", "left"
_WIDEST = "−100.0  −100.0  −100.0"
_FULL = 12  # pairs: more say nothing that these don't


class Swatch(QWidget):
    """A colour, R′G′B′ in percent, as the picture shows it."""

    def __init__(self, colour: Colour) -> None:
        super().__init__()
        self.setFixedSize(self.sizeHint())
        self.show_colour(colour)

    def show_colour(self, colour: Colour) -> None:
        """Show another colour."""
        self._colour = QColor(*(round(float(np.clip(each, 0, 100)) * 2.55) for each in colour))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(30, 20)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(LINE)
        painter.setBrush(self._colour)
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class PairsDialog(QDialog):
    """Shows pairs and asks for them; it lets the picture be picked from beside it.

    ``given``: a colour of the shot is to be picked; ``wanted``: what a pair's colour becomes, by its number; ``changed``: the
    pairs are others; ``closed``: it is done with.
    """

    given = pyqtSignal()
    wanted = pyqtSignal(int)
    changed = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self, shot: str, patches: Sequence[tuple[str, Colour]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"This colour becomes that · {shot}")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._patches = patches
        self.pairs: list[Pair] = []
        self.boxes: list[list[QDoubleSpinBox]] = []
        self._made: list[tuple[Swatch, QLabel]] = []  # what each becomes, and what is left
        self._shown: list[Colour] = []
        self.told = dim("")
        self.told.setWordWrap(True)
        self.pick = QPushButton("Pick another colour")
        self.pick.setToolTip(f"Then drag over it in the picture of {shot}")
        self.pick.clicked.connect(self.given)
        self._rows, self._grid = QWidget(), QGridLayout()
        self._rows.setLayout(self._grid)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        foot = QHBoxLayout()
        foot.addWidget(self.pick)
        foot.addStretch(1)
        done = QPushButton("Done")
        done.clicked.connect(self.close)
        for button in (self.pick, done):
            button.setAutoDefault(False)  # Enter ends a figure, and nothing else
        foot.addWidget(done)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(12)
        layout.addWidget(self._rows)
        layout.addWidget(self.told)
        layout.addLayout(foot)
        layout.setSizeConstraint(QLayout.SizeConstraint.SetFixedSize)  # as its pairs need
        self.told.setMinimumWidth(600)
        self.show_pairs(None)

    def add(self, given: Colour) -> None:
        """Another pair, whose colour stays as it is until something else is wanted."""
        rounded: Colour = (round(given[0], 1), round(given[1], 1), round(given[2], 1))
        self._put([*self.pairs, Pair(given, rounded)])
        if self.boxes:
            self.activateWindow()  # what is typed next is what the colour becomes
            self.boxes[-1][0].setFocus()
            self.boxes[-1][0].selectAll()

    def want(self, number: int, wanted: Colour) -> None:
        """What a pair's colour becomes."""
        pairs = list(self.pairs)
        pairs[number] = replace(pairs[number], wanted=wanted)
        self._put(pairs)

    def _put(self, pairs: list[Pair]) -> None:
        self.pairs = pairs
        self.changed.emit()

    def _typed(self, number: int) -> None:
        red, green, blue = (box.value() for box in self.boxes[number])
        self.want(number, (red, green, blue))

    def _remove(self, number: int) -> None:
        self._put([pair for n, pair in enumerate(self.pairs) if n != number])

    def show_pairs(self, made: Paired | None) -> None:
        """Show the pairs, and what the curves make of them."""
        if [pair.given for pair in self.pairs] != self._shown:
            self._build()
        for row, pair in enumerate(self.pairs):
            swatch, left = self._made[row]
            swatch.show_colour(pair.wanted)
            left.setText("" if made is None else f"ΔE {figure(made.rests[row], '.1f')}")
            for box, level in zip(self.boxes[row], pair.wanted, strict=True):
                box.blockSignals(True)
                box.setValue(level)
                box.blockSignals(False)
        against = "; ".join(made.against) if made is not None else ""
        told = f"Not to be had together: {against}. The curves go between." if against else ""
        self.told.setText(told if self.pairs else _HINT)
        self.told.setVisible(bool(self.told.text()))

    def _build(self) -> None:
        """A row for every pair."""
        self._shown = [pair.given for pair in self.pairs]
        for box in self._rows.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly):
            self._grid.removeWidget(box)
            box.hide()
            box.deleteLater()
        self.boxes, self._made = [], []
        for column, words in enumerate(_HEADS if self.pairs else ()):
            self._grid.addWidget(dim(words), 0, column)
        for row, pair in enumerate(self.pairs):
            self._build_row(row, pair)
        self._rows.setVisible(bool(self.pairs))
        self.pick.setEnabled(len(self.pairs) < _FULL)

    def _build_row(self, row: int, pair: Pair) -> None:
        given = QLabel("  ".join(figure(level, ".1f") for level in pair.given))
        given.setFont(font(12))
        given.setMinimumWidth(given.fontMetrics().horizontalAdvance(_WIDEST))
        swatch, left = Swatch(pair.wanted), QLabel()
        left.setToolTip("What is left of the difference, CIEDE2000")
        self._made.append((swatch, left))
        parts: list[QWidget] = [QLabel(f"{row + 1}"), Swatch(pair.given), given, QLabel("→"), swatch]
        boxes = []
        for name, level in zip(_COMPONENTS, pair.wanted, strict=True):
            box = QDoubleSpinBox()
            box.setRange(_LEAST, _MOST)
            box.setDecimals(1)
            box.setMinimumWidth(64)
            box.setValue(level)
            box.setKeyboardTracking(False)
            box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            box.setAccessibleName(f"{name} that colour {row + 1} becomes")
            box.valueChanged.connect(lambda _, row=row: self._typed(row))
            boxes.append(box)
        self.boxes.append(boxes)
        patch = quiet_button("patch ▾", "A patch of the chart's reference", lambda: None)
        menu = QMenu(patch)
        for name, colour in self._patches:
            menu.addAction(name, lambda colour=colour: self.want(row, colour))
        patch.clicked.connect(lambda: menu.exec(patch.mapToGlobal(patch.rect().bottomLeft())))
        picked = quiet_button("pick", "Then drag over what it becomes, in any shot", lambda: self.wanted.emit(row))
        gone = quiet_button("×", "Take the pair away", lambda: self._remove(row))
        for column, part in enumerate([*parts, *boxes, picked, patch, left, gone]):
            self._grid.addWidget(part, row + 1, column)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.closed.emit()
        super().closeEvent(event)

    def reject(self) -> None:
        self.close()
