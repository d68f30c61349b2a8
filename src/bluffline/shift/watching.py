"""A folder that is watched: what came into it and has stopped growing.

It is looked at again and again, since network folders tell nobody what is done to them from elsewhere.
"""

import time
from collections.abc import Callable, Sequence
from pathlib import Path

from bluffline.media.opening import Identity, Opening
from bluffline.shift.gathering import gathered

QUIET = 3.0  # seconds that a file has to stay as it is before it is taken for whole
_REST = 10.0  # looking takes at most one part in so many of the time


class Watcher:
    """Tells of each file once for as long as it stays the same: whole when it is first seen so, and again after every change.

    Parameters
    ----------
    leave_out : folders whose files are not looked at, though they lie in this one: what is written must not come in again
    clock : seconds that go on
    """

    def __init__(
        self, folder: Path, leave_out: Sequence[Path] = (), *, quiet: float = QUIET, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self._folder, self._quiet, self._clock = folder, quiet, clock
        self._leave_out = leave_out
        self._seen: dict[Path, tuple[Identity, float]] = {}
        self._told: dict[Path, Identity] = {}
        self._next = -1.0

    @property
    def growing(self) -> list[Path]:
        """What was seen and is not yet known to be whole."""
        return [path for path, (identity, _) in self._seen.items() if self._told.get(path) != identity]

    def steady(self) -> list[Path]:
        """The files that are whole by now and have not been told of as they are; where it is too soon to look again, none."""
        now = self._clock()
        if now < self._next:
            return []
        there = gathered([self._folder], self._leave_out).paths
        for gone in self._seen.keys() - set(there):
            del self._seen[gone]
            self._told.pop(gone, None)
        ready = [path for path in there if self._is_ready(path, now)]
        self._next = now + _REST * (self._clock() - now)
        return ready

    def _is_ready(self, path: Path, now: float) -> bool:
        identity = _identity(path)
        before, since = self._seen.get(path, (None, now))
        if identity != before:
            self._seen[path] = identity, now
            return False
        if now - since < self._quiet or self._told.get(path) == identity:
            return False
        self._told[path] = identity
        return True


def _identity(path: Path) -> Identity:
    try:
        return Opening.of(path).identity()
    except Exception:  # noqa: BLE001 (it is told of once it is taken up)
        return Identity.of((path,))
