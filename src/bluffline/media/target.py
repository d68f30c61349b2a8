"""A file that is being written: by nobody else meanwhile, and under its name only where nothing has come in between."""

import fcntl
import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from bluffline.errors import WriteError
from bluffline.media.leftovers import remove_leftovers
from bluffline.media.opening import Identity, shown

_LONGEST_ADDITION = len(b"...certificate.signature.4194304.unfinished")  # to a name, while it is written

CERTIFICATE_PARTS = "certificate.json", "findings.csv", "certificate.html", "certificate.signature"


class CertificatePaths(NamedTuple):
    """Where a file's certificate stands: JSON, findings as CSV, a page to be printed, and the signature of these three."""

    data: Path
    findings: Path
    page: Path
    signature: Path

    @property
    def printed(self) -> Path:
        """Where it stands as PDF, if somebody has printed it."""
        return self.data.with_suffix(".pdf")


def certificate_paths(target: Path) -> CertificatePaths:
    """Where a file's certificate stands."""
    return CertificatePaths(*(target.with_name(f"{target.name}.{part}") for part in CERTIFICATE_PARTS))


@dataclass(frozen=True, slots=True)
class Claim:
    """The right to write a target. ``working``: the name that it has until it is finished; ``before``: what was there."""

    target: Path
    working: Path
    before: Identity

    def settle(self, beside: Mapping[Path, bytes]) -> None:
        """Give the finished file its name, and put its certificate beside it.

        All of it reaches the disk under other names first. Then an older certificate is moved aside, the file gets its name,
        and the new certificate its own: at no moment does a file stand beside a certificate of another. Where that fails, what
        was there is there again.

        Raises
        ------
        WriteError : the disk refuses, or another file has come under the target's name since this was claimed
        """
        target = self.target
        beside_it = certificate_paths(target)
        before = [path for path in (*beside_it, beside_it.printed) if path.exists()]
        aside = {path: path.with_name(f".{path.name}.{os.getpid()}.old") for path in before}
        prepared = {path: path.with_name(f".{path.name}.{os.getpid()}.new") for path in beside}
        moved: list[Path] = []
        try:
            for path, data in beside.items():
                with prepared[path].open("wb") as file:
                    file.write(data)
                    file.flush()
                    os.fsync(file.fileno())
            with self.working.open("rb+") as written:
                os.fsync(written.fileno())
            self._refuse_another()
            for path, old in aside.items():
                path.replace(old)
                moved.append(path)
            self._name()
            moved.clear()
            for path, ready in prepared.items():
                ready.replace(path)
        except OSError as error:
            raise WriteError(f"{shown(target.name)} could not be given its name: {error.strerror}.") from error
        finally:
            for path in moved:
                aside[path].replace(path)
            for rest in (*prepared.values(), *aside.values()):
                rest.unlink(missing_ok=True)

    def _refuse_another(self) -> None:
        if Identity.of((self.target,)) != self.before:
            raise WriteError(f"{shown(self.target)} was written by somebody else meanwhile; it was left as it is.")

    def _name(self) -> None:
        """Take the name: where nothing had it, in a way that replaces nothing that came this very moment."""
        if self.before != Identity.none(1):
            self.working.replace(self.target)
            return
        try:
            self.target.hardlink_to(self.working)
        except FileExistsError:
            raise WriteError(f"{shown(self.target)} was written by somebody else meanwhile; it was left as it is.") from None
        except OSError:  # a file system without links
            self._refuse_another()
            self.working.replace(self.target)


@contextmanager
def claimed(target: Path, ending: str) -> Iterator[Claim]:
    """Write a target alone; ``ending`` is part of its name until it is finished. What is not settled is removed at the end.

    Raises
    ------
    WriteError : somebody else writes it, or the file system can't hold its name with what is added to it
    """
    refuse_long_name(target)
    lock = target.with_name(f".{target.name}.lock")
    with _locked(lock, target) as alone:
        remove_leftovers(target, alone=alone)
        working = target.with_name(f".{target.stem}.{os.getpid()}.{ending}{target.suffix}")
        try:
            yield Claim(target, working, Identity.of((target,)))
        finally:
            working.unlink(missing_ok=True)


def put_certificate(file: Path, certificate: Mapping[Path, bytes], *, force: bool = False) -> None:
    """Put its certificate beside a file that is not written anew; of two that would, one does.

    Raises
    ------
    WriteError : there is one already, and it may not be replaced; somebody else writes it; or the disk refuses
    """
    with claimed(file, "certificate"):
        if not force and (there := [path for path in certificate if path.exists()]):
            raise WriteError(f"{shown(there[0])} is there already, perhaps of a proof; it was left as it is.")
        prepared = {path: path.with_name(f".{path.name}.{os.getpid()}.new") for path in certificate}
        try:
            for path, data in certificate.items():
                with prepared[path].open("wb") as file_beside:
                    file_beside.write(data)
                    file_beside.flush()
                    os.fsync(file_beside.fileno())
            certificate_paths(file).printed.unlink(missing_ok=True)
            for path, ready in prepared.items():
                ready.replace(path)
        except OSError as error:
            raise WriteError(f"The certificate of {shown(file)} could not be written: {error.strerror}.") from error
        finally:
            for rest in prepared.values():
                rest.unlink(missing_ok=True)


def refuse_long_name(target: Path) -> None:
    """Refused before work begins, not after.

    Raises
    ------
    WriteError : the names that are made of the target's are too long
    """
    most = 255
    with suppress(OSError, ValueError):
        most = os.pathconf(target.parent, "PC_NAME_MAX")
    if (over := len(os.fsencode(target.name)) + _LONGEST_ADDITION - most) > 0:
        raise WriteError(f"{shown(target.name)}, with what is added to it, is too long a name by {over} bytes; shorten it.")


@contextmanager
def _locked(lock: Path, target: Path) -> Iterator[bool]:
    """Hold a lock file, which a process that is killed lets go of; a lock that was removed meanwhile is none.

    Gives whether it holds against all others: there are file systems without locks.
    """
    alone = True
    while True:
        try:
            handle = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        except OSError as error:
            raise WriteError(f"{shown(target)} can't be written: {error.strerror}.") from error
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.close(handle)
            raise WriteError(f"{shown(target)} is being written by another Bluffline; choose another name, or wait.") from None
        except OSError:  # a file system without locks: the look at the end has to do
            alone = False
            break
        with suppress(FileNotFoundError):
            if os.fstat(handle).st_ino == lock.stat().st_ino:
                break
        os.close(handle)
    try:
        yield alone
    finally:
        lock.unlink(missing_ok=True)
        os.close(handle)
