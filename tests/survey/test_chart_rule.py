"""Charts as a rule: found, judged, and left out where nothing is sure."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.charts.reference import load_reference
from bluffline.errors import CancelledError, ChartError
from bluffline.media.probe import probe
from bluffline.rules.each.chart import ChartAsked
from bluffline.rules.rulefile import load_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import must_fix, run_survey, start_survey
from filmed import Filming, straight_on

GLAZE = load_reference("glaze-24")


def begun(clip, rule, filming=Filming()):  # noqa: B008 – a constant
    chart, plain = straight_on(GLAZE, filming), np.full((360, 480, 3), 0.3)
    path = clip("chart.mkv", lambda n: chart if n < 12 else plain, 24)
    return start_survey(probe(path), replace(load_rules("r103"), sections=(rule,)))


def surveyed(clip, rule, filming=Filming()):  # noqa: B008 – a constant
    return run_survey(begun(clip, rule, filming), Monitor())


def test_a_chart_that_is_off_is_a_finding_of_its_shot(clip):
    survey = surveyed(clip, ChartAsked("glaze-24", 2.0, 50.0), Filming(gains=(0.95, 0.8, 0.55)))
    (finding,) = must_fix(survey.findings())
    assert (finding.rule, finding.shot, finding.first_frame, finding.last_frame) == ("chart", 0, 0, 11)
    assert finding.unit == "ΔE2000" and finding.worst_value > 5 and "2 is allowed" in finding.reason
    assert finding.worst_area == pytest.approx(50, abs=2)


def test_a_right_chart_passes_and_its_worst_patch_may_still_not(clip):
    survey = surveyed(clip, ChartAsked("glaze-24", 2.0, 4.0))
    assert len(survey.charts) == 1 and survey.charts[0].mean < 0.5
    assert not must_fix(survey.findings())
    (finding,) = must_fix(surveyed(clip, ChartAsked("glaze-24", 99.0, 0.05)).findings())
    assert survey.charts[0].patch in finding.reason


def test_a_chart_check_that_was_stopped_is_not_passed_and_can_be_gone_on_with(clip):
    survey = begun(clip, ChartAsked("glaze-24", 2.0, 50.0), Filming(gains=(0.95, 0.8, 0.55)))
    monitor = Monitor(lambda progress: monitor.cancel() if progress.stage == "Charts" else None)
    with pytest.raises(CancelledError):
        run_survey(survey, monitor)
    assert len(survey.table) == 24 and not survey.complete
    assert run_survey(survey, Monitor()).complete
    assert [finding.rule for finding in must_fix(survey.findings())] == ["chart"]


@pytest.mark.parametrize(("reference", "words"), [("nowhere", "There is no chart reference"), ("grey-11", "single row")])
def test_what_can_not_serve_is_refused_before_anything_is_measured(over_clip, reference, words):
    with pytest.raises(ChartError, match=words):
        start_survey(probe(over_clip), replace(load_rules("r103"), sections=(ChartAsked(reference, 2.0, 5.0),)))
