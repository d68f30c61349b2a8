"""How soon picture and gauges follow the hand under nine rungs, and what is dropped. Part of ``make bench``, or alone."""

import os
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from statistics import median

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
for _place in ("DATA", "CACHE", "STATE", "CONFIG"):
    os.environ[f"XDG_{_place}_HOME"] = tempfile.mkdtemp()  # no work from another sitting

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication

from bluffline.demo import demo_clip
from bluffline.interpreter import answer_soon
from bluffline.memory import keep_frame_memory
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.treat.kinds.tone import Tone
from bluffline.ui.desk import Desk
from bluffline.ui.style.style import dress
from heart import taken_away
from run import make, wait
from table import tell
from treating import NINE

_PULLS = 40
_TONE = next(n for n, step in enumerate(NINE) if isinstance(step, Tone))


def follow(clip: Path, folder: Path) -> None:
    """Print how long a pull takes to picture and two gauges, and how many frames are dropped as the clip is played."""
    application = QApplication.instance() or QApplication(["bench"])
    assert isinstance(application, QApplication)
    dress(application)
    session = Session()
    desk = Desk(session, Settings(folder / "settings.json"))
    desk.resize(1280, 800)
    desk.show()
    answer_soon()

    wait(desk.survey_done, lambda: desk.open(clip))
    for shot in range(len(session.shots)):
        session.document.set_treatment(shot, NINE, "bench")
    session.place.go_to(session.shots[0].first)
    session.place.choose(_TONE)
    _rest(1500)
    desk.trying.stop()
    times = []
    for pull in range(_PULLS):
        began = time.perf_counter()
        step = replace(session.document.treatment[_TONE], exposure=pull / 100)
        wait(desk.frame_shown, lambda step=step: session.document.replace_step(_TONE, step, gesture="bench"))  # type: ignore[misc]
        for widget in (desk.picture, *desk.viewer.gauges):
            widget.repaint()
        times.append((time.perf_counter() - began) * 1000)
    size = f"{session.source.width}×{session.source.height}"
    told = "half size while it moves" if desk.viewer.preview is not None and desk.viewer.preview.proxy else "full size"
    tell(
        f"a pull under nine rungs, {size}, to picture and two gauges",
        median(times),
        "ms",
        most=50,
        told=f"{told}; at most {max(times):.0f}",
    )
    began = time.perf_counter()
    wait(desk.frame_shown, lambda: None)
    tell(f"full size after the last pull, {size}", (time.perf_counter() - began) * 1000, "ms")
    session.place.choose(None)
    wait(desk.frame_shown, lambda: session.place.go_to(0))
    loop, away = QEventLoop(), taken_away()
    desk.player._stopped = loop.quit
    desk.player.play(1)
    loop.exec()
    assert session.programme is not None
    dropped, count = desk.player.dropped, session.programme.frame_count
    told = f"{dropped} of {count}; the host took {taken_away() - away:.1f} s away"
    tell(f"playing {size} at 25 frames/s, two gauges, nine rungs: dropped", 100 * dropped / count, "%", most=1, told=told)
    desk.close()


def _rest(milliseconds: int) -> None:
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def main() -> None:
    """Measure and print."""
    keep_frame_memory()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        follow(demo_clip(), folder)
        options = {"preset": "fast", "crf": "18", "x264-params": "log-level=error"}
        follow(make(folder / "h264-1080.mov", "libx264", (1920, 1080), 750, options), folder)


if __name__ == "__main__":
    main()
