"""Pulling a tone step's white, grey and black."""

import numpy as np
import pytest

from bluffline.session.pull import balancing, handles_in_view
from bluffline.signal.matrix import rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.bands import Band, Bands
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import apply_to_colours
from bluffline.treat.pulling import balanced, pulled

LADDER = (Tone(exposure=0.2), SoftCeiling(100, 109, 85))


@pytest.mark.parametrize(("name", "level"), [("white", 92.0), ("grey", 47.0), ("black", 3.5)])
def test_a_handle_comes_to_where_it_is_pulled(session, name, level):
    session.place.go_to(14)
    session.document.set_treatment(1, LADDER, "own")
    assert handles_in_view(session, (None,)) == [], "nothing is on the bench"
    session.place.choose(0)
    handle = next(each for each in handles_in_view(session, (None,)) if each.grip.name == name)
    made = pulled(session.document.treatment, 0, handle.grip, level, session.source)
    session.document.replace_step(0, made)
    moved = next(each for each in handles_in_view(session, (None,)) if each.grip.name == name)
    assert moved.level == pytest.approx(level, abs=0.05) and moved.grip.comes_in == handle.grip.comes_in
    assert made.exposure == 0.2 and sum(a != b for a, b in zip(vars(made).values(), vars(LADDER[0]).values(), strict=True)) == 1


def test_nothing_is_pulled_behind_the_ladder_or_on_a_frame_that_was_not_measured(session, monkeypatch):
    session.place.go_to(14)
    session.document.set_treatment(1, LADDER, "own")
    for rung, there in ((0, True), (2, False), (3, False)):
        session.place.choose(rung)
        assert bool(handles_in_view(session, (None,))) is there
    session.place.choose(0)
    columns = session.source_columns()
    for count, there in ((15, True), (14, False), (0, False)):
        monkeypatch.setattr(
            session, "source_columns", lambda count=count: {name: each[:count] for name, each in columns.items()}
        )
        assert bool(handles_in_view(session, (None,))) is there
    monkeypatch.setattr(session, "source_columns", dict)
    assert handles_in_view(session, (None,)) == []


@pytest.mark.parametrize(("name", "key"), [("white", "gain"), ("grey", "gamma"), ("black", "lift")])
def test_on_a_parade_each_component_has_its_own(session, name, key):
    session.place.go_to(14)
    session.document.set_treatment(1, LADDER, "own")
    session.place.choose(0)
    before = {(each.grip.name, each.grip.component): each for each in handles_in_view(session, (0, 1, 2))}
    assert len(before) == 9
    handle = before[name, 2]
    session.document.replace_step(0, pulled(session.document.treatment, 0, handle.grip, handle.level + 2, session.source))
    after = {(each.grip.name, each.grip.component): each for each in handles_in_view(session, (0, 1, 2))}
    assert after[name, 2].level == pytest.approx(handle.level + 2, abs=0.2)
    assert after[name, 0].level == pytest.approx(before[name, 0].level, abs=1.0), "but for what saturation is about"
    assert getattr(session.document.treatment[0], key)[3] != getattr(LADDER[0], key)[3]


def test_what_is_out_of_reach_is_come_near_to(session):
    white, _, black = Tone().grips(5.0, 40.9, 100.0)[:3]
    made = pulled((Balance(), Tone()), 1, white, 1e6, session.source)
    assert made.white_point == pytest.approx(10, abs=0.01)
    black = pulled((Tone(),), 0, black, -1e6, session.source)
    assert black.black_point == pytest.approx(90, abs=0.01)


@pytest.mark.parametrize("light", [True, False])
@pytest.mark.parametrize(
    ("seen", "wanted"), [((0.05, -0.03), (0.0, 0.0)), ((0.0, 0.0), (-0.04, 0.06)), ((0.02, 0.1), (0.02, 0.1))]
)
def test_the_middle_comes_to_where_it_is_pulled_and_luma_stays(session, light, seen, wanted):
    ladder = (Tone(exposure=0.2), Balance((1.1, 1.0, 0.9), light=light), Tone(contrast=1.1, saturation=1.2))
    shown = np.array([0.45, *seen])
    made = balanced(ladder, 1, seen, wanted, 45.0, session.source)
    came = ycbcr_to_rgb(shown, session.source.matrix)
    for _ in range(60):  # what comes in so that the ladder makes of it what is seen
        came += ycbcr_to_rgb(shown, session.source.matrix) - apply_to_colours(ladder[1:], came[None], session.source)[0]
    out = rgb_to_ycbcr(apply_to_colours((made, ladder[2]), came[None], session.source)[0], session.source.matrix)
    assert out == pytest.approx([0.45, *wanted], abs=2e-3) and made.light is light


def test_a_middle_out_of_reach_is_come_near_to(session):
    made = balanced((Balance(),), 0, (0.0, 0.0), (0.5, 0.5), 40.0, session.source)
    assert all(0.1 <= gain <= 8 for gain in made.gains) and made.gains[1] < 1


def test_a_balance_is_on_the_bench_only_where_it_is_in_force(session):
    session.place.go_to(14)
    session.document.set_treatment(1, (Balance(), Tone()), "own")
    assert balancing(session) is None
    session.place.choose(0)
    assert balancing(session) == Balance()
    session.document.bypass_step(0, bypassed=True)
    assert balancing(session) is None
    session.place.choose(1)
    assert balancing(session) is None


def test_limits_of_bands_are_pulled_to_where_they_are_seen(session):
    bands = Bands((Band(20, 60, 10, cb=5), Band(70, 100)))
    ladder = (Tone(exposure=1), bands, Tone(white_point=80, offset=(3, 0, 0, 0)))
    session.place.go_to(14)
    session.document.set_treatment(1, ladder, "own")
    session.place.choose(1)
    found = handles_in_view(session, (None,))
    assert [handle.grip.name for handle in found] == ["band 1 from", "band 1 to", "band 2 from", "band 2 to"]
    assert found[1].level == pytest.approx(60 / 0.8 + 3), "where a grey at the limit stands behind the rungs after"
    made = pulled(ladder, 1, found[1].grip, 53.0, session.source)
    assert made.bands[0].high == pytest.approx(40, abs=0.01) and made.bands[1] == bands.bands[1]
    assert pulled(ladder, 1, found[0].grip, 200.0, session.source).bands[0].low == 60, "none runs downwards"
    assert handles_in_view(session, (0, 1, 2)) == [], "bands are of luma"
