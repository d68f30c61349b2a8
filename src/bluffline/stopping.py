"""How a signal ends the program: it unwinds, so that what was begun is removed, and says which signal it was."""

import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import CodeType, FrameType
from typing import TypeVar

SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
_AGAIN = 2.0  # seconds after which it is asked again: a library may have swallowed the first time
_SOON = 0.01  # seconds
_asked: list[int] = []
_not_here: set[CodeType] = set()
_Function = TypeVar("_Function", bound=Callable[..., object])


class Stopped(BaseException):
    """A signal asks the program to end."""


def listen() -> None:
    """Unwind on a signal from now on; one that whoever began the program has it ignore, as ``nohup`` does, stays ignored."""
    _asked.clear()
    for number in heeded():
        signal.signal(number, _stop)
    signal.signal(signal.SIGALRM, _stop)
    sys.unraisablehook = _lost


def _lost(what: "sys.UnraisableHookArgs") -> None:
    """Where it came while something was being thrown away, it could not unwind: nothing is printed, and it is asked again."""
    if not isinstance(what.exc_value, Stopped):
        sys.__unraisablehook__(what)


def heeded() -> list[signal.Signals]:
    """The signals that are not ignored."""
    return [number for number in SIGNALS if signal.getsignal(number) is not signal.SIG_IGN]


def asked() -> bool:
    """Whether a signal has asked the program to end."""
    return bool(_asked)


def code() -> int:
    """The exit code that tells of the signal: 128 and its number."""
    return 128 + _asked[0]


@contextmanager
def held() -> Iterator[None]:
    """Note a signal and no more, until this ends: what is done meanwhile would crash, or be left half done, if it were unwound.

    Raises
    ------
    Stopped : at its end, where a signal has come
    """
    before = {number: signal.signal(number, _note) for number in heeded()}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
    if _asked:
        raise Stopped


def _note(number: int, _: FrameType | None) -> None:
    if not _asked:
        _asked.append(number)


def rest() -> None:
    """Ask no more: it is being ended."""
    signal.setitimer(signal.ITIMER_REAL, 0)
    for number in SIGNALS:
        signal.signal(number, signal.SIG_IGN)


def never_unwound(function: _Function) -> _Function:
    """Marks what a library of another language calls, through which nothing unwinds: a signal there is asked again soon."""
    _not_here.add(function.__code__)
    return function


def _stop(number: int, frame: FrameType | None) -> None:
    if number != signal.SIGALRM:
        if _asked:
            return  # it is on its way
        _asked.append(number)
    if frame is not None and frame.f_code in _not_here:
        signal.setitimer(signal.ITIMER_REAL, _SOON)
        return
    signal.setitimer(signal.ITIMER_REAL, _AGAIN)
    raise Stopped
