"""Stock treatments: treatments kept under a name, one file each, for any programme."""

import re
from pathlib import Path

from bluffline.errors import SettingsError, WriteError
from bluffline.folders import UserFolder
from bluffline.report.files import save_text
from bluffline.treat.ladder import Treatment
from bluffline.treat.stored import load_treatment, treatment_text

_ENDING = ".treatment.json"


class StockShelf:
    """The stock treatments in a folder, by default in the user's data folder."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or UserFolder.WORK.path / "stock"

    def names(self) -> list[str]:
        """What stands on the shelf."""
        return sorted(path.name.removesuffix(_ENDING) for path in self.folder.glob(f"*{_ENDING}"))

    def keep(self, name: str, treatment: Treatment) -> Path:
        """Keep a treatment under a name, in place of one that has it.

        Raises
        ------
        SettingsError : the name can't be a file's
        WriteError : the disk refuses
        """
        name = name.strip()
        if not name or re.search(r"[/\\:\x00-\x1f]", name) or name.startswith("."):
            raise SettingsError(f"A stock treatment can't be called “{name}”: use letters, figures and spaces.")
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise WriteError(f"Stock treatments can't be kept in {self.folder}: {error.strerror}.") from error
        path = self.folder / f"{name}{_ENDING}"
        save_text(path, treatment_text(name, treatment))
        return path

    def take(self, name: str) -> Treatment:
        """The steps of a stock treatment.

        Raises
        ------
        SettingsError : it is not there or can't be read
        """
        return load_treatment(self.folder / f"{name}{_ENDING}")[1]
