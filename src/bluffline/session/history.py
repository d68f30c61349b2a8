"""Undo and redo over immutable states."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Generic, TypeVar

State = TypeVar("State")


@dataclass(frozen=True, slots=True)
class Entry(Generic[State]):
    """A state, and in words the act that led to it. Acts with the same ``gesture`` are one entry, as in a drag."""

    state: State
    act: str
    gesture: str | None = None


class History(Generic[State]):
    """The states so far and the place among them."""

    def __init__(self, first: State) -> None:
        self._entries = [Entry(first, "")]
        self._place = 0

    @property
    def state(self) -> State:
        """The state in force."""
        return self._entries[self._place].state

    @property
    def undoes(self) -> str | None:
        """The act that `undo` takes back, in words."""
        return self._entries[self._place].act if self._place else None

    @property
    def redoes(self) -> str | None:
        """The act that `redo` brings back, in words."""
        return self._entries[self._place + 1].act if self._place + 1 < len(self._entries) else None

    def push(self, state: State, act: str, gesture: str | None = None) -> None:
        """Make ``state`` the one in force and forget what had been undone."""
        del self._entries[self._place + 1 :]
        if gesture is not None and self._entries[-1].gesture == gesture:
            self._entries.pop()
        self._entries.append(Entry(state, act, gesture))
        self._place = len(self._entries) - 1

    def map(self, change: Callable[[State], State]) -> None:
        """Change every state, undone ones too."""
        self._entries = [replace(entry, state=change(entry.state)) for entry in self._entries]

    def undo(self) -> None:
        """Go back one act, if there is one."""
        self._place = max(self._place - 1, 0)

    def redo(self) -> None:
        """Go forward one act, if there is one."""
        self._place = min(self._place + 1, len(self._entries) - 1)
