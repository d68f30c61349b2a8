"""The files in hand as a list can show them: filtered by state, searched by name, thousands at no cost."""

from collections.abc import Sequence

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, Qt

from bluffline.media.opening import shown
from bluffline.shift.file_in_hand import FileInHand
from bluffline.shift.states import State
from bluffline.ui.shift.words import found_in

FILE = Qt.ItemDataRole.UserRole + 1


class ShiftRows(QAbstractListModel):
    """A row for each file that the filter lets through; rows that stay are told to be drawn anew, so that nothing is lost."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._all: list[FileInHand] = []
        self.files: list[FileInHand] = []
        self._states: frozenset[State] | None = None
        self._words = ""

    def show(self, files: Sequence[FileInHand]) -> None:
        """Show these, in their order."""
        self._all = list(files)
        self._refresh()

    def narrow(self, *, states: frozenset[State] | None, words: str) -> None:
        """Show only files in some states, all where None, whose names or findings have some words in them."""
        self._states, self._words = states, words.casefold().strip()
        self._refresh()

    def _refresh(self) -> None:
        files = [file for file in self._all if self._passes(file)]
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
