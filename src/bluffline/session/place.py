"""The place looked at: which frame, and which finding."""

from __future__ import annotations

from typing import Protocol

from bluffline.media.programme import Programme
from bluffline.rules.finding import Finding
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, shot_at
from bluffline.session.event import Event


class Known(Protocol):
    """What there is to look at."""

    programme: Programme | None
    shots: list[Shot]
    findings: list[Finding]


class Place:
    """A frame of the programme under control, and the finding that it was gone to for; ``changed`` tells of either.

    ``severities``: the findings that are looked at; steps from one to the next pass over the others. ``rung``: the step of the
    ladder in view that is on the bench, by its place there; ``rung_changed`` tells of another.
    """

    def __init__(self, known: Known) -> None:
        self._known = known
        self.frame = 0
        self.selected: Finding | None = None
        self.severities = frozenset(Severity)
        self.rung: int | None = None
        self.changed, self.rung_changed = Event(), Event()

    def begin(self) -> None:
        """Look at the first frame."""
        self.frame, self.selected = 0, None
        self.choose(None)

    def let_go(self) -> None:
        """Let go of a finding that is no more."""
        if self.selected is not None and self.selected not in self._known.findings:
            self.selected = None

    @property
    def shot(self) -> int:
        """Number of the shot in view; 0 before the survey knows."""
        return shot_at(self._known.shots, self.frame)

    def go_to(self, frame: int) -> None:
        """Look at a frame, or the nearest there is."""
        if self._known.programme is None:
            return
        self.frame = min(max(frame, 0), self._known.programme.frame_count - 1)
        if self.selected is not None and not self.selected.first_frame <= self.frame <= self.selected.last_frame:
            self.selected = None
        self.changed.tell()

    def select(self, finding: Finding) -> None:
        """Look at a finding, at its worst frame."""
        self.selected = finding
        self.go_to(finding.worst_frame)

    def choose(self, rung: int | None) -> None:
        """Put a step of the ladder in view on the bench, or clear it."""
        if rung != self.rung:
            self.rung = rung
            self.rung_changed.tell()

    def next_finding(self, by: int) -> None:
        """Go to the next (+1) or previous (−1) finding from here; to one that is worst here, where it is not selected yet."""
        findings = self.looked_at
        if self.selected in findings:
            place = findings.index(self.selected) + by
        elif by > 0:
            place = next((n for n, finding in enumerate(findings) if finding.worst_frame >= self.frame), len(findings))
        else:
            place = max((n for n, finding in enumerate(findings) if finding.worst_frame <= self.frame), default=-1)
        if 0 <= place < len(findings):
            self.select(findings[place])

    @property
    def looked_at(self) -> list[Finding]:
        """The findings of the severities that are looked at."""
        return [finding for finding in self._known.findings if finding.severity in self.severities]

    def next_shot(self, by: int) -> None:
        """Go to the first frame of the next or this shot; from there to that of the one before."""
        if not self._known.shots:
            return
        here = self._known.shots[self.shot]
        if by < 0 and self.frame > here.first:
            self.go_to(here.first)
        else:
            self.go_to(self._known.shots[min(max(self.shot + by, 0), len(self._known.shots) - 1)].first)
