"""What a treatment makes of a shot before it is written: frames treated and measured as those of a written file are."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.measure.frame_measure import FrameMeasure
from bluffline.measure.table import SurveyTable
from bluffline.media.coding import Coding
from bluffline.media.reader import Reader
from bluffline.prove.across import AcrossTreatment, Beside
from bluffline.rules.catalogue import rule_of
from bluffline.rules.columns import Column, percent_columns
from bluffline.rules.evidence import Surveyed
from bluffline.rules.finding import Finding, Waiver
from bluffline.rules.judging import judge
from bluffline.rules.shots import Shot
from bluffline.rules.waivers import waived
from bluffline.signal.convert import convert
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import THOROUGH_EVERY, Survey, exacting, measure_by_rules, must_fix
from bluffline.treat.ladder import Treatment, acts

_NEAR = 5.0  # percent from a limit, from where on coding may push a picture over it
_SPREAD = 3  # frames that are tried beside the worst ones


@dataclass(frozen=True, slots=True)
class Outcome:
    """What becomes of a finding.

    ``before`` and ``after`` are in ``unit``; ``after`` is None where there is nothing left to measure. ``answered``: the rule
    is kept; ``tolerated``: by as little as is beyond the limit still. ``measured``: on every frame of the shot, else foreseen
    from some. ``coded``: as it will be written, else before coding.
    """

    before: float
    after: float | None
    unit: str
    answered: bool
    tolerated: bool
    measured: bool
    coded: bool = True

    def __str__(self) -> str:
        unit = f" {self.unit}"
        ends = [figure(value, ".1f") + unit for value in (self.before, self.after) if value is not None]
        told = f"{' → '.join(ends)}, " if self.after is not None else ""
        verdict = "tolerated" if self.tolerated else "answered" if self.answered else "left"
        how = [word for word, so in (("foreseen", not self.measured), ("before coding", not self.coded)) if so]
        return told + verdict + (f" ({', '.join(how)})" if how else "")


@dataclass(frozen=True, eq=False)
class Trial:
    """What a treatment makes of a shot.

    ``frames``: those that were tried, (N,); ``readable``: which of them could be; ``columns``: their extremes in percent, see
    `percent_columns`; ``findings``: what is left, its frames counted as the programme's; ``codec``: the name of the codec that
    telling frames went through, empty where none did; ``others``: what was mixed in.
    """

    survey: Survey
    shot: Shot
    treatment: Treatment
    frames: NDArray[np.int64]
    readable: NDArray[np.bool_]
    columns: Mapping[str, Column]
    findings: list[Finding]
    codec: str = ""
    others: tuple[Beside, ...] = ()

    @property
    def whole(self) -> bool:
        """Whether every frame was tried."""
        return len(self.frames) == self.shot.length

    def left(self, found: Sequence[Finding], waivers: Sequence[Waiver] = ()) -> int:
        """How many findings are left that must be fixed; found: those of the source in this shot."""
        own = waived([finding for finding in self.findings if rule_of(finding.rule).tried], waivers)
        if not acts(self.treatment):  # what was found stays, and coding may add what was not
            known = {finding.rule for finding in found}
            return len(must_fix([*found, *(finding for finding in own if finding.rule not in known)]))
        return len(must_fix([*own, *(finding for finding in found if self.outcome(finding) is None)]))

    def outcome(self, finding: Finding) -> Outcome | None:
        """What becomes of a finding of the source in this shot; None where what was tried can't tell."""
        tried = self.readable & (self.frames >= finding.first_frame) & (self.frames <= finding.last_frame)
        rule = rule_of(finding.rule)
        if not rule.tried or not tried.any():
            return None
        left = [
            each for each in self.findings
            if each.rule == finding.rule and each.first_frame <= finding.last_frame and each.last_frame >= finding.first_frame
        ]  # fmt: skip
        after = None
        if left:
            widest = max(left, key=lambda each: each.worst_area)
            after = widest.worst_value
        elif finding.rule in rule.extremes:
            name, greatest = rule.extremes[finding.rule]
            after = round(float((np.max if greatest else np.min)(self.columns[name][tried])), 2)
        low, high = getattr(self.survey.rules.limits, finding.rule.partition("-")[0], (-np.inf, np.inf))
        tolerated = not left and after is not None and not low <= after <= high
        return Outcome(finding.worst_value, after, finding.unit, not left, tolerated, self.whole, bool(self.codec))


