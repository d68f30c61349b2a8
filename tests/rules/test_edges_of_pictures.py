"""Where rules of pictures turn: what is just allowed, and what is just not, by figures that are set one by one."""

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from bluffline.measure.region import Region
from bluffline.rules.each.range_levels import RangeLevels
from bluffline.rules.evidence import Surveyed, close_runs, filled, runs_in
from bluffline.rules.judging import judge
from bluffline.rules.levels import ShotLevels, mistagged, shot_levels, source_levels
from bluffline.rules.rulefile import parse_rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.signal.levels import Range
from surveys import BLACK, LEVELS, RATE, SOURCE, SWING, WHOLE, found, frames, table_of

# Limits --------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("rule", "name", "value", "told"),
    [
        ("luma-high", "y_max", BLACK + 964, "Luma over 110.0 %"), ("luma-low", "y_min", BLACK - 44, "Luma under −5.0 %"),
        ("rgb-high", "rgb_max", 120.0, "R′G′B′ over 120.0 %"), ("rgb-low", "rgb_min", -10.0, "R′G′B′ under −10.0 %"),
    ],
)  # fmt: skip
def test_an_area_over_what_is_tolerated_is_found_and_one_of_just_that_is_not(rule, name, value, told):
    area = f"{rule.replace('-', '_')}_area"
    (one,) = found(rule, table_of(6, **{area: [0, 1.0, 1.01, 2.0, 1.0, 0], name: value}))
    assert (one.first_frame, one.last_frame, one.worst_area, one.frames) == (2, 3, 2.0, 2)
    assert one.reason == told
    assert not found(rule, table_of(6, **{area: 50.0, "readable": False}))


def test_the_worst_frame_is_the_furthest_from_the_limit_and_the_area_the_widest():
    luma = [BLACK + SWING * each for each in (1.05, 1.2, 1.1)]
    (high,) = found("luma-high", table_of(3, luma_high_area=[9.0, 2.0, 3.0], y_max=luma))
    assert (high.worst_frame, high.worst_area, round(high.worst_value)) == (1, 9.0, 120)
    (low,) = found(
        "rgb-low", table_of(3, rgb_low_area=[2.0, 9.0, 3.0], rgb_min=[-20.0, -6.0, -30.0]), shots=[Shot(0, 0), Shot(1, 2)]
    )[1:]
    assert (low.shot, low.worst_frame, low.worst_value) == (1, 2, -30.0)


def test_runs_are_as_long_as_is_asked_and_as_far_apart():
    text = LEVELS.replace("area = 1.0", "area = 1.0\nframes = 3")
    areas = np.zeros(40)
    areas[[0, 1, 5, 6, 7, 13, 14, 15, 20, 21, 22]] = 5.0  # 5 frames of gap between the second and the third, then 4
    table = table_of(40, luma_high_area=areas)
    every = judge(table, [Shot(0, 39)], SOURCE, parse_rules(text, "own"), Surveyed(WHOLE, RATE))
    told = [each for each in every if each.rule == "luma-high"]
    assert [(each.first_frame, each.last_frame, each.runs, each.frames) for each in told] == [(5, 7, 1, 3), (13, 22, 2, 6)]
    assert told[1].reason.endswith("(2 runs)") and "runs" not in told[0].reason
    assert close_runs([(0, 1), (6, 7), (11, 12)], 4.0) == [[(0, 1)], [(6, 7), (11, 12)]]
    assert runs_in(np.array([True, True, False, True])) == [(0, 1), (3, 3)] and runs_in(np.zeros(3, bool)) == []
    assert filled("Over {:.1f} %", -2.04) == "Over −2.0 %" and filled("as it is", 3.0) == "as it is"


def test_all_limits_together_name_those_that_are_broken():
    (one,) = found(
        "outside", table_of(3, outside_area=[1.0, 1.5, 1.2], luma_high_area=[0.0, 0.75, 0.9], rgb_low_area=[0.0, 0.75, 0.0])
    )
    assert frames([one]) == [(1, 2)] and one.made_of == (("luma-high", 0.75), ("rgb-low", 0.75))
    assert one.reason == "Outside on 1.5 % in all: luma over 0.8 %, R′G′B′ under 0.8 %"


def test_one_reserved_code_is_told_where_it_is():
    (one,) = found("reserved", table_of(3, reserved=[0, 2, 1], reserved_x=[0, 7, 9], reserved_y=[0, 5, 4]))
    assert (*frames([one])[0], one.worst_frame, one.worst_value, one.worst_area, one.unit) == (1, 2, 1, 2.0, 0.01, "samples")
    assert one.reason == "Reserved codes in 2 samples: the first at x 7, y 5"


