"""A file in hand: what state it is in, since when and by whom, and what is known of it."""

from dataclasses import dataclass, field, replace
from pathlib import Path

from bluffline.shift.one_file import Told
from bluffline.shift.profile import Profile
from bluffline.shift.redelivery import CameBefore
from bluffline.shift.states import State
from bluffline.survey.monitor import Progress

MACHINE = "this machine"
_SHOWN = ("file", "must_fix", "waived", "findings", "not_judged", "rules")  # of a report, in the list
_DAY_BEGINS = "06"  # the hour at which a day's programme does


@dataclass(frozen=True)
class FileInHand:
    """A file in hand.

    ``since``: when it came into its state, in ISO 8601; ``by``: whom or what that came about by; ``on_air``: hours and minutes,
    empty where nobody has said; ``identity``: what the file was when it came into its state, see `identity_of`; ``told``: what
    came of it, None before it was measured; ``asked_for``: the act that was asked for and is not done yet, empty where none;
    ``before``: what came before it under its name, None where nothing is known to have; ``progress``: how far what is done
    with it now is, None where that is not known.
    """

    path: Path
    profile: Profile
    state: State = State.GROWING
    since: str = ""
    by: str = MACHINE
    on_air: str = ""
    identity: str = ""
    told: Told | None = field(default=None, repr=False)
    asked_for: str = ""
    before: CameBefore | None = field(default=None, repr=False)
    progress: Progress | None = field(default=None, repr=False)

    @property
    def due(self) -> tuple[str, str]:
        """What the list is sorted by: what is on air first, the small hours last; behind it what has no time, by its name."""
        early = self.on_air[:2] < _DAY_BEGINS
        return f"{int(self.on_air[:2]) + 24 * early:02}{self.on_air[2:]}" if self.on_air else "99", self.path.name


def brief(told: Told) -> Told:
    """What came of a file without what only its report has to say, so that thousands can be in hand."""
    report = {name: told.checked[name] for name in _SHOWN if name in told.checked}
    return replace(told, report=report)
