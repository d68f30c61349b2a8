"""The desk's menus, made from its commands: what each does, its keys, and whether it can be done now."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar

from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.ui.actions.commands import COMMANDS, MENUS, WHILE_IN_HAND
from bluffline.ui.actions.hands import Hands

# Of other menus, what can be done while the files in hand are shown.
_WHEREVER = ("quit", "open", "open-demo", "open-tide", "cancel")


class Menus(QMenuBar):
    """``acts``: the action of every command, by its id. ``acted``: something was done, or is about to be looked for."""

    acted = pyqtSignal()
    recent_chosen = pyqtSignal(object)  # Path

    def __init__(self) -> None:
        super().__init__()
        self.acts: dict[str, QAction] = {}
        self.recent: QMenu | None = None

    def fill(self, hands: Hands) -> None:
        """An action for every command, wherever on the desk its key is pressed."""
        self._hands = hands
        menus = {name: self.addMenu(name) for name in MENUS}
        for command in COMMANDS:
            menu = menus[command.menu]
            assert menu is not None
            if command.apart:
                menu.addSeparator()
            action = QAction(command.title, self)
            action.setShortcuts([QKeySequence(key) for key in command.keys])
            action.triggered.connect(partial(self._do, command.do))
            action.setAutoRepeat(not command.held)
            menu.addAction(action)
            self.acts[command.id] = action
            if command.id == "open":
                self.recent = menu.addMenu("Open recent")
        for menu in menus.values():
            assert menu is not None
            menu.aboutToShow.connect(self.acted)

    def _do(self, act: Callable[[Hands], object], *_: object) -> None:
        act(self._hands)
        self.acted.emit()

    def enable(self, session: Session, settings: Settings, *, in_hand: bool) -> None:
        """Enable what can be done now; ``in_hand``: while the files in hand are shown."""
        for command in COMMANDS:
            here = not in_hand or command.menu in WHILE_IN_HAND or command.id in _WHEREVER
            self.acts[command.id].setEnabled(here and command.enabled(self._hands))
        for name, act in (("undo", session.document.undoes), ("redo", session.document.redoes)):
            self.acts[name].setText(f"{name.capitalize()}: {act}" if act else name.capitalize())
        self._fill_recent(settings.recent)

    def _fill_recent(self, names: list[str]) -> None:
        menu = self.recent
        assert menu is not None
        menu.setEnabled(bool(names))
        if [action.text() for action in menu.actions()] == names:
            return
        menu.clear()
        for name in names:
            action = menu.addAction(name)
            assert action is not None
            action.triggered.connect(lambda _, name=name: self.recent_chosen.emit(Path(name)))
