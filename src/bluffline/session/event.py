"""Plain events: the model tells, whoever listens draws."""

from collections.abc import Callable


class Event:
    """Something that happens; listeners are called in the order they joined, on the thread that tells."""

    def __init__(self) -> None:
        self._listeners: list[Callable[[], None]] = []

    def connect(self, listener: Callable[[], None]) -> None:
        """Call ``listener`` from now on."""
        self._listeners.append(listener)

    def disconnect(self, listener: Callable[[], None]) -> None:
        """Call ``listener`` no longer."""
        self._listeners.remove(listener)

    def tell(self) -> None:
        """Let every listener know."""
        for listener in tuple(self._listeners):
            listener()
