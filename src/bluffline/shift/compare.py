"""A delivery against the one before: which shots are the same, what of the findings is answered, still there, or new."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from bluffline.report.check import check_report, finding_report
from bluffline.report.forms import CompareForm
from bluffline.rules.finding import Finding
from bluffline.rules.shots import Shot
from bluffline.session.likeness import alike, looks_of
from bluffline.shift.redelivery import Became, Broken, what_became
from bluffline.survey.survey import Survey

_GRID = 16 * 9  # of a look: means of luma, 200 steps to nominal white
_CHANGED = 4.0  # steps by which the means of a part of the picture differ, at which it is another picture; coding stays below


@dataclass(frozen=True)
class Comparison:
    """What became of a delivery.

    ``pairs``: the shots of the one before, by the numbers now. ``became``: what became of the findings. ``changed``: runs of
    frames now, ends included, that show something else than the same shot did; ``lengths``: shots now that are longer or
    shorter, by how many frames.
    """

    old: Survey
    new: Survey
    old_shots: list[Shot]
    shots: list[Shot]
    pairs: dict[int, int]
    became: Became[Finding]
    changed: list[tuple[int, int]] = field(default_factory=list)
    lengths: dict[int, int] = field(default_factory=dict)


def compare(old: Survey, new: Survey) -> Comparison:
    """Hold one finished survey against an earlier one."""
    before, now = old.shots(), new.shots()
    pairs = alike(looks_of(old.table, before), looks_of(new.table, now))
    broke, breaks = (
        [Broken(each.shot, each.rule, each) for each in survey.findings(shots)] for survey, shots in ((old, before), (new, now))
    )
    found = Comparison(old, new, before, now, pairs, what_became(broke, breaks, pairs))
    for number, other in pairs.items():
        found.changed.extend(_changed(found, now[number], before[other]))
        if now[number].length != before[other].length:
            found.lengths[number] = now[number].length - before[other].length
    return found


def _changed(found: Comparison, now: Shot, before: Shot) -> Sequence[tuple[int, int]]:
    """The runs of a shot's frames that show something else than the frames of the shot before, counted from its beginning."""
    length = min(now.length, before.length)
    looks = [
        survey.table.column("look")[shot.first : shot.first + length, :_GRID].astype(np.float32)
        for survey, shot in ((found.new, now), (found.old, before))
    ]
    other = np.abs(looks[0] - looks[1]).max(axis=1) > _CHANGED
    edges = np.flatnonzero(np.diff(np.concatenate([[False], other, [False]]).astype(np.int8)))
    return [(now.first + int(first), now.first + int(after) - 1) for first, after in edges.reshape(-1, 2)]


def told(found: Comparison) -> list[str]:
    """It in a few lines."""
    same, fresh = len(found.pairs), len(found.shots) - len(found.pairs)
    missing = len(found.old_shots) - same
    lines = [f"{same} of {len(found.shots)} shots are those from before; {fresh} new, {missing} no more"]
    became = found.became
    now, before = found.new.programme.label, found.old.programme.label
    for words, findings, label in (
        ("still there", became.still, now), ("new", became.new, now), ("answered", became.answered, before),
        ("went with it", became.gone, before),
    ):  # fmt: skip
        for each in findings:
            where = f"shot {each.shot + 1:<4}{label(each.first_frame)}"
            lines.append(f"  {words:<13}{each.severity:<9} {where}  {each.reason}")
    lines += [f"  the picture is another from {now(first)} to {now(last)}" for first, last in found.changed]
    for number, by in found.lengths.items():
        lines.append(f"  shot {number + 1} is {abs(by)} frames {'longer' if by > 0 else 'shorter'}")
    return lines


def compare_report(found: Comparison) -> CompareForm:
    """It in the form of schema ``bluffline.compare/1``; shots and frames are counted from 0."""
    after, before, became = found.new.programme, found.old.programme, found.became
    return {
        "schema": "bluffline.compare/1",
        "old": check_report(found.old, found.old_shots),
        "new": check_report(found.new, found.shots),
        "shots": [{"shot": number, "was": found.pairs.get(number)} for number in range(len(found.shots))],
        "answered": [finding_report(each, before) for each in became.answered],
        "still_there": [finding_report(each, after) for each in became.still],
        "new_findings": [finding_report(each, after) for each in became.new],
        "gone_with_their_shots": [finding_report(each, before) for each in became.gone],
        "changed_frames": [list(run) for run in found.changed],
        "longer_by_frames": {str(number): by for number, by in found.lengths.items()},
    }
