"""Starting the desk, on a display or, for a picture of it, without one."""

import argparse
import os
import signal
import sys
import threading
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QApplication

from bluffline import stopping
from bluffline.demo import demo_clip
from bluffline.errors import BlufflineError
from bluffline.interpreter import answer_soon
from bluffline.report.check import describe
from bluffline.rules.rulefile import load_rules
from bluffline.session.faults import Fault, fault_of
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.ui.desk import Desk
from bluffline.ui.style.style import dress

_PICTURE_TIMEOUT = 300_000  # milliseconds
_TURN = 200  # milliseconds within which a signal is taken


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
    ends = _note_signals()
    application = QApplication.instance() or QApplication(["bluffline"])
    assert isinstance(application, QApplication)
    dress(application)
    settings = Settings.load()
    session, trouble = _session(settings)
    desk = Desk(session, settings)
    answer_soon()
    if trouble:
        desk.header.fault(Fault(trouble, ""))
    _tell_faults(desk)
    file = demo_clip() if options.demo else options.file
    if options.picture is not None:
        return _take_picture(application, desk, file or demo_clip(), options.picture, ends)
    desk.fit_screen()
    desk.show()
    QTimer.singleShot(0, desk.shifting.begin)
    if file is not None:
        QTimer.singleShot(0, lambda: desk.open(file))
    try:
        return _run(application, ends)
    finally:
        desk.end()


def _note_signals() -> list[int]:
    """The signals that come from now on. They are noted and no more: nothing may unwind through what Qt has called."""
    ends: list[int] = []
    for number in stopping.heeded():
        signal.signal(number, lambda number, _: ends.append(number))
    if stopping.asked():
        raise stopping.Stopped
    return ends


def _run(application: QApplication, ends: list[int]) -> int:
    """Run until the desk is closed, or a signal asks for the end; returns the exit code."""
    turning = QTimer()  # the interpreter, which takes signals, is only at work when something happens
    turning.timeout.connect(lambda: application.exit(128 + ends[0]) if ends else None)
    turning.start(_TURN)
    return application.exec()


def _tell_faults(desk: Desk) -> None:
    """What goes wrong in the event loop or on a thread is told on the desk, and the program goes on."""
    relay = _Relay(desk)
    relay.told.connect(desk.header.fault)
    sys.excepthook = lambda _, error, __: None if stopping.asked() else relay.told.emit(fault_of(error, "The desk"))
    threading.excepthook = lambda told: relay.told.emit(fault_of(told.exc_value or RuntimeError(), "Work beside the desk"))


class _Relay(QObject):
    """Brings what went wrong to the thread of the interface."""

    told = pyqtSignal(object)  # Fault


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser("bluffline", description="Open the desk.")
    parser.add_argument("file", type=Path, nargs="?", metavar="FILE", help="the programme to open")
    parser.add_argument("--demo", action="store_true", help="open the demo programme")
    parser.add_argument(
        "--picture", type=Path, metavar="OUT.png", help="survey without a display and save a picture of the desk"
    )
    return parser


def _session(settings: Settings) -> tuple[Session, str]:
    """A session under the rules last used; where they can't be used any more under the usual ones, and a sentence of it."""
    session = Session()
    try:
        session.survey_again(rules=load_rules(settings.rules))
    except BlufflineError as error:
        return Session(), f"{error} So {session.rules.title} is in force."
    return session, ""


def _take_picture(application: QApplication, desk: Desk, file: Path, picture: Path, ends: list[int]) -> int:
    """Survey ``file``, save the desk at its worst finding, and print the result."""
    desk.show()

    def go() -> None:
        findings = desk.session.findings
        if findings:
            desk.session.place.select(max(findings, key=lambda f: f.worst_area * (f.severity == "must fix")))
        desk.frame_shown.connect(lambda _: QTimer.singleShot(50, application.quit))
        desk.session.place.changed.tell()

    desk.survey_done.connect(go)
    desk.work.refused.connect(application.quit)
    desk.open(file)
    QTimer.singleShot(_PICTURE_TIMEOUT, application.quit)
    _run(application, ends)
    if ends:
        desk.close()
        return 128 + ends[0]
    if desk.session.survey is None:
        print(f"bluffline: {desk.header.message}", file=sys.stderr)
        desk.close()
        return 2
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
