"""Where a file goes and in which codec: two rows of a dialog, and what would go wrong said before anything is written."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import (
    QComboBox,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
)

from bluffline.errors import BlufflineError
from bluffline.media.codecs import CODECS, Codec, codec_for
from bluffline.ui.dialogs.layout import add_row, dim


class TargetRows:
    """Codec, path and trouble.

    Parameters
    ----------
    start : the path to begin with
    codec : the codec to begin with, by name
    refuse : raises a `BlufflineError` where a path, or what is to be written in a codec, can't be
    replaced : what is said when the file is there already
    """

    def __init__(self, start: Path, codec: str, refuse: Callable[[Path, Codec], None], replaced: str) -> None:
        self._refuse, self._replaced = refuse, replaced
        self.go: QPushButton | None = None
        self.codecs = QComboBox()
        for each in CODECS.values():
            self.codecs.addItem(f"{each.title} ({', '.join(each.containers)})", each.name)
        self.codecs.setCurrentIndex(self.codecs.findData(codec))
        self.codecs.currentIndexChanged.connect(self._codec_chosen)
        self.path = QLineEdit(str(start))
        self.path.setAccessibleName("File to write")
        self.path.textChanged.connect(self.look)
        self.trouble = QLabel()
        self.trouble.setWordWrap(True)

    def add_to(self, form: QFormLayout) -> None:
        """Add the rows to a form."""
        browse = QPushButton("Choose …")
        browse.clicked.connect(self._browse)
        line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(self.path, 1)
        line.addWidget(browse)
        add_row(form, "Codec", self.codecs)
        form.addRow(dim("File"), line)

    def add_button(self, buttons: QDialogButtonBox, text: str) -> None:
        """Add the button that writes, enabled for as long as nothing would go wrong."""
        self.go = buttons.addButton(text, QDialogButtonBox.ButtonRole.AcceptRole)
        assert self.go is not None
        self.go.setProperty("next", True)
        self.look()

    @property
    def target(self) -> Path:
        """The file to write."""
        return Path(self.path.text().strip()).expanduser()

    @property
    def codec(self) -> Codec:
        """The codec to write in."""
        return CODECS[self.codecs.currentData()]

    def _codec_chosen(self) -> None:
        if self.target.suffix.lower() not in self.codec.containers:
            self.path.setText(str(self.target.with_suffix(self.codec.containers[0])))
        self.look()

    def _browse(self) -> None:
        endings = " ".join(f"*{ending}" for ending in self.codec.containers)
        name, _ = QFileDialog.getSaveFileName(None, "Write to", str(self.target), f"{self.codec.title} ({endings})")
        if name:
            self.path.setText(name)

    def look(self) -> None:
        """Look anew at what would go wrong."""
        trouble, possible = f"{self.target.name} exists and {self._replaced}" if self.target.exists() else "", True
        try:
            codec_for(self.target, self.codec.name)
            self._refuse(self.target, self.codec)
        except BlufflineError as error:
            trouble, possible = str(error), False
        self.trouble.setText(trouble)
        if self.go is not None:
            self.go.setEnabled(possible)
