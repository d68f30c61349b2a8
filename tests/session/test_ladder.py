"""The ladder: what a shot has for itself, and what it shares with others, under headings."""

from pathlib import Path
from types import MappingProxyType

import pytest

from bluffline.errors import SettingsError
from bluffline.propose.propose import Proposal
from bluffline.rules.shots import Shot
from bluffline.session.work import Cuts, Shared, Work, carried
from bluffline.session.workfile import WorkFile
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.step import Heading

CEILING = SoftCeiling(100, 109, 90)


def kinds(document):
    return [(step.kind, str(step.place)) for step in document.treatment]


@pytest.fixture
def document(session):
    """Of a programme of two shots, its first in view."""
    assert len(session.shots) == 2 and session.place.shot == 0
    return session.document


def test_a_level_remap_added_by_hand_is_every_shots_and_acts_first(document, session):
    document.add_step(SoftCeiling)
    document.add_step(LevelRemap)
    assert kinds(document) == [("level-remap", "source"), ("soft-ceiling", "limits")]
    session.place.next_shot(1)
    assert kinds(document) == [("level-remap", "source")] and document.treatments.keys() == {0, 1}
    document.undo()
    assert not document.treatment


def test_steps_move_among_those_of_their_owner_and_elsewhere_only_by_an_act_that_says_so(document, session):
    document.set_treatment(0, (Tone(0.1), Cdl(saturation=0.5), Tone(0.2), CEILING), "own")
    document.move_step(2, -1)
    assert [type(step) for step in document.treatment] == [Tone, Tone, Cdl, SoftCeiling], "the same kind stands twice"
    for place, by, end in ((0, -1, "Tone is the first under shot"), (2, 1, "last under shot"), (3, -1, "first under limits")):
        with pytest.raises(SettingsError, match=end):
            document.move_step(place, by)
    document.move_to(0, Heading.SOURCE)
    assert kinds(document)[0] == ("tone", "source") and document.own[0] == Tone(0.2)
    session.place.next_shot(1)
    assert document.treatment == (Tone(0.1, heading=Heading.SOURCE),)
    document.move_to(0, Heading.SHOT)
    assert document.own == (Tone(0.1),), "it is this shot's alone now"
    session.place.next_shot(-1)
    assert len(document.treatment) == 3
    document.move_to(0, Heading.OVER_ALL)
    assert kinds(document) == [("cdl", "shot"), ("tone", "over all"), ("soft-ceiling", "limits")]
    document.remove_step(1)
    assert document.undoes == "Remove tone from every shot"


def test_a_change_in_a_group_is_one_in_all_its_shots(document, session):
    document.set_treatment(0, (Tone(0.1),), "own")
    with pytest.raises(SettingsError, match="in no such group"):
        document.move_to(0, Heading.GROUP)
    document.set_group("kiln yard", [0, 1])
    document.move_to(0, Heading.GROUP)
    session.place.next_shot(1)
    document.replace_step(0, Tone(0.7, heading=Heading.GROUP))
    assert document.treatments == {0: (Tone(0.7, heading=Heading.GROUP),), 1: (Tone(0.7, heading=Heading.GROUP),)}
    document.set_group("kiln yard", [1])
    assert document.treatments.keys() == {1} and [group.name for group in document.groups] == ["kiln yard"]
    session.place.next_shot(-1)
    assert document.groups == [], "the shot in view is in none"
    document.set_group("kiln yard", [])
    assert not document.treatments
    with pytest.raises(SettingsError, match="needs a name"):
        document.set_group(" ", [0])


def test_headings_are_bypassed_and_reset(document):
    document.set_treatment(0, (Tone(0.1), CEILING, ChromaRein(-5, 105)), "own")
    document.bypass_heading(Heading.LIMITS)
    assert [step.on for step in document.treatment] == [True, False, False]
    document.bypass_heading(Heading.LIMITS)
    assert all(step.on for step in document.treatment)
    document.reset_step(0)
    assert document.treatment[0] == Tone()
    document.reset_heading(Heading.LIMITS)
    assert kinds(document) == [("tone", "shot")]


def test_what_is_proposed_does_not_take_over_what_is_shared(document):
    document.add_step(LevelRemap)
    shared = document.treatment
    document.accept([Proposal(0, (*shared, CEILING), ("held",))])
    assert document.own == (CEILING,) and document.treatment == (*shared, CEILING)
    assert document.treatments[1] == shared