def telling_frames(shot: Shot, findings: Sequence[Finding]) -> list[int]:
    """The frames of a shot that tell most of it: where its findings are worst, and some all over it."""
    spread = np.linspace(shot.first, shot.last, _SPREAD + 2)[1:-1].round().astype(int).tolist()
    return sorted({*spread, *(finding.worst_frame for finding in findings if finding.worst_frame in shot)})


def near_a_limit(survey: Survey, shots: Sequence[Shot]) -> list[int]:
    """The numbers of the shots that coding may push over a limit though nothing is done to them."""
    columns, limits = percent_columns(survey.table, survey.source), survey.rules.limits
    near = survey.table.column("readable") & (
        (columns["y_max"] > limits.luma[1] - _NEAR) | (columns["y_min"] < limits.luma[0] + _NEAR)
        | (columns["rgb_max"] > limits.rgb[1] - _NEAR) | (columns["rgb_min"] < limits.rgb[0] + _NEAR)
    )  # fmt: skip
    return [number for number, shot in enumerate(shots) if near[shot.first : shot.last + 1].any()]


def frames_to_code(survey: Survey, shot: Shot) -> list[int]:
    """The frames of an untreated shot that coding is likeliest to push over a limit."""
    return [shot.first + place for place in _telling(survey.table, slice(shot.first, shot.last + 1))]


def try_treatment(
    survey: Survey,
    shot: Shot,
    treatment: Treatment,
    reader: Reader,
    monitor: Monitor,
    frames: Sequence[int] | None = None,
    coding: Coding | None = None,
    others: tuple[Beside, ...] = (),
) -> Trial:
    """Treat and measure a shot's ``frames``, or all of them; those that tell most go through ``coding``, if there is any.

    ``others``: what is mixed into the shot by those beside it.

    Raises
    ------
    CancelledError : the monitor was asked to stop.
    """
    chosen = list(range(shot.first, shot.last + 1) if frames is None else frames)
    written = survey.source if coding is None else coding.format
    treat = AcrossTreatment(treatment, others, written, region=survey.region)
    rules = exacting(survey.rules)
    table = SurveyTable(len(chosen), len(rules.limited), [written])

    def measured(number: int, through: Coding | None) -> FrameMeasure | None:
        planes = reader.planes(number)
        if planes is None:
            return None
        treated = treat.apply(convert(planes, survey.source, written, dither=True), number)
        thorough = frames is not None or number % THOROUGH_EVERY == 0
        made = treated if through is None else through.through(treated)
        return measure_by_rules(made, written, survey.region, rules, thorough=thorough)

    for number in chosen:
        monitor.at("Trial", len(table), len(chosen))
        table.append(measured(number, None))
    for place in _telling(table) if coding is not None else ():
        monitor.at("Trial", len(table), len(chosen))
        if (coded := measured(chosen[place], coding)) is not None:
            table.put(place, coded)
    if frames is not None:  # a run of frames is not seen in some of them: all that break a rule are one
        rules = replace(rules, frames=1, gap=float(len(chosen)))
    rate = float(survey.programme.frame_rate)
    at = np.array(chosen, np.int64)
    found = [
        replace(
            each, shot=-1, first_frame=int(at[each.first_frame]), last_frame=int(at[each.last_frame]),
            worst_frame=int(at[each.worst_frame]),
        )
        for each in judge(table, [Shot(0, len(chosen) - 1)], written, rules, Surveyed(survey.region, rate))
    ]  # fmt: skip
    columns, codec = percent_columns(table, written), "" if coding is None else coding.codec.name
    return Trial(survey, shot, treatment, at, table.column("readable"), columns, found, codec, others)


def _telling(table: SurveyTable, part: slice = slice(None)) -> list[int]:
    """The rows of a part that coding is likeliest to push over a limit, from its begin: the extremes, and some between."""
    readable = np.flatnonzero(table.column("readable")[part])
    if not len(readable):
        return []
    worst = {
        int(readable[end(table.column(name)[part][readable])])
        for name, end in (
            ("y_max", np.argmax), ("y_min", np.argmin), ("rgb_max", np.argmax), ("rgb_min", np.argmin),
            ("outside_area", np.argmax), ("blank_spread", np.argmax),
        )
    }  # fmt: skip
    between = readable[np.linspace(0, len(readable) - 1, _SPREAD + 2).round().astype(int)]
    return sorted({*worst, *(int(place) for place in between)})
