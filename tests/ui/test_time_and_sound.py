"""Findings of time and sound on the desk: lanes of the skyline, the list by kind, and the demo that has them."""

import re
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from bluffline.rules.finding import Finding
from bluffline.rules.rule import Aspect
from bluffline.rules.severity import Severity
from bluffline.ui.findings.list import Order
from bluffline.ui.skyline.lanes import HIGH, Lanes
from bluffline.ui.skyline.marks import TOLD_APART

WAIT = 120_000
TOUR = Path(__file__).parents[2] / "docs" / "tide.md"
MUST, LOOK = Severity.MUST_FIX, Severity.LOOK


def found(rule, first, last, severity=MUST):
    return Finding(rule, severity, 0, first, last, first, 1.0, "s", 0.0, f"{rule} here", frames=last - first + 1)


LOUD, QUIET = found("loudness", 0, 99), found("silence", 20, 40, LOOK)
BLACK, HIGH_LUMA = found("black", 5, 9), found("luma-high", 0, 9)


def test_each_kind_has_a_lane_of_its_own_where_there_is_one():
    lanes, rest = Lanes.of([HIGH_LUMA, LOUD, QUIET, BLACK])
    assert [(lane.aspect, lane.findings) for lane in lanes.lanes] == [(Aspect.TIME, [BLACK]), (Aspect.SOUND, [LOUD, QUIET])]
    assert rest == [HIGH_LUMA] and lanes.high == 2 * HIGH
    none, all_of_it = Lanes.of([HIGH_LUMA])
    assert none.high == 0 and all_of_it == [HIGH_LUMA]


@pytest.mark.parametrize(("x", "row", "meant"), [
    (30, 1, QUIET), (70, 1, LOUD), (7, 0, BLACK), (70, 0, None), (30, 2, None), (15, 1, LOUD), (42, 1, QUIET),
])  # fmt: skip
def test_a_bar_is_pointed_at_and_the_shorter_one_before_what_it_lies_in(x, row, meant):
    lanes, _ = Lanes.of([HIGH_LUMA, LOUD, QUIET, BLACK])
    assert lanes.at(QPointF(x, 20 + row * HIGH + 4), 20, np.positive, None) is meant
    assert lanes.at(QPointF(30, 15), 20, np.positive, None) is None


def test_a_click_on_what_is_selected_goes_to_the_next_that_lies_there():
    lanes, _ = Lanes.of([LOUD, QUIET])
    place = QPointF(30, 24)
    assert lanes.at(place, 20, np.positive, QUIET) is LOUD and lanes.at(place, 20, np.positive, LOUD) is QUIET


def test_of_thousands_on_the_same_pixels_the_gravest_are_drawn():
    rng = np.random.default_rng(5)
    firsts = rng.integers(0, 100_000, 4000)
    many = [
        found("silence", first, first + length, severity)
        for first, length, severity in zip(
            firsts.tolist(), rng.integers(1, 400, 4000).tolist(), [MUST, LOOK] * 2000, strict=True
        )
    ]
    lane = Lanes.of(many)[0].lanes[0]
    for number, finding in enumerate(lane.findings):
        if number % 40 == 0:
            first, last = finding.first_frame, finding.last_frame
            inside = [each for each in many if first <= each.first_frame and each.last_frame <= last]
            assert lane.thin[number] == any(each.length < finding.length for each in inside)
    spans = lane.spans(lambda frames: frames / 100)
    drawn = lane.drawn(spans)
    places = [(left // TOLD_APART, (right - left) // TOLD_APART) for left, right in spans.tolist()]
    assert len(drawn) == len(set(places)), "one for each place"
    graver = {place for place, each in zip(places, lane.findings, strict=True) if each.severity is MUST}
    assert all((lane.findings[number].severity is MUST) == (places[number] in graver) for number in drawn)


@pytest.fixture
def tide(desk, qtbot):
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.programmes.open_demo_of_time()
    qtbot.waitUntil(lambda: desk.session.surveyed and desk.session.rules.name == "delivery", timeout=WAIT)
    return desk


def test_the_demo_shows_what_is_wrong_in_time_and_sound_where_it_is(tide, qtbot):
    session, sky = tide.session, tide.skyline
    rows = tide.findings.rows
    assert str(rows.groups[-1][0]) == Aspect.SOUND, "sound knows no cuts"
    tide.findings.order_by(Order.ASPECT)
    assert [key for key, _ in rows.groups] == [Aspect.PICTURE, Aspect.TIME, Aspect.SOUND]
    for finding in session.findings:
        if finding.severity is MUST:
            for _ in range(3):  # others may lie over it
                if session.place.selected != finding:
                    qtbot.mouseClick(sky, Qt.MouseButton.LeftButton, pos=sky.mark_place(finding).toPoint())
            assert session.place.selected == finding, finding.rule


def test_the_tour_leads_to_what_it_tells(tide, qtbot):
    told = re.findall(r"^\| `(.+)` \| (.+) \| ([\d:]+) \|$", TOUR.read_text("utf-8"), re.MULTILINE)
    qtbot.mouseClick(tide.findings.severities[Severity.NOTE], Qt.MouseButton.LeftButton)
    found = [each for each in tide.session.findings if each.severity is MUST]
    assert len(told) == len(found) == 10
    tide.setFocus()
    for key, reason, at in told:
        qtbot.keyClick(tide, key.lower())
        place = tide.session.place
        assert (place.selected.reason, tide.session.programme.label(place.frame)) == (reason, at)
        found.remove(place.selected)
    assert not found, "every fault is met once"
