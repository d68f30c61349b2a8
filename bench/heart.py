"""How long the interface thread is away: events are asked for all the time, and the time between two of them is looked at."""

import os
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, Qt, QTimer

NOTICED = 0.05  # seconds
_BEAT = 2  # milliseconds between two events; more often would itself keep the interpreter busy


class Heart:
    """Counts how long events wait."""

    def __init__(self) -> None:
        self.longest, self._last = 0.0, time.perf_counter()
        self.over: list[float] = []  # waits of which an operator might notice something, in seconds
        self._timer = QTimer()
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._beat)
        self._timer.start(_BEAT)

    def _beat(self) -> None:
        now = time.perf_counter()
        self.longest = max(self.longest, now - self._last)
        if now - self._last > NOTICED:
            self.over.append(now - self._last)
        self._last = now

    def during(self, act: Callable[[], object], seconds: float = 0.6) -> float:
        """The longest wait in milliseconds while something is done, and for a while after."""
        loop = QEventLoop()
        QTimer.singleShot(0, act)
        QTimer.singleShot(int(seconds * 1000), loop.quit)
        self.longest, self._last = 0.0, time.perf_counter()
        self.over = []  # waits of which an operator might notice something, in seconds
        loop.exec()
        return self.longest * 1000


def taken_away() -> float:
    """Seconds, summed over the cores, in which the host ran something else instead of this machine."""
    fields = Path("/proc/stat").read_text(encoding="ascii").split("\n", 1)[0].split()
    return int(fields[8]) / os.sysconf("SC_CLK_TCK")
