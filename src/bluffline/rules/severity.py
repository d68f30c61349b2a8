"""How grave what breaks a rule is."""

from enum import StrEnum


class Severity(StrEnum):
    """What a finding asks of the operator."""

    __hash__ = str.__hash__  # which is quick: findings are counted by the thousand

    MUST_FIX = "must fix"
    LOOK = "look"
    NOTE = "note"
