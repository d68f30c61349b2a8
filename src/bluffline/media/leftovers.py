"""What a run that was killed has left beside its target: hidden files that carry the number of its process."""

import os
import re
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


def _is_alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return True
