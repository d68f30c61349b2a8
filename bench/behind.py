"""What is felt at the desk while a shift is measured behind it: how long the window is away, and frames that are dropped.

The demo is on the desk; two dozen short programmes are in hand. Part of ``make bench``, or alone.
"""

import os
import tempfile
import time
from dataclasses import replace
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
for _place in ("DATA", "STATE", "CONFIG"):
    os.environ[f"XDG_{_place}_HOME"] = tempfile.mkdtemp()  # no work from another sitting; loops that are compiled stay so

from PyQt6.QtCore import QEventLoop
from PyQt6.QtWidgets import QApplication

from bluffline.demo import demo_clip
from bluffline.interpreter import answer_soon
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.shift.file_in_hand import FileInHand
from bluffline.shift.states import State
from bluffline.ui.desk import Desk
from bluffline.ui.shift.place import ShiftPlace
from bluffline.ui.style.style import dress
from heart import Heart, taken_away
from scale import make
from table import tell

FILES, MANY = 24, 2000
_SHOWN = 8.0  # seconds that the list is looked at while it changes


def scroll(place: ShiftPlace, file: FileInHand) -> None:
    """Print how long a list of very many files takes to be shown, and to jump anywhere in it; every skyline is another."""
    assert file.told is not None
    sky = file.told.skyline
    told = [replace(file.told, skyline=sky[2 * n % len(sky) :] + sky[: 2 * n % len(sky)]) for n in range(MANY)]
    files = [replace(file, path=file.path.with_name(f"{n:04}.mov"), told=each) for n, each in enumerate(told)]
    began = time.perf_counter()
    place.show_files(files)
    place.list.repaint()
    shown, jumps, bar = time.perf_counter() - began, [], place.list.verticalScrollBar()
    assert bar is not None
    for part in range(50):
        began = time.perf_counter()
        bar.setValue(bar.maximum() * part // 49)
        place.list.repaint()
        jumps.append(time.perf_counter() - began)
    tell(f"a list of {MANY} files shown", shown * 1000, "ms")
    tell(f"a jump in a list of {MANY} files", sorted(jumps)[25] * 1000, "ms", most=50)


def main() -> None:
    """Measure and print."""
    application = QApplication(["bench"])
    dress(application)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        paths = [folder / f"{number:02}.mov" for number in range(FILES)]
        for number, path in enumerate(paths):
            make(path, number)
        session = Session()
        desk = Desk(session, Settings(folder / "settings.json"))
        answer_soon()
        desk.show()
        loop = QEventLoop()
        desk.survey_done.connect(loop.quit)
        desk.open(demo_clip())
        loop.exec()
        heart = Heart()

        def play() -> tuple[int, str]:
            done = QEventLoop()
            desk.player._stopped = done.quit
            session.place.go_to(0)
            away = taken_away()
            desk.player.play(1)
            done.exec()
            return desk.player.dropped, f"{taken_away() - away:.1f} s taken away"

        heart.during(lambda: None, 3)
        alone = heart.during(lambda: None, _SHOWN)
        played = play()
        desk.shifting.add(paths)
        shown = heart.during(lambda: None, _SHOWN)
        desk.acts["shift"].trigger()
        behind, heart.over = play(), []
        longest = heart.during(lambda: None, 2)
        states = [file.state for file in desk.shifting.shift.files]
        left = sum(state in (State.GROWING, State.WAITING, State.MEASURING) for state in states)
        tell("the window away at most with nothing behind it", alone, "ms", most=50)
        tell("the window away at most while a shift is measured and its list shown", shown, "ms", most=50)
        tell("the same with the desk shown", longest, "ms", most=50, told=f"{left} of {FILES} files left")
        for words, (dropped, told) in (("alone", played), ("with a shift behind it", behind)):
            tell(f"playing the demo, two gauges, {words}: frames dropped", dropped, told=told)
        measured = [file for file in desk.shifting.shift.files if file.state.measured]
        opened = []
        for file in measured[:5]:
            began, loop = time.perf_counter(), QEventLoop()
            ended = desk.survey_done.connect(loop.quit)
            desk.shifting.open(file)
            loop.exec()
            desk.survey_done.disconnect(ended)
            opened.append(time.perf_counter() - began)
        tell("a file that was measured behind opens with its findings", max(opened), "s", most=1)
        scroll(desk.shifting.place, measured[0])
        desk.close()


if __name__ == "__main__":
    main()
