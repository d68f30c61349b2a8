"""The states that a file in hand goes through."""

from enum import StrEnum


class State(StrEnum):
    """Where a file is between coming and going: in words that a row of the list can show."""

    GROWING = "still growing"
    WAITING = "waiting"
    MEASURING = "being measured"
    GOOD = "good as it is"
    TO_FIX = "to fix"
    REFUSED = "refused"
    PUT_OFF = "put off"
    PROVED = "proved"
    DELIVERED = "delivered"
    SENT_BACK = "sent back"

    @property
    def needs_a_person(self) -> bool:
        """Whether nothing goes on with it until somebody looks."""
        return self in (State.TO_FIX, State.REFUSED)

    @property
    def measured(self) -> bool:
        """Whether it was read to its end and judged."""
        return self in (State.GOOD, State.TO_FIX, State.PROVED)
