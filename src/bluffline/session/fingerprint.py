"""What a programme is known by: what is in it, wherever it lies and whatever it is called."""

import hashlib
from pathlib import Path

_LOOKS, _LOOK = 64, 16_384  # places of a file that tell it from others, and the bytes of each


def fingerprint(programme: Path, *, times: bool = True) -> str:
    """What a file is known by: size, time of change, and places all through it; of a folder, its files' names and sizes.

    A file that is moved or renamed keeps it; one that is written anew does not, though it be of the same size.

    Parameters
    ----------
    times : without, a copy is the same that has another time of change, as one that was carried to another machine may have

    Raises
    ------
    OSError : it can't be read
    """
    digest = hashlib.sha256()

    def facts_of(file: Path) -> int:
        facts = file.stat()
        digest.update(f"{facts.st_size} {facts.st_mtime_ns if times else ''};".encode())
        return facts.st_size

    if programme.is_dir() or ("%" in programme.name and not programme.exists()):
        for file in sorted(programme.parent.iterdir() if not programme.is_dir() else programme.iterdir()):
            digest.update(f"{file.name} ".encode("utf-8", "surrogateescape"))
            facts_of(file)
        return digest.hexdigest()
    size = facts_of(programme)
    with programme.open("rb") as opened:
        for look in range(_LOOKS):
            opened.seek(max(size - _LOOK, 0) * look // (_LOOKS - 1))
            digest.update(opened.read(_LOOK))
    return digest.hexdigest()
