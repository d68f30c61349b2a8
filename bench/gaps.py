"""How long the interface thread is away, on a long programme: 135,000 frames in 1,200 shots. Part of ``make bench``, or alone.

Events are asked for all the time; the longest time between two of them is how long the window did not answer.
"""

import os
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
for _place in ("DATA", "CACHE", "STATE", "CONFIG"):
    os.environ[f"XDG_{_place}_HOME"] = tempfile.mkdtemp()  # no work from another sitting

import av
import numpy as np
from PyQt6.QtCore import QEventLoop
from PyQt6.QtWidgets import QApplication

from bluffline.interpreter import answer_soon
from bluffline.propose.propose import Proposal
from bluffline.rules.shots import Shot, shot_at
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.ui.desk import Desk
from bluffline.ui.style.style import dress
from heart import NOTICED, Heart
from table import tell

FRAMES, SHOTS = 135_000, 1_200
SIZE = 64, 48


def make_long(path: Path) -> Path:
    """A programme of many shots: every one another field of tones, a third of them too bright."""
    rng = np.random.default_rng(7)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", 25, options={"preset": "ultrafast", "x264-params": "log-level=error"})
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv422p10le"
        stream.codec_context.time_base = Fraction(1, 25)
        for shot in range(SHOTS):
            planes = rng.integers(200, 1000 if shot % 3 == 0 else 800, (2 * SIZE[1], SIZE[0]), np.uint16)
            planes[SIZE[1] :] = planes[SIZE[1] :] // 8 + 460
            frame = av.VideoFrame(*SIZE, "yuv422p10le")
            parts = planes[: SIZE[1]], planes[SIZE[1] :, ::2], planes[SIZE[1] :, 1::2]
            for plane, samples in zip(frame.planes, parts, strict=True):
                rows = np.frombuffer(plane, np.uint16).reshape(plane.height, -1)
                rows[:, : samples.shape[1]] = samples
            for number in range(FRAMES * shot // SHOTS, FRAMES * (shot + 1) // SHOTS):
                frame.pts = number
                container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def gap_times(folder: Path) -> None:
    """Print how long the window does not answer while an operator works on a long programme."""
    application = QApplication.instance() or QApplication(["bench"])
    assert isinstance(application, QApplication)
    dress(application)
    clip = make_long(folder / "long.mkv")
    session = Session()
    desk = Desk(session, Settings(folder / "settings.json"))
    answer_soon()
    desk.show()

    def surveyed(act: Callable[[], object]) -> float:
        began, loop = time.perf_counter(), QEventLoop()
        desk.survey_done.connect(loop.quit)
        act()
        loop.exec()
        desk.survey_done.disconnect(loop.quit)
        return time.perf_counter() - began

    heart = Heart()
    took = surveyed(lambda: desk.open(clip))
    print(f"{len(session.shots)} shots, {len(session.findings)} findings in {FRAMES} frames; surveyed in {took:.0f} s")
    told = f"at most {heart.longest * 1000:.0f} ms; {[round(wait * 1000) for wait in heart.over[:12]]} ms"
    tell(f"waits over {NOTICED * 1000:.0f} ms while a survey grows", len(heart.over), most=0, told=told)
    heart.longest = 0.0
    took = surveyed(lambda: desk.open(clip))
    hours = FRAMES / 25 / 3600
    tell(
        "opened again, to its findings: an hour's", took / hours, "s", most=0.5, told=f"away for {heart.longest * 1000:.0f} ms"
    )
    idle = sorted(heart.during(lambda: None) for _ in range(10))
    tell("the window away with nothing to do, which is the machine's own", idle[5], "ms", told=f"at most {idle[-1]:.0f}")
    middle = session.shots[SHOTS // 2].first
    session.place.go_to(middle)
    session.document.add_step(SoftCeiling)
    ceiling = session.document.treatment[0]
    assert isinstance(ceiling, SoftCeiling)
    for name, act in (
        (
            "a nudge of a figure",
            lambda: session.document.replace_step(0, replace(ceiling, knee=ceiling.knee - 2)),
        ),
        ("the next finding", lambda: session.place.next_finding(1)),
        ("the next shot", lambda: session.place.next_shot(1)),
        ("a split of a shot", lambda: (session.place.go_to(session.place.frame + 20), session.document.split_shot())),
        ("undo of it", session.document.undo),
        ("every shot treated", lambda: session.document.paste(range(len(session.shots)), (ceiling,), "bench")),
        ("a nudge with all treated", lambda: session.document.set_treatment(session.place.shot, (ceiling, ceiling), "bench")),
        ("the skyline zoomed", lambda: desk.skyline.zoom_here(1 / 1.5)),
    ):
        times = sorted(heart.during(act) for _ in range(5))
        tell(f"{name}: the window away", times[len(times) // 2], "ms", most=50, told=f"at most {times[-1]:.0f}")
    proposals = [Proposal(shot, (ceiling,), ("too bright",)) for shot in range(SHOTS)]
    legalised = heart.during(lambda: session.document.accept(proposals))
    tell("every shot legalised: the window away", legalised, "ms", most=50)
    tell("undo of the last of them: the window away", heart.during(session.document.undo), "ms", most=50)
    tracemalloc.start()
    session.document.accept(proposals)
    kept, _ = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    tell(f"history of {SHOTS} shots legalised, each an undo", kept / 1e6, "MB", most=40 * SHOTS / 5000)
    desk.close()


def looking_up() -> None:
    """Print what it takes to find every frame's shot among many, as rendering and reading back do."""
    taken = {}
    for count in (5, 5_000):
        shots, frames = [Shot(60 * number, 60 * number + 59) for number in range(count)], range(300_000)
        began = time.perf_counter()
        for frame in frames:
            shot_at(shots, frame % (60 * count))
        taken[count] = time.perf_counter() - began
    tell("300,000 frames' shots looked up among 5,000", taken[5_000], "s", most=1, told=f"among 5: {taken[5]:.2f} s")


def main() -> None:
    """Measure and print."""
    looking_up()
    with tempfile.TemporaryDirectory() as name:
        gap_times(Path(name))


if __name__ == "__main__":
    main()
