import os
import subprocess
import threading
from contextlib import suppress
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, QTimer

from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.ui.desk import Desk
from bluffline.ui.style.style import dress

WAIT = 120_000  # milliseconds; a slow machine compiles kernels here


def open_files():
    """Files that the process has open, but for those that tests' own processes write to."""
    found = set()
    for entry in Path("/proc/self/fd").iterdir():
        with suppress(OSError):
            found.add(str(entry.readlink()))
    return {name for name in found if name.startswith("/") and not name.startswith(("/dev/", "/proc/"))}


@pytest.fixture(autouse=True)
def nothing_is_left():
    """What a test of the desk begins ends with it: threads, timers, files."""
    threads, files = set(threading.enumerate()), open_files()
    yield
    left = {thread for thread in threading.enumerate() if not thread.name.startswith("bluffline-preview")} - threads
    assert not {thread.name for thread in left if thread.is_alive()}
    assert not {name for name in open_files() - files if not name.endswith("bluffline.log")}


@pytest.fixture(scope="session")
def dressed(qapp):
    """The application as the desk looks."""
    dress(qapp)
    return qapp


@pytest.fixture
def desk(qtbot, dressed, tmp_path, nothing_is_left):
    """A desk of this test's own."""
    made = Desk(Session(), Settings(tmp_path / "settings.json"))
    made.show()
    qtbot.waitExposed(made)
    yield made
    made.close()
    assert not [timer for timer in made.findChildren(QTimer) if timer.isActive()]
    made.deleteLater()
    dressed.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture
def surveyed_desk(desk, qtbot, over_clip):
    """The desk on the small two-shot clip, its survey done and its first frame shown."""
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT), qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        assert desk.open(over_clip)
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    desk.refresh_commands()
    return desk


@pytest.fixture
def screen():
    """A virtual screen with a number that is free."""
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    with os.fdopen(read) as pipe:
        number = pipe.readline().strip()
    yield f":{number}"
    server.terminate()
    server.wait()
