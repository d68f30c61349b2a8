"""Work done on other machines: a scheduler of Dask distributed, by the same interface as processes of this one."""

from collections.abc import Iterator
from concurrent.futures import Executor
from contextlib import contextmanager

from bluffline.errors import SettingsError

_RETRIES = 2  # of one file, where the machine that worked on it went
_WAIT = 20  # seconds for the scheduler to answer


@contextmanager
def cluster(address: str) -> Iterator[Executor]:
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
        client = Client(address, timeout=_WAIT, set_as_default=False)
    except (OSError, ValueError, TimeoutError) as error:
        raise SettingsError(f"There is no scheduler at {address[:80]}: {str(error)[:120] or 'it does not answer'}.") from error
    executor = client.get_executor(pure=False, retries=_RETRIES)
    try:
        yield executor
    finally:
        executor.shutdown(wait=False)
        client.close()
