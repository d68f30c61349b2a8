"""The ``bluffline`` command: a job on the command line, or the desk."""

import sys
from collections.abc import Sequence

from bluffline.cli.main import COMMANDS
from bluffline.cli.main import main as run_command
from bluffline.memory import keep_frame_memory


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command, or open the desk on what is named, and return the exit code."""
    keep_frame_memory()
    words = list(sys.argv[1:] if arguments is None else arguments)
    if words and words[0] in {*COMMANDS, "-h", "--help", "--version"}:
        return run_command(words)
    try:
        # Only here, so that the commands work, and start fast, where PyQt6 is not installed.
        from bluffline.ui.application import run_desk
    except ImportError as error:
        print(f"bluffline: the desk can't be opened here: {error}.", file=sys.stderr)
        return 2
    return run_desk(words)
