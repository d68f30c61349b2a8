"""A batch: many files, each done once, by several at a time; what was done before and has not changed is taken as it is."""

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, CancelledError, Executor, Future, wait
from contextlib import suppress
from dataclasses import dataclass, field, replace

from bluffline.errors import BlufflineError, ElsewhereError
from bluffline.media.opening import Opening, shown
from bluffline.session.faults import fault_of
from bluffline.session.fingerprint import fingerprint
from bluffline.shift.ledger import Ledger, identity_of
from bluffline.shift.one_file import Asked, Told, do
from bluffline.shift.states import State
from bluffline.survey.runs import TRIES

_IN_HAND = 64  # files that are handed out at once: so many are on their way, however long the list is


@dataclass(frozen=True)
class Ended:
    """A file that is done. ``known``: it was done in an earlier run, and has not changed since.

    ``identity``: what the file was when it was taken up, see `identity_of`.
    """

    asked: Asked
    told: Told
    identity: str
    known: bool = False


@dataclass(frozen=True)
class _Given:
    """A file that is under way: as it was asked for, as it was given, for which time."""

    asked: Asked
    taken: Asked
    identity: str
    turn: int = 1


@dataclass
class Batch:
    """What is done to files, in the order in which they are asked for, as many at a time as the executor has hands.

    ``again``: also what was done before, and what stands in its way. ``elsewhere``: whoever works on a file may see another
    under its path, and is told what it holds. Where that is so, or whoever had it has gone, it is given to the next, `TRIES`
    times in all, and ``say`` is told. A file that changes meanwhile is refused.
    """

    ledger: Ledger
    executor: Executor
    again: bool = False
    elsewhere: bool = False
    say: Callable[[str], object] = lambda _: None
    _running: dict[Future[Told], "_Given"] = field(default_factory=dict)

    def run(self, asked: Iterable[Asked], stop: Callable[[], bool] = lambda: False) -> Iterator[Ended]:
        """Do all of it; each file is told as soon as it is done. Of what was not begun when ``stop`` says so nothing is done.

        Raises
        ------
        SettingsError : what is done can't be kept
        """
        todo = iter(asked)
        more = True
        while more or self._running:
            while more and len(self._running) < _IN_HAND and not stop():
                one = next(todo, None)
                more = one is not None
                if one is not None and (ended := self.begin(one)) is not None:
                    yield ended
            more = more and not stop()
            yield from self.ended()

    @property
    def busy(self) -> bool:
        """Whether anything is under way."""
        return bool(self._running)

    def begin(self, asked: Asked) -> Ended | None:
        """Begin with a file, unless it is known what comes of it: that is returned."""
        identity = identity_of(asked)
        told = None if self.again else self.ledger.known(asked)
        if told is not None:
            return Ended(asked, told, identity, known=True)
        taken = self.ledger.take_up(asked, again=self.again)
        if taken is None:
            there = next(path for path in asked.outputs if path.exists())
            words = f"{shown(there)} is there already and is somebody else's, so it was left as it is."
            return Ended(asked, Told(State.REFUSED, words), identity)
        if self.elsewhere:
            with suppress(BlufflineError, OSError):  # what can't be read is told as it is done
                taken = replace(taken, content=fingerprint(Opening.of(taken.path).files))
        self._running[self.executor.submit(do, taken)] = _Given(asked, taken, identity)
        return None

    def ended(self, seconds: float | None = None) -> Iterator[Ended]:
        """What has ended, waited for until there is something, or so many seconds."""
        done, _ = wait(self._running, timeout=seconds, return_when=FIRST_COMPLETED) if self._running else (set(), ())
        for future in [each for each in self._running if each in done]:  # in the order in which they were begun
            given = self._running.pop(future)
            asked, identity = given.asked, given.identity
            try:
                told = future.result()
            except (CancelledError, ElsewhereError) as error:
                gone = f"Whoever worked on {shown(asked.path)} has gone."
                why = gone if isinstance(error, CancelledError) else str(error)
                if given.turn < TRIES and asked.path.exists():
                    self.say(f"{why} It is given to another.")
                    self._running[self.executor.submit(do, given.taken)] = replace(given, turn=given.turn + 1)
                    continue
                told = Told(State.REFUSED, why)
            except Exception as error:  # noqa: BLE001 (whatever ended it, the others go on)
                told = Told(State.REFUSED, fault_of(error, "Whoever worked on it").sentence)
            if told.state is not State.REFUSED:  # what could not be done is tried again next time
                self.ledger.put(asked, identity, told)
            yield Ended(asked, told, identity)
