"""The shelf of stock treatments: each on the shot in view, searched, put in place of its steps or as a look."""

from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QWidget,
)
from PyQt6.QtWidgets import QDialog as Dialog

from bluffline.errors import BlufflineError
from bluffline.session.stock import StockShelf, as_look
from bluffline.treat.kinds.look import Look
from bluffline.treat.step import Number
from bluffline.ui.dialogs.layout import close_button, dim, lay_out
from bluffline.ui.ladder.figures import FigureBox, Slide
from bluffline.ui.style.style import font, image_of
from bluffline.view.overview import THUMB_WIDTH, Image

_FILES, _TAKEN = "Treatments (*.json)", "Treatments, LUTs, CDLs (*.json *.cube *.clf *.cdl *.cc *.ccc)"
_STRENGTH = next(one.declared for one in Look.figures() if one.key == "strength")


class ShelfDialog(Dialog):
    """What stands on the shelf; ``put``: a name, its strength, and whether reach and reasons go along."""

    put = pyqtSignal(str, float, bool, bool)
    put_look = pyqtSignal(str, float)

    def __init__(self, shelf: StockShelf, thumbnails: Mapping[str, Image], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Stock treatments")
        self._shelf, self._thumbnails = shelf, thumbnails
        self.search = QLineEdit()
        self.search.setPlaceholderText("search by name or step")
        self.search.setAccessibleName("Search")
        self.search.textChanged.connect(lambda _: self.refresh())
        self.list = QListWidget()
        self.list.setViewMode(QListView.ViewMode.IconMode)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setMovement(QListView.Movement.Static)
        self.list.setIconSize(QSize(THUMB_WIDTH, THUMB_WIDTH * 9 // 16))
        self.list.setSpacing(8)
        self.list.setAccessibleName("Stock treatments on the shot in view")
        self.list.currentItemChanged.connect(lambda *_: self._chosen())
        self.told = QLabel()
        self.told.setFont(font(12))
        self.told.setWordWrap(True)
        assert isinstance(_STRENGTH, Number)
        self.strength, self._slide = FigureBox("Strength of the look", _STRENGTH, 100.0, 100.0), Slide(_STRENGTH, 100.0)
        self.strength.valueChanged.connect(self._slide.show_value)
        self._slide.moved.connect(self.strength.setValue)
        self.reach, self.reasons = QCheckBox("with its reach"), QCheckBox("with its reasons")
        for box in (self.reach, self.reasons):
            box.setChecked(True)
        self.buttons: dict[str, QPushButton] = {}
        first, second = QHBoxLayout(), QHBoxLayout()
        for row, words, act in (
            (first, "Replace the steps", self._put), (second, "Use as a look", self._put_look),
            (second, "Remove", self._remove), (second, "Export to a file …", self._export),
            (second, "Import a file …", self._import),
        ):  # fmt: skip
            button = QPushButton(words)
            button.setFont(font(12))
            button.setAutoDefault(False)
            button.clicked.connect(lambda _, act=act: act())
            self.buttons[words] = button
            row.addWidget(button)
        for part in (self.reach, self.reasons):
            first.addWidget(part)
        first.addStretch(1)
        second.insertWidget(0, dim("Strength"))
        second.insertWidget(1, self.strength)
        second.insertWidget(2, self._slide)
        lay_out(self, self.search, self.list, self.told, first, second, close_button(self))
        self.resize(860, 640)
        self.refresh()

    def refresh(self) -> None:
        """Show what is on the shelf and looked for."""
        wanted, before = self.search.text().strip().lower(), self.name
        self.list.clear()
        for name in self._shelf.names():
            words = self._words(name)
            if wanted not in f"{name} {words}".lower():
                continue
            item = QListWidgetItem(name)
            item.setToolTip(words)
            if name in self._thumbnails:
                picture = QPixmap.fromImage(image_of(self._thumbnails[name]).copy())
                icon = QIcon(picture)
                icon.addPixmap(picture, QIcon.Mode.Selected)  # what is chosen keeps its colours
                item.setIcon(icon)
            self.list.addItem(item)
            if name == before:
                self.list.setCurrentItem(item)
        self._chosen()

    def _words(self, name: str) -> str:
        try:
            stock = self._shelf.take(name)
        except BlufflineError as error:
            return str(error)
        steps = "; ".join(f"{step.title}: {step.text}" for step in stock.steps)
        if not self._shelf.comes_with(name):
            return steps
        need = stock.reasons[0]
        return f"For {need}. {steps}"

    def _only_limits(self, name: str) -> bool:
        try:
            return not as_look(name, self._shelf.take(name).steps, 100).steps
        except BlufflineError:
            return False

    @property
    def name(self) -> str:
        """The one that is chosen; empty where none is."""
        item = self.list.currentItem()
        return item.text() if item is not None else ""

    def _chosen(self) -> None:
        for words, button in self.buttons.items():
            button.setEnabled(bool(self.name) or words == "Import a file …")
        why_not = {"Remove": "", "Use as a look": ""}
        if self._shelf.comes_with(self.name):
            why_not["Remove"] = "It comes with the desk; one of your own by the same name is shown instead"
        if self.name and self._only_limits(self.name):
            why_not["Use as a look"] = "It has nothing but limits, and a look holds none: replace the steps with it"
        for words, why in why_not.items():
            self.buttons[words].setEnabled(bool(self.name) and not why)
            self.buttons[words].setToolTip(why)
        empty = "No stock treatments yet: keep a shot's treatment here, or import a file."
        if self._shelf.names():
            empty = "Choose one." if self.list.count() else "No stock treatment has such a name or step."
        self.told.setText(self._words(self.name) if self.name else empty)

    def _put(self) -> None:
        self.put.emit(self.name, self.strength.value(), self.reach.isChecked(), self.reasons.isChecked())

    def _put_look(self) -> None:
        self.put_look.emit(self.name, self.strength.value())

    def _remove(self) -> None:
        self._shelf.remove(self.name)
        self.refresh()

    def _export(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Export to a file", f"{self.name}.treatment.json", _FILES)
        if path:
            self.export(Path(path))

    def export(self, path: Path) -> None:
        """Write the chosen one to a file."""
        try:
            self._shelf.give_out(self.name, path)
        except BlufflineError as error:
            self.told.setText(str(error))
        else:
            self.told.setText(f"{self.name} is written to {path.name}")

    def _import(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Import a file", str(Path.cwd()), _TAKEN)
        if path:
            self.take_in(Path(path))

    def take_in(self, path: Path) -> None:
        """Put a file on the shelf."""
        try:
            name = self._shelf.take_in(path)
        except BlufflineError as error:
            self.told.setText(str(error))
            return
        self.search.clear()
        self.refresh()
        self.list.setCurrentItem(next(iter(self.list.findItems(name, Qt.MatchFlag.MatchExactly)), None))
