"""Work for processes of the test's own: some of it ends badly."""

import os
import signal
import time
from pathlib import Path

from bluffline.errors import BlufflineError
from bluffline.shift.workers import tell_on_the_way


def whose(_):
    return os.getpid()


def dies_once(path):
    if not Path(path).exists():
        Path(path).write_text("")
        os.kill(os.getpid(), signal.SIGKILL)
    return "done"


def dies(_):
    os.kill(os.getpid(), signal.SIGKILL)


def refuses(words):
    raise BlufflineError(words)


def breaks(_):
    raise ZeroDivisionError("by nought")


def waits(path):
    try:
        Path(path).write_text("begun")
        time.sleep(60)
    finally:
        Path(path).unlink()


def tells(count):
    """Tells how far it is."""
    for number in range(count):
        tell_on_the_way(number)
    return count
