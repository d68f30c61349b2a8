"""Charts as a rule: filmed charts that are found surely are measured against their reference."""

from dataclasses import dataclass

import numpy as np

from bluffline.charts.fit import measure_chart
from bluffline.charts.frame import SURE, shoelace
from bluffline.charts.reference import Reference, load_reference
from bluffline.charts.sample import sample_frame
from bluffline.errors import ChartError
from bluffline.rules.findings import Finding
from bluffline.rules.rulefile import RuleChart
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.format import Planes, SignalFormat


@dataclass(frozen=True, slots=True)
class ChartMeasure:
    """CIEDE2000 of a chart that was found in ``frame``; ``patch``: the one with the worst; ``area``: percent of the picture."""

    frame: int
    mean: float
    worst: float
    patch: str
    area: float


def rule_reference(rule: RuleChart) -> Reference:
    """The reference that a rule names.

    Raises
    ------
    ChartError : it can't be used, or a chart like it can't be found surely
    """
    reference = load_reference(rule.reference)
    if min(reference.layout.rows, reference.layout.columns) == 1:
        raise ChartError(f"{reference.title} can't serve as a rule: a single row of patches can't be found surely.")
    return reference


def chart_in(frame: int, planes: Planes, source: SignalFormat, reference: Reference) -> ChartMeasure | None:
    """What a chart in the frame measures; None where none is found surely."""
    from bluffline.charts.locate import find_chart

    try:
        found = find_chart(planes, source, reference)
        if found.confidence is None or found.confidence < SURE:
            return None
        samples = sample_frame(planes, source, found, reference.layout)
    except ChartError:
        return None
    total = measure_chart(samples, reference, source).difference.total
    area = abs(shoelace(np.array(found.corners))) / (source.width * source.height) * 100
    return ChartMeasure(frame, float(total.mean()), float(total.max()), reference.names[int(total.argmax())], area)


def judge_chart(measure: ChartMeasure, rule: RuleChart, number: int, shot: Shot) -> Finding | None:
    """The finding of a chart that is further from its reference than the rule allows."""
    if measure.mean > rule.mean:
        value, words = measure.mean, f"The chart is off by {measure.mean:.1f} ΔE in the mean; {rule.mean:g} is allowed"
    elif measure.worst > rule.worst:
        value, words = measure.worst, f"The chart's {measure.patch} is off by {measure.worst:.1f} ΔE; {rule.worst:g} is allowed"
    else:
        return None
    ends = (shot.first, shot.last, measure.frame)
    return Finding("chart", Severity.MUST_FIX, number, *ends, round(value, 2), "ΔE2000", round(measure.area, 3), words)
