"""Finding a command among all of them by a word of it."""

from collections.abc import Mapping

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QDialog, QLineEdit, QTreeWidget, QTreeWidgetItem, QWidget

from bluffline.ui.actions.commands import COMMANDS, Command
from bluffline.ui.dialogs.layout import dim, lay_out
from bluffline.ui.style.style import GROUND, TINT, font

_ID = Qt.ItemDataRole.UserRole
_TO_LIST = {Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown}


def found_by(words: str) -> list[Command]:
    """The commands that have every one of some words in their titles, menus or keys: first those whose title begins so."""
    asked = words.casefold().split()

    def said(command: Command) -> str:
        return f"{command.title} {command.menu} {keys_of(command)}".casefold()

    found = [command for command in COMMANDS if all(word in said(command) for word in asked)]
    return sorted(found, key=lambda command: not command.title.casefold().startswith(words.casefold().strip()))


def keys_of(command: Command) -> str:
    """The keys of a command, as this machine writes them."""
    return ", ".join(QKeySequence(key).toString(QKeySequence.SequenceFormat.NativeText) for key in command.keys)


class FindCommandDialog(QDialog):
    """Asks for a word, and shows the commands that have it; ``chosen`` is the one to be done, empty where none is."""

    def __init__(self, acts: Mapping[str, QAction], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self._acts, self.chosen = acts, ""
        self.line, self.list, self._told = QLineEdit(), QTreeWidget(), dim("")
        self.line.setPlaceholderText("a word of it, its menu or its key")
        self.line.setAccessibleName("A word of the command")
        self.list.setAccessibleName("Commands that were found")
        self.list.setFont(font(13))
        self.list.setColumnCount(3)
        self.list.setHeaderHidden(True)
        self.list.setRootIsDecorated(False)
        self.list.setUniformRowHeights(True)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setStyleSheet(f"QTreeWidget::item:selected {{ background: {TINT.name()}; color: {GROUND.name()}; }}")
        self.line.textChanged.connect(self._show)
        self.line.installEventFilter(self)
        self.list.itemClicked.connect(lambda _: self._choose())
        lay_out(self, self.line, self.list, self._told)
        self.resize(620, 440)
        self._show("")

    def _show(self, words: str) -> None:
        self.list.clear()
        able = None
        found = found_by(words)
        for command in found:
            row = QTreeWidgetItem([command.title, command.menu, keys_of(command)])
            row.setData(0, _ID, command.id)
            self.list.addTopLevelItem(row)
            if self._acts[command.id].isEnabled():
                able = able or row
            else:
                row.setDisabled(True)
                row.setToolTip(0, "It can't be done now")
        for column, width in enumerate((330, 110)):
            self.list.setColumnWidth(column, width)
        if able is not None:
            self.list.setCurrentItem(able)
        none = "No command has these words." if not found else "None of these can be done now."
        self._told.setText("Enter does it; what is pale can't be done now." if able is not None else none)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """The arrows move in the list while one types."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in _TO_LIST:
                self.list.keyPressEvent(event)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._choose()
                return True
        return super().eventFilter(watched, event)

    def _choose(self) -> None:
        row = self.list.currentItem()
        if row is not None and not row.isDisabled():
            self.chosen = row.data(0, _ID)
            self.accept()
