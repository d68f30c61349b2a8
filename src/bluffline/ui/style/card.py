"""A card: one title at the left, the facts at the right in dim text, the matter below."""

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from bluffline.ui.style.line import Line
from bluffline.ui.style.style import font


class Card(QFrame):
    """Holds one widget under a title and its facts, and maybe a line at its foot."""

    def __init__(self, title: str, matter: QWidget, foot: QWidget | None = None) -> None:
        super().__init__()
        self.setObjectName("card")
        self._matter = matter
        self._title = QLabel(title)
        self._title.setFont(font(13, bold=True))
        self._facts = Line(font(12))
        self._head = QWidget()
        head = QHBoxLayout(self._head)
        head.setContentsMargins(0, 0, 0, 0)
        head.addWidget(self._title)
        head.addWidget(self._facts, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 6, 10, 8)
        layout.setSpacing(5)
        layout.addWidget(self._head)
        layout.addWidget(matter, 1)
        if foot is not None:
            layout.addWidget(foot)

    def set_head(self, *, shown: bool) -> None:
        """Show the title and the facts, or give their room to the matter."""
        self._head.setVisible(shown)

    def set_title(self, text: str) -> None:
        """Change the title."""
        if text != self._title.text():
            self._title.setText(text)

    def set_facts(self, text: str) -> None:
        """Change the facts."""
        self._facts.setText(text)

    def speak(self, text: str) -> None:
        """Say what the matter shows, to whoever can't see it."""
        self._matter.setAccessibleDescription(text)

    @property
    def facts(self) -> str:
        """The facts as shown."""
        return self._facts.text()
