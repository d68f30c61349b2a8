"""Work done on other machines: a scheduler of Dask distributed, by the same interface as processes of this one."""

import socket
from collections.abc import Iterator
from concurrent.futures import Executor
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from bluffline.errors import SettingsError

_RETRIES = 2  # of one file, where the machine that worked on it went
_WAIT = 20  # seconds for the scheduler to answer


@dataclass(frozen=True)
class Machines:
    """The machines behind a scheduler, by the interface of processes of this one."""

    executor: Executor
    _client: Any

    @property
    def cores(self) -> int:
        """How many pieces of work they do at the same time now; one at least, for others may come."""
        with suppress(Exception):  # whatever ends a call to a scheduler that is going
            return max(sum(map(int, self._client.ncores().values())), 1)
        return 1

    @property
    def answer(self) -> bool:
        """Whether the scheduler is still there, as far as is known."""
        return str(self._client.status) == "running"


@contextmanager
def cluster(address: str) -> Iterator[Machines]:
    """The machines behind a scheduler, as somebody to give work to.

    They see files under the same paths, and have this version of the program; what is written lands where they see it. Whatever
    is under way at the end is given up.

    Raises
    ------
    SettingsError : the scheduler does not answer, or the library for it is not installed
    """
    try:
        from distributed import Client
    except ImportError as error:
        raise SettingsError("A cluster needs Dask distributed: install bluffline[cluster].") from error
    try:
        _refuse_nobody(address)
        client = Client(address, timeout=_WAIT, set_as_default=False)
    except (OSError, ValueError, TimeoutError) as error:
        raise SettingsError(f"There is no scheduler at {address[:80]}: {str(error)[:120] or 'it does not answer'}.") from error
    executor = client.get_executor(pure=False, retries=_RETRIES)
    try:
        yield Machines(executor, client)
    finally:
        with suppress(Exception):  # a scheduler that has gone can't be told that nothing is wanted any more
            executor.shutdown(wait=False)
        client.close()


def _refuse_nobody(address: str) -> None:
    """Look whether anybody listens; a client that finds nobody leaves a thread behind for good.

    Raises
    ------
    OSError, ValueError : nobody does, or it is no address
    """
    parts = urlsplit(address)
    if parts.scheme == "tcp" and parts.hostname and parts.port:
        socket.create_connection((parts.hostname, parts.port), _WAIT).close()