def test_a_gamut_and_combing_are_told_beyond_what_is_tolerated():
    gamut = LEVELS.replace("rgb = [-5.0, 105.0]", 'rgb = [-5.0, 105.0]\ngamut = "bt709"')
    every = judge(
        table_of(3, gamut_area=[1.0, 1.01, 0.0]), [Shot(0, 2)], SOURCE, parse_rules(gamut, "own"), Surveyed(WHOLE, RATE)
    )
    assert frames(each for each in every if each.rule == "gamut") == [(1, 1)]
    assert frames(found("combing", table_of(3, combing=[5.0, 5.1, 0.0]))) == [(1, 1)]
    assert frames(found("combing", table_of(3, combing=[5.0, 5.1, 0.0]), "[combing]\nshare = 4.0")) == [(0, 1)]


def test_an_area_with_limits_of_its_own_is_judged_by_them():
    text = '[[area]]\nname = "clock"\nbox = [0, 0, 10, 10]\nluma = [5, 90]\n'
    share = np.array([[1.0], [1.5], [0.0]])
    table = table_of(3, areas=1, areas_high=share, areas_low=share[::-1], areas_max=BLACK + SWING, areas_min=BLACK)
    high, low = found("area-high", table, text), found("area-low", table, text)
    assert frames(high) == frames(low) == [(1, 1)]
    assert (high[0].reason, low[0].reason) == ("clock: luma over 100.0 %", "clock: luma under 0.0 %")


# Bars and pictures ----------------------------------------------------------------------------------------------------

BOXED = Region(0, 20, 200, 60)
BARS = {"blank_pixels": 8000, "edges": (20, 20, 0, 0), "blank_greatest": BLACK, "blank_least": BLACK}


def boxed(**columns):
    return table_of(len(next(iter(columns.values()))), **BARS | columns)


def in_box(ids, table, **named):
    return found(ids, table, surveyed=Surveyed(BOXED, RATE, complete=True, source=SOURCE), **named)


def test_bars_are_judged_by_the_share_that_is_lit_and_told_by_how_they_are():
    lit = BLACK + 0.05 * SWING  # what is just not lit
    dark = in_box("blanking", boxed(blank_lit=[80, 81, 0], blank_greatest=[int(lit)] * 3, blank_least=[BLACK - 20] * 3))
    assert frames(dark) == [(1, 1)] and dark[0].reason == "Blanking that is not black, falling to −2.3 % of luma"
    light = in_box("blanking", boxed(blank_lit=[80, 81, 0], blank_greatest=[int(lit) + 1] * 3))
    assert frames(light) == [(1, 1)] and light[0].reason.startswith("Blanking that is not black, reaching 5.0 %")


def test_what_lies_beside_the_picture_is_a_blanking_where_half_of_the_frames_keep_it_dark():
    bright = {"blank_lit": [4000] * 4, "blank_greatest": [900, 900, BLACK, BLACK]}
    assert in_box("blanking", boxed(**bright))
    assert not in_box("blanking", boxed(**bright | {"blank_greatest": [900, 900, 900, BLACK]}))
    few = {"blank_lit": [80, 80, 4000, 4000], "blank_greatest": [900] * 4}
    assert in_box("blanking", boxed(**few)), "a hundredth of it may be lit"
    assert not in_box("blanking", boxed(**few | {"blank_lit": [81, 80, 4000, 4000]}))
    assert not in_box("blanking", boxed(**bright | {"blank_pixels": [0] * 4}))


def test_a_shot_that_fills_more_is_told_where_its_sides_hold_picture():
    sides = {"blank_spread": [1.5, 1.5, 0.0], "edges": np.zeros((3, 4), int), "blank_lit": [8000] * 3}
    own = [Shot(0, 2), Shot(3, 9)]
    rows = {name: [*values, *([BARS.get(name, 0)] * 7)] for name, values in sides.items() if name != "edges"}
    rows["edges"] = [*sides["edges"], *([(20, 20, 0, 0)] * 7)]
    (told,) = in_box("active-picture", boxed(**rows), shots=own)
    assert (told.shot, told.severity) == (0, Severity.NOTE)
    assert told.reason == "The picture is 200×100 here, 200×60 in most of the programme"
    rows["blank_spread"] = [1.49, 1.49, 3.0, *[0.0] * 7]
    assert not in_box("active-picture", boxed(**rows), shots=own)


@pytest.mark.parametrize(("off", "of_ten", "smaller"), [(4, 10, True), (4, 9, True), (5, 10, False), (4, 8, False)])
def test_a_smaller_picture_is_believed_where_nine_in_ten_frames_agree(off, of_ten, smaller):
    edges_of = [(30, 30, 0, 0)] * 6 + [(30 - off, 30, 0, 0)] * 2
    edges_of = edges_of + [(30, 30, 0, 0)] * (of_ten - 8) + [(10, 30, 0, 0)] * (10 - of_ten)
    told = in_box("active-picture", boxed(edges=edges_of, blank_lit=[0] * 10))
    if smaller:  # the bars of the programme are kept, so it is no change of what they are
        assert not told
    area = in_box("luma-high", boxed(edges=edges_of, blank_lit=[0] * 10, luma_high_area=[0.7] * 10))
    assert bool(area) is smaller, "0.7 % of the programme's picture is over 1 % of one that is smaller by a third"


