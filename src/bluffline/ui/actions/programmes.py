"""What the operator does to take a programme under control, and by which rules and facts."""

from collections.abc import Callable
from fractions import Fraction
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from bluffline.demo import demo_clip, tide_clip
from bluffline.errors import BlufflineError
from bluffline.media.codecs import Codec
from bluffline.media.signals import TestSignal, write_signal
from bluffline.rules.rulefile import load_rules
from bluffline.session.jobs import Kind
from bluffline.session.settings import Settings
from bluffline.survey.monitor import Monitor
from bluffline.ui.actions.long_work import LongWork
from bluffline.ui.actions.who import Who
from bluffline.ui.dialogs.facts import FactsDialog
from bluffline.ui.dialogs.layout import asked
from bluffline.ui.dialogs.line_up import SignalDialog
from bluffline.ui.dialogs.waive import WaiveDialog


class Programmes:
    """Acts on the session by way of its long work; ``say`` tells the operator what can't be done."""

    def __init__(self, work: LongWork, settings: Settings, who: Who, say: Callable[[str], None], window: QWidget) -> None:
        self.session, self._work, self._settings, self._say, self._window = work.session, work, settings, say, window
        self._who = who
        work.opened.connect(settings.opened)

    def open(self, path: Path, *, rate: Fraction | None = None, track: int | None = None) -> bool:
        """Take a programme under control, or the work on one; whether nothing stands in the way.

        A file that can't be read is told about and changes nothing. ``rate``: frames a second of numbered pictures;
        ``track``: the video track to take.
        """
        return self._work.open(path, rate=rate, track=track)

    def open_demo(self) -> None:
        """Take the demo programme under control."""
        self.open(demo_clip())

    def open_demo_of_time(self) -> None:
        """Take the demo programme whose time and sound are wrong under control, by the rules that tell of them."""
        if self.open(tide_clip()):
            self.choose_rules("delivery")

    def choose(self) -> None:
        """Ask for a file and open it."""
        kinds = "Programmes, and work on them (*)"
        name, _ = QFileDialog.getOpenFileName(self._window, "Open a programme", str(Path.cwd()), kinds)
        if name:
            self.open(Path(name))

    def make_signal(self) -> None:
        """Ask which test signal to make, make it and open it."""
        if not self._work.clear_the_way():
            return
        dialog = SignalDialog(self._window)
        if asked(dialog):
            self.write_test_signal(dialog.signal, dialog.rows.target, dialog.rows.codec, dialog.settings)

    def write_test_signal(self, signal: TestSignal, target: Path, codec: Codec, settings: dict[str, object]) -> None:
        """Write a test signal in the background and open it."""

        def job(monitor: Monitor) -> Path:
            tell = partial(monitor.at, "Test signal")
            write_signal(signal, target, codec, tell=tell, **settings)  # type: ignore[arg-type]
            return target

        self._work.jobs.start(Kind.SIGNAL, job, self.open)

    def choose_rules(self, name: str = "") -> None:
        """Put other rules in force: those named, or a file asked for."""
        if not name:
            name, _ = QFileDialog.getOpenFileName(self._window, "Rules from a file", str(Path.cwd()), "Rule files (*.toml)")
        if not name or not self._work.clear_the_way():
            return
        try:
            self.session.survey_again(rules=load_rules(name))
        except BlufflineError as error:
            self._say(str(error))
            return
        self._settings.rules = name
        self._settings.save()
        self._work.survey()

    def survey_again(self) -> None:
        """Survey anew; a survey that runs already is the one that was asked for."""
        if self._work.jobs.kind is not Kind.SURVEY and self._work.clear_the_way():
            self.session.survey_again()
            self._work.survey(anew=True)

    def show_facts(self) -> None:
        """Show what the file says of itself, and take the operator's word against it."""
        dialog = FactsDialog(self.session, self._window)
        if not asked(dialog):
            return
        if dialog.reopened is not None:
            assert self.session.programme is not None
            self.open(self.session.programme.path, **dialog.reopened)  # type: ignore[arg-type]
        elif self._work.clear_the_way():
            self.session.survey_again(overrides=dialog.overrides, region=dialog.region)
            self._work.survey()
            self.session.document.changed.tell()

    def waive(self) -> None:
        """Ask by whose word the finding that is picked is to pass; of one that is waived, take that word back."""
        finding, document = self.session.place.selected, self.session.document
        if finding is None:
            self._say("Pick the finding that is to be waived first (N goes to the next)")
            return
        if finding.waiver is not None:
            document.unwaive(finding.waiver)
            self._say(f"The word of {finding.waiver.by} is taken back (Ctrl+Z gives it again)")
            return
        dialog = WaiveDialog(finding, self.session.shots[finding.shot], self._who.known, self._window)
        if asked(dialog):
            waiver = dialog.waiver
            self._settings.operator = self._settings.operator or waiver.by
            self._settings.save()
            document.waive(waiver)
            self._say(f"Waived by {waiver.by}: {waiver.reason}")

    def split_shot(self) -> None:
        """Let a shot begin at the frame in view."""
        self._divide(self.session.document.split_shot)

    def join_shot(self) -> None:
        """Make the shot in view one with the shot before it."""
        self._divide(self.session.document.join_shot)

    def _divide(self, act: Callable[[], None]) -> None:
        try:
            act()
        except BlufflineError as error:
            self._say(str(error))
