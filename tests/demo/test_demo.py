"""The survey against the demo's truth table, which the generator drew up without the survey."""

import json

import numpy as np
import pytest

from bluffline.demo import demo_clip, demo_truth
from bluffline.demo.line_up import bars
from bluffline.demo.programme import PLAN, broken_rules, to_planes

TRUTH = json.loads(demo_truth().read_text("utf-8"))
OVER = ("luma-high", "luma-low", "rgb-high", "rgb-low")


def found_in(survey, shot):
    return [finding for finding in survey.findings() if finding.shot == shot]


def test_every_cut_is_found_and_none_invented(demo_survey):
    assert [(s.first, s.last) for s in demo_survey.shots()] == [(s["first_frame"], s["last_frame"]) for s in TRUTH["shots"]]


@pytest.mark.parametrize("shot", range(len(TRUTH["shots"])), ids=[s["name"] for s in TRUTH["shots"]])
def test_each_shot_breaks_the_rules_it_was_made_to_break(demo_survey, shot):
    runs = {f.rule: [f.first_frame, f.last_frame] for f in found_in(demo_survey, shot) if f.rule in OVER}
    assert runs == TRUTH["shots"][shot]["broken"]


@pytest.mark.parametrize("shot", range(len(TRUTH["shots"])), ids=[s["name"] for s in TRUTH["shots"]])
def test_each_shot_has_lost_what_it_was_made_to_lose(demo_survey, shot):
    seen = set()
    for finding in found_in(demo_survey, shot):
        if finding.rule.startswith("clip-"):
            seen.add(("graphic" if "graphics" in finding.reason else "clip") + finding.rule.removeprefix("clip"))
        elif finding.rule == "levels":
            seen.add("levels")
    assert seen == set(TRUTH["shots"][shot]["faults"])


def test_the_programme_is_what_its_story_says(demo_survey):
    programme = demo_survey.programme
    assert (programme.format.width, programme.format.height, programme.frame_rate) == (1280, 720, 25)
    assert programme.frame_count == TRUTH["frame_count"] == sum(plan.frames for plan in PLAN) and len(PLAN) == 11
    assert programme.label(0) == "10:00:00:00" and any(track.kind == "audio" for track in programme.tracks)
    assert demo_clip().stat().st_size < 4 << 20


def test_the_generator_is_deterministic_and_draws_true_bars():
    rng = np.random.default_rng
    assert np.array_equal(to_planes(bars(rng(1))(0))[0], to_planes(bars(rng(2))(5))[0])
    luma = to_planes(bars(rng(1))(0))[0]
    assert luma[100, 80::160].tolist() == [940, 674, 581, 534, 251, 204, 111, 64]


def test_the_truth_is_measured_by_the_text_of_the_rule():
    grey = np.full((720, 1280, 3), 0.5, np.float32)
    grey[:72] = 1.08
    areas = broken_rules(to_planes(grey))
    assert areas["luma-high"] == areas["rgb-high"] == pytest.approx(10) and areas["luma-low"] == areas["rgb-low"] == 0
