"""What is being uploaded: files that grow piece by piece and go on after any break, by tus 1.0."""

import json
import os
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from uuid import uuid4

from bluffline.errors import BlufflineError
from bluffline.report.files import save_text

LARGEST = 1 << 42  # bytes of one file
_KEPT = 7 * 24 * 3600  # seconds that an upload nobody goes on with is kept
_ROOM = 64 << 20  # bytes that are left free on the disk


class RefusedError(BlufflineError):
    """A request that is not done; ``status`` is HTTP's number for the reason."""

    def __init__(self, status: int, sentence: str) -> None:
        super().__init__(sentence)
        self.status = status


@dataclass(frozen=True, slots=True)
class Upload:
    """One file on its way. ``length``: bytes that it will have; ``path``: what of it has arrived."""

    number: str
    name: str
    length: int
    path: Path

    @property
    def offset(self) -> int:
        """Bytes that have arrived."""
        return self.path.stat().st_size

    @property
    def whole(self) -> bool:
        """Whether all of it has arrived."""
        return self.offset == self.length


class Uploads:
    """Uploads in a folder, which may be gone on with after any stop. One process at a time; any thread."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        folder.mkdir(parents=True, exist_ok=True)

    def begin(self, name: str, length: int) -> Upload:
        """A new upload of so many bytes.

        Raises
        ------
        RefusedError : it is too large, or the disk has no room for it
        """
        if not 0 <= length <= LARGEST:
            raise RefusedError(413, f"A file of {length} bytes is not taken; at most {LARGEST} are.")
        if length + _ROOM > shutil.disk_usage(self._folder).free:
            raise RefusedError(507, f"There is no room for {length} more bytes.")
        number = uuid4().hex
        upload = Upload(number, name, length, self._folder / number)
        save_text(self._facts(number), json.dumps({"name": name, "length": length}))
        upload.path.touch()
        return upload

    def find(self, number: str) -> Upload | None:
        """An upload by its number; None where there is none, or none any more."""
        if len(number) != len(uuid4().hex) or not number.isalnum():
            return None
        try:
            facts = json.loads(self._facts(number).read_text(encoding="utf-8"))
        except FileNotFoundError:
            return None
        path = self._folder / number
        return Upload(number, facts["name"], facts["length"], path) if path.exists() else None

    def drop(self, upload: Upload) -> None:
        """Take an upload away."""
        upload.path.unlink(missing_ok=True)
        self._facts(upload.number).unlink(missing_ok=True)

    def clear(self) -> None:
        """Take away what nobody has gone on with for a week."""
        for path in self._folder.iterdir():
            if path.stat().st_mtime < time.time() - _KEPT:
                path.unlink(missing_ok=True)

    def _facts(self, number: str) -> Path:
        return self._folder / f"{number}.json"


class Piece:
    """What is being added to an upload."""

    def __init__(self, upload: Upload, handle: int) -> None:
        self._left, self._handle = upload.length - upload.offset, handle

    def add(self, data: bytes) -> None:
        """Write more of it.

        Raises
        ------
        RefusedError : it is more than was announced
        OSError : the disk refuses
        """
        self._left -= len(data)
        if self._left < 0:
            raise RefusedError(413, "More came than was announced.")
        rest = memoryview(data)
        while rest:
            rest = rest[os.write(self._handle, rest) :]


@contextmanager
def added_to(upload: Upload) -> Iterator[Piece]:
    """Add a piece to an upload: all of it where this ends well, else nothing.

    Raises
    ------
    RefusedError : the disk is full
    """
    before = upload.offset
    handle = os.open(upload.path, os.O_WRONLY | os.O_APPEND)
    try:
        yield Piece(upload, handle)
        os.fsync(handle)
    except BaseException as error:
        os.ftruncate(handle, before)
        if isinstance(error, OSError):
            raise RefusedError(507, f"It could not be written: {error.strerror}.") from error
        raise
    finally:
        os.close(handle)
