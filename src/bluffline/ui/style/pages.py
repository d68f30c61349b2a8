"""Pages: a card that turns between several matters, each with its facts."""

from collections.abc import Mapping

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from bluffline.ui.style.line import Line
from bluffline.ui.style.style import font


class Page(QWidget):
    """One of the matters; its facts are shown while it is in front."""

    told = pyqtSignal()

    def __init__(self, matter: QWidget, width: int) -> None:
        super().__init__()
        self.facts, self.room = "", width
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(matter)

    def set_facts(self, text: str) -> None:
        """Change the facts."""
        self.facts = text
        self.told.emit()


class Pages(QFrame):
    """A row of titles, the facts of the page in front, and under them the page."""

    turned = pyqtSignal(str)

    def __init__(self, pages: Mapping[str, Page]) -> None:
        super().__init__()
        self.setObjectName("card")
        self.pages, self._stack = dict(pages), QStackedWidget()
        self._facts = Line(font(12))
        self.tabs: dict[str, QToolButton] = {}
        head, group = QHBoxLayout(), QButtonGroup(self)
        head.setSpacing(2)
        for number, (name, page) in enumerate(self.pages.items(), 1):
            tab = QToolButton()
            tab.setObjectName("tab")
            tab.setText(name)
            tab.setFont(font(13, bold=True))
            tab.setCheckable(True)
            tab.setToolTip(f"{name} ({number})")
            tab.clicked.connect(lambda _, name=name: self.turn(name))
            page.told.connect(self._tell)
            group.addButton(tab)
            head.addWidget(tab)
            self.tabs[name] = tab
            self._stack.addWidget(page)
        head.addWidget(self._facts, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 5, 8, 8)
        layout.setSpacing(5)
        layout.addLayout(head)
        layout.addWidget(self._stack, 1)
        self.turn(next(iter(self.pages)))

    @property
    def front(self) -> str:
        """The page in front."""
        return next(name for name, page in self.pages.items() if page is self._stack.currentWidget())

    def turn(self, name: str) -> None:
        """Bring a page to the front; the card is as wide as it needs."""
        page = self.pages[name]
        self.tabs[name].setChecked(True)
        self.setFixedWidth(page.room)
        if page is not self._stack.currentWidget():
            self._stack.setCurrentWidget(page)
            self.turned.emit(name)
        self._tell()

    def _tell(self) -> None:
        page = self._stack.currentWidget()
        assert isinstance(page, Page)
        self._facts.setText(page.facts)
