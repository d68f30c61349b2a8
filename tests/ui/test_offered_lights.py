"""Lights that are offered beneath the picture, taken by keys."""

import shutil
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from bluffline.propose.lights import Offer
from bluffline.propose.propose import Offered, Proposal
from bluffline.signal.format import Overrides
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.tone import Tone

WAIT = 60_000
PICTURE = np.full((18, 32, 3), 0.4)
GAINS = (1.2, 1.0, 0.9), (1.4, 0.9, 1.1)


def offered(ladder=()):
    """A proposal that gives a shot nothing and offers two lights."""
    lights = [Offer(f"light {n}", "leans to green, C*ab 9.0", Balance(gains)) for n, gains in enumerate(GAINS, 1)]
    taken = [Offered(each, Proposal(0, (*ladder, each.step), (f"balance: {each.title}",)), PICTURE) for each in lights]
    return Proposal(0, ladder, (), ("balance: not sure: nothing is grey",), tuple(taken), PICTURE)


@pytest.fixture
def desk(surveyed_desk):
    surveyed_desk.show_page("Findings")
    surveyed_desk.offering.offer(0, offered())
    return surveyed_desk


def press(desk, key):
    """Through the window, so that its shortcuts could take the key."""
    QTest.keyClick(desk.focusWidget(), key)


def test_a_number_takes_a_light_another_changes_it_and_each_is_one_undo(desk):
    document = desk.session.document
    assert desk.lights.isVisible() and desk.lights.hasFocus() and "nothing is grey" in desk.lights.told.text()
    press(desk, Qt.Key.Key_2)
    assert document.treatment == (Balance(GAINS[1]),) and [card.chosen for card in desk.lights.cards] == [False, True]
    assert document.work.reasons[0] == ("balance: light 2",)
    press(desk, Qt.Key.Key_1)
    assert document.treatment == (Balance(GAINS[0]),) and desk.lights.hasFocus()
    document.undo()
    assert document.treatment == (Balance(GAINS[1]),) and [card.chosen for card in desk.lights.cards] == [False, True]
    document.undo()
    assert document.treatment == () and not any(card.chosen for card in desk.lights.cards)
    assert desk.pages.front == "Findings", "numbers turned no page"


def test_a_number_that_has_no_light_turns_the_page_and_escape_closes(desk, qtbot):
    press(desk, Qt.Key.Key_Escape)
    assert desk.lights.isHidden() and desk.session.document.treatment == ()
    desk.offering.offer(0, offered())
    qtbot.mouseClick(desk.lights.cards[0], Qt.MouseButton.LeftButton)
    assert desk.session.document.treatment == (Balance(GAINS[0]),)
    desk.lights.setFocus()
    press(desk, Qt.Key.Key_3)
    assert desk.pages.front == "Chart" and desk.session.document.treatment == (Balance(GAINS[0]),)


def test_lights_are_shown_with_their_shot_alone_and_end_where_it_is_treated_otherwise(desk):
    session, document = desk.session, desk.session.document
    session.place.go_to(session.shots[1].first)
    assert desk.lights.isHidden()
    document.add_step(Tone)
    session.place.choose(None)
    session.place.go_to(session.shots[0].first)
    assert desk.lights.isVisible(), "another shot's step changes nothing here"
    document.add_step(Tone)
    assert desk.lights.isHidden()
    desk.offering.take(0)
    assert [type(step) for step in document.treatment] == [Tone], "what was looked at is no more"
    document.undo()
    session.place.choose(None)
    assert desk.lights.isVisible()


def test_a_shot_that_is_split_is_offered_nothing_any_more(desk):
    session = desk.session
    session.place.go_to(session.shots[0].first + 2)
    session.document.split_shot()
    assert desk.lights.isHidden()
    desk.offering.take(0)
    assert not session.document.treatments


def test_lights_of_another_file_with_the_same_cuts_are_not_offered(desk, over_clip, tmp_path, qtbot):
    other = Path(shutil.copy(over_clip, tmp_path / "redelivered.mkv"))
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        assert desk.open(other)
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    assert desk.lights.isHidden()
    desk.offering.take(0)
    assert not desk.session.document.treatments


def test_lights_of_another_reading_of_the_file_are_not_offered(desk):
    desk.session.survey_again(overrides=Overrides(transfer="hlg"))
    assert desk.lights.isHidden()
    desk.offering.take(0)
    assert not desk.session.document.treatments


def test_the_nearest_shot_that_has_a_balance_is_offered_too(desk):
    session, offering = desk.session, desk.offering
    assert offering.beside(0) is None
    session.document.accept_as_one({1: Proposal(1, (Balance((1.1, 1, 1)),), ())}, "balance")
    assert offering.beside(0) == ("as shot 2", Balance((1.1, 1, 1))) and offering.beside(1) is None
