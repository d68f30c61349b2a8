"""The one error tree. Each message is a sentence an operator can act on."""


class BlufflineError(Exception):
    """Base of every error that Bluffline raises on purpose."""


class MediaError(BlufflineError):
    """A programme file can't be read."""


class WriteError(BlufflineError):
    """A file can't be written; whatever was begun has been removed."""


class RulesError(BlufflineError):
    """A rule file is missing or says something that can't be used."""


class SettingsError(BlufflineError):
    """A parameter lies outside what a step or a command accepts."""


class CancelledError(BlufflineError):
    """The operator stopped a job; nothing it was making remains."""
