"""The user's folders for what the program keeps, by the XDG base directory specification."""

import os
from enum import Enum
from pathlib import Path


class UserFolder(Enum):
    """What is kept: the variable that names its folder, and where that is below the user's own where it isn't named."""

    SETTINGS = ("XDG_CONFIG_HOME", ".config")
    WORK = ("XDG_DATA_HOME", ".local/share")
    LOG = ("XDG_STATE_HOME", ".local/state")
    MADE_ANEW = ("XDG_CACHE_HOME", ".cache")

    @property
    def path(self) -> Path:
        """The program's own folder; it need not exist. A relative path in the variable is left aside, as is laid down."""
        variable, usual = self.value
        named = Path(os.environ.get(variable, ""))
        return (named if named.is_absolute() else Path.home() / usual) / "bluffline"
