"""What was said on the desk, with its times: a sentence that was missed can be read again."""

from PyQt6.QtWidgets import QDialog, QPlainTextEdit, QWidget

from bluffline.ui.dialogs.layout import close_button, lay_out
from bluffline.ui.style.style import font


class SaidDialog(QDialog):
    """The sentences of this sitting, the last one at the foot."""

    def __init__(self, said: list[tuple[str, str]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("What was said")
        self.text = QPlainTextEdit("\n".join(f"{when}  {words}" for when, words in said) or "Nothing has been said yet.")
        self.text.setReadOnly(True)
        self.text.setFont(font(12))
        self.text.setAccessibleName("What was said")
        self.text.verticalScrollBar().setValue(self.text.verticalScrollBar().maximum())  # type: ignore[union-attr]
        lay_out(self, self.text, close_button(self))
        self.resize(820, 420)
