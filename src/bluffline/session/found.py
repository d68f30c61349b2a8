"""What is found in a programme, put together by shots; and how much of it is left, each trial counted once."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from weakref import WeakKeyDictionary

from bluffline.prove.trial import Trial
from bluffline.rules.finding import Finding, Waiver
from bluffline.survey.survey import Survey, mended_by_writing, must_fix


@dataclass(frozen=True, eq=False)
class Found:
    """Findings of a survey, under the waivers that they have.

    ``counted``: what is left by trials, and of what; to be handed on to whatever is found next, most of which is the same.
    """

    survey: Survey | None
    findings: Sequence[Finding]
    waivers: tuple[Waiver, ...] = ()
    counted: WeakKeyDictionary[Trial, tuple[object, int]] = field(default_factory=WeakKeyDictionary, repr=False)

    @cached_property
    def in_shot(self) -> Mapping[int, Sequence[Finding]]:
        """Those of each shot that has any."""
        return _by_shot(self.findings)

    @cached_property
    def to_fix(self) -> Mapping[int, Sequence[Finding]]:
        """Those of each shot that must be fixed, and are not by being written."""
        fixed = must_fix(self.findings)
        return _by_shot(each for each in fixed if self.survey is None or not mended_by_writing(self.survey, each))

    @cached_property
    def must_fix_count(self) -> int:
        """Number of those that must be fixed."""
        return len(must_fix(self.findings))

    def left_by(self, trial: Trial, shot: int) -> int:
        """How many that must be fixed a trial leaves of a shot, by its number."""
        return self._left(trial, self.to_fix.get(shot, ()))

    def added_by(self, trial: Trial, shot: int) -> int:
        """How many that must be fixed are added to a shot, by its number, where it is only coded."""
        own = self.in_shot.get(shot, ())
        return self._left(trial, own) - len(must_fix(own))

    def _left(self, trial: Trial, found: Sequence[Finding]) -> int:
        of = [each.place for each in found], self.waivers
        if (known := self.counted.get(trial)) is None or known[0] != of:
            known = self.counted[trial] = of, trial.left(found, self.waivers)
        return known[1]


def _by_shot(findings: Iterable[Finding]) -> Mapping[int, list[Finding]]:
    by_shot: dict[int, list[Finding]] = {}
    for finding in findings:
        by_shot.setdefault(finding.shot, []).append(finding)
    return by_shot
