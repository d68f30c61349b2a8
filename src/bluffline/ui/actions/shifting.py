"""What the operator does with the files in hand; whatever goes on by itself does so on a thread, in other processes."""

import os
from collections.abc import Callable, Sequence
from pathlib import Path
from queue import SimpleQueue
from threading import Event, Thread

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QLineEdit, QWidget

from bluffline.errors import BlufflineError, SettingsError
from bluffline.media.opening import shown
from bluffline.media.target import certificate_paths
from bluffline.prove.prove import Proof
from bluffline.session.faults import fault_of
from bluffline.session.hold import Hold
from bluffline.session.settings import Settings
from bluffline.shift.delivery import Decided
from bluffline.shift.file_in_hand import FileInHand
from bluffline.shift.hand import Shift
from bluffline.shift.ledger import Ledger
from bluffline.shift.one_file import Asked, work_kept
from bluffline.shift.profile import PLAIN, own_profiles
from bluffline.shift.somewhere import Somewhere
from bluffline.shift.workers import Workers
from bluffline.survey.monitor import Progress
from bluffline.ui.actions.long_work import LongWork
from bluffline.ui.actions.who import Who
from bluffline.ui.header import Header
from bluffline.ui.shift.place import ShiftPlace

_WHERE = "A Dask scheduler, as tcp://host:8786, whose machines see the files under the same paths; empty: this machine"
_DRAWN_EVERY = 150  # milliseconds between two drawings of a list that changes, at least
_REST = 0.3  # seconds between two looks at the files


