"""Charts as a rule: filmed charts that are found surely are measured against their reference."""

import numpy as np

from bluffline.charts.fit import measure_chart
from bluffline.charts.frame import SURE, shoelace
from bluffline.charts.reference import Reference, load_reference
from bluffline.charts.sample import sample_frame
from bluffline.errors import ChartError
from bluffline.rules.each.chart import ChartAsked
from bluffline.rules.evidence import ChartMeasure
from bluffline.signal.format import Planes, SignalFormat


def rule_reference(rule: ChartAsked) -> Reference:
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

