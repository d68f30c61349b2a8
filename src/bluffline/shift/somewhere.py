"""Where a shift is worked on: on the machines behind a scheduler where one is named and answers, else on this machine."""

from collections.abc import Callable
from concurrent.futures import Executor, Future
from contextlib import ExitStack
from threading import Lock
from typing import Any, TypeVar

from bluffline.errors import SettingsError
from bluffline.shift.cluster import Machines, cluster

_Given = TypeVar("_Given")


class Somewhere(Executor):
    """Gives work to whoever does it now; who that is is found when there is work, by the thread that gives it.

    Parameters
    ----------
    address : of a scheduler; empty: this machine
    here : processes of this machine, made when they are needed
    count : of those
    say : told in a sentence where a scheduler does not answer; from the thread that gave the work
    must : a scheduler that does not answer at first is an error; one that goes later is not
    """

    def __init__(
        self, address: str, here: Callable[[], Executor], count: int, say: Callable[[str], object], *, must: bool = False
    ) -> None:
        self._address, self._make_here, self._count, self._say, self._must = address, here, count, say, must
        self._here: Executor | None = None
        self._there: Machines | None = None
        self._looked_for: str | None = None  # the address that was looked for last
        self._closed = False
        self._stack, self._one = ExitStack(), Lock()

    @property
    def address(self) -> str:
        """The scheduler that is named; empty where this machine is to do it."""
        return self._address

    @property
    def hands(self) -> int:
        """How many pieces of work are done at the same time, as far as is known."""
        there = self._there
        return there.cores if there is not None and there.answer else self._count

    def turn_to(self, address: str) -> None:
        """Have what is given from now on done elsewhere; what is under way goes on where it is."""
        self._address = address  # without waiting for whoever is looking for a scheduler just now

    def submit(self, function: Callable[..., _Given], /, *arguments: Any, **named: Any) -> "Future[_Given]":
        """Have a function of a module called with plain data.

        Raises
        ------
        SettingsError : the scheduler does not answer, though it must
        """
        with self._one:
            if self._closed:
                raise RuntimeError("work is given while there is somebody to do it")
            address = self._address
            if address != self._looked_for or (self._there is not None and not self._there.answer):
                self._there, self._looked_for = self._look(address), address
            if self._there is None and self._here is None:
                self._here = self._make_here()
            doing = self._there.executor if self._there is not None else self._here
        assert doing is not None, "somebody does it"
        return doing.submit(function, *arguments, **named)

    def _look(self, address: str) -> Machines | None:
        if not address:
            return None
        try:
            there = self._stack.enter_context(cluster(address))
        except SettingsError as error:
            if self._must:
                raise
            self._say(f"{error} Files are worked on by this machine.")
            return None
        self._must = False
        return there

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """Take no more work; what is under way on other machines is given up."""
        with self._one:
            self._closed = True
        if self._here is not None:
            self._here.shutdown(wait, cancel_futures=cancel_futures)
        self._stack.close()
