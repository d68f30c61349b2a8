"""What a treatment makes of a shot before it is written: frames treated and measured as those of a written file are."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.measure.table import SurveyTable
from bluffline.media.reader import Reader
from bluffline.prove.monitor import Monitor
from bluffline.prove.survey import Survey, exacting, measure_by_rules
from bluffline.rules.columns import Column, percent_columns
from bluffline.rules.findings import Finding, Surveyed, judge
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.ladder import Treatment

_SPREAD = 3  # frames that are tried beside the worst ones
_THOROUGH_EVERY = 12  # as in a survey
_EXTREMES = {
    "luma-high": ("y_max", np.max),
    "luma-low": ("y_min", np.min),
    "rgb-high": ("rgb_max", np.max),
    "rgb-low": ("rgb_min", np.min),
}


# What treated frames of one shot can't tell: findings of the file, of charts, of the source's tags, of what isn't there.
_OF_THE_FILE = frozenset({"chart", "fields", "sound", "levels", "missing", "tags", "unreadable"})


@dataclass(frozen=True, slots=True)
class Outcome:
    """What becomes of a finding.

    ``before`` and ``after`` are in ``unit``; ``after`` is None where there is nothing left to measure. ``answered``: the rule
    is kept; ``tolerated``: by as little as is beyond the limit still. ``measured``: on every frame of the shot, else foreseen
    from some.
    """

    before: float
    after: float | None
    unit: str
    answered: bool
    tolerated: bool
    measured: bool

    def __str__(self) -> str:
        unit = f" {self.unit}"
        ends = [figure(value, ".1f") + unit for value in (self.before, self.after) if value is not None]
        told = f"{' → '.join(ends)}, " if self.after is not None else ""
        verdict = "tolerated" if self.tolerated else "answered" if self.answered else "left"
        return told + verdict + ("" if self.measured else " (foreseen)")


@dataclass(frozen=True, eq=False)
class Trial:
    """What a treatment makes of a shot.

    ``frames``: those that were tried, (N,); ``readable``: which of them could be; ``columns``: their extremes in percent, see
    `percent_columns`; ``findings``: what is left, its frames counted as the programme's.
    """

    survey: Survey
    shot: Shot
    treatment: Treatment
    frames: NDArray[np.int64]
    readable: NDArray[np.bool_]
    columns: Mapping[str, Column]
    findings: list[Finding]

    @property
    def whole(self) -> bool:
        """Whether every frame was tried."""
        return len(self.frames) == self.shot.length

    def left(self, found: Sequence[Finding]) -> int:
        """How many findings are left that must be fixed; found: those of the source in this shot."""
        own = [finding for finding in self.findings if finding.rule not in _OF_THE_FILE]
        untold = [finding for finding in found if self.outcome(finding) is None]
        return sum(finding.severity is Severity.MUST_FIX for finding in (*own, *untold))

    def outcome(self, finding: Finding) -> Outcome | None:
        """What becomes of a finding of the source in this shot; None where what was tried can't tell."""
        tried = self.readable & (self.frames >= finding.first_frame) & (self.frames <= finding.last_frame)
        if finding.rule in _OF_THE_FILE or not tried.any():
            return None
        left = [
            each for each in self.findings
            if each.rule == finding.rule and each.first_frame <= finding.last_frame and each.last_frame >= finding.first_frame
        ]  # fmt: skip
        after = None
        if left:
            widest = max(left, key=lambda each: each.worst_area)
            after = widest.worst_value
        elif finding.rule in _EXTREMES:
            name, furthest = _EXTREMES[finding.rule]
            after = round(float(furthest(self.columns[name][tried])), 2)
        low, high = getattr(self.survey.rules.limits, finding.rule.partition("-")[0], (-np.inf, np.inf))
        tolerated = not left and after is not None and not low <= after <= high
        return Outcome(finding.worst_value, after, finding.unit, not left, tolerated, self.whole)


def telling_frames(shot: Shot, findings: Sequence[Finding]) -> list[int]:
    """The frames of a shot that tell most of it: where its findings are worst, and some all over it."""
    spread = np.linspace(shot.first, shot.last, _SPREAD + 2)[1:-1].round().astype(int).tolist()
    return sorted({*spread, *(finding.worst_frame for finding in findings if finding.worst_frame in shot)})


def try_treatment(
    survey: Survey, shot: Shot, treatment: Treatment, reader: Reader, monitor: Monitor, frames: Sequence[int] | None = None
) -> Trial:
    """Treat and measure a shot's ``frames``, or all of them.

    Raises
    ------
    CancelledError : the monitor was asked to stop.
    """
    chosen = list(range(shot.first, shot.last + 1) if frames is None else frames)
    treat = FrameTreatment(treatment, survey.source, region=survey.region)
    rules = exacting(survey.rules)
    table = SurveyTable(len(chosen), len(rules.limited))
    for number in chosen:
        monitor.at("Trial", len(table), len(chosen))
        planes = reader.planes(number)
        measure = None
        if planes is not None:
            treated = treat.apply(planes, number - shot.first)
            thorough = frames is not None or number % _THOROUGH_EVERY == 0
            measure = measure_by_rules(treated, survey.source, survey.region, rules, thorough=thorough)
        table.append(measure)
    if frames is not None:  # a run of frames is not seen in some of them: all that break a rule are one
        rules = replace(rules, frames=1, gap=float(len(chosen)))
    rate = float(survey.programme.frame_rate)
    at = np.array(chosen, np.int64)
    found = [
        replace(
            each, shot=-1, first_frame=int(at[each.first_frame]), last_frame=int(at[each.last_frame]),
            worst_frame=int(at[each.worst_frame]),
        )
        for each in judge(table, [Shot(0, len(chosen) - 1)], survey.source, rules, Surveyed(survey.region, rate))
    ]  # fmt: skip
    return Trial(survey, shot, treatment, at, table.column("readable"), percent_columns(table, survey.source), found)
