"""Waiving a finding: by whose word and why it is to pass, and how much of what is found that covers."""

from datetime import UTC, datetime

from PyQt6.QtWidgets import QButtonGroup, QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QRadioButton, QVBoxLayout, QWidget

from bluffline.rules.catalogue import headline, rule_title
from bluffline.rules.finding import Finding, Waiver
from bluffline.rules.shots import Shot
from bluffline.ui.dialogs.layout import ask_buttons, dim, lay_out


class WaiveDialog(QDialog):
    """Asks; ``waiver`` is the answer."""

    def __init__(self, finding: Finding, shot: Shot, operator: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Waive a finding")
        self._finding = finding
        self.by, self.reason = QLineEdit(operator), QLineEdit()
        self.reason.setPlaceholderText("lamp in view, as agreed")
        self.reason.setMinimumWidth(360)
        rule = rule_title(finding.rule)
        self.choices: list[tuple[QRadioButton, tuple[str, int | None, int | None]]] = [
            (QRadioButton("This finding"), (finding.rule, finding.first_frame, finding.last_frame)),
            (QRadioButton(f"All that is found in shot {finding.shot + 1}"), ("", shot.first, shot.last)),
            (QRadioButton(f"“{rule}” in the whole programme"), (finding.rule, None, None)),
        ]
        group, listed = QButtonGroup(self), QVBoxLayout()
        for button, _ in self.choices:
            group.addButton(button)
            listed.addWidget(button)
        self.choices[0][0].setChecked(True)
        form = QFormLayout()
        form.addRow("Why", self.reason)
        form.addRow("By whose word", self.by)
        form.addRow("Waived is", listed)
        buttons = ask_buttons(self, "Waive it")
        self.accept_button = next(
            each for each in buttons.buttons() if buttons.buttonRole(each) is QDialogButtonBox.ButtonRole.AcceptRole
        )
        for field in (self.by, self.reason):
            field.textChanged.connect(lambda _: self._look())
        self._look()
        words = dim("What is waived is still listed, in the certificate too, with the reason and the name. Undo takes it back.")
        words.setWordWrap(True)
        lay_out(self, dim(headline(finding)), form, words, buttons)
        self.reason.setFocus()

    def _look(self) -> None:
        self.accept_button.setEnabled(bool(self.by.text().strip() and self.reason.text().strip()))

    @property
    def waiver(self) -> Waiver:
        """The word that was given."""
        rule, first, last = next(what for button, what in self.choices if button.isChecked())
        at = datetime.now(UTC).isoformat(timespec="seconds")
        return Waiver(rule, self.reason.text().strip(), self.by.text().strip(), at, first, last)
