"""Processes of this machine that work on files: warm between two of them, replaced where one dies, stopped with whoever asked.

They have the interface of `concurrent.futures`, so that what works on a shift need not know where the work is done.
"""

import multiprocessing
import os
import pickle
import signal
import time
from collections.abc import Callable
from concurrent.futures import Executor, Future
from contextlib import suppress
from multiprocessing.connection import Connection
from queue import SimpleQueue
from threading import Lock, Thread
from typing import Any, NamedTuple, TypeVar

from bluffline import stopping
from bluffline.errors import BlufflineError

TRIES = 2  # of one piece of work, where the process that did it died
_NO_MORE = b"no more"
_TO_END = 10.0  # seconds that a process has to remove what it has begun
_LOOK_EVERY = 0.2  # seconds between two looks at whether whoever asked is still there
_NICE = 10  # what an operator waits for goes first
_Given = TypeVar("_Given")
_SENDING = Lock()  # one at a time speaks through the pipe
_on_the_way: Connection | None = None  # of this process, where it is one that works for another


class WorkerDiedError(BlufflineError):
    """A process that worked on a file ended without a word, as often as it was tried."""


class _OnTheWay(NamedTuple):
    """What work tells before it is done."""

    what: object


class _Job(NamedTuple):
    future: "Future[Any]"
    function: Callable[..., Any]
    arguments: tuple[Any, ...]


def tell_on_the_way(what: object) -> None:
    """Tell whoever gave this process its work how far that is; where that is nobody, nothing."""
    if _on_the_way is not None:
        with _SENDING:
            _on_the_way.send(_OnTheWay(what))


class Workers(Executor):
    """So many processes.

    Work is a function of a module and plain data. Where its process dies it is done again in another, `TRIES` times in all;
    what was begun twice is told once. ``begun``: called with the arguments when a process takes them up, from another thread;
    ``told``: with what was told on the way, before the arguments.
    """

    def __init__(
        self, count: int, begun: Callable[..., object] = lambda *_: None, told: Callable[..., object] = lambda *_: None
    ) -> None:
        self._jobs: SimpleQueue[_Job | None] = SimpleQueue()
        self._told = told
        self._begun, self._closed, self._one = begun, False, Lock()
        self._processes: dict[int, multiprocessing.process.BaseProcess] = {}
        self._threads = [Thread(target=self._serve, args=(n,), name=f"bluffline-worker-{n}", daemon=True) for n in range(count)]
        for thread in self._threads:
            thread.start()

    def submit(self, function: Callable[..., _Given], /, *arguments: Any, **named: Any) -> "Future[_Given]":
        """Have a function of a module called with plain data in one of the processes."""
        if named or self._closed:
            raise RuntimeError("work is given by place, and while there is somebody to do it")
        future: Future[_Given] = Future()
        self._jobs.put(_Job(future, function, arguments))
        return future

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """Take no more work; with ``cancel_futures`` what runs is stopped too, and removes what it has begun."""
        with self._one:
            self._closed = True
            running = list(self._processes.values()) if cancel_futures else []
        while cancel_futures and not self._jobs.empty():
            with suppress(Exception):
                job = self._jobs.get_nowait()
                if job is not None:
                    job.future.cancel()
        for process in running:
            process.terminate()
        for _ in self._threads:
            self._jobs.put(None)
        if wait and cancel_futures:  # one that does not heed being asked is ended all the same
            until = time.monotonic() + _TO_END
            for process in running:
                process.join(max(until - time.monotonic(), 0))
                process.kill()
        for thread in self._threads if wait else ():
            thread.join()

    def _serve(self, place: int) -> None:
        process: multiprocessing.process.BaseProcess | None = None
        pipe: Connection | None = None
        while (job := self._jobs.get()) is not None:
            if not job.future.set_running_or_notify_cancel():
                continue
            self._begun(*job.arguments)
            for turn in range(1, TRIES + 1):
                if process is None or pipe is None or not process.is_alive():
                    process, pipe = self._started(place)
                try:
                    pipe.send_bytes(pickle.dumps((job.function, job.arguments)))
                    while isinstance(answer := pipe.recv(), _OnTheWay):
                        self._told(answer.what, *job.arguments)
                    given, raised = answer
                except (EOFError, OSError):
                    process.join(_TO_END)
                    process = None
                    if self._closed:
                        job.future.set_exception(WorkerDiedError("It was stopped."))
                        break
                    if turn == TRIES:
                        told = f"The process that worked on it ended without a word, {TRIES} times"
                        job.future.set_exception(WorkerDiedError(f"{told}; there may be too little memory."))
                    continue
                if raised is None:
                    job.future.set_result(given)
                else:
                    job.future.set_exception(raised)
                break
        if process is not None and pipe is not None:
            with suppress(OSError):
                pipe.send_bytes(_NO_MORE)
            process.join(_TO_END)
            if process.is_alive():
                process.kill()
            pipe.close()

    def _started(self, place: int) -> tuple[multiprocessing.process.BaseProcess, Connection]:
        ours, theirs = multiprocessing.Pipe()
        process = _CONTEXT.Process(target=_work, args=(theirs, os.getpid()), name=f"bluffline-worker-{place}", daemon=True)
        with self._one:
            process.start()
            self._processes[place] = process
        theirs.close()
        return process, ours


# A fresh interpreter each: threads and libraries that are held half-way in this one would be held for ever in a copy of it.
_CONTEXT = multiprocessing.get_context("spawn")


def _work(pipe: Connection, parent: int) -> None:
    """What a process does: one piece of work after another, until there is none, or whoever gave it has gone."""
    global _on_the_way  # noqa: PLW0603 (what is called knows of no pipe, and there is one for each process)
    _on_the_way = pipe
    os.nice(_NICE)
    stopping.listen()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever gave the work has it too, and says when to stop
    Thread(target=_watch, args=(parent,), daemon=True).start()
    with suppress(EOFError, OSError, stopping.Stopped):
        while (given := pipe.recv_bytes()) != _NO_MORE:
            answer: tuple[Any, Exception | None]
            try:
                function, arguments = pickle.loads(given)
                answer = function(*arguments), None
            except BlufflineError as error:
                answer = None, error
            except Exception as error:  # noqa: BLE001 (whatever it is, it is told to whoever asked, who may not know its kind)
                answer = None, RuntimeError(f"{type(error).__name__}: {error}")
            with _SENDING:
                pipe.send(answer)
    os._exit(0)


def _watch(parent: int) -> None:
    """End with whoever gave the work, however that ended: nobody would ask for what is done."""
    while os.getppid() == parent:
        time.sleep(_LOOK_EVERY)
    os.kill(os.getpid(), signal.SIGTERM)
