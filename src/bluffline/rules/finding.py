"""What a rule finds: runs of frames that break it."""

from dataclasses import dataclass

from bluffline.rules.severity import Severity


@dataclass(frozen=True, slots=True)
class Waiver:
    """A person's word that what is found is to pass.

    ``rule``: the rule that it is about, empty where it is about any; ``first_frame``, ``last_frame``: the run of frames that
    it is about, counted from 0, ends included, None where it is about the whole programme. ``by``: who gives it; ``at``: when,
    in ISO 8601 with its zone.
    """

    rule: str
    reason: str
    by: str
    at: str
    first_frame: int | None = None
    last_frame: int | None = None

    @property
    def told(self) -> str:
        """What it is about, in a few words; the rule by its id."""
        run = "" if self.first_frame is None else f" in frames {self.first_frame} to {self.last_frame}"
        return f"{self.rule or 'all that is found'}{run}"

    def covers(self, finding: "Finding") -> bool:
        """Whether a finding is waived: all of it, not a part."""
        if self.rule not in ("", finding.rule):
            return False
        if self.first_frame is None or self.last_frame is None:
            return True
        return self.first_frame <= finding.first_frame and finding.last_frame <= self.last_frame


@dataclass(frozen=True)
class Finding:
    """One run of frames that breaks one rule: inside one shot, or across shots where it is about time, sound or all of it.

    ``worst_value`` is in ``unit``; ``worst_area`` is the largest share of the active picture, in percent, that any
    frame of the run has. ``reason`` is the finding in a sentence. Frames and shots are counted from 0, ends included.
    Runs that lie close together are one finding: ``runs`` tells how many, ``frames`` how many frames they have.
    ``made_of``: for `outside`, the share of the picture outside each limit in the worst frame, in percent.
    ``waiver``: whose word it is that lets it pass; None where nobody's.
    """

    rule: str
    severity: Severity
    shot: int
    first_frame: int
    last_frame: int
    worst_frame: int
    worst_value: float
    unit: str
    worst_area: float
    reason: str
    runs: int = 1
    frames: int = 0
    made_of: tuple[tuple[str, float], ...] = ()
    waiver: Waiver | None = None

    @property
    def place(self) -> tuple[str, int, int]:
        """What it is known by, whoever has waived it: its rule, and its first and last frame."""
        return self.rule, self.first_frame, self.last_frame

    def in_shot(self, shot: int) -> "Finding":
        """The same, in a shot of this number."""
        made = object.__new__(Finding)  # of thousands; `replace` takes five times as long
        made.__dict__.update(self.__dict__, shot=shot)
        return made

    @property
    def length(self) -> int:
        """Number of frames."""
        return self.last_frame - self.first_frame + 1

    @property
    def runs_told(self) -> str:
        """How many runs it is made of, in words to follow its reason; empty where it is one."""
        return f" ({self.runs} runs)" if self.runs > 1 else ""


def in_reading_order(findings: list[Finding]) -> list[Finding]:
    """By shot, and in a shot the gravest first."""
    order = {severity: place for place, severity in enumerate(Severity)}
    return sorted(findings, key=lambda found: (found.shot, order[found.severity], found.first_frame))
