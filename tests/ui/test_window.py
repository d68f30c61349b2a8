"""The real window on a virtual screen, driven by mouse and keys from outside the process."""

import json
import os
import select
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
import json, os, sys
from PyQt6.QtCore import QTimer
from bluffline.ui import desk as module
from bluffline.entry import main
def tell(desk):
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
                 areas=[list(area.box) for area in session.document.areas], probe=viewer.probe.line.text(),
                 picture=place(desk.picture, desk.picture.box), lit=desk.picture.highlighted is not None,
                 gauges=[gauge.instrument.name for gauge in viewer.gauges],
                 fit=chart.result and chart.result.fit.result.mean,
                 corners=[place_of(corner) for corner in chart.chart_frame.corners] if chart.chart_frame else [],
                 pinned=viewer.look.state.pinned is not None,
                 gauge=place(viewer.gauges[0], viewer.gauges[0].field),
                 counted=int(viewer.gauges[0].trace.counts.sum()) if viewer.gauges[0].trace else 0)
    return json.dumps(state)
original = module.Desk.__init__
def watched(self, *arguments):
    original(self, *arguments)
    told = []
    def say():
        now = tell(self)
        if told[-1:] != [now]:
            told[:] = [now]
            print(now, flush=True)
    self.telling = QTimer(self)
    self.telling.timeout.connect(say)
    self.telling.start(20)
module.Desk.__init__ = watched
os._exit(main(sys.argv[1:]))
"""


class Watched:
    """What the window says of itself, whenever it changes: called, the latest."""

    def __init__(self, program: subprocess.Popen[bytes]) -> None:
        self._pipe, self._rest, self._latest = program.stdout.fileno(), b"", b"{}"

    def __call__(self) -> dict:
        return json.loads(self._latest)

    def until(self, holds: Callable[[], bool], what: str) -> None:
        """Wait for it to say what makes something hold."""
        end = time.monotonic() + WAIT
        with suppress(KeyError):  # it has said nothing yet
            if holds():
                return
        while select.select([self._pipe], [], [], max(end - time.monotonic(), 0))[0]:
            said = os.read(self._pipe, 1 << 20)
            if not said:
                break
            *whole, self._rest = (self._rest + said).split(b"\n")
            self._latest = whole[-1] if whole else self._latest
            with suppress(KeyError):
                if holds():
                    return
        pytest.fail(f"The window did not get there: {what}")


@pytest.fixture
def operated(screen, request, tmp_path):
    """The program in a real window on a small clip, surveyed: its state as it goes, hands for it, and the process."""
    clip = request.getfixturevalue(getattr(request, "param", "over_clip"))
    environment = os.environ | {"DISPLAY": screen, "QT_QPA_PLATFORM": "xcb"}
    with (tmp_path / "errors").open("w+") as errors:
        program = subprocess.Popen(
            [sys.executable, "-c", STATE, str(clip)],
            env=environment, stdout=subprocess.PIPE, stderr=errors,
        )  # fmt: skip
    state = Watched(program)

    def hand(*words: object) -> str:
        command = ["xdotool", *(str(word) for word in words)]
        return subprocess.run(command, env=environment, capture_output=True, text=True, check=False).stdout

    try:
        state.until(lambda: state()["surveyed"] and not state()["busy"], "survey")
        window = hand("search", "--onlyvisible", "--name", "Bluffline").split()[0]
        hand("windowfocus", "--sync", window)
        yield state, hand, window, program
    finally:
        program.kill()
        program.communicate()


def test_an_operator_opens_looks_legalises_and_leaves(operated):
    state, hand, window, program = operated
    hand("mousemove", "--window", window, "900", "170", "click", "1")  # on the skyline
    state.until(lambda: state()["frame"] > 12 and state()["shown"] == state()["frame"], "click on the skyline")
    hand("key", "Home")
    state.until(lambda: state()["shown"] == 0, "Home")
    hand("key", "Right")
    hand("key", "Right")
    state.until(lambda: state()["shown"] == 2, "two frames on")
    hand("key", "g")
    state.until(lambda: state()["treated"] == [1], "Legalise by its key")
    hand("key", "ctrl+z")
    state.until(lambda: state()["treated"] == [], "undo")
    hand("key", "ctrl+q")
    assert program.wait(WAIT) == 0


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

    state.until(lambda: state()["counted"] == 256 * 128, "the waveform counts every pixel")
    hand("key", "r")
    drag("picture", (0.25, 0.25), (0.75, 0.75))
    state.until(
        lambda: len(state()["areas"]) == 1 and state()["counted"] < 256 * 128 / 3, "an area is drawn and measured alone"
    )
    left, top, right, bottom = state()["areas"][0]
    assert (left, top, right, bottom) == pytest.approx((64, 32, 192, 96), abs=2)
    move("picture", 0.5, 0.5)
    state.until(lambda: "codes Y′" in state()["probe"], "the probe reads the pixel under the pointer")
    drag("gauge", (0.3, 0.1), (0.7, 0.9))
    state.until(lambda: state()["lit"], "pixels chosen on the gauge light up on the picture")
    hand("key", "m")
    state.until(lambda: state()["pinned"], "the frame is pinned")
    hand("key", "End")
    state.until(lambda: state()["shown"] == 23, "another frame beside it")
    hand("key", "q")
    state.until(lambda: state()["gauges"] == ["waveform", "vectorscope", "parade", "histogram"], "four gauges")


@pytest.mark.parametrize("operated", ["chart_clip"], indirect=True)
def test_an_operator_calibrates_by_hand(operated):
    state, hand, window, _ = operated
    hand("key", "ctrl+f")
    state.until(lambda: state()["fit"] and not state()["busy"], "the chart is found and fitted")
    found = state()["fit"]
    assert found < 0.5
    hand("key", "ctrl+g")
    state.until(lambda: state()["treated"] == [0], "the fit is given to the shot")
    hand("key", "ctrl+z")
    x, y = state()["corners"][2]
    hand("mousemove", "--window", window, x, y, "mousedown", "1")
    for share in (0.3, 0.7, 1.0):
        hand("mousemove", "--window", window, round(x - 60 * share), round(y - 48 * share))
    hand("mouseup", "1")
    state.until(
        lambda: state()["fit"] and state()["fit"] > 1.5 * found and not state()["busy"], "a corner dragged off spoils it"
    )
    hand("key", "ctrl+f")
    state.until(lambda: state()["fit"] == found, "found again")
