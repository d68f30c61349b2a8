"""Long work: every job has one ending, and a result that comes too late lands nowhere, whatever kind of job it is of."""

import queue
import threading
from logging.handlers import RotatingFileHandler

import pytest

from bluffline.errors import CancelledError, SettingsError
from bluffline.session.faults import log_path, logger
from bluffline.session.jobs import Ending, Jobs, Kind
from bluffline.survey.monitor import Monitor


@pytest.fixture
def log(tmp_path, monkeypatch):
    """A log of this test's own."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    logger.cache_clear()
    yield log_path()
    for handler in [handler for handler in logger().handlers if isinstance(handler, RotatingFileHandler)]:
        logger().removeHandler(handler)
        handler.close()
    logger.cache_clear()


class Owner:
    """Who asks for jobs, and works on one thing at a time."""

    def __init__(self):
        self.subject, self.taken, self.told = object(), [], []
        self.endings: queue.Queue = queue.Queue()
        self.jobs = Jobs(lambda: self.subject, self.endings.put, self.told.append)

    def settle(self):
        """Take the next ending that a thread delivers."""
        ended = self.endings.get(timeout=60)
        return ended, self.jobs.settle(ended)


class Late:
    """A job that ends when it is told to, whether it was cancelled meanwhile or not."""

    def __init__(self, result):
        self.result, self.begun, self.free = result, threading.Event(), threading.Event()

    def __call__(self, monitor):
        self.begun.set()
        assert self.free.wait(60)
        return self.result


@pytest.mark.parametrize("kind", Kind)
class TestEveryKindOfJob:
    """The rule, for each kind."""

    def test_a_result_in_time_is_taken_once(self, kind):
        owner = Owner()
        ticket = owner.jobs.start(kind, lambda _: 42, owner.taken.append)
        assert owner.jobs.kind is kind and owner.jobs.is_under_way(ticket)
        ended, counts = owner.settle()
        assert counts and ended.ending is Ending.DONE and owner.taken == [42] and owner.jobs.kind is None
        assert not owner.jobs.settle(ended) and owner.taken == [42], "an ending counts once"

    def test_what_was_asked_of_another_survey_is_dropped(self, kind):
        owner, job = Owner(), Late("of the one before")
        owner.jobs.start(kind, job, owner.taken.append)
        assert job.begun.wait(60)
        owner.subject = object()
        job.free.set()
        _, counts = owner.settle()
        assert not counts and owner.taken == [] and owner.jobs.kind is None, "it ends all the same: nothing stands for ever"

    def test_of_two_requests_the_later_counts_whichever_ends_first(self, kind):
        for first_ends_first in (True, False):
            owner, slow, quick = Owner(), Late("slow"), Late("quick")
            owner.jobs.start(kind, slow, owner.taken.append)
            assert slow.begun.wait(60)
            owner.jobs.start(kind, quick, owner.taken.append)
            for job in (slow, quick) if first_ends_first else (quick, slow):
                job.free.set()
                owner.settle()
            assert owner.taken == ["quick"]

    def test_a_failure_of_whatever_kind_is_one_sentence(self, kind, log):
        owner = Owner()
        full = OSError(28, "No space left on device", "/out/o.mov")
        for error, words, unforeseen in (
            (SettingsError("No."), "No.", False),
            (full, "The system refused: /out/o.mov: No space left on device.", False),
            (ValueError("array must not\ncontain NaN"), "not foreseen (ValueError: array must not).", True),
            (MemoryError(), "not foreseen (MemoryError: no more is known).", True),
        ):

            def fail(_: Monitor, error=error) -> None:
                raise error

            owner.jobs.start(kind, fail, owner.taken.append)
            ended, counts = owner.settle()
            assert counts and ended.ending is Ending.FAILED and owner.taken == [] and owner.jobs.kind is None
            assert ended.fault.sentence.endswith(words) and "\n" not in ended.fault.sentence
            assert ("Traceback" in ended.fault.details) is unforeseen
        text = log.read_text()
        assert text.count("Traceback") == 2 and str(kind) in text, "what was foreseen needs no traceback"

    def test_a_cancel_is_an_ending_and_no_result(self, kind):
        owner, begun = Owner(), threading.Event()

        def long(monitor: Monitor) -> None:
            while True:
                begun.set()
                monitor.at("Long", 1, 2)

        owner.jobs.start(kind, long, owner.taken.append)
        assert begun.wait(60)
        owner.jobs.cancel()
        ended, counts = owner.settle()
        assert counts and ended.ending is Ending.CANCELLED and owner.taken == []

    def test_stopping_waits_and_lets_nothing_count(self, kind):
        owner, begun = Owner(), threading.Event()

        def long(monitor: Monitor) -> int:
            begun.set()
            try:
                while True:
                    monitor.at("Long", 1, 2)
            except CancelledError:
                return 1  # it had just finished

        owner.jobs.start(kind, long, owner.taken.append)
        assert begun.wait(60)
        owner.jobs.stop()
        _, counts = owner.settle()
        assert not counts and owner.taken == [] and not [t for t in threading.enumerate() if "bluffline-job" in t.name]


def test_progress_is_that_of_the_job_under_way():
    owner, job = Owner(), Late(None)
    monitors = []

    def first(monitor: Monitor) -> None:
        monitors.append(monitor)
        job(monitor)

    owner.jobs.start(Kind.SURVEY, first, owner.taken.append)
    assert job.begun.wait(60)
    monitors[0].at("Survey", 2, 2)
    owner.jobs.start(Kind.PROOF, lambda _: None, owner.taken.append)
    with pytest.raises(CancelledError):
        monitors[0].at("Survey", 2, 2)
    job.free.set()
    assert [progress.stage for progress in owner.told] == ["Survey"]


def test_where_no_log_can_be_kept_nothing_breaks(log, monkeypatch, tmp_path):
    (tmp_path / "bluffline").write_text("a file where the folder should be")
    owner = Owner()
    owner.jobs.start(Kind.SURVEY, lambda _: 1 // 0, owner.taken.append)
    ended, _ = owner.settle()
    assert "ZeroDivisionError" in ended.fault.sentence and "Traceback" in ended.fault.details


def test_side_by_side_no_job_ends_one_of_another_kind_and_a_second_of_its_own_does():
    owner = Owner()
    owner.jobs = Jobs(lambda: owner.subject, owner.endings.put, owner.told.append, side_by_side=True)
    pick, bake, again = Late("pick"), Late("bake"), Late("again")
    first = owner.jobs.start(Kind.PICK, pick, owner.taken.append)
    second = owner.jobs.start(Kind.BAKE, bake, owner.taken.append)
    assert owner.jobs.is_under_way(first) and owner.jobs.is_under_way(second) and owner.jobs.kind is Kind.BAKE
    third = owner.jobs.start(Kind.BAKE, again, owner.taken.append)
    assert not owner.jobs.is_under_way(second) and owner.jobs.is_under_way(third)
    for late in (bake, pick, again):
        assert late.begun.wait(60)
        late.free.set()
    counted = dict(owner.settle() for _ in range(3))
    assert {ended.result: counts for ended, counts in counted.items()} == {"bake": False, "pick": True, "again": True}
    assert sorted(owner.taken) == ["again", "pick"] and owner.jobs.kind is None


def test_progress_is_told_at_most_so_often_and_its_end_always():
    owner, done = Owner(), threading.Event()

    def job(monitor: Monitor):
        for number in range(1, 501):
            monitor.at("Work", number, 500)
        done.set()

    owner.jobs.start(Kind.SURVEY, job, owner.taken.append)
    owner.settle()
    assert done.is_set() and owner.told[0].done == 1 and owner.told[-1].done == 500 and len(owner.told) < 50
