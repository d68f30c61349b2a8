"""The command that makes a shell complete commands, options and files."""

import argparse
from collections.abc import Iterator
from functools import partial
from pathlib import Path

_SHELLS = "bash", "zsh", "fish"


def add_command(commands: "argparse._SubParsersAction[argparse.ArgumentParser]", whole: argparse.ArgumentParser) -> None:
    """Declare the command; ``whole``: the parser of all of them."""
    completion = commands.add_parser("completion", help="print what makes a shell complete commands, options and files")
    completion.set_defaults(run=partial(_completion, whole))
    completion.add_argument("shell", choices=_SHELLS, metavar="SHELL", help=", ".join(_SHELLS))


def _completion(whole: argparse.ArgumentParser, options: argparse.Namespace) -> int:
    import shtab

    files_completed(whole)
    print(shtab.complete(whole, options.shell))
    return 0


def files_completed(whole: argparse.ArgumentParser) -> None:
    """Have a parser's paths completed as files."""
    import shtab

    for action in _actions(whole):
        if action.type is Path:
            action.complete = shtab.FILE  # type: ignore[attr-defined]


def _actions(parser: argparse.ArgumentParser) -> Iterator[argparse.Action]:
    """All arguments of a parser, and of its commands."""
    for action in parser._actions:  # noqa: SLF001 - argparse has no other way to them
        yield action
        if isinstance(action, argparse._SubParsersAction):  # noqa: SLF001
            for each in set(action.choices.values()):
                yield from _actions(each)
