"""The files in hand as a list can show them: sorted, filtered by state, searched by name, thousands at no cost."""

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, Qt

from bluffline.media.opening import shown
from bluffline.shift.file_in_hand import FileInHand
from bluffline.shift.states import State
from bluffline.ui.shift.words import found_in, gravity, seconds_of

FILE = Qt.ItemDataRole.UserRole + 1
DUE = "On air"
# What the list may be sorted by, by the titles of columns, and how the first comes first.
ORDERS: dict[str, Callable[[FileInHand], Any]] = {
    "Programme": lambda file: (file.path.name.casefold(), file.path),
    "Found": lambda file: (*gravity(file), file.due),
    "Length": lambda file: (-seconds_of(file), file.due),
    DUE: lambda file: file.due,
}


class ShiftRows(QAbstractListModel):
    """A row for each file that the filter lets through; rows that stay are told to be drawn anew, so that nothing is lost."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._all: list[FileInHand] = []
        self.files: list[FileInHand] = []
        self._states: frozenset[State] | None = None
        self._words = ""
        self.order, self.reverse = DUE, False

    def sort_by(self, title: str) -> None:
        """Sort by a column; by the one that it is sorted by already, the other way round."""
        self.reverse = title == self.order and not self.reverse
        self.order = title
        self._refresh()

    def show(self, files: Sequence[FileInHand]) -> None:
        """Show these."""
        self._all = list(files)
        self._refresh()

    def narrow(self, *, states: frozenset[State] | None, words: str) -> None:
        """Show only files in some states, all where None, whose names or findings have some words in them."""
        self._states, self._words = states, words.casefold().strip()
        self._refresh()

    def _refresh(self) -> None:
        files = sorted(filter(self._passes, self._all), key=ORDERS[self.order], reverse=self.reverse)
        if [file.path for file in files] == [file.path for file in self.files]:
            self.files = files
            if files:
                self.dataChanged.emit(self.index(0), self.index(len(files) - 1))
            return
        self.beginResetModel()
        self.files = files
        self.endResetModel()

    def _passes(self, file: FileInHand) -> bool:
        if self._states is not None and file.state not in self._states:
            return False
        if not self._words:
            return True
        said = f"{shown(file.path)} {file.profile.name} {file.state} {found_in(file)}".casefold()
        return all(word in said for word in self._words.split())

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 (Qt's own default)
        return 0 if parent.isValid() else len(self.files)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid() or index.row() >= len(self.files):
            return None
        file = self.files[index.row()]
        if role == FILE:
            return file
        if role == Qt.ItemDataRole.ToolTipRole:
            return shown(file.path)
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{shown(file.path.name)}: {file.state}, {found_in(file)}"
        return None
