"""The ``bluffline`` command: a job on the command line, or the desk."""

import os
import signal
import sys
from collections.abc import Sequence
from contextlib import suppress
from typing import NoReturn

from bluffline import stopping
from bluffline.interpreter import loading


def command() -> NoReturn:
    """`main` as the command that it is: the process ends with its exit code.

    It ends at once. All that was begun has been ended or removed by then, and libraries that the interpreter takes down one by
    one, while threads of others still run, can crash.
    """
    code = main()
    for stream in (sys.stdout, sys.stderr):
        with suppress(OSError, ValueError):
            stream.flush()
    os._exit(code)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command, or open the desk on what is named; returns the exit code: 128 and its number where a signal ended it."""
    stopping.listen()
    for stream in (sys.stdout, sys.stderr):
        with suppress(AttributeError, ValueError):  # what a terminal can't show is shown as something else
            stream.reconfigure(errors="replace")  # type: ignore[union-attr]
    try:
        return _run(list(sys.argv[1:] if arguments is None else arguments))
    except stopping.Stopped:
        return _stopped()
    except BrokenPipeError:  # whoever read the output has gone: nothing may be written at the end either
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 128 + signal.SIGPIPE
    except Exception:
        if stopping.asked():  # a library has made something else of it
            return _stopped()
        raise


def _is_mistyped(word: str) -> bool:
    """Whether a word is meant as a command: it names nothing, and looks like no path, pattern or option."""
    return word.isidentifier() and not os.path.lexists(word)


def _stopped() -> int:
    stopping.rest()
    print("bluffline: stopped; nothing was left behind.", file=sys.stderr)
    return stopping.code()


def _run(words: list[str]) -> int:
    # Loaded only here, where a signal ends it like everything else.
    with loading():
        from bluffline.cli.main import COMMANDS
        from bluffline.cli.main import main as run_command
        from bluffline.memory import keep_frame_memory

    keep_frame_memory()
    if words and words[0] in {*COMMANDS, "-h", "--help", "--version"}:
        return run_command(words)
    if words and _is_mistyped(words[0]):
        print(f"bluffline: {words[0]} is no command and no file; the commands are {', '.join(COMMANDS)}.", file=sys.stderr)
        return 2
    try:
        # Only here, so that the commands work, and start fast, where PyQt6 is not installed. Its loading must not be unwound.
        with stopping.held(), loading():
            from bluffline.ui.application import run_desk
    except ImportError as error:
        print(f"bluffline: the desk can't be opened here: {error}.", file=sys.stderr)
        return 2
    return run_desk(words)
