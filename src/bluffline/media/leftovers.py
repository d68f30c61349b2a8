"""What a run that was killed has left beside its target: hidden files and folders with the number of its process."""

import os
import re
import shutil
from contextlib import suppress
from pathlib import Path

_ENDINGS = "unproved|part|unfinished|new|old|delivery|certificate"
_BESIDE = r"(?:\.certificate\.json|\.findings\.csv|\.certificate\.html)?"


def remove_leftovers(target: Path, *, alone: bool = False) -> list[Path]:
    """Remove what runs that are no more have left beside ``target``; returns what was removed. What can't be, stays.

    ``alone``: nobody else writes it now, on whatever machine, so that all there is of it is left. Else the runs are asked for,
    by their numbers, and those are of this machine.
    """
    stem, name, suffix = map(re.escape, (target.stem, target.name, target.suffix))
    number, ending = r"\.(\d+)\.", rf"(?:{_ENDINGS})"
    hidden = re.compile(rf"\.(?:{stem}{number}{ending}(?:\.shaped)?{suffix}|{name}{_BESIDE}{number}{ending})\b.*")
    removed = []
    with suppress(OSError):
        for file in sorted(target.parent.iterdir()):
            match = hidden.fullmatch(file.name)
            if match and (alone or not _is_alive(int(match[1] or match[2]))):
                with suppress(OSError):
                    shutil.rmtree(file) if file.is_dir() else file.unlink()
                    removed.append(file)
    return removed


def remove_old_folders(folder: Path, prefix: str) -> None:
    """Remove folders that runs that are no more have left: their names end with a process number and what made them unique."""
    named = re.compile(rf"{re.escape(prefix)}(\d+)-.*")
    with suppress(OSError):
        for each in folder.iterdir():
            match = named.fullmatch(each.name)
            if match and each.is_dir() and not _is_alive(int(match[1])):
                shutil.rmtree(each, ignore_errors=True)


def _is_alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True