class Shifting(QObject):
    """Holds the shift, and brings what happens to it to the place that shows it.

    ``wanted``: the place is to be shown, or the desk.
    """

    wanted = pyqtSignal(bool)
    _changed = pyqtSignal()
    _told = pyqtSignal(str)

    def __init__(self, work: LongWork, settings: Settings, who: Who, header: Header, window: QWidget) -> None:
        super().__init__(window)
        self._work, self._settings, self._who, self._header, self._window = work, settings, who, header, window
        self.place = ShiftPlace()
        self.place.asked.connect(self._act)
        self._shift: Shift | None = None
        self._workers: Somewhere | None = None
        self._thread: Thread | None = None
        self._hold: Hold | None = None
        self._end = Event()
        self._coming: SimpleQueue[list[Path]] = SimpleQueue()  # folders may be large: they are searched on the thread
        self._opened_here, self._rules_before = False, work.session.rules
        self._drawing = QTimer(self)
        self._drawing.setSingleShot(True)
        self._drawing.setInterval(_DRAWN_EVERY)
        self._drawing.timeout.connect(self._draw)
        self._changed.connect(self._draw_soon)
        self._told.connect(header.say)
        work.proved.connect(self._proved)
        work.survey_done.connect(self._surveyed)
        work.refused.connect(self._refused)

    @property
    def shift(self) -> Shift:
        """The files in hand; the list of before is read, and work on it begins, when it is first asked for.

        Raises
        ------
        SettingsError : the list can't be read, or another desk has it
        """
        if self._shift is None:
            self._hold = Ledger().hold()
            profiles, wrong = own_profiles()
            hands = max((os.cpu_count() or 1) - 1, 1)
            workers = Somewhere(self._settings.cluster, lambda: Workers(hands, told=self._at), hands, self._told.emit)
            try:
                self._shift = Shift(
                    Ledger(), workers, profiles, changed=self._changed.emit, at_once=lambda: workers.hands, kept=work_kept
                )
            except SettingsError:
                self._hold.release()
                raise
            self._shift.elsewhere = bool(workers.address)
            self._workers = workers
            self._thread = Thread(target=self._go_on, args=(self._shift,), name="bluffline-shift", daemon=True)
            self._thread.start()
            for sentence in wrong:
                self._header.say(sentence)
        return self._shift

    def _at(self, progress: Progress, asked: Asked) -> None:
        """How far a file is: from a thread of the workers."""
        if self._shift is not None:
            self._shift.at(progress, asked)

    def begin(self) -> None:
        """Go on with the files that were in hand when this was closed or killed, if there are any."""
        if Ledger().path.exists():
            self._safely(lambda: self.shift)

    def stop(self) -> None:
        """End what goes on; what was begun is begun anew when this comes again."""
        self._end.set()
        self._drawing.stop()
        if self._workers is not None:
            self._workers.shutdown(cancel_futures=True)
        if self._thread is not None:
            self._thread.join()
        if self._hold is not None:
            self._hold.release()

    def _go_on(self, shift: Shift) -> None:
        while not self._end.wait(_REST):
            try:
                while not self._coming.empty():
                    count = shift.add(self._coming.get())
                    new = f"{count} file{'s' if count != 1 else ''} taken in hand" if count else "Nothing new is in hand"
                    self._told.emit(new)
                shift.step(0.0)
            except Exception as error:  # noqa: BLE001 (a disk that is full now has room later: it is told, and goes on)
                if self._end.is_set():
                    return
                self._told.emit(fault_of(error, "The shift").sentence)
            while shift.told:
                self._told.emit(shift.told.pop(0))

    # What is shown --------------------------------------------------------------------------------------------------

    def _draw_soon(self) -> None:
        if not self._drawing.isActive() and not self._end.is_set():
            self._drawing.start()

    def _draw(self) -> None:
        if self._shift is not None:
            self.place.show_files(self._shift.files)

    def show(self) -> None:
        """Turn to the files in hand; the one that was worked on is judged anew, with what was done and waived."""
        self._work.keep_now()
        if self._shift is not None and self._work.session.programme is not None:
            self._shift.judge_again(self._work.session.programme.path)
        if self._safely(lambda: self.place.show_files(self.shift.files)):
            self.wanted.emit(True)

    def _safely(self, act: Callable[[], object]) -> bool:
        """Do something; what can't be done is told."""
        try:
            act()
        except (BlufflineError, OSError) as error:
            self._header.fault(fault_of(error, "The shift"))
            return False
        return True

    # What is done ---------------------------------------------------------------------------------------------------

    def add(self, paths: Sequence[Path]) -> None:
        """Take files and folders in hand, and show the list."""
        if self._safely(lambda: self.shift):
            self._coming.put(list(paths))
            self.show()

    def choose_files(self) -> None:
        """Ask for files and take them in hand."""
        names, _ = QFileDialog.getOpenFileNames(self._window, "Take files in hand", str(Path.cwd()), "Programmes (*)")
        if names:
            self.add([Path(name) for name in names])

    def choose_folder(self) -> None:
        """Ask for a folder, and take in hand what is in it and what comes."""
        name = QFileDialog.getExistingDirectory(self._window, "Watch a folder", str(Path.cwd()))
        if name and self._safely(lambda: self.shift.watch(Path(name))):
            self._header.say(f"{shown(name)} is watched: what comes there is taken in hand")
            self.show()

    def choose_machines(self) -> None:
        """Ask by whom files in hand are worked on."""
        address, given = QInputDialog.getText(
            self._window, "Where the work is done", _WHERE, QLineEdit.EchoMode.Normal, self._settings.cluster
        )
        if not given:
            return
        self._settings.cluster = address.strip()
        self._settings.save()
        if self._workers is not None and self._shift is not None:
            self._workers.turn_to(self._settings.cluster)
            self._shift.elsewhere = bool(self._settings.cluster)
        where = f"by the machines behind {self._settings.cluster}" if self._settings.cluster else "by this machine"
        self._header.say(f"Files in hand are worked on {where}; what is under way goes on where it is")

    def choose_air_times(self) -> None:
        """Ask for a CSV of names and times."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Times on air", str(Path.cwd()), "Names and times (*.csv)")
        if name:
            self.read_air_times(Path(name))

    def read_air_times(self, path: Path) -> None:
        """Take times on air from a CSV."""

        def read() -> None:
            unknown = self.shift.read_air_times(path)
            named = f"; not in hand yet: {', '.join(unknown[:5])}{' …' * (len(unknown) > 5)}" if unknown else ""
            self._header.say(f"Times on air are taken from {shown(path.name)}{named}")

        self._safely(read)

    def take_next(self) -> None:
        """Open the file that is due first and needs a person, where it is worst."""

        def take() -> None:
            file = self.shift.next()
            if file is None:
                self._header.say("No file in hand needs a person")
            else:
                self.open(file)

        self._safely(take)

    def open(self, file: FileInHand) -> None:
        """Open a file on the desk as its profile says; what was measured of it is there at once."""
        session = self._work.session
        rules, before = file.profile.judged_by(), session.rules
        if rules.checksum != before.checksum:
            session.rules = rules
        if self._work.open(file.path, read=file.profile.read):
            self._opened_here, self._rules_before = True, before
            self.wanted.emit(False)
        else:
            session.rules = before

    def _refused(self) -> None:
        if self._opened_here:
            self._work.session.rules, self._opened_here = self._rules_before, False

    def _surveyed(self) -> None:
        if self._opened_here:
            self._opened_here = False
            self._work.session.go_to_worst()

    def _proved(self, proof: Proof) -> None:
        if self._shift is not None and proof.legal:
            target = proof.request.target
            written = [target, *certificate_paths(target)]
            by = self._who.known or "the desk"
            path = proof.request.survey.programme.path
            self._shift.proved(path, proof.verdict, by, written)
            if self._shift.next() is not None and any(file.path == path.absolute() for file in self._shift.files):
                self._work.result_dialog.offer_next(self.take_next)

    def take_decision(self, delivered: Path, gateway: str, decided: Decided) -> None:
        """Note what a gateway decided of what was delivered from the desk, if it is in hand."""
        if self._shift is not None:
            self._shift.decided(delivered, gateway, decided, self._who.known or "the desk")

    def _act(self, act: str, files: list[FileInHand]) -> None:
        shift = self.shift
        paths = [file.path for file in files]
        if act == "open":
            self._safely(lambda: self.open(files[0]))
        elif act == "air":
            self._ask_air_time(files)
        elif act == "profile":
            self._ask_profile(files)
        elif act == "remove":
            for path in paths:
                shift.remove(path)
            self._header.say(f"{len(paths)} file{'s' if len(paths) != 1 else ''} let go; nothing of them was changed")
        else:
            do: dict[str, Callable[[Path], None]] = {
                "certify": shift.certify, "legalise": shift.legalise,
                "put_off": lambda path: shift.put_off(path, self._who.signed),
                "deliver": lambda path: shift.deliver(path, self._who.signed),
                "send_back": lambda path: shift.send_back(path, self._who.signed),
            }  # fmt: skip
            self._safely(lambda: [do[act](path) for path in paths])

    def _ask_air_time(self, files: list[FileInHand]) -> None:
        named = shown(files[0].path.name) if len(files) == 1 else f"{len(files)} files"
        text, given = QInputDialog.getText(
            self._window, "On air", f"{named}: on air at, as 18:30; nothing where that is not known",
            QLineEdit.EchoMode.Normal, files[0].on_air,
        )  # fmt: skip
        if given:

            def put() -> None:
                for file in files:
                    self.shift.put_on_air(file.path, text)

            self._safely(put)

    def _ask_profile(self, files: list[FileInHand]) -> None:
        known = {profile.name: profile for profile in (PLAIN, *self.shift.profiles)}
        names = list(known)
        here = names.index(files[0].profile.name) if files[0].profile.name in known else 0
        named = shown(files[0].path.name) if len(files) == 1 else f"{len(files)} files"
        words = f"{named}: judged and written by the profile"
        name, given = QInputDialog.getItem(self._window, "Profile", words, names, here, editable=False)
        if given:

            def choose() -> None:
                for file in files:
                    self.shift.choose_profile(file.path, known[name])

            self._safely(choose)
