"""What a run that was killed has left beside its target: hidden files that carry the number of its process."""

import os
import re
import shutil
from contextlib import suppress
from pathlib import Path

_ENDINGS = "unproved|part|unfinished|new|old"
_BESIDE = r"(?:\.certificate\.json|\.findings\.csv|\.certificate\.html)?"


def remove_leftovers(target: Path) -> list[Path]:
    """Remove what runs that are no more have left beside ``target``; returns what was removed. What can't be, stays."""
    names = "|".join(re.escape(name) for name in (target.stem, target.name))
    hidden = re.compile(rf"\.(?:{names}){_BESIDE}\.(\d+)\.(?:{_ENDINGS})\b.*")
    removed = []
    with suppress(OSError):
        for file in sorted(target.parent.iterdir()):
            match = hidden.fullmatch(file.name)
            if match and not _is_alive(int(match[1])):
                with suppress(OSError):
                    file.unlink()
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
