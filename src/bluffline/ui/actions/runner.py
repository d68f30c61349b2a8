"""Jobs of a window."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from bluffline.session.jobs import Jobs


class JobRunner(QObject):
    """`Jobs` for a window: what its threads tell arrives as signals on the thread of the interface.

    ``subject`` and ``side_by_side`` as for `Jobs`.
    """

    progress = pyqtSignal(object)  # Progress
    ended = pyqtSignal(object)  # Ended

    def __init__(self, subject: Callable[[], object | None] = lambda: None, *, side_by_side: bool = False) -> None:
        super().__init__()
        self.jobs = Jobs(subject, self.ended.emit, self.progress.emit, side_by_side=side_by_side)
