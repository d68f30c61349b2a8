"""Letting the window have the interpreter as soon as it asks, whatever computes beside it."""

import gc
import sys
from collections.abc import Iterator
from contextlib import contextmanager

_AT_MOST = 0.0005  # seconds that a thread keeps the interpreter while another waits for it
_SELDOM = 10_000, 20, 50  # objects that there are more of, and how many searches among the young to one among the older


@contextmanager
def loading() -> Iterator[None]:
    """While modules are loaded nobody looks for what is not needed any more: all of it stays, and is gone through each time."""
    gc.disable()
    try:
        yield
    finally:
        gc.enable()


def answer_soon() -> None:
    """Let no thread keep the others waiting; to be called once, when all is loaded.

    Painting a list asks for the interpreter hundreds of times, and waited a whole turn of the thread beside it each time: a
    quarter of a second in all. Compiled loops and libraries are half a million objects that stay to the end: they are left out
    of every later search for what nobody needs any more, in which no thread runs, and which takes a tenth of a second for them.
    Such searches are seldom: jobs make their own at their ends.
    """
    sys.setswitchinterval(_AT_MOST)
    gc.set_threshold(*_SELDOM)
    gc.freeze()
