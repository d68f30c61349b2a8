"""How grave what breaks a rule is."""

from enum import StrEnum


class Severity(StrEnum):
    """What a finding asks of the operator."""

    MUST_FIX = "must fix"
    LOOK = "look"
    NOTE = "note"
