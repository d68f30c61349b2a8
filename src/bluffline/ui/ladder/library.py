"""Curves of the operator's own."""

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from bluffline.errors import BlufflineError
from bluffline.folders import UserFolder
from bluffline.session.stock import StockShelf
from bluffline.treat.reach import EVERYWHERE
from bluffline.treat.step import Step


class CurveLibrary:
    """Keeps the curves of the step in hand under names, and gives those that were kept; ``refused`` is told what can't be."""

    def __init__(
        self, step: Callable[[], Step | None], give: Callable[[Step], object], refused: Callable[[str], object]
    ) -> None:
        self._step, self._give, self._refused = step, give, refused

    @property
    def _shelf(self) -> StockShelf:
        return StockShelf(UserFolder.WORK.path / "curves")

    def menu(self, parent: QWidget) -> QMenu:
        """What can be done with it."""
        menu, names = QMenu(parent), self._shelf.names()
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        keep = QAction("Keep these curves …", menu)
        keep.triggered.connect(lambda *_: self._keep(parent))
        menu.addAction(keep)
        menu.addSeparator()
        for name in names or ["none are kept yet"]:
            action = QAction(name, menu)
            action.setEnabled(bool(names))
            action.triggered.connect(lambda *_, name=name: self._take(name))
            menu.addAction(action)
        return menu

    def _keep(self, parent: QWidget) -> None:
        name, given = QInputDialog.getText(parent, "Curves", "Keep these curves as")
        step = self._step()
        if given and step is not None:
            try:
                self._shelf.keep(name, (replace(step, reach=EVERYWHERE, heading=None, on=True),))
            except BlufflineError as error:
                self._refused(str(error))

    def _take(self, name: str) -> None:
        try:
            kept = next((each for each in self._shelf.take(name).steps if type(each) is type(self._step())), None)
        except BlufflineError as error:
            self._refused(str(error))
            return
        if kept is not None:
            self._give(kept)