def test_groups_go_with_their_shots_when_the_shots_change():
    work = Work(MappingProxyType({0: (CEILING,)})).treated(0, (CEILING,))
    before = [Shot(0, 9), Shot(10, 19), Shot(20, 29)]
    grouped = Work(work.treatments, shared=(Shared(Heading.GROUP, (Tone(0.1),), "yard", frozenset({1, 2})),))
    now = carried(grouped, before, [Shot(0, 9), Shot(10, 14), Shot(15, 19), Shot(20, 29)])
    assert now.shared[0].shots == {1, 2, 3} and now.ladders(4).keys() == {0, 1, 2, 3}


def test_steps_are_given_to_a_group_but_limits_and_what_is_shared_stay(session):
    document = session.document
    document.set_treatment(0, (Tone(0.5), ChromaRein(-5, 105)), "own")
    with pytest.raises(SettingsError, match="None of these steps"):
        document.set_group("g", [0, 1], [1])
    document.set_group("g", [1], [0, 1])
    assert document.own == (Tone(0.5), ChromaRein(-5, 105)), "it is not one of the group: it keeps its own"
    assert document.work.ladder(1) == (Tone(0.5, heading=Heading.GROUP),)
    document.undo()
    document.set_group("g", [0, 1], [0, 1])
    assert document.own == (ChromaRein(-5, 105),) and len(document.treatment) == 2


def test_cuts_beyond_the_programme_divide_nothing():
    found = [Shot(0, 9), Shot(10, 19)]
    assert Cuts(frozenset({0, 20, 31}), frozenset()).of(found) == found
    assert Cuts(frozenset({19}), frozenset({10})).of(found) == [Shot(0, 18), Shot(19, 19)]


def test_only_shots_that_there_are_have_ladders():
    own = Work().treated(0, (CEILING,)).treated(2, (CEILING,))
    assert own.ladders(3).keys() == {0, 2} and own.ladders(2).keys() == {0}
    grouped = Work(shared=(Shared(Heading.GROUP, (Tone(0.1, heading=Heading.GROUP),), "kiln", frozenset({1, 2})),))
    assert grouped.ladders(2).keys() == {1}


def test_a_step_that_moves_down_to_others_comes_before_theirs(document):
    document.set_treatment(0, (Tone(0.1), Tone(0.2)), "own")
    document.move_to(1, Heading.OVER_ALL)
    document.move_to(0, Heading.OVER_ALL)
    assert [(step.exposure, str(step.place)) for step in document.treatment] == [(0.1, "over all"), (0.2, "over all")]


def test_what_a_work_file_has_as_well_is_not_kept_aside(document, session):
    common = Shared(Heading.OVER_ALL, (Tone(0.3, heading=Heading.OVER_ALL),))
    other = Shared(Heading.GROUP, (Tone(0.4, heading=Heading.GROUP),), "kiln", frozenset({1}))
    document.take_over(Work(shared=(common, other)))
    document.bring(WorkFile(Path(), None, 0, list(document.found), Work(shared=(common,)), same=True))
    assert [(each.made_for, each.treatment[0].exposure) for each in document.work.aside] == [(session.shots[1], 0.4)]


def test_a_step_goes_to_the_first_place_of_its_heading_and_behind_what_is_under_another(document):
    first, second = Tone(0.1), Cdl(saturation=0.5)
    document.set_treatment(0, (first, second), "own")
    document.move_step(1, -1)
    assert document.own == (second, first), "before all others"
    document.move_to(0, Heading.SOURCE)
    document.move_to(0, Heading.SHOT)
    assert [type(step) for step in document.own] == [Tone, Cdl], "down to a shot's own it goes behind them"
    document.set_group("kiln", [0], [1])
    document.move_to(0, Heading.OVER_ALL)
    document.move_to(1, Heading.GROUP, "kiln")
    assert kinds(document) == [("cdl", "group"), ("tone", "group")], "and so it does up from over all"


def test_what_is_aside_of_shots_beyond_the_programme_is_let_go():
    shots = [Shot(0, 9), Shot(10, 19)]
    work = Work(MappingProxyType({1: (Tone(0.1),), 2: (Tone(0.2),)}))
    assert carried(work, shots, [Shot(0, 19)]).aside[0].made_for == Shot(10, 19)


def test_a_group_of_another_name_is_another(document):
    document.set_group("kiln", [0, 1])
    document.set_group("yard", [1])
    document.set_group("kiln", [0])
    assert {each.name: each.shots for each in document.work.shared} == {"kiln": {0}, "yard": {1}}
