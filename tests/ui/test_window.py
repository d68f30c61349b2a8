"""The real window on a virtual screen, driven by mouse and keys from outside the process."""

import json
import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from contextlib import suppress

import pytest

pytestmark = [
    pytest.mark.window,
    pytest.mark.skipif(not (shutil.which("Xvfb") and shutil.which("xdotool")), reason="needs Xvfb and xdotool"),
]
WAIT = 180
STATE = """
import json, os, sys, threading, time
from bluffline.ui import desk as module
from bluffline.entry import main
def tell(desk):
    while True:
        session = desk.session
        state = dict(frame=session.frame, shown=desk.viewer.shown, surveyed=session.surveyed, busy=desk.jobs.running,
                     treated=sorted(session.treatments), message=desk.header.message)
        with open(sys.argv[1] + ".new", "w") as file:
            json.dump(state, file)
        os.replace(sys.argv[1] + ".new", sys.argv[1])
        time.sleep(0.02)
original = module.Desk.__init__
def watched(self, *arguments):
    original(self, *arguments)
    threading.Thread(target=tell, args=(self,), daemon=True).start()
module.Desk.__init__ = watched
sys.exit(main(sys.argv[2:]))
"""


@pytest.fixture
def screen(tmp_path):
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


def until(holds: Callable[[], bool], what: str) -> None:
    end = time.monotonic() + WAIT
    while time.monotonic() < end:
        with suppress(OSError, ValueError):
            if holds():
                return
        time.sleep(0.03)
    pytest.fail(f"The window did not get there: {what}")


def test_an_operator_opens_looks_legalises_and_leaves(screen, over_clip, tmp_path):
    state_file = tmp_path / "state.json"
    environment = os.environ | {"DISPLAY": screen, "QT_QPA_PLATFORM": "xcb"}
    program = subprocess.Popen(
        [sys.executable, "-c", STATE, str(state_file), str(over_clip)], env=environment, stderr=subprocess.PIPE, text=True
    )

    def state() -> dict:
        return json.loads(state_file.read_text())

    def hand(*words: str) -> str:
        return subprocess.run(["xdotool", *words], env=environment, capture_output=True, text=True, check=False).stdout

    try:
        until(lambda: program.poll() is not None or (state()["surveyed"] and not state()["busy"]), "survey")
        assert program.poll() is None, program.stderr.read()
        window = hand("search", "--onlyvisible", "--name", "Bluffline").split()[0]
        hand("windowfocus", "--sync", window)
        hand("mousemove", "--window", window, "900", "170", "click", "1")  # on the skyline
        until(lambda: state()["frame"] > 12 and state()["shown"] == state()["frame"], "click on the skyline")
        hand("key", "Home")
        until(lambda: state()["shown"] == 0, "Home")
        hand("key", "Right")
        hand("key", "Right")
        until(lambda: state()["shown"] == 2, "two frames on")
        hand("key", "g")
        until(lambda: state()["treated"] == [1], "Legalise by its key")
        hand("key", "ctrl+z")
        until(lambda: state()["treated"] == [], "undo")
        hand("key", "ctrl+q")
        until(lambda: program.poll() is not None, "quit")
        assert program.returncode == 0, program.stderr.read()
    finally:
        program.kill()
        program.communicate()
