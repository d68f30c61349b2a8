"""Small files that are read whole: how much of one is taken in is bounded before memory is."""

import errno
import stat
from pathlib import Path

_MOST = {
    ".json": 64 << 20,
    ".cube": 64 << 20,
    ".clf": 64 << 20,
    ".bluffline": 256 << 20,
}  # a cube of 65 entries a side has some 10 MB
_MOST_TEXT = 4 << 20  # rules, layouts, references


def read_bounded(path: Path) -> bytes:
    """All of a small file.

    Raises
    ------
    OSError : it can't be read, is no ordinary file, or is larger than any of its kind has to be
    """
    if not stat.S_ISREG(path.stat().st_mode):
        raise OSError(errno.EINVAL, "it is not an ordinary file", str(path))
    most = _MOST.get(path.suffix.lower(), _MOST_TEXT)
    with path.open("rb") as file:
        data = file.read(most + 1)
    if len(data) > most:
        raise OSError(errno.EFBIG, f"it is larger than {most >> 20} MB", str(path))
    return data


def read_text(path: Path) -> str:
    """All of a small text file in UTF-8.

    Raises
    ------
    OSError : as for `read_bounded`
    UnicodeDecodeError : it is no text
    """
    return read_bounded(path).decode("utf-8-sig")
