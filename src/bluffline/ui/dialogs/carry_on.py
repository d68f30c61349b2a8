"""Carrying steps on to other shots: which steps, to which shots."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)

from bluffline.media.programme import Programme
from bluffline.rules.shots import Shot
from bluffline.treat.ladder import Treatment
from bluffline.ui.dialogs.layout import ask_buttons, lay_out
from bluffline.ui.style.style import font


class CarryOnDialog(QDialog):
    """Asks which steps go to which shots."""

    def __init__(
        self, title: str, words: str, steps: Treatment, shots: Sequence[Shot], chosen: Sequence[int], programme: Programme,
        parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.setWindowTitle(title)
        self._all = steps
        self._steps = [QCheckBox(f"{step.title}: {step.text}") for step in steps]
        self._list = QListWidget()
        self._list.setAccessibleName("Shots")
        for number, shot in enumerate(shots):
            item = QListWidgetItem(f"Shot {number + 1}   {programme.label(shot.first)} – {programme.label(shot.last)}")
            item.setCheckState(Qt.CheckState.Checked if number in chosen else Qt.CheckState.Unchecked)
            self._list.addItem(item)
        explained = QLabel(words)
        explained.setWordWrap(True)
        every, none = QPushButton("All shots"), QPushButton("None")
        every.clicked.connect(lambda: self.check(Qt.CheckState.Checked))
        none.clicked.connect(lambda: self.check(Qt.CheckState.Unchecked))
        row = QHBoxLayout()
        row.addWidget(every)
        row.addWidget(none)
        row.addStretch(1)
        for box in self._steps:
            box.setChecked(True)
            box.setFont(font(12))
        lay_out(self, explained, *self._steps, self._list, row, ask_buttons(self, "Give to these shots"))
        self.resize(520, 460)

    def check(self, state: Qt.CheckState) -> None:
        for row in range(self._list.count()):
            item = self._list.item(row)
            assert item is not None
            item.setCheckState(state)

    @property
    def shots(self) -> list[int]:
        """Numbers of the shots that were chosen."""
        items = ((row, self._list.item(row)) for row in range(self._list.count()))
        return [row for row, item in items if item is not None and item.checkState() is Qt.CheckState.Checked]

    @property
    def steps(self) -> Treatment:
        """The steps that were chosen."""
        return tuple(step for step, box in zip(self._all, self._steps, strict=True) if box.isChecked())
