from dataclasses import fields
from pathlib import Path

import pytest

from bluffline.errors import RulesError
from bluffline.rules.catalogue import RULES
from bluffline.rules.each.chart import Chart
from bluffline.rules.each.combing import Combing
from bluffline.rules.rulefile import _KEYS, load_rules, parse_rules

HOUSE = """
title = "House rules"
[limits]
luma = [-2.0, 101]
rgb = [-4.0, 104.0]
[tolerance]
area = 0.5
frames = 3
"""


def test_shipped_rules_say_what_their_documents_say():
    r103, strict = load_rules("r103"), load_rules("strict")
    assert (r103.limits.luma, r103.limits.rgb, r103.area, r103.frames) == ((-1.0, 103.0), (-5.0, 105.0), 1.0, 1)
    assert strict.limits.luma == strict.limits.rgb == (0.0, 100.0)
    assert r103.outside(1.01) and not r103.outside(1.0)


def test_any_path_will_do(tmp_path):
    path = tmp_path / "house.toml"
    path.write_text(HOUSE)
    rules = load_rules(path)
    assert (rules.name, rules.title, rules.limits.luma, rules.area, rules.frames) == (
        "house",
        "House rules",
        (-2.0, 101.0),
        0.5,
        3,
    )


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("title = ", "not valid TOML"),
        ("[limits]\nluma=[0,100]", "limits.rgb must be two numbers"),
        (HOUSE.replace("-2.0, 101", "101, -2"), "must run upwards"),
        (HOUSE.replace("-2.0, 101", "-2, true"), "two numbers"),
        (HOUSE.replace("area = 0.5", "area = 200"), "0 to 100 percent"),
        (HOUSE.replace("frames = 3", "frames = 0"), "whole number from 1"),
        (HOUSE + "colour = 1", "tolerance.colour is not known here; known are area, frames"),
        ("limits = 3", "must be a table"),
        (HOUSE.replace('"House rules"', "7"), "title must be a text"),
        ("[limit]\nluma=[0,1]", "limit is not known"),
        ("area = 3\n" + HOUSE, "areas are written"), ("area = [1, 2]\n" + HOUSE, "areas are written"),
    ],
)
def test_a_bad_file_is_told_by_its_key(text, words):
    with pytest.raises(RulesError, match=words):
        parse_rules(text, "house")


def test_missing_rules_name_those_there_are(tmp_path):
    with pytest.raises(RulesError, match="r103, strict"):
        load_rules("ebu")
    (tmp_path / "b.toml").write_bytes(b"\xff\xfe\x00")
    with pytest.raises(RulesError, match="can't be read as text"):
        load_rules(tmp_path / "b.toml")


AREAS = """
title = "House"
[limits]
luma = [-1, 103]
rgb = [-5, 105]
gamut = "bt709"
[combing]
share = 12.5
[[area]]
name = "logo"
box = [80, 5, 15, 10]
use = "leave out"
[[area]]
box = [0, 75, 100, 25]
luma = [-1, 90]
"""


def test_areas_gamut_and_combing_are_read():
    rules = parse_rules(AREAS, "house")
    assert rules.gamut == "bt709" and Combing().asked(rules).share == 12.5
    assert [area.name for area in rules.left_out] == ["logo"] and rules.limited[0].luma == (-1, 90)
    assert rules.left_out[0].region(1920, 1080).as_list() == [1536, 54, 288, 108]
    assert rules.limited[0].name == "area 2"


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('"bt709"', '"bt808"', "gamut must be one of"), ('"bt709"', '["bt709"]', "gamut must be one of"),
        ("[80, 5, 15, 10]", "[80, 5, 25, 10]", "inside the picture"),
        ("[80, 5, 15, 10]", "[nan, 5, 15, 10]", "left, top, width and height"),
        ("[80, 5, 15, 10]", "[80, 5]", "left, top, width and height"), ('"leave out"', '"forget"', "can only be"),
        ("luma = [-1, 90]", "", "needs either"), ("luma = [-1, 90]", "luma = [90, -1]", "area 2.luma must run upwards"),
        ("[[area]]", "[area]", "not valid TOML|written"), ("share = 12.5", "share = -1", "combing: share must be"),
        ("share = 12.5", "share = 101", "between 0 and 100 percent, not 101"),
        ('name = "logo"', 'shape = "round"', "area.shape is not known"),
    ],
)  # fmt: skip
def test_an_area_that_makes_no_sense_is_refused(old, new, words):
    with pytest.raises(RulesError, match=words):
        parse_rules(AREAS.replace(old, new), "house")


CHART = AREAS + '[chart]\nreference = "glaze-24"\nmean = 2.0\n'


def test_a_chart_is_read_and_a_reference_beside_the_rules_is_found(tmp_path):
    chart = Chart().asked(parse_rules(CHART, "house"))
    assert (chart.reference, chart.mean, chart.worst) == ("glaze-24", 2.0, float("inf"))
    (tmp_path / "own.txt").write_text("CGATS.17")
    (tmp_path / "house.toml").write_text(CHART.replace("glaze-24", "own.txt"))
    assert Chart().asked(load_rules(tmp_path / "house.toml")).reference == str(tmp_path / "own.txt")


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('reference = "glaze-24"', "", "chart lacks reference"), ("mean = 2.0", "", "needs mean or worst"),
        ('"glaze-24"', '" "', "must name a chart reference"), ("mean = 2.0", "mean = 0", "mean must be between 0.001 and"),
        ("mean = 2.0", "average = 2", "has no figure 'average'; it has reference, mean, worst"),
        ('[chart]\nreference = "glaze-24"\nmean = 2.0', "[chart.of]\nmean = 2.0", "no figure 'of'"),
    ],
)  # fmt: skip
def test_a_chart_rule_that_makes_no_sense_is_refused(old, new, words):
    with pytest.raises(RulesError, match=words):
        parse_rules(CHART.replace(old, new), "house")


def test_the_example_in_the_documentation_is_a_rule_file():
    page = (Path(__file__).parents[2] / "docs" / "rules.md").read_text("utf-8")
    rules = parse_rules(page.split("```toml\n")[1].split("```")[0], "house")
    assert rules.title == "House rules" and rules.gamut == "bt709" and len(rules.areas) == 2
    keys = {key for keys in _KEYS.values() for key in keys}
    sections = {rule.key: [one.name for one in fields(rule.section)] for rule in RULES if rule.section is not None}
    assert all(key in page for key in keys), "every key is documented"
    for section, figures in sections.items():
        documented = page.partition(f"\n[{section}]")[2].partition("\n[")[0]
        assert all(f"\n{figure} = " in documented for figure in figures), f"every figure of {section} is documented"
    assert all(f"`{name}`" in page for rule in RULES for name in rule.titles), "every rule is documented"


def test_a_section_that_is_no_table_is_refused():
    with pytest.raises(RulesError, match=r"chart must be a table, written \[chart\]"):
        parse_rules('chart = ["glaze-24", 2.0]\n' + HOUSE, "house")
