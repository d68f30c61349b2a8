"""Pulling a tone step's white, grey and black."""

import pytest

from bluffline.session.pull import Handle, handles, pulled
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone

LADDER = (Tone(exposure=0.2), SoftCeiling(100, 109, 85))


@pytest.mark.parametrize(("name", "level"), [("white", 92.0), ("grey", 47.0), ("black", 3.5)])
def test_a_handle_comes_to_where_it_is_pulled(session, name, level):
    session.place.go_to(14)
    session.document.set_treatment(1, LADDER, "own")
    assert handles(session, (None,)) == [], "nothing is on the bench"
    session.place.choose(0)
    handle = next(each for each in handles(session, (None,)) if each.name == name)
    made = pulled(session.document.treatment, 0, handle, level, session.source)
    session.document.replace_step(0, made)
    moved = next(each for each in handles(session, (None,)) if each.name == name)
    assert moved.level == pytest.approx(level, abs=0.05) and moved.came_in == handle.came_in
    assert made.exposure == 0.2 and sum(a != b for a, b in zip(vars(made).values(), vars(LADDER[0]).values(), strict=True)) == 1


@pytest.mark.parametrize(("name", "key"), [("white", "gain"), ("grey", "gamma"), ("black", "lift")])
def test_on_a_parade_each_component_has_its_own(session, name, key):
    session.place.go_to(14)
    session.document.set_treatment(1, LADDER, "own")
    session.place.choose(0)
    before = {(each.name, each.component): each for each in handles(session, (0, 1, 2))}
    assert len(before) == 9
    handle = before[name, 2]
    session.document.replace_step(0, pulled(session.document.treatment, 0, handle, handle.level + 2, session.source))
    after = {(each.name, each.component): each for each in handles(session, (0, 1, 2))}
    assert after[name, 2].level == pytest.approx(handle.level + 2, abs=0.2)
    assert after[name, 0].level == pytest.approx(before[name, 0].level, abs=1.0), "but for what saturation is about"
    assert getattr(session.document.treatment[0], key)[3] != getattr(LADDER[0], key)[3]


def test_what_is_out_of_reach_is_come_near_to(session):
    handle = Handle("white", None, 100.0, 100.0)
    made = pulled((Balance(), Tone()), 1, handle, 1e6, session.source)
    assert made.white_point == pytest.approx(10, abs=0.01)
    black = pulled((Tone(),), 0, Handle("black", None, 5.0, 5.0), -1e6, session.source)
    assert black.black_point == pytest.approx(90, abs=0.01)
