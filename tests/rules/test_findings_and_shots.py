import numpy as np
import pytest

from bluffline.measure.counted import Limits
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.evidence import Surveyed
from bluffline.rules.judging import judge
from bluffline.rules.rulefile import load_rules
from bluffline.rules.rules import Rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot, find_shots
from bluffline.signal.levels import Range
from clips import signal, to_planes

SOURCE = signal(64, 48)
RULES = load_rules("r103")


def scene(seed, level=0.4):
    rng = np.random.default_rng(seed)
    coarse = rng.uniform(0.05, 0.5, (6, 8, 3)).repeat(8, 0).repeat(8, 1)
    return coarse * level / 0.4


def table_of(pictures, source=SOURCE, rules=RULES):
    table = SurveyTable(len(pictures))
    for picture in pictures:
        measure = (
            None if picture is None else measure_frame(to_planes(picture, source), source, Region.whole(source), rules.limits)
        )
        table.append(measure)
    return table


def with_patch(picture, value, rows):
    patched = picture.copy()
    patched[:rows] = value
    return patched


def test_hard_cuts_are_found_and_nothing_else():
    rng = np.random.default_rng(0)
    pictures = []
    for seed, length in ((1, 10), (2, 8), (3, 12)):
        base = scene(seed)
        pictures += [
            np.roll(base, n // 3, axis=1) * (1 + 0.04 * np.sin(n)) + rng.normal(0, 0.004, base.shape) for n in range(length)
        ]
    assert find_shots(table_of(pictures)) == [Shot(0, 9), Shot(10, 17), Shot(18, 29)]


def test_a_picture_under_another_exposure_is_the_same_shot_but_not_with_other_colours():
    rng = np.random.default_rng(3)
    light = np.kron(rng.uniform(0.15, 0.5, (12, 16)), np.ones((4, 4)))[..., None]
    warm, cold = np.array([1.06, 1.0, 0.94]), np.array([0.94, 1.0, 1.06])
    assert len(find_shots(table_of([light * warm] * 10 + [light * warm * 1.5] * 10))) == 1
    assert find_shots(table_of([light * warm] * 10 + [light * cold * 1.5] * 10)) == [Shot(0, 9), Shot(10, 19)]
    moved = light * warm * 1.5
    moved[:4, :8] = light[:4, :8] * cold * 1.5
    assert len(find_shots(table_of([light * warm] * 10 + [moved] * 10))) == 1, "something small of another colour has come in"


def test_a_fade_is_not_a_cut():
    base = scene(4)
    assert len(find_shots(table_of([base * (1 - n / 30) for n in range(30)]))) == 1


def test_runs_are_split_at_shots_and_carry_their_worst_frame():
    a, b = scene(1), scene(2)
    pictures = (
        [a] * 3
        + [with_patch(a, 1.06, 8), with_patch(a, 1.08, 12), with_patch(a, 1.06, 8)]
        + [with_patch(b, 1.06, 8)] * 2
        + [b] * 3
    )
    table = table_of(pictures)
    shots = [Shot(0, 5), Shot(6, 10)]
    over = [f for f in judge(table, shots, SOURCE, RULES) if f.rule == "luma-high"]
    assert [(f.shot, f.first_frame, f.last_frame, f.worst_frame) for f in over] == [(0, 3, 5, 4), (1, 6, 7, 6)]
    assert over[0].severity is Severity.MUST_FIX and over[0].worst_value == pytest.approx(108, abs=0.1)
    assert over[0].worst_area == pytest.approx(25.0) and over[0].unit == "%" and over[0].length == 3


@pytest.mark.parametrize(
    ("value", "rule"),
    [(1.05, "luma-high"), (-0.03, "luma-low"), ((0.5, 1.08, 0.5), "rgb-high"), ((0.5, 0.5, -0.08), "rgb-low")],
)
def test_each_limit_has_its_rule(value, rule):
    rules_found = {f.rule for f in judge(table_of([with_patch(scene(1), value, 10)]), [Shot(0, 0)], SOURCE, RULES)}
    assert rule in rules_found


def test_tolerances_of_area_and_duration():
    picture = with_patch(scene(1), 1.06, 6)  # an eighth of the picture
    pictures = [picture, scene(1), picture, picture, scene(1)]
    limits = Limits((-1, 103), (-5, 105))
    wide = Rules("wide", "Wide", limits, area=13.0, frames=1)
    long = Rules("long", "Long", limits, area=1.0, frames=2)
    found = [f for f in judge(table_of(pictures), [Shot(0, 4)], SOURCE, wide) if f.rule == "luma-high"]
    assert found == []
    found = [
        (f.first_frame, f.last_frame) for f in judge(table_of(pictures), [Shot(0, 4)], SOURCE, long) if f.rule == "luma-high"
    ]
    assert found == [(2, 3)]


def test_wrong_range_tags_are_seen_both_ways():
    ramp = np.linspace(0, 1, 640)[None, :, None] * np.ones((48, 1, 3))
    full_as_narrow = to_planes(ramp, signal(640, 48, signal_range=Range.FULL))
    narrow_as_full = to_planes(ramp, signal(640, 48))
    for planes, tagged, words in (
        (full_as_narrow, Range.NARROW, "Levels may be full range, tagged narrow, or graded so"),  # greys tell no more
        (narrow_as_full, Range.FULL, "narrow range, tagged full"),
    ):
        source = signal(640, 48, signal_range=tagged)
        table = SurveyTable(1)
        table.append(measure_frame(planes, source, Region.whole(source), RULES.limits))
        levels = [f for f in judge(table, [Shot(0, 0)], source, RULES) if f.rule == "levels"]
        assert len(levels) == 1 and words in levels[0].reason
        assert levels[0].severity is (Severity.NOTE if "may be" in words else Severity.LOOK)


def test_a_damaged_frame_is_a_finding_and_no_cut():
    table = table_of([scene(1), scene(1), None, scene(1), scene(1)])
    assert find_shots(table) == [Shot(0, 4)]
    unreadable = [f for f in judge(table, [Shot(0, 4)], SOURCE, RULES) if f.rule == "unreadable"]
    assert [(f.first_frame, f.last_frame) for f in unreadable] == [(2, 2)]


def test_a_frame_that_is_not_in_the_file_is_missing_and_another_can_not_be_decoded():
    table = table_of([scene(1), None, scene(1), None, scene(1)])
    found = judge(table, [Shot(0, 4)], SOURCE, RULES, Surveyed(Region.whole(SOURCE), lost=np.array([3])))
    told = {(f.rule, f.first_frame, f.last_frame) for f in found if f.rule in ("unreadable", "missing")}
    assert told == {("unreadable", 1, 1), ("missing", 3, 3)}


def test_a_table_grows_past_what_was_expected_and_freezes():
    table = SurveyTable(1)
    for _ in range(5):
        table.append(None)
    still = table.frozen()
    table.append(None)
    assert (len(still), len(table)) == (5, 6) and len(still.column("y_max")) == 5