# Clipping and levels --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("end", "level", "graphic", "told"),
    [
        ("high", 95.0, False, "Highlights clipped at 95.0 %"), ("high", 80.0, True, "Flat tone at 80.0 %, likely graphics"),
        ("high", 80.5, True, "Flat white 80.5 %, likely graphics"), ("low", 3.0, False, "Shadows clipped at 3.0 %"),
        ("low", 15.0, True, "Flat tone at 15.0 %, likely graphics"), ("low", 14.5, True, "Flat black 14.5 %, likely graphics"),
    ],
)  # fmt: skip
def test_flat_ends_are_told_as_what_they_are(end, level, graphic, told):
    figures = {f"clip_{end}_area": [0.5, 0.6, 0.7, 0.0], f"clip_{end}_level": level, f"clip_{end}_graphic": graphic}
    (one,) = found(f"clip-{end}", table_of(4, **figures))
    assert (one.first_frame, one.last_frame, one.reason) == (1, 2, told)
    assert one.severity is (Severity.NOTE if graphic else Severity.LOOK)


def test_a_shot_is_drawn_where_more_than_half_of_its_flat_frames_are():
    half = {"clip_high_area": 2.0, "clip_high_level": 90.0}
    told = [found("clip-high", table_of(4, **half, clip_high_graphic=[True] * n + [False] * (4 - n)))[0].reason for n in (2, 3)]
    assert told == ["Highlights clipped at 90.0 %", "Flat white 90.0 %, likely graphics"]


def test_a_component_is_told_of_where_it_is_flat_on_a_quarter_more_than_luma_and_as_the_last_frame_looked_at():
    figures = {"clip_red_area": [5.5, -1, -1, 5.6, -1, -1], "clip_red_level": [90.0, 0, 0, 101.0, 0, 0]}
    (one,) = found("clip-red", table_of(6, clip_high_area=4.0, **figures))
    assert (one.first_frame, one.last_frame, one.reason) == (3, 5, "Red clipped at 101.0 %")
    looked = [-1, -1, 0, -1, 0, -1]
    late = {"clip_blue_area": [-1, -1, 3.0, -1, 0.0, -1], "clip_blue_level": [0, 0, 99.0, 0, 0, 0], "clip_red_area": looked}
    assert frames(found("clip-blue", table_of(6, clip_high_area=0.0, **late))) == [(0, 3)], "none before is as the first"
    graphic = [False, False, True, False, False, False]
    assert not found("clip-blue", table_of(6, clip_high_area=0.0, clip_blue_graphic=graphic, **late))
    assert not found("clip-green", table_of(6, clip_green_area=-1.0))


def levels_of(**figures):
    """The levels of a shot of three frames that were looked at, of five."""
    looked = [True, False, True, False, True]
    row = {f"level_{name}": [value if there else 0.9 for there in looked] for name, value in figures.items()}
    row["level_dark"] = [figures.get("dark", 0.0) if there else -1.0 for there in looked]
    blank = {f"level_{name}": 0.0 for name in ("under", "over", "shade", "black", "white", "foot", "head", "below", "above")}
    blank |= {f"level_{name}": 0.0 for name in ("black_met", "black_passed", "white_met", "white_passed")}
    return shot_levels(table_of(5, **blank | row), Shot(0, 4))


MET = {"black_met": 0.00041, "black_passed": 0.000008, "white_met": 0.0005, "white_passed": 0.0}


def test_levels_speak_for_full_range_where_colours_stop_at_its_ends():
    both = levels_of(**MET)
    assert (both.speaks_for, both.confidence, both.white) == (Range.FULL, 0.9, True)
    assert both.reason == "colours stop at full black and white"
    assert levels_of(**MET | {"black_met": 0.0004}).speaks_for is None, "too little of it stands there"
    assert levels_of(**MET | {"black_passed": 0.0000083}).speaks_for is None, "as much lies beyond"
    assert levels_of(**MET | {"black": 3.0, "under": 0.01}).speaks_for is None, "it piles up at narrow black"
    shaded = MET | {"white_met": 0.0, "under": 0.001, "shade": 0.001, "dark": 0.02}
    half = levels_of(**shaded)
    assert (half.speaks_for, half.confidence, half.white) == (Range.FULL, 0.4, False)
    assert half.reason == "picture runs on beyond narrow black on 0.1 % of it, and colours stop at full black"
    for less in ({"under": 0.0008}, {"shade": 0.0008}, {"dark": 0.0241}, {"black_passed": 0.0000081}):
        assert levels_of(**shaded | less).speaks_for is None, less


