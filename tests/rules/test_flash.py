"""Flashes in files: found as one over all the cuts they make, whoever measures them."""

import numpy as np
import pytest

from bluffline.media.probe import probe
from bluffline.report.looked_at import judged, not_judged
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.rules.severity import Severity
from bluffline.session.kept_surveys import SurveyStore
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import blocks

GREY, FIRST, LAST = np.full((72, 128, 3), 0.35), 30, 59


def strobed(number, lit=4, period=8):
    """A picture that is lit for some frames of every period, in the middle of the clip."""
    return blocks(3, 0.9) if FIRST <= number <= LAST and (number - FIRST) % period < lit else blocks(4, 0.2)


def survey_of(path, rules):
    return run_survey(start_survey(probe(path), rules), Monitor())


@pytest.mark.parametrize("codec", ["ffv1", "libx264"])
@pytest.mark.parametrize(("lit", "period"), [(4, 8), (1, 2), (3, 6)])
def test_flashes_are_one_finding_from_the_first_to_the_last(clip, codec, lit, period):
    pixels = {"codec": codec, "pixel_format": "yuv422p10le" if codec == "ffv1" else "yuv420p"}
    survey = survey_of(clip("strobe.mkv", lambda n: strobed(n, lit, period), 90, **pixels), load_rules("delivery"))
    (found,) = [each for each in survey.findings() if each.rule == "flash"]
    last_lit = max(n for n in range(FIRST, LAST + 1) if (n - FIRST) % period == 0)
    assert (found.severity, found.first_frame, found.last_frame) == (Severity.MUST_FIX, FIRST, last_lit)
    assert found.frames == last_lit - FIRST + 1
    assert found.worst_value == -(-25 // period) and found.worst_area > 60
    assert found.reason.startswith(f"{-(-25 // period)} flashes a second: over ")
    assert found.shot == next(n for n, shot in enumerate(survey.shots()) if found.worst_frame in shot)


def test_one_flash_and_cuts_are_none(clip):
    survey = survey_of(clip("calm.mkv", lambda n: blocks(3, 0.9) if n % 20 < 3 else blocks(4, 0.2), 90), load_rules("delivery"))
    assert not [each for each in survey.findings() if "flash" in each.rule]


def test_what_a_file_does_not_ask_for_is_said_and_costs_nothing(clip):
    path = clip("strobe.mkv", strobed, 90)
    asked = load_rules("delivery")
    section = asked.text.partition("[flash]")
    calm = parse_rules(section[0] + section[2][section[2].index("\n\n") :] if "\n\n" in section[2] else section[0], "calm")
    survey = survey_of(path, calm)
    assert not [each for each in survey.findings() if "flash" in each.rule]
    assert any("flashes" in each for each in not_judged(survey)) and not any("flashes" in each for each in judged(survey))
    assert any("flashes" in each for each in judged(survey_of(path, asked)))


def test_a_survey_kept_without_them_is_not_taken_for_one_with_them(clip, tmp_path):
    path, store = clip("strobe.mkv", strobed, 90), SurveyStore(tmp_path)
    text = load_rules("delivery").text
    for flashes, more in (("3", 1), ("9", 0)):
        rules = parse_rules(text.replace("flashes = 3", f"flashes = {flashes}"), "own")
        survey = start_survey(probe(path), rules)
        assert not store.fill(survey, "mark")
        store.keep(run_survey(survey, Monitor()), "mark")
        again = start_survey(probe(path), rules)
        assert store.fill(again, "mark") and len([each for each in again.findings() if each.rule == "flash"]) == more
