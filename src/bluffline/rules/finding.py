"""What a rule finds: runs of frames that break it."""

from dataclasses import dataclass

from bluffline.rules.severity import Severity


@dataclass(frozen=True, slots=True)
class Finding:
    """One run of frames inside one shot that breaks one rule.

    ``worst_value`` is in ``unit``; ``worst_area`` is the largest share of the active picture, in percent, that any
    frame of the run has. ``reason`` is the finding in a sentence. Frames and shots are counted from 0, ends included.
    Runs that lie close together are one finding: ``runs`` tells how many, ``frames`` how many frames they have.
    ``made_of``: for `outside`, the share of the picture outside each limit in the worst frame, in percent.
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
    order = list(Severity)
    return sorted(findings, key=lambda found: (found.shot, order.index(found.severity), found.first_frame))
