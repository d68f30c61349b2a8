"""Who sits at the desk: a name and a station, asked once, and put under what is done."""

import os
from contextlib import suppress

from PyQt6.QtWidgets import QWidget

from bluffline.errors import SettingsError
from bluffline.report.keys import Keys
from bluffline.session.settings import Settings
from bluffline.ui.dialogs.layout import asked
from bluffline.ui.dialogs.who import WhoDialog


class Who:
    """Knows from the settings, or asks."""

    def __init__(self, settings: Settings, window: QWidget) -> None:
        self._settings, self._window = settings, window

    @property
    def known(self) -> str:
        """The name with its station, as it is put under what is done; empty where nobody has said yet."""
        return ", ".join(filter(None, (self._settings.operator, self._settings.station)))

    @property
    def signed(self) -> str:
        """The same, asked for where nobody has said yet; who does not say is called as this machine calls its user."""
        if not self._settings.operator and not self.ask():
            self._settings.operator = os.environ.get("USER", "") or "operator"
            self._settings.save()
        return self.known

    def ask(self) -> bool:
        """Ask, and remember; whether it was said."""
        dialog = WhoDialog(self._settings.operator, self._settings.station, self._window)
        if said := asked(dialog):
            self._settings.operator, self._settings.station = dialog.said
            self._settings.save()
            with suppress(SettingsError):  # a key that can't be used is told of where something is to be signed
                Keys().rename(self.known)
        return said
