"""Asking who is at the desk."""

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QWidget

from bluffline.ui.dialogs.layout import ask_buttons, dim, lay_out

_MOST = 80  # characters of each


class WhoDialog(QDialog):
    """Asks; ``said`` is the answer."""

    def __init__(self, name: str, station: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Who is at the desk?")
        self.name, self.station = QLineEdit(name), QLineEdit(station)
        self.name.setPlaceholderText("your name")
        self.station.setPlaceholderText("may be left empty")
        form = QFormLayout()
        for title, line in (("Name", self.name), ("Station", self.station)):
            line.setMaxLength(_MOST)
            line.setMinimumWidth(320)
            form.addRow(title, line)
        buttons = ask_buttons(self, "Sign with this")
        self.accept_button = next(
            each for each in buttons.buttons() if buttons.buttonRole(each) is QDialogButtonBox.ButtonRole.AcceptRole
        )
        self.name.textChanged.connect(lambda _: self._look())
        self._look()
        words = dim("This stands under what you prove, waive, hand on, put off or send back. The Shift menu changes it.")
        words.setWordWrap(True)
        lay_out(self, form, words, buttons)

    def _look(self) -> None:
        self.accept_button.setEnabled(bool(self.name.text().strip()))

    @property
    def said(self) -> tuple[str, str]:
        """Name and station."""
        return self.name.text().strip(), self.station.text().strip()
