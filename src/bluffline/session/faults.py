"""Errors that nobody foresaw: told in one sentence, and kept with all that is known of them in a log."""

import logging
import traceback
from dataclasses import dataclass
from functools import cache
from logging.handlers import RotatingFileHandler
from pathlib import Path

from bluffline.errors import BlufflineError
from bluffline.folders import UserFolder

_MOST_BYTES, _KEPT = 1_000_000, 3
on_the_way = logging.getLogger("bluffline")  # what is told on the way, which nobody keeps unless it is asked for


@dataclass(frozen=True, slots=True)
class Fault:
    """What went wrong: a sentence for the operator; ``details`` for whoever mends it, empty where the sentence says all."""

    sentence: str
    details: str = ""


def fault_of(error: BaseException, doing: str) -> Fault:
    """What to tell of an error; one that nobody foresaw goes to the log.

    Parameters
    ----------
    doing : what was being done, as the subject of a sentence
    """
    if isinstance(error, BlufflineError):
        return Fault(str(error))
    if isinstance(error, OSError) and error.strerror:
        where = f"{error.filename}: " if error.filename else ""
        return Fault(f"The system refused: {where}{error.strerror}.")
    details = "".join(traceback.format_exception(error))
    logger().error("%s\n%s", doing, details)
    what = str(error).strip().splitlines()[0] if str(error).strip() else "no more is known"
    return Fault(f"{doing} ended in an error that was not foreseen ({type(error).__name__}: {what}).", details)


def log_path() -> Path:
    """Where the log is."""
    return UserFolder.LOG.path / "bluffline.log"


@cache
def logger() -> logging.Logger:
    """The log, begun when it is first needed; where its folder can't be written to, nothing is kept and nothing breaks."""
    log = on_the_way
    log.propagate = False
    try:
        log_path().parent.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = RotatingFileHandler(
            log_path(), maxBytes=_MOST_BYTES, backupCount=_KEPT, encoding="utf-8", delay=True
        )
    except OSError:
        handler = logging.NullHandler()
    handler.setLevel(logging.ERROR)
    handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
    log.addHandler(handler)
    return log
