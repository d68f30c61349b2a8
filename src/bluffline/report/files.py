"""Saving so that a file is either the old one or the new one, never half of either."""

import os
import tempfile
from pathlib import Path

from bluffline.errors import WriteError
from bluffline.media.leftovers import remove_leftovers


def save_text(path: Path, text: str) -> None:
    """Write ``text`` to ``path`` as UTF-8, whole or not at all.

    Raises
    ------
    WriteError : the folder is missing, or the disk refuses.
    """
    save_bytes(path, text.encode("utf-8"))


def save_bytes(path: Path, data: bytes) -> None:
    """Write ``data`` to ``path``, whole or not at all.

    Raises
    ------
    WriteError : the folder is missing, or the disk refuses.
    """
    temporary: str | None = None
    remove_leftovers(path)
    try:
        handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.{os.getpid()}.new-")
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        Path(temporary).chmod(0o666 & ~_umask())
        Path(temporary).replace(path)
    except OSError as error:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)
        raise WriteError(f"{path} could not be written: {error.strerror}.") from error


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
