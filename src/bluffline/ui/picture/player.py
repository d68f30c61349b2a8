"""Playing: which frame is due by the clock, and how many could not be shown in time."""

import time
from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, QTimer

from bluffline.session.session import Session
from bluffline.ui.picture.viewer import Viewer

_PRE_ROLL = 0.3  # seconds that playing waits at most for its first frames


class Player(QObject):
    """Moves the session on at the programme's rate, forwards or backwards."""

    def __init__(self, session: Session, viewer: Viewer, stopped: Callable[[], None]) -> None:
        super().__init__()
        self._session, self._viewer = session, viewer
        self._stopped = stopped
        self._timer = QTimer(self)
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._tick)
        self._direction = 1
        self._from_frame, self._from_time = 0, 0.0
        self._rolling = False
        self.dropped = 0

    @property
    def playing(self) -> bool:
        """Whether the programme is running."""
        return self._timer.isActive()

    def toggle(self) -> None:
        """Play on, or pause."""
        if self.playing:
            self.pause()
        else:
            self.play(1)

    def play(self, direction: int) -> None:
        """Play forwards (1) or backwards (−1) from here; from the start where the end has been reached."""
        programme = self._session.programme
        if programme is None:
            return
        if direction > 0 and self._session.place.frame == programme.frame_count - 1:
            self._session.place.go_to(0)
        self._direction, self._rolling, self.dropped = direction, direction < 0, 0  # none are made ahead backwards
        self._from_frame, self._from_time = self._session.place.frame, time.monotonic()
        self._timer.start(max(round(100 / float(programme.frame_rate)), 2))
        self._viewer.ask()  # and the frames after it, now that it plays

    def pause(self) -> None:
        """Stop at the frame in view."""
        if self.playing:
            self._timer.stop()
            self._stopped()

    def move(self, frames: int) -> None:
        """Stop, and move by frames."""
        self.pause()
        self._session.place.go_to(self._session.place.frame + frames)

    def move_seconds(self, seconds: int) -> None:
        """Stop, and move by seconds."""
        if self._session.programme is not None:
            self.move(round(seconds * float(self._session.programme.frame_rate)))

    def _tick(self) -> None:
        programme = self._session.programme
        assert programme is not None
        if not self._rolling:
            if not self._viewer.frames.idle and time.monotonic() - self._from_time < _PRE_ROLL:
                return
            self._rolling, self._from_time = True, time.monotonic()
        elapsed = int((time.monotonic() - self._from_time) * float(programme.frame_rate))
        due = self._from_frame + self._direction * elapsed
        if due == self._session.place.frame or self._viewer.shown != self._session.place.frame:
            return  # not due yet, or the frame asked for is still being made ready
        self.dropped += abs(due - self._session.place.frame) - 1
        self._session.place.go_to(due)
        if not 0 < self._session.place.frame < programme.frame_count - 1:
            self.pause()
