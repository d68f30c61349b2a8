"""What a proof came to: the verdict, before and after, what is left, and the way to the certificate."""

from collections import Counter
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QLabel, QPushButton, QWidget

from bluffline.media.target import certificate_paths
from bluffline.prove.prove import Proof
from bluffline.report.looked_at import not_judged
from bluffline.rules.catalogue import headline, rule_title
from bluffline.rules.finding import Finding
from bluffline.survey.survey import must_fix
from bluffline.ui.dialogs.layout import close_button, dim, lay_out
from bluffline.ui.style.style import font

_AROUND = 40  # pixels beside the buttons
_MOST_LEFT = 8  # findings that are told one by one


class ResultDialog(QDialog):
    """Stands beside the desk until it is closed."""

    def __init__(self, proof: Proof, print_certificate: Callable[[Path], object], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Result of the proof")
        self.setModal(False)
        target = proof.request.target
        verdict = QLabel(proof.verdict.capitalize())
        verdict.setFont(font(18, bold=True))
        rounds = f"{proof.rounds} round{'s' if proof.rounds > 1 else ''}"
        told = QLabel(f"{target.name} under {proof.request.survey.rules.title}, read back and measured again, {rounds}")
        told.setWordWrap(True)
        before, after = must_fix(proof.before), must_fix(proof.after_findings)
        counts = _by_rule(before), _by_rule(after)
        grid = QGridLayout()
        grid.setHorizontalSpacing(28)
        for column, words in enumerate(("must fix", "source", "written")):
            grid.addWidget(dim(words), 0, column)
        for row, rule in enumerate(sorted(counts[0] | counts[1]), 1):
            for column, text in enumerate((rule_title(rule), str(counts[0][rule]), str(counts[1][rule]))):
                grid.addWidget(QLabel(text), row, column)
        grid.setColumnStretch(3, 1)
        left = [f"{proof.after.programme.label(each.worst_frame)}  {headline(each)}" for each in after[:_MOST_LEFT]]
        left += [f"and {len(after) - _MOST_LEFT} more"] if len(after) > _MOST_LEFT else []
        self.left = QLabel("\n".join(left) or "Nothing is left that must be fixed.")
        self.not_judged = dim(f"Not judged: {'. '.join(not_judged(proof.request.survey))}.")
        self.not_judged.setWordWrap(True)
        self.losses = dim(" ".join(proof.losses))
        self.losses.setWordWrap(True)
        self.losses.setVisible(bool(proof.losses))
        buttons = close_button(self)
        page = certificate_paths(target).page
        for words, act in (
            ("Open the certificate", partial(_open, page)),
            ("Print it as PDF", partial(print_certificate, target)),
            ("Open its folder", partial(_open, target.parent)),
        ):
            button = buttons.addButton(words, QDialogButtonBox.ButtonRole.ActionRole)
            assert button is not None
            button.clicked.connect(lambda _, act=act: act())
        self._buttons = buttons
        lay_out(self, verdict, told, grid, self.left, self.not_judged, self.losses, buttons)
        self.setMinimumWidth(520)

    def offer(self, words: str, act: Callable[[], object]) -> None:
        """Offer something more to be done with what was written."""
        self._offered(words).clicked.connect(lambda _: act())

    def offer_next(self, take: Callable[[], object]) -> None:
        """Offer to go on with the file in hand that comes next; this closes with it."""
        button = self._offered("Take the next   F3")
        button.setShortcut("F3")
        button.setDefault(True)
        button.clicked.connect(lambda: (self.close(), take()))

    def _offered(self, words: str) -> QPushButton:
        """One more button, and room for its words."""
        button = self._buttons.addButton(words, QDialogButtonBox.ButtonRole.ActionRole)
        assert button is not None
        self.setMinimumWidth(max(self.minimumWidth(), self._buttons.sizeHint().width() + _AROUND))
        return button


def _open(path: Path) -> None:
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))


def _by_rule(findings: list[Finding]) -> Counter[str]:
    return Counter(finding.rule for finding in findings)