def test_levels_speak_for_full_range_where_much_lies_beyond_both_ends():
    far = {"under": 0.011, "over": 0.011, "shade": 0.01, "dark": 0.01}
    assert (levels_of(**far).speaks_for, levels_of(**far).confidence) == (Range.FULL, 0.4)
    assert levels_of(**far).reason == "picture runs on beyond narrow black and white on 1.1 and 1.1 % of it"
    for less in ({"under": 0.01}, {"over": 0.01}, {"black": 3.0}, {"dark": 0.24}):
        assert levels_of(**far | less).speaks_for is None, less


def test_levels_speak_for_narrow_range_where_they_end_at_its_codes():
    piled = levels_of(black=3.0, white=3.0)
    assert (piled.speaks_for, piled.confidence, piled.piles) == (Range.NARROW, 0.9, (3.0, 3.0))
    assert piled.reason == "it ends at the codes of narrow black and white"
    assert levels_of(black=2.9, white=2.9).speaks_for is None
    one = levels_of(black=3.0)
    assert (one.confidence, one.reason) == (0.3, "it ends at the codes of narrow black")
    stops = {"foot": 0.0011, "below": 0.0001, "head": 0.0011, "above": 0.0001}
    assert (levels_of(**stops).confidence, levels_of(**stops).speaks_for) == (0.6, Range.NARROW)
    assert levels_of(**stops | {"foot": 0.0009, "head": 0.0009}).speaks_for is None
    assert levels_of(**stops | {"below": 0.00012, "above": 0.00012}).speaks_for is None
    assert levels_of(**stops, under=0.0005).speaks_for is None and levels_of(**stops, over=0.0005).confidence == 0.3
    assert levels_of(**stops, over=0.0004, under=0.0004).confidence == 0.6
    assert shot_levels(table_of(3, level_dark=-1.0), Shot(0, 2)).speaks_for is None


def of_full(confidence, *, white=False):
    return ShotLevels(Range.FULL, confidence, "so", white=white)


def test_a_source_is_what_its_shots_say_together():
    narrow, nothing = ShotLevels(Range.NARROW, 0.3, "so", (3.0, 3.0)), ShotLevels(None, 0.0, "")
    assert source_levels([narrow, of_full(0.9)], [10, 10]) == ShotLevels(None, 0.0, "its shots speak for different ranges")
    assert source_levels([nothing], [10]).reason == ""
    assert source_levels([of_full(0.9, white=True), of_full(0.4)], [10, 90]).confidence == pytest.approx(0.9)
    assert source_levels([of_full(0.9)], [10]).confidence == pytest.approx(0.4), "nothing shows where its white stops"
    assert source_levels([of_full(0.9, white=True), nothing], [25, 75]).confidence == pytest.approx(0.9)
    assert source_levels([of_full(0.9, white=True), nothing], [24, 76]).confidence == pytest.approx(0.5)
    assert source_levels([narrow], [10]).confidence == pytest.approx(0.9)
    low = replace(narrow, confidence=0.9, piles=(3.0, 2.9))
    assert source_levels([low], [10]).confidence == pytest.approx(0.6), "it piles up at one of both alone"
    assert source_levels([low, replace(low, piles=(2.9, 3.0))], [10, 10]).confidence == pytest.approx(0.9)
    third = [replace(low, piles=piles) for piles in ((3.0, 2.0), (2.0, 3.0), (2.0, 2.0))]
    assert source_levels(third, [10] * 3).confidence == pytest.approx(0.6), "half of them would have to show one"


def test_a_source_is_mistagged_from_where_it_is_sure():
    assert mistagged(of_full(0.7), SOURCE) and not mistagged(of_full(0.69), SOURCE)
    assert not mistagged(replace(of_full(0.9), speaks_for=Range.NARROW), SOURCE) and not mistagged(
        ShotLevels(None, 0.9, ""), SOURCE
    )


@pytest.mark.parametrize(
    ("confidence", "severity"), [(0.34, None), (0.35, Severity.NOTE), (0.49, Severity.NOTE), (0.5, Severity.LOOK)]
)
def test_levels_are_told_by_how_sure_they_are(confidence, severity):
    told = {
        "column": lambda _: np.array([0]),
        "table": SimpleNamespace(formats=[SOURCE]),
        "range_evidence": of_full(confidence),
    }
    given = []
    shot = SimpleNamespace(
        **told, source=SOURCE, surely=False, readable=None, percent=lambda _: None, all_of_it=None,
        runs_of=lambda rule, severity, *_: given.append(severity) or [],
    )  # fmt: skip
    assert list(RangeLevels().judge(shot)) == [] and given == ([] if severity is None else [severity])
