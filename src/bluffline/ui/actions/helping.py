"""What helps whoever sits at the desk: its keys, its commands by a word, what was said, and what it is."""

from collections.abc import Callable, Mapping

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMessageBox, QWidget

from bluffline import __version__
from bluffline.ui.dialogs.find_command import FindCommandDialog
from bluffline.ui.dialogs.key_sheet import KeySheet
from bluffline.ui.dialogs.layout import asked, show_until_closed
from bluffline.ui.dialogs.said import SaidDialog
from bluffline.ui.header import Header


class Helping:
    """Shows it over the window."""

    def __init__(
        self, acts: Mapping[str, QAction], header: Header, refresh_commands: Callable[[], object], window: QWidget
    ) -> None:
        self._acts, self._header, self._refresh_commands, self._window = acts, header, refresh_commands, window

    def show_keys(self) -> None:
        """Show the key sheet."""
        asked(KeySheet(self._window))

    def find_command(self) -> None:
        """Ask for a word of a command, and do it."""
        self._refresh_commands()
        dialog = FindCommandDialog(self._acts, self._window)
        if asked(dialog):
            self._acts[dialog.chosen].trigger()

    def show_said(self) -> None:
        """Show what was said, with its times."""
        show_until_closed(SaidDialog(self._header.said, self._window))

    def show_about(self) -> None:
        """Say what this is."""
        QMessageBox.about(
            self._window, "About Bluffline",
            f"Bluffline {__version__}\nBroadcast quality control: measure, judge, correct, prove.\nGPL-3.0-or-later.",
        )  # fmt: skip
