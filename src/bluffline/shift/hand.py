"""The files in hand: what state each is in, since when and by whom, and what goes on with it next."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Executor, Future
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from threading import RLock
from time import monotonic

from bluffline.errors import BlufflineError
from bluffline.media.opening import shown
from bluffline.shift.air import air_time, air_times
from bluffline.shift.batch import Batch, Ended
from bluffline.shift.delivery import Decided, SentBackError, hand_on, is_gateway
from bluffline.shift.file_in_hand import MACHINE, FileInHand, brief
from bluffline.shift.gathering import gathered
from bluffline.shift.ledger import Ledger, files_in, identity_of, kept_in, sha256_of
from bluffline.shift.one_file import Asked, Told
from bluffline.shift.profile import PLAIN, Profile, chosen_for, load_profile
from bluffline.shift.redelivery import deliveries, name_root
from bluffline.shift.states import State
from bluffline.shift.watching import QUIET, Watcher
from bluffline.survey.monitor import Progress

_CERTIFICATE, _COPY, _DELIVERY = "certificate", "legal copy", "delivery"  # what may be asked for
_LEGAL = "legal"  # the folder that proved copies go to
_REST = 20.0  # looking at the files takes at most one part in so many of the time
_WORKING = frozenset({State.GROWING, State.WAITING, State.MEASURING})


class Shift:
    """All files in hand, kept as they change. Safe to use from any thread; `step` is called again and again by one.

    Parameters
    ----------
    profiles : the first that is for a file is its own
    changed : called after anything has changed, from the thread that changed it
    at_once : how many files are worked on at the same time
    quiet : seconds that a file has to stay as it is before it is taken for whole
    kept : tells when the work that the desk keeps on a file was last changed; empty where there is none
    """

    def __init__(
        self, ledger: Ledger, executor: Executor, profiles: Sequence[Profile] = (), *,
        changed: Callable[[], object] = lambda: None, at_once: Callable[[], int] = lambda: 2, quiet: float = QUIET,
        clock: Callable[[], float] = monotonic, kept: Callable[[Path], str] = lambda _: "",
    ) -> None:  # fmt: skip
        self.ledger, self.profiles, self.changed, self._work_kept = ledger, list(profiles), changed, kept
        self.told: list[str] = []  # sentences that nobody has been told yet
        self._batch = Batch(ledger, executor, say=self.told.append)
        self._at_once, self._quiet, self._clock, self._one = at_once, quiet, clock, RLock()
        self._files: dict[Path, FileInHand] = {}
        self._steady: dict[Path, tuple[str, float]] = {}
        self._watched: dict[Path, Watcher] = {}
        self._under_way: list[Asked] = []
        self._handed: dict[Path, Future[None]] = {}
        self._look_next = 0.0
        self._judged_with: dict[Path, str] = {}  # when the work was last changed that a file was judged with
        self._times = ledger.times()
        for each in self._kept():
            self._files[each.path] = each
        self._to_compare = list(self._files)  # with what came before: one at each step, for there may be many

    @property
    def elsewhere(self) -> bool:
        """Whether whoever works on a file may see another under its path."""
        return self._batch.elsewhere

    @elsewhere.setter
    def elsewhere(self, so: bool) -> None:
        self._batch.elsewhere = so

    # What there is --------------------------------------------------------------------------------------------------

    @property
    def files(self) -> list[FileInHand]:
        """All of them, what is due first at the head."""
        with self._one:
            return sorted(self._files.values(), key=lambda each: each.due)

    @property
    def watched(self) -> list[Path]:
        """The folders that are watched."""
        return list(self._watched)

    def next(self) -> FileInHand | None:
        """The file that is due first and needs a person."""
        return next((each for each in self.files if each.state is State.TO_FIX), None)

    # What an operator does ------------------------------------------------------------------------------------------

    def add(self, paths: Iterable[Path], by: str = MACHINE) -> int:
        """Take files and folders in hand; returns how many of them are new."""
        found = gathered(paths)
        with self._one:
            known = {*self._files, *self._written()}
            new = [path.absolute() for path in found.paths if path.absolute() not in known]
            self._put(
                *(FileInHand(path, chosen_for(path, self.profiles), by=by, on_air=self._time_of(path)) for path in new)
            )
        if found.beside:
            kinds = ", ".join(f"{count} {ending or 'without an ending'}" for ending, count in found.beside.most_common())
            self.told.append(f"Not taken in hand, since their endings are none of programmes: {kinds}.")
        self.changed()
        return len(new)

    def _written(self) -> Iterator[Path]:
        """What is written of files in hand, which is not taken in hand itself."""
        for file in self._files.values():
            yield from map(Path, file.told.written if file.told is not None else ())
        yield from (path.absolute() for asked in self._under_way for path in asked.outputs)

    def watch(self, folder: Path) -> None:
        """Take in hand whatever is in a folder and comes into it while this runs."""
        self._watched[folder.absolute()] = Watcher(folder.absolute(), quiet=0, clock=self._clock)

    def remove(self, path: Path) -> None:
        """Let a file go: nothing of it is changed, and what is known of it is kept for when it comes again."""
        with self._one:
            if self._files.pop(path, None) is not None:
                self.ledger.within(lambda store: store.execute("delete from hand where path = ?", (bytes(path),)))
        self.changed()

    def put_on_air(self, path: Path, text: str) -> None:
        """Say when a file is on air, as 18:30; empty where that is not known.

        Raises
        ------
        SettingsError : it is no time
        """
        self._change(path, on_air=air_time(text))

    def read_air_times(self, path: Path) -> list[str]:
        """Take times on air from a CSV of names and times, also for files that come later; returns names that none has yet.

        Raises
        ------
        SettingsError : it can't be read, or a line of it is none
        """
        times = air_times(path)
        with self._one:
            self._times = times
            self.ledger.put_times(times)
            for path in list(self._files):
                if time := self._time_of(path):
                    self.put_on_air(path, time)
            names = {name for path in self._files for name in _names_of(path)}
        return [name for name in times if name not in names]

    def _time_of(self, path: Path) -> str:
        """When a file is on air by the times that were read; empty where none is of its name."""
        return next((self._times[name] for name in _names_of(path) if name in self._times), "")

    def choose_profile(self, path: Path, profile: Profile) -> None:
        """Judge and write a file by another profile; it is measured again, also where it is being measured by its own."""
        file = self._files.get(path)
        if file is not None and not file.asked_for and file.profile != profile:
            self._change(path, profile=profile, state=file.state if file.state in _WORKING else State.WAITING, told=None)

    def judge_again(self, path: Path) -> None:
        """Judge a file with whatever has been done to it on the desk by now; what was measured of it is not measured again."""
        file = self._files.get(path.absolute())
        if file is None or file.asked_for or file.state not in (State.TO_FIX, State.GOOD):
            return
        if self._work_kept(file.path) != self._judged_with.get(file.path, ""):
            self._change(file.path, state=State.WAITING)

    def put_off(self, path: Path, by: str) -> None:
        """Leave a file for later, or take it up again."""
        file = self._files.get(path)
        if file is not None and file.state is State.PUT_OFF:
            self._change(path, state=_state_of(file.told), by=by)
        else:
            self._change(path, state=State.PUT_OFF, by=by)

    def send_back(self, path: Path, by: str) -> None:
        """Note that a file went back to whoever made it."""
        self._change(path, state=State.SENT_BACK, by=by)

    def deliver(self, path: Path, by: str) -> None:
        """Hand a file and its certificate on to the folder or gateway of its profile; where it has none, note that it was."""
        file = self._files.get(path)
        if file is not None and file.profile.deliver:
            self._change(path, by=by)
            self._ask(path, _DELIVERY)
        else:
            self._change(path, state=State.DELIVERED, by=by)

    def decided(self, delivered: Path, gateway: str, decided: Decided, by: str) -> None:
        """Note what a gateway decided of a file in hand, or of its proved copy, that was delivered from the desk."""
        for file in self.files:
            if file.told is None or file.asked_for or str(delivered.absolute()) not in (str(file.path), *file.told.written):
                continue
            if decided.accepted:
                self._change(file.path, state=State.DELIVERED, by=by)
            else:
                self._sent_back(file, gateway, " ".join(decided.reasons), by)

    def certify(self, path: Path) -> None:
        """Give a file its certificate, if it is good as it stands."""
        self._ask(path, _CERTIFICATE)

    def legalise(self, path: Path) -> None:
        """Write a proved legal copy of a file into a folder beside it."""
        self._ask(path, _COPY)

    def proved(self, path: Path, sentence: str, by: str, written: Sequence[Path] = ()) -> None:
        """Note that a file was proved on the desk. ``written``: the legal copy and its certificate."""
        file = self._files.get(path.absolute())
        if file is not None:
            told = file.told or Told(State.PROVED, sentence)
            told = replace(told, state=State.PROVED, sentence=sentence, written=tuple(map(str, written)), sent_back="")
            self._change(file.path, state=State.PROVED, by=by, told=told)

    def _ask(self, path: Path, what: str) -> None:
        with self._one:
            file = self._files.get(path)
            if file is not None and not file.asked_for and file.state not in _WORKING:
                self._change(path, asked_for=what)

    # What goes on by itself -----------------------------------------------------------------------------------------

    def step(self, seconds: float = 0.2) -> None:
        """Take over what has ended, waited for so long; look at every file, and begin what can be."""
        for ended in self._batch.ended(seconds):
            self._take(ended)
        if self._to_compare and (file := self._files.get(self._to_compare.pop())) is not None and file.told is not None:
            self._hold_against_others(file.path, file.told)
        named = {profile.deliver for profile in self.profiles if profile.deliver and not is_gateway(profile.deliver)}
        handed_to = {Path(folder).expanduser().absolute() for folder in named}
        for watcher in self._watched.values():
            there = [path.absolute() for path in watcher.steady()]
            if new := [path for path in there if path not in self._files and path.parent not in handed_to]:
                self.add(new)
        if (now := self._clock()) >= self._look_next:
            for file in self.files:
                self._look_at(file)
            self._look_next = now + _REST * (self._clock() - now)
        most = self._at_once()
        for file in self.files:
            acts = file.asked_for and file.state not in _WORKING and file.path not in [each.path for each in self._under_way]
            if acts and file.asked_for == _DELIVERY:
                self._hand_on(file)
            elif acts or (file.state is State.WAITING and len(self._under_way) < most):
                if not acts:
                    self._change(file.path, state=State.MEASURING, by=MACHINE)
                self._begin(replace(_asked(file), kept=self._work_kept(file.path)))

    def _hand_on(self, file: FileInHand) -> None:
        """Begin to hand a file on, or take over that it was."""
        under_way = self._handed.get(file.path)
        if under_way is None:
            assert file.told is not None
            self._handed[file.path] = self._batch.executor.submit(hand_on, file.path, file.told, file.profile.deliver)
        elif under_way.done():
            error = self._handed.pop(file.path).exception()
            if error is None:
                self._change(file.path, state=State.DELIVERED, asked_for="")
            elif isinstance(error, SentBackError):
                self._sent_back(file, file.profile.deliver, str(error), file.by)
            else:
                self.told.append(str(error))
                self._change(file.path, asked_for="")

    def _sent_back(self, file: FileInHand, by_whom: str, reason: str, by: str) -> None:
        """Note that a gateway refused a file: it is to fix again, and says why."""
        assert file.told is not None
        why = f"sent back by {by_whom}: {reason}"
        self.told.append(f"{shown(file.path.name)}: {why}")
        told = replace(file.told, state=State.TO_FIX, sentence=why, sent_back=reason)
        self._change(file.path, state=State.TO_FIX, told=told, asked_for="", by=by)

    def _begin(self, asked: Asked) -> None:
        self._under_way.append(asked)
        if (ended := self._batch.begin(asked)) is not None:
            self._take(ended)

    def _take(self, ended: Ended) -> None:
        self._under_way.remove(ended.asked)
        file = self._files.get(ended.asked.path)
        if file is None:  # it was let go meanwhile
            return
        if ended.asked.profile != file.profile:  # another was chosen meanwhile
            self._change(file.path, state=State.WAITING, progress=None)
            return
        self._judged_with[file.path] = kept_in(ended.identity)
        told, state = replace(brief(ended.told), looks=""), ended.told.state
        if state is State.REFUSED and file.asked_for:  # what was asked could not be; the file is what it was
            self.told.append(f"{shown(file.path.name)}: {told.sentence}")
            self._change(file.path, asked_for="", progress=None)
        else:
            identity = files_in(ended.identity)
            self._change(file.path, state=state, told=told, by=MACHINE, asked_for="", identity=identity, progress=None)
            self._hold_against_others(file.path, ended.told)

    def at(self, progress: Progress, asked: Asked) -> None:
        """Note how far a file is; from whatever thread is told."""
        with self._one:
            file = self._files.get(asked.path)
            if file is None or asked.path not in [each.path for each in self._under_way]:
                return
            self._files[file.path] = replace(file, progress=progress)
        self.changed()

    def _hold_against_others(self, path: Path, told: Told) -> None:
        """Keep what was measured of a file, and hold all that is known by its name against what came before each of it."""
        root = name_root(path)
        if told.looks and sha256_of(told):
            self.ledger.put_measured(path, root, brief(told))
        known = {(where, sha256_of(each)): each for where, each in self.ledger.measured(root)}
        before = deliveries(known)
        for where in {where for where, _ in known}:
            file = self._files.get(where)
            if file is not None and (key := (where, sha256_of(file.told))) in known and file.before != before[key]:
                self._change(where, before=before[key])

    def _look_at(self, file: FileInHand) -> None:
        """A file that has changed goes back to growing; one that has stayed as it is long enough waits to be measured."""
        now = self._now(file)
        if file.state is State.GROWING:
            before, since = self._steady.get(file.path, ("", self._clock()))
            if now != before:
                self._steady[file.path] = now, self._clock()
            elif self._clock() - since >= self._quiet:
                del self._steady[file.path]
                self._change(file.path, state=State.WAITING, identity=now)
        elif file.state not in _WORKING and now != file.identity:
            self._handed.pop(file.path, None)
            self._change(file.path, state=State.GROWING, told=None, asked_for="")

    @staticmethod
    def _now(file: FileInHand) -> str:
        return files_in(identity_of(Asked(file.path, file.profile)))

    def _change(self, path: Path, **what: object) -> None:
        with self._one:
            file = self._files.get(path)
            if file is None:
                return
            if "state" in what and what["state"] is not file.state:
                what["since"] = datetime.now(UTC).isoformat(timespec="seconds")
            self._put(replace(file, **what))  # type: ignore[arg-type]
        self.changed()

    # Kept -----------------------------------------------------------------------------------------------------------

    def _put(self, *files: FileInHand) -> None:
        self._files.update((file.path, file) for file in files)
        rows = (
            (
                *(bytes(each.path), each.profile.name, str(each.state), each.since, each.by, each.on_air, each.identity),
                each.asked_for,
            )
            for each in files
        )
        self.ledger.put_in_hand(list(zip(rows, (each.told for each in files), strict=True)))

    def _kept(self) -> Iterator[FileInHand]:
        """What was in hand when this ended last; what was under way then waits again."""
        named = {profile.name: profile for profile in self.profiles}
        for row, told in self.ledger.in_hand():
            path, profile, state, since, by, on_air, identity, asked_for = row
            known = State(state)
            yield FileInHand(
                Path(path), named.get(profile) or _profile(profile), State.GROWING if known in _WORKING else known, since, by,
                on_air, identity, told, asked_for if asked_for in (_CERTIFICATE, _COPY, _DELIVERY) else "",
            )  # fmt: skip


def _names_of(path: Path) -> tuple[str, str]:
    """The names by which a schedule may call a file."""
    return path.name.casefold(), path.stem.casefold()


def _asked(file: FileInHand) -> Asked:
    """What is to be done with a file: what was asked for, else to check it."""
    target = file.profile.target(file.path, file.path.parent / _LEGAL) if file.asked_for == _COPY else None
    return Asked(file.path, file.profile, certify=bool(file.asked_for), target=target)


def _state_of(told: Told | None) -> State:
    return told.state if told is not None else State.GROWING


def _profile(name: str) -> Profile:
    try:
        return load_profile(name)
    except BlufflineError:  # it is gone: the file is judged as any other
        return PLAIN
