"""Undo and redo over immutable states."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic, TypeVar

State = TypeVar("State")


@dataclass(frozen=True, slots=True)
class Entry(Generic[State]):
    """How a state is made, and in words the act that led to it. Acts with the same ``gesture`` are one entry, as in a drag.

    ``mapped``: how many of the changes to every state it has had already.
    """

    make: Callable[[], State]
    act: str
    gesture: str | None = None
    mapped: int = 0


class History(Generic[State]):
    """The states so far and the place among them.

    Only the state in force is held ready: what others are made of, and what was changed in every one of them since, waits until
    somebody goes back to them. So neither thousands of acts nor new cuts of a long programme cost more than they must.
    """

    def __init__(self, first: State) -> None:
        self._entries = [Entry(lambda: first, "")]
        self._place = 0
        self._changes: list[Callable[[State], State]] = []
        self._now: State = first

    @property
    def state(self) -> State:
        """The state in force."""
        return self._now

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
        self._forget_undone()
        if gesture is not None and self._entries[-1].gesture == gesture:
            self._entries.pop()
        self._entries.append(Entry(lambda: state, act, gesture, len(self._changes)))
        self._go(len(self._entries) - 1)

    def push_all(self, make: Callable[[int], State], acts: list[str]) -> None:
        """Make many acts at once, each to be undone by itself; ``make``: the state after so many of them, made when wanted."""
        self._forget_undone()
        for count, act in enumerate(acts, 1):
            self._entries.append(Entry(lambda count=count: make(count), act, None, len(self._changes)))  # type: ignore[misc]
        self._go(len(self._entries) - 1)

    def map(self, change: Callable[[State], State]) -> None:
        """Change every state, undone ones too."""
        self._changes.append(change)
        self._now = change(self._now)
        if len(self._entries) == 1:
            now, self._changes = self._now, []
            self._entries = [Entry(lambda: now, "")]

    def undo(self) -> None:
        """Go back one act, if there is one."""
        self._go(max(self._place - 1, 0))

    def redo(self) -> None:
        """Go forward one act, if there is one."""
        self._go(min(self._place + 1, len(self._entries) - 1))

    def _go(self, place: int) -> None:
        entry = self._entries[place]
        state = entry.make()
        for change in self._changes[entry.mapped :]:
            state = change(state)
        self._place, self._now = place, state

    def _forget_undone(self) -> None:
        del self._entries[self._place + 1 :]
