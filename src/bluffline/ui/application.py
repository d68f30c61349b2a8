"""Starting the desk, on a display or, for a picture of it, without one."""

import argparse
import os
import sys
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from bluffline.demo import demo_clip
from bluffline.errors import BlufflineError
from bluffline.report.check import describe
from bluffline.rules.rulefile import load_rules
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.ui.desk import Desk
from bluffline.ui.style import dress

_PICTURE_TIMEOUT = 300_000  # milliseconds


def run_desk(arguments: Sequence[str]) -> int:
    """Open the desk and return the exit code when it is closed."""
    options = _parser().parse_args(list(arguments))
    if options.picture is not None:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    elif not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        print(
            "bluffline: there is no display to open the desk on; "
            "use bluffline check FILE, or --picture OUT.png for a picture of the desk.",
            file=sys.stderr,
        )
        return 2
    application = QApplication.instance() or QApplication(["bluffline"])
    assert isinstance(application, QApplication)
    dress(application)
    desk = Desk(_session(settings := Settings.load()), settings)
    file = demo_clip() if options.demo else options.file
    if options.picture is not None:
        return _take_picture(application, desk, file or demo_clip(), options.picture)
    desk.show()
    if file is not None:
        QTimer.singleShot(0, lambda: desk.open(file))
    return application.exec()


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser("bluffline", description="Open the desk.")
    parser.add_argument("file", type=Path, nargs="?", metavar="FILE", help="the programme to open")
    parser.add_argument("--demo", action="store_true", help="open the demo programme")
    parser.add_argument(
        "--picture", type=Path, metavar="OUT.png", help="survey without a display and save a picture of the desk"
    )
    return parser


def _session(settings: Settings) -> Session:
    """A session under the rules last used, if they can still be read."""
    try:
        return Session(load_rules(settings.rules))
    except BlufflineError:
        return Session()


def _take_picture(application: QApplication, desk: Desk, file: Path, picture: Path) -> int:
    """Survey ``file``, save the desk at its worst finding, and print the result."""
    desk.show()
    if not desk.open(file):
        print(f"bluffline: {desk.header.message}", file=sys.stderr)
        desk.close()
        return 2

    def go() -> None:
        findings = desk.session.findings
        if findings:
            desk.session.select(max(findings, key=lambda f: f.worst_area * (f.severity == "must fix")))
        desk.frame_shown.connect(lambda _: QTimer.singleShot(50, application.quit))
        desk.session.place_changed.tell()

    desk.survey_done.connect(go)
    QTimer.singleShot(_PICTURE_TIMEOUT, application.quit)
    application.exec()
    picture.parent.mkdir(parents=True, exist_ok=True)
    saved = desk.grab().save(str(picture))
    survey = desk.session.survey
    desk.close()
    if not saved or survey is None:
        print(f"bluffline: the picture could not be written to {picture}.", file=sys.stderr)
        return 2
    print(describe(survey))
    print(f"A picture of the desk is in {picture}")
    return 0
