"""Whether a source is of the range that it is tagged as, on made sources of every kind."""

from collections import Counter
from dataclasses import replace

import numpy as np
import pytest

from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.judging import judge
from bluffline.rules.levels import SURE, mistagged, shot_levels, source_levels
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.signal.levels import Levels, Range
from bluffline.signal.matrix import Matrix, ycbcr_to_rgb
from clips import signal
from scenes import HEIGHT, WIDTH, level_cases

RULES = load_rules("r103")
LIFTED = "lifted"  # a full-range picture that keeps clear of black: nothing tells it from a narrow one
ENDS = {"graded", "sharpened picture", "bars below black"}  # narrow sources whose pictures reach black and white


def surveyed(case, depth):
    source = signal(WIDTH, HEIGHT, depth, "444", signal_range=Range.FULL if case.told else Range.NARROW)
    table = SurveyTable(len(case.shots))
    dtype = np.uint8 if depth == 8 else np.uint16
    for picture in case.shots:
        luma = np.rint(picture * ((1 << depth) - 1)).astype(dtype)
        cb, cr = (plane.astype(dtype) for plane in coloured(picture, Range.FULL if case.full else Range.NARROW, depth))
        table.append(measure_frame((luma, cb, cr), source, Region.whole(source), RULES.limits))
    return table, source


def coloured(picture, made, depth):
    """Chroma in stripes, as strong as R′G′B′ of the range that a picture was made in holds; grey between them."""
    levels = Levels.of(depth, made)
    y = (picture * ((1 << depth) - 1) - levels.black) / levels.swing
    hues = ycbcr_to_rgb(np.array([[0, 0.3, -0.1], [0, -0.25, 0.2], [0, 0.1, 0.35]]), Matrix.BT709)
    planes = np.zeros((2, *y.shape))
    for number, (hue, site) in enumerate(zip(hues, ((0.3, -0.1), (-0.25, 0.2), (0.1, 0.35)), strict=True)):
        stripes = np.arange(y.shape[1]) // 8 % 6 == 2 * number
        with np.errstate(divide="ignore"):
            room = np.where(hue[:, None, None] < 0, -y / hue[:, None, None], (1 - y) / hue[:, None, None])
        strength = np.clip(room.min(axis=0), 0, None) * stripes * ((y > 0) & (y < 1))
        planes += np.array(site)[:, None, None] * strength
    return np.rint(planes * levels.span + levels.zero)


def verdict(table, source):
    shots = [Shot(n, n) for n in range(len(table))]
    return source_levels([shot_levels(table, shot) for shot in shots], [1] * len(shots)), shots


def test_no_source_is_remapped_wrongly_and_nearly_all_that_are_wrong_are_found():
    """208 sources: none that is tagged as it is would be remapped, and of those tagged wrong nine in ten are found."""
    found = Counter()
    for number, case in enumerate(case for case in level_cases(52, 11, shots_each=4) if not case.told):
        table, narrow = surveyed(case, 10 if number % 4 else 8)
        levels, _ = verdict(table, narrow)  # what its luma says does not depend on the tag
        for told in (False, True):
            wrong = mistagged(levels, replace(narrow, range=Range.FULL if told else Range.NARROW))
            assert not wrong or case.full != told, (case.kind, levels)
            if case.full != told and ((case.full and case.kind != LIFTED) or (not case.full and case.kind in ENDS)):
                found[case.full, wrong] += 1
    right = found[True, True] + found[False, True]
    assert right >= 0.9 * found.total() and found.total() >= 50, found


def test_a_source_whose_shots_disagree_is_only_offered_a_remap():
    cases = [case for case in level_cases(8, 4) if not case.told]
    full = next(case for case in cases if case.full and case.kind == "plain")
    narrow = next(case for case in cases if not case.full and case.kind == "graded")
    mixed, source = surveyed(type(full)("mixed", (*narrow.shots, *full.shots), False, False), 10)
    levels, shots = verdict(mixed, source)
    assert not mistagged(levels, source)
    findings = [finding for finding in judge(mixed, shots, source, RULES) if finding.rule == "levels"]
    assert 3 in {finding.shot for finding in findings} <= {3, 4, 5}
    assert all("this shot alone" in finding.reason or "or graded so" in finding.reason for finding in findings)


def test_a_surely_wrong_source_is_told_in_every_shot():
    case = next(case for case in level_cases(8, 4) if case.full and not case.told and case.kind == "plain")
    table, source = surveyed(case, 10)
    levels, shots = verdict(table, source)
    assert levels.confidence >= SURE and "colours stop at full black" in levels.reason
    findings = [finding for finding in judge(table, shots, source, RULES) if finding.rule == "levels"]
    assert [finding.shot for finding in findings] == [0, 1, 2] and all(
        "all the source agrees" in finding.reason for finding in findings
    )


@pytest.mark.parametrize("level", [0.0, 0.5, 1.0])
def test_flat_pictures_speak_for_nothing(level):
    source = signal(WIDTH, HEIGHT, 10, "444")
    plane = np.full((HEIGHT, WIDTH), round(source.levels.code(100 * level)), np.uint16)
    table = SurveyTable(1)
    table.append(measure_frame((plane, plane * 0 + 512, plane * 0 + 512), source, Region.whole(source), RULES.limits))
    assert verdict(table, source)[0].confidence < SURE


def test_a_picture_that_runs_on_beyond_both_ends_says_on_how_much_of_it():
    measured = {"level_dark": 0.1, "level_under": 0.04, "level_over": 0.03, "level_shade": 0.08, "readable": True}

    class Measured:
        @staticmethod
        def column(name):
            return np.full(3, measured.get(name, 0.0))

    told = shot_levels(Measured(), Shot(0, 2))
    assert told.speaks_for is Range.FULL
    assert told.reason == "picture runs on beyond narrow black and white on 4.0 and 3.0 % of it"
