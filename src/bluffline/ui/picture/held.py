"""Keys that show something for as long as they are held: the source, the reach."""

import math
import time

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent, QWindow
from PyQt6.QtWidgets import QApplication, QLineEdit

from bluffline.ui.picture.viewer import Viewer

_HELD = 0.4  # seconds from which on a key was held and not tapped


class HeldKeys(QObject):
    """Sees keys before whoever has the focus does."""

    def __init__(self, viewer: Viewer, parent: QObject) -> None:
        super().__init__(parent)
        self._viewer = viewer
        self._reach_since = math.inf

    def watch(self, window: QWindow) -> None:
        """Look at the keys of a window; filtering all events of the application would cost every one of them a turn."""
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """The source is shown for as long as its key is held down, wherever the focus is but in a text field."""
        if isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_S and not event.isAutoRepeat():
            typing = isinstance(QApplication.focusWidget(), QLineEdit)
            if not event.modifiers() and not typing:
                self._viewer.hold_source(event.type() == QEvent.Type.KeyPress)
            if event.type() == QEvent.Type.KeyRelease:
                self._let_go_of_reach()
        return super().eventFilter(watched, event)

    def note_reach(self) -> None:
        """The key of the reach was pressed: from now on it may be held."""
        by_key = QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier
        self._reach_since = time.monotonic() if by_key and self._viewer.look.state.reach else math.inf

    def _let_go_of_reach(self) -> None:
        """The reach stays shown after a tap of its key, and goes with the key where that was held."""
        if time.monotonic() - self._reach_since > _HELD:
            self._viewer.look.change(reach=False)
        self._reach_since = math.inf
