"""Arithmetic of the rules that pictures seldom bring to light: rows of a survey are made by hand."""

from types import SimpleNamespace

import numpy as np
import pytest

from bluffline.errors import RulesError
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.rules.aims import load_aims, shipped_aims
from bluffline.rules.each.clipping import Clipping
from bluffline.rules.evidence import ShotEvidence, Surveyed
from bluffline.rules.pictures import ShotPicture, shot_pictures
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot, find_shots
from clips import signal, to_planes

SOURCE = signal(64, 48)
RULES = load_rules("r103")
WHOLE = Region.whole(SOURCE)


def table_of(count):
    """So many frames that are all the same."""
    planes = to_planes(np.random.default_rng(1).uniform(0.05, 0.5, (6, 8, 3)).repeat(8, 0).repeat(8, 1), SOURCE)
    table = SurveyTable(count)
    for _ in range(count):
        table.append(measure_frame(planes, SOURCE, WHOLE, RULES.limits))
    return table


def test_a_cut_stands_out_from_the_frames_on_both_sides():
    """Change of 2 % before and 10 % after: 15 % between is no cut, since half of what is near it changes as much."""
    table = table_of(12)
    table.rows["look"][:] = np.random.default_rng(1).integers(0, 200, table.rows["look"].shape)
    for name in ("block_change", "spread_change"):
        table.rows[name][:] = [0, 0, 0.02, 0.02, 0.02, 0.02, 0.15, 0.1, 0.1, 0.1, 0.1, 0]
    assert find_shots(table) == [Shot(0, 11)]
    for name in ("block_change", "spread_change"):
        table.rows[name][7:11] = 0.02
    assert find_shots(table) == [Shot(0, 5), Shot(6, 11)], "the same change beside calm frames is one"
    for name in ("block_change", "spread_change"):
        table.rows[name][:] = [0, 0, 0.02, 0.02, 0.02, 0.1, 0.15, 0.02, 0.02, 0.1, 0.1, 0]
    assert 6 in [shot.first for shot in find_shots(table)], "it is not counted among its own neighbours"


def test_parts_that_are_left_out_are_no_pixels_of_a_shot():
    (picture,) = shot_pictures(table_of(2), [Shot(0, 1)], SOURCE, WHOLE, [Region(0, 0, 10, 8)])
    assert picture.pixels == 64 * 48 - 80


def test_what_lies_outside_a_programmes_picture_counts_where_it_is_picture():
    columns = {"luma_high_area": np.float32([2, 0]), "blank_luma_high": np.array([50, 10])}
    table = SimpleNamespace(column=columns.__getitem__)
    picture = ShotPicture(WHOLE, False, 0.5, 1000, False)
    evidence = ShotEvidence(0, Shot(0, 1), table, {}, SOURCE, RULES, Surveyed(WHOLE), picture, None, False)
    assert evidence.area("luma_high") == pytest.approx([6, 1]), "percent of the shot's own picture"


def test_a_component_that_was_looked_at_and_found_whole_is_not_like_the_frame_before():
    count = 6
    columns = {f"clip_{end}_{what}": np.zeros(count) for end in ("high", "low") for what in ("area", "level", "graphic")}
    for name in ("red", "green", "blue"):
        columns |= {f"clip_{name}_area": np.zeros(count), f"clip_{name}_level": np.full(count, 100.0)}
        columns[f"clip_{name}_graphic"] = np.zeros(count, bool)
    columns["clip_red_area"] = np.array([20, -1, 20, 0, -1, 0.0])  # −1: not looked at, and taken to be like the last
    told = []

    evidence = SimpleNamespace(
        shot=Shot(0, count - 1), readable=np.ones(count, bool), rules=RULES, column=columns.__getitem__,
        runs_of=lambda rule, severity, mask, *_: told.append((rule, np.flatnonzero(mask).tolist())) or (),
    )  # fmt: skip
    list(Clipping().judge(evidence))
    assert dict(told)["clip-red"] == [0, 1, 2]


def test_highlights_that_lie_hardly_above_black_are_no_aim(tmp_path):
    own = tmp_path / "config" / "bluffline" / "aims.toml"
    own.parent.mkdir(parents=True)
    text = "[levels]\nblack = 5\nhighlights = [{}, 95]\nwhite_text = 90\nmiddle = [30, 50]\nface = [50, 60]\n"
    rest = 'title = "Mine"\n[colour]\nskin = 123\nskin_off = 5\nchroma = [8, 30]\n'
    own.write_text(rest.replace("[colour]", text.format(24) + "[colour]"))
    with pytest.raises(RulesError, match="at least 20 % above black"):
        load_aims()
    own.write_text(rest.replace("[colour]", text.format(25) + "[colour]"))
    assert load_aims().levels.highlights == (25, 95)


def test_what_is_bearable_reaches_beyond_every_aim():
    aims = shipped_aims()
    eased, levels, away = aims.eased, aims.levels, aims.leeway
    assert eased.levels.black == levels.black + away.black
    assert eased.levels.highlights == (levels.highlights[0] - away.highlights, levels.highlights[1])
    for name in ("middle", "face"):
        (low, high), (eased_low, eased_high) = getattr(levels, name), getattr(eased.levels, name)
        assert (eased_low, eased_high) == (low - away.middle, high + away.middle)
    low, high = aims.colour.chroma
    assert eased.colour.chroma == (max(low - away.chroma, 0), high + away.chroma)
