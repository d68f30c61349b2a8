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
        viewer = desk.viewer
        def place(widget, box):
            corner = widget.mapTo(desk, box.topLeft())
            return [corner.x(), corner.y(), box.width(), box.height()]
        def place_of(pixel):
            point = desk.picture.point_of(pixel).toPoint()
            corner = desk.picture.mapTo(desk, point)
            return [corner.x(), corner.y()]
        chart = desk.charting.model
        state = dict(frame=session.place.frame, shown=viewer.shown, surveyed=session.surveyed, busy=desk.jobs.kind is not None,
                     treated=sorted(session.document.treatments), message=desk.header.message,
                     areas=[list(area.box) for area in session.document.areas], probe=viewer.probe_line.text(),
                     picture=place(desk.picture, desk.picture.box), lit=desk.picture.highlighted is not None,
                     gauges=[str(gauge.kind.instrument) for gauge in viewer.gauges],
                     fit=chart.result and chart.result.fit.result.mean,
                     corners=[place_of(corner) for corner in chart.chart_frame.corners] if chart.chart_frame else [],
                     pinned=viewer.look.state.pinned is not None,
                     gauge=place(viewer.gauges[0], viewer.gauges[0].field),
                     counted=int(viewer.gauges[0].trace.counts.sum()) if viewer.gauges[0].trace else 0)
        with open(sys.argv[1] + ".new", "w") as file:
            json.dump(state, file)
        os.replace(sys.argv[1] + ".new", sys.argv[1])
        time.sleep(0.02)
original = module.Desk.__init__
def watched(self, *arguments):
    original(self, *arguments)
    threading.Thread(target=tell, args=(self,), daemon=True).start()
module.Desk.__init__ = watched
os._exit(main(sys.argv[2:]))
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


@pytest.fixture
def operated(screen, request, tmp_path):
    """The program in a real window on a small clip, surveyed: its state as it goes, hands for it, and the process."""
    clip = request.getfixturevalue(getattr(request, "param", "over_clip"))
    state_file = tmp_path / "state.json"
    environment = os.environ | {"DISPLAY": screen, "QT_QPA_PLATFORM": "xcb"}
    program = subprocess.Popen(
        [sys.executable, "-c", STATE, str(state_file), str(clip)], env=environment, stderr=subprocess.PIPE, text=True
    )

    def state() -> dict:
        return json.loads(state_file.read_text())

    def hand(*words: object) -> str:
        command = ["xdotool", *(str(word) for word in words)]
        return subprocess.run(command, env=environment, capture_output=True, text=True, check=False).stdout

    try:
        until(lambda: program.poll() is not None or (state()["surveyed"] and not state()["busy"]), "survey")
        assert program.poll() is None, program.stderr.read()
        window = hand("search", "--onlyvisible", "--name", "Bluffline").split()[0]
        hand("windowfocus", "--sync", window)
        yield state, hand, window, program
    finally:
        program.kill()
        program.communicate()


def test_an_operator_opens_looks_legalises_and_leaves(operated):
    state, hand, window, program = operated
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


def test_an_operator_measures_by_hand(operated):
    state, hand, window, _ = operated

    def move(box: str, across: float, down: float) -> None:
        left, top, width, height = state()[box]
        hand("mousemove", "--window", window, round(left + across * width), round(top + down * height))

    def drag(box: str, start: tuple[float, float], stop: tuple[float, float]) -> None:
        move(box, *start)
        hand("mousedown", "1")
        for share in (0.4, 0.8, 1.0):
            move(box, *(a + share * (b - a) for a, b in zip(start, stop, strict=True)))
        hand("mouseup", "1")

    until(lambda: state()["counted"] == 256 * 128, "the waveform counts every pixel")
    hand("key", "r")
    drag("picture", (0.25, 0.25), (0.75, 0.75))
    until(lambda: len(state()["areas"]) == 1 and state()["counted"] < 256 * 128 / 3, "an area is drawn and measured alone")
    left, top, right, bottom = state()["areas"][0]
    assert (left, top, right, bottom) == pytest.approx((64, 32, 192, 96), abs=2)
    move("picture", 0.5, 0.5)
    until(lambda: "codes Y′" in state()["probe"], "the probe reads the pixel under the pointer")
    drag("gauge", (0.3, 0.1), (0.7, 0.9))
    until(lambda: state()["lit"], "pixels chosen on the gauge light up on the picture")
    hand("key", "m")
    until(lambda: state()["pinned"], "the frame is pinned")
    hand("key", "End")
    until(lambda: state()["shown"] == 23, "another frame beside it")
    hand("key", "q")
    until(lambda: state()["gauges"] == ["waveform", "vectorscope", "parade", "histogram"], "four gauges")


@pytest.mark.parametrize("operated", ["chart_clip"], indirect=True)
def test_an_operator_calibrates_by_hand(operated):
    state, hand, window, _ = operated
    hand("key", "ctrl+f")
    until(lambda: state()["fit"] and not state()["busy"], "the chart is found and fitted")
    found = state()["fit"]
    assert found < 0.5
    hand("key", "ctrl+g")
    until(lambda: state()["treated"] == [0], "the fit is given to the shot")
    hand("key", "ctrl+z")
    x, y = state()["corners"][2]
    hand("mousemove", "--window", window, x, y, "mousedown", "1")
    for share in (0.3, 0.7, 1.0):
        hand("mousemove", "--window", window, round(x - 60 * share), round(y - 48 * share))
    hand("mouseup", "1")
    until(lambda: state()["fit"] and state()["fit"] > 1.5 * found and not state()["busy"], "a corner dragged off spoils it")
    hand("key", "ctrl+f")
    until(lambda: state()["fit"] == found, "found again")
