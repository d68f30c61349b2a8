"""Small files that are read whole: how much of one is taken in is bounded before memory is."""

import errno
import re
import stat
import tomllib
from pathlib import Path
from typing import Any

_MOST = {
    ".json": 64 << 20,
    ".cube": 64 << 20,
    ".clf": 64 << 20,
    ".bluffline": 64 << 20,
    ".pdf": 64 << 20,
    ".otio": 16 << 20,
}  # a cube of 65 entries a side has some 10 MB
_MOST_TEXT = 4 << 20  # references
_MOST_PARTS = 32  # of a key, and of all numbers on its line; the parser's work and memory grow with their square
_QUOTED = re.compile(r'"[^"\n]*"|\'[^\'\n]*\'')


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
        told = f"{most >> 20} MB" if most >> 20 else f"{most >> 10} kB"
        raise OSError(errno.EFBIG, f"it is larger than {told}", str(path))
    return data


def read_text(path: Path) -> str:
    """All of a small text file in UTF-8.

    Raises
    ------
    OSError : as for `read_bounded`
    UnicodeDecodeError : it is no text
    """
    return read_bounded(path).decode("utf-8-sig")


def parse_toml(text: str) -> dict[str, Any]:
    """A table of TOML.

    Raises
    ------
    ValueError : it is none, or is nested deeper than anything here has to be
    """
    for number, line in enumerate(text.splitlines(), 1):
        if _QUOTED.sub("", line).count(".") > _MOST_PARTS:
            raise ValueError(f"line {number} has more than {_MOST_PARTS} parts")
    try:
        return tomllib.loads(text)
    except RecursionError as error:
        raise ValueError("it is nested too deep") from error
