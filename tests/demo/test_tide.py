"""The second demo against what its generator was told to make wrong."""

import json

import pytest

from bluffline.demo import tide, tide_clip, tide_truth
from bluffline.media.probe import probe
from bluffline.rules.rulefile import load_rules
from bluffline.rules.severity import Severity
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import must_fix, run_survey, start_survey

TRUTH = json.loads(tide_truth().read_text("utf-8"))


@pytest.fixture(scope="module")
def found():
    return run_survey(start_survey(probe(tide_clip()), load_rules("delivery")), Monitor()).findings()


def test_every_fault_is_found_where_it_is_and_nothing_else_must_be_fixed(found):
    told = sorted((each.rule, each.first_frame, each.last_frame) for each in must_fix(found))
    known = sorted((each["rule"], each["first_frame"], each["last_frame"]) for each in TRUTH["faults"])
    assert [rule for rule, *_ in told] == [rule for rule, *_ in known]
    for (rule, first, last), (_, at, end) in zip(told, known, strict=True):
        within = 13 if rule in {"phase", "red-flash", "flash"} else 4  # of the second that tells; of the last flash to its end
        assert abs(first - at) <= (8 if rule == "phase" else 4) and abs(last - end) <= within, rule
    assert not [each for each in found if each.severity is Severity.LOOK]


def test_the_truth_is_the_generators_own():
    assert TRUTH["faults"] == [{"rule": f.rule, "first_frame": f.first, "last_frame": f.last} for f in tide.FAULTS]
    programme = probe(tide_clip())
    assert programme.frame_count == TRUTH["frame_count"] == sum(tide.LENGTHS)
    assert programme.timecode.label(0) == TRUTH["start_timecode"] and tide_clip().stat().st_size < 3 << 20
