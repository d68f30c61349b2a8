"""The one error tree. Each message is a sentence an operator can act on."""


class BlufflineError(Exception):
    """Base of every error that Bluffline raises on purpose."""


class MediaError(BlufflineError):
    """A programme file can't be read."""


class ElsewhereError(MediaError):
    """Whoever was given work does not see the file that was meant: it may be another, or gone, on that machine alone."""


class WriteError(BlufflineError):
    """A file can't be written; whatever was begun has been removed."""


class RulesError(BlufflineError):
    """A rule file is missing or says something that can't be used."""


class ChartError(BlufflineError):
    """A chart reference can't be used, or a filmed chart does not carry what was asked of it."""


class SettingsError(BlufflineError):
    """A parameter lies outside what a step or a command accepts."""


def require(holds: bool, sentence: str) -> None:
    """Refuse a parameter.

    Raises
    ------
    SettingsError : it does not hold
    """
    if not holds:
        raise SettingsError(sentence)


class CancelledError(BlufflineError):
    """The operator stopped a job; nothing it was making remains."""
