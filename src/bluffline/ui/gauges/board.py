"""The gauges' board: one, two or four of them, on the desk or in a window of their own."""

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from bluffline.session.gauges import SLOTS, GaugeModel
from bluffline.session.session import Session
from bluffline.ui.gauges.gauge import Gauge
from bluffline.ui.style.line import Line
from bluffline.ui.style.style import font


class GaugeCard(QFrame):
    """A gauge under its title, which is the menu that changes it."""

    def __init__(self, session: Session, model: GaugeModel, slot: int) -> None:
        super().__init__()
        self.setObjectName("card")
        self.gauge = Gauge(session, model, slot)
        self._title = QToolButton()
        self._title.setObjectName("title")
        self._title.setFont(font(13, bold=True))
        self._title.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._title.setAccessibleName(f"Instrument of gauge {slot + 1}")
        self._menu = QMenu(self._title)
        self._menu.aboutToShow.connect(self._fill)
        self._title.setMenu(self._menu)
        self._facts = Line(font(12))
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addWidget(self._facts, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 4, 10, 8)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addWidget(self.gauge, 1)
        self.refresh()

    def _fill(self) -> None:
        self._menu.clear()
        self.gauge.fill_menu(self._menu)

    def refresh(self) -> None:
        """Show what the slot holds now."""
        title = f"{self.gauge.instrument.title} ▾"
        if self._title.text() != title:
            self._title.setText(title)
            self.gauge.clear()

    @property
    def facts(self) -> str:
        """The facts as shown."""
        return self._facts.text()

    def set_facts(self, text: str) -> None:
        """Change the facts."""
        self._facts.setText(text)

    def speak(self, text: str) -> None:
        """Say what the gauge shows, to whoever can't see it."""
        self.gauge.setAccessibleDescription(f"{', '.join(filter(None, (self.gauge.instrument.title, self.facts)))}: {text}")


class GaugeBoard(QWidget):
    """The gauges of slots ``first`` to ``first + 3``, as many as the setup shows."""

    rearranged = pyqtSignal()

    def __init__(self, session: Session, model: GaugeModel, first: int = 0) -> None:
        super().__init__()
        self._model, self._first = model, first
        self.cards = [GaugeCard(session, model, first + n) for n in range(SLOTS)]
        for card in self.cards:
            card.setParent(self)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(7)
        self._arranged = (0, False)
        self.beneath = QVBoxLayout()  # where the first gauge goes to stand under the picture
        model.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Arrange the gauges as the setup says."""
        setup = self._model.setup
        shown = SLOTS if self._first else setup.shown
        for card in self.cards:
            card.refresh()
        beneath = setup.beneath and not self._first
        if (shown, beneath) == self._arranged:
            return
        self._arranged = (shown, beneath)
        for card in self.cards:
            self._grid.removeWidget(card)
            self.beneath.removeWidget(card)
        here = self.cards[1 if beneath else 0 : shown]
        for n, card in enumerate(here):
            self._grid.addWidget(card, *((n // 2, n % 2) if len(here) == SLOTS else (n, 0)))
        if beneath:
            self.beneath.addWidget(self.cards[0])
        # Only now that each has its place: a card without one would be shown as a window.
        for card in self.cards:
            card.setVisible(card in here or (beneath and card is self.cards[0]))
        self.rearranged.emit()


class GaugeWindow(QWidget):
    """Four gauges more, for a second monitor."""

    closed = pyqtSignal()

    def __init__(self, session: Session, model: GaugeModel) -> None:
        super().__init__()
        self.setWindowTitle("Bluffline: gauges")
        self.setObjectName("window")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.board = GaugeBoard(session, model, SLOTS)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.board)

    def sizeHint(self) -> QSize:
        return QSize(960, 640)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.closed.emit()
        super().closeEvent(event)
