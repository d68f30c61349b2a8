"""What a programme is known by: what is in it, wherever it lies and whatever it is called."""

import hashlib
from collections.abc import Sequence
from pathlib import Path

_LOOKS, _LOOK = 64, 16_384  # places of a programme that tell it from others, and the bytes of each


def fingerprint(files: Sequence[Path]) -> str:
    """What the files of a programme hold: their sizes, and places all through them; of numbered pictures their names as well.

    A programme that is moved, renamed or touched keeps it; one that is written anew does not, though it be of the same size.

    Raises
    ------
    OSError : one can't be read
    """
    digest = hashlib.sha256()
    if len(files) == 1:
        (file,) = files
        size = file.stat().st_size
        digest.update(f"{size} ;".encode())
        with file.open("rb") as opened:
            for look in range(_LOOKS):
                opened.seek(max(size - _LOOK, 0) * look // (_LOOKS - 1))
                digest.update(opened.read(_LOOK))
        return digest.hexdigest()
    for file in files:
        digest.update(f"{file.name} {file.stat().st_size};".encode("utf-8", "surrogateescape"))
    for look in range(min(_LOOKS, len(files))):
        file = files[(len(files) - 1) * look // max(min(_LOOKS, len(files)) - 1, 1)]
        with file.open("rb") as opened:
            opened.seek(max(file.stat().st_size - _LOOK, 0) // 2)
            digest.update(opened.read(_LOOK))
    return digest.hexdigest()


def stamped(content: str, files: Sequence[Path]) -> str:
    """The same with the times of change: what was measured is true of files that nobody has touched since.

    Raises
    ------
    OSError : one is gone
    """
    times = " ".join(str(file.stat().st_mtime_ns) for file in files)
    return hashlib.sha256(f"{content} {times}".encode()).hexdigest()


def fingerprint_before_5(programme: Path) -> str:
    """What a file was known by in stores up to version 4: its time of change as well.

    Raises
    ------
    OSError : it can't be read
    """
    facts = programme.stat()
    digest = hashlib.sha256(f"{facts.st_size} {facts.st_mtime_ns};".encode())
    with programme.open("rb") as opened:
        for look in range(_LOOKS):
            opened.seek(max(facts.st_size - _LOOK, 0) * look // (_LOOKS - 1))
            digest.update(opened.read(_LOOK))
    return digest.hexdigest()
