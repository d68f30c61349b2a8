"""What all dialogs share: their margins, their buttons, and labels that stand back."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLabel, QLayout, QVBoxLayout, QWidget


def lay_out(dialog: QDialog, *parts: QWidget | QLayout) -> None:
    """Put widgets and layouts one below the other, with the margins of every dialog."""
    layout = QVBoxLayout(dialog)
    layout.setContentsMargins(18, 14, 18, 14)
    layout.setSpacing(12)
    for part in parts:
        if isinstance(part, QWidget):
            layout.addWidget(part)
        else:
            layout.addLayout(part)


def asked(dialog: QDialog) -> bool:
    """Show a dialog and wait for its end, whether it ended well; then it is gone as soon as its answers have been read."""
    accepted = dialog.exec() == QDialog.DialogCode.Accepted
    dialog.deleteLater()
    return accepted


def show_until_closed(dialog: QDialog) -> None:
    """Show a dialog over its window and go on; closed, it is gone."""
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.open()


def cancel_button(dialog: QDialog) -> QDialogButtonBox:
    """A row of buttons that holds Cancel so far; one that accepts ends the dialog well."""
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
    buttons.accepted.connect(dialog.accept)
    buttons.rejected.connect(dialog.reject)
    return buttons


def ask_buttons(dialog: QDialog, title: str) -> QDialogButtonBox:
    """Cancel, and the thing to press."""
    buttons = cancel_button(dialog)
    accept = buttons.addButton(title, QDialogButtonBox.ButtonRole.AcceptRole)
    assert accept is not None
    accept.setProperty("next", True)
    return buttons


def close_button(dialog: QDialog) -> QDialogButtonBox:
    """Close alone."""
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
    buttons.rejected.connect(dialog.reject)
    return buttons


def add_row(form: QFormLayout, title: str, field: QWidget) -> None:
    """Put a field in a form beside what it is called, which is its name for whoever can't see it as well."""
    label = dim(title)
    label.setBuddy(field)
    form.addRow(label, field)


def dim(text: str) -> QLabel:
    """A label in dim text."""
    label = QLabel(text)
    label.setProperty("role", "dim")
    return label
