"""One desk at a time has a programme under control, or the files in hand: two would write over each other's work."""

import fcntl
import os
from pathlib import Path
from typing import IO

from bluffline.errors import SettingsError

_PROGRAMME = "Another desk has this programme under control; two would write over each other's work, so close it there."


class Hold:
    """The right to work on one thing; it ends with `release`, or with the process however that ends.

    Parameters
    ----------
    folder : where desks of one user meet; where it can't be written to, nothing is kept either, and nothing is held
    mark : what it is known by
    taken : what is told where another desk has it

    Raises
    ------
    SettingsError : another desk has it
    """

    def __init__(self, folder: Path, mark: str, taken: str = _PROGRAMME) -> None:
        self.mark = mark
        self._path = folder / f"{mark[:32]}.held"
        self._file: IO[bytes] | None = None
        try:
            folder.mkdir(parents=True, exist_ok=True)
            while self._file is None:
                file = self._path.open("ab")
                try:
                    fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                except BlockingIOError as error:
                    file.close()
                    raise SettingsError(taken) from error
                if os.fstat(file.fileno()).st_nlink:
                    self._file = file
                else:
                    file.close()  # who held it before has removed it since it was opened
        except OSError:
            return

    def release(self) -> None:
        """Let another desk have it."""
        if self._file is not None:
            self._path.unlink(missing_ok=True)
            self._file.close()
            self._file = None
