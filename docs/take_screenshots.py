"""Takes the pictures in docs/screenshots from the demo programme, without a display. Run by ``make screenshots``."""

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["XDG_DATA_HOME"] = tempfile.mkdtemp()  # no work from another sitting

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication, QDialog

from bluffline.demo import demo_clip
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.ui.desk import Desk
from bluffline.ui.dialogs import FactsDialog, KeySheet, WriteDialog
from bluffline.ui.style import dress

_SECONDS = 300


def until(holds: Callable[[], bool]) -> None:
    """Let the desk work until something holds."""
    loop, timer, limit = QEventLoop(), QTimer(), QTimer()
    timer.timeout.connect(lambda: loop.quit() if holds() else None)
    limit.setSingleShot(True)
    limit.timeout.connect(lambda: sys.exit("The desk did not get there in time."))
    timer.start(20)
    limit.start(_SECONDS * 1000)
    loop.exec()


def main() -> None:
    """Drive the desk through its main views and save each."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else Path(__file__).parent / "screenshots")
    folder.mkdir(parents=True, exist_ok=True)
    application = QApplication(["bluffline"])
    dress(application)
    with tempfile.TemporaryDirectory() as scratch:
        desk = Desk(Session(), Settings(Path(scratch) / "settings.json"))
        desk.show()

        def save(name: str, shown: Desk | QDialog | None = None) -> None:
            (shown or desk).grab().save(str(folder / f"{name}.png"))

        def go_to(frame: int) -> None:
            desk.session.go_to(frame)
            until(lambda: desk.viewer.shown == frame)

        def dialog(name: str, made: QDialog) -> None:
            made.show()
            made.adjustSize()
            application.processEvents()
            save(name, made)
            made.close()

        save("empty")
        clip = Path(scratch) / demo_clip().name
        clip.symlink_to(demo_clip())
        desk.open(clip)
        until(lambda: len(desk.session.shots) >= 6)
        save("surveying")
        until(lambda: desk.session.surveyed and not desk.jobs.running)
        desk.session.select(next(f for f in desk.session.findings if f.rule == "luma-high"))
        until(lambda: desk.viewer.shown == desk.session.frame)
        save("finding")
        desk.legalise()
        until(lambda: bool(desk.session.treatments) and not desk.jobs.running)
        go_to(236)
        save("desk")
        go_to(520)
        save("levels")
        dialog("facts", FactsDialog(desk.session, desk))
        dialog("write", WriteDialog(desk.session, desk))
        dialog("keys", KeySheet(desk))
        desk.close()


if __name__ == "__main__":
    main()
