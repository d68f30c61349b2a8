"""This colour becomes that, by hand: picked, typed, from the chart's reference; and what is done meanwhile."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from bluffline.signal.format import Overrides
from bluffline.treat.kinds.curves import LINE, Curves
from bluffline.treat.kinds.tone import Tone
from bluffline.view.looking import Tool

WAIT = 60_000


@pytest.fixture
def pairing(surveyed_desk):
    """The desk's, with its pairs asked for in the first shot, which is grey."""
    surveyed_desk.refresh_commands()
    surveyed_desk.acts["pair"].trigger()
    yield surveyed_desk.pairing
    if surveyed_desk.pairing.dialog is not None:
        surveyed_desk.pairing.dialog.close()


def drag(desk, qtbot, holds):
    """Over the middle of the picture, by the mouse."""
    middle = desk.picture.box.center()
    QTest.mousePress(desk.picture, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(desk.picture, middle + QPoint(20, 12))
    QTest.mouseRelease(desk.picture, Qt.MouseButton.LeftButton, pos=middle + QPoint(20, 12))
    qtbot.waitUntil(holds, timeout=WAIT)


def test_a_colour_is_picked_and_what_is_typed_is_what_it_becomes(pairing, surveyed_desk, qtbot):
    document, dialog = surveyed_desk.session.document, pairing.dialog
    assert document.treatment == (Curves(),) and surveyed_desk.viewer.look.state.tool is Tool.COLOUR
    drag(surveyed_desk, qtbot, lambda: len(dialog.pairs) == 1)
    assert dialog.pairs[0].given == pytest.approx((35, 35, 35), abs=1) and surveyed_desk.viewer.look.state.tool is Tool.LOOK
    box = dialog.boxes[0][0]
    qtbot.waitUntil(lambda: dialog.focusWidget() is box, timeout=WAIT)
    QTest.keyClicks(box, "50\r")
    assert dialog.boxes[0][0] is box and dialog.focusWidget() is box, "Tab goes on to the next figure"
    assert surveyed_desk.viewer.look.state.tool is Tool.LOOK, "Enter presses no button"
    made = document.treatment[0].apply(np.array(dialog.pairs[0].given) / 100, surveyed_desk.session.source) * 100
    assert made == pytest.approx(dialog.pairs[0].wanted, abs=0.1) and dialog.pairs[0].wanted[0] == 50
    assert document.treatment[0].master == LINE
    document.undo()
    assert document.treatment[0].red != LINE or document.treatment == (Curves(),)
    dialog.want(0, (40, 40, 40))
    assert pairing.dialog is None and "its pairs are let go" in surveyed_desk.header.message, "undone meanwhile"


def test_what_it_becomes_is_picked_in_any_shot_and_a_given_colour_in_its_own(pairing, surveyed_desk, qtbot):
    session, dialog = surveyed_desk.session, pairing.dialog
    session.place.go_to(session.shots[1].first)
    qtbot.waitUntil(lambda: surveyed_desk.viewer.shown == session.shots[1].first, timeout=WAIT)
    drag(surveyed_desk, qtbot, lambda: "That is another shot" in surveyed_desk.header.message)
    assert not dialog.pairs
    session.place.go_to(0)
    qtbot.waitUntil(lambda: surveyed_desk.viewer.shown == 0, timeout=WAIT)
    dialog.pick.click()
    drag(surveyed_desk, qtbot, lambda: len(dialog.pairs) == 1)
    session.place.go_to(session.shots[1].first)
    qtbot.waitUntil(lambda: surveyed_desk.viewer.shown == session.shots[1].first, timeout=WAIT)
    dialog.wanted.emit(0)
    drag(surveyed_desk, qtbot, lambda: dialog.pairs[0].wanted[0] > 55)
    assert dialog.pairs[0].wanted == pytest.approx((62, 62, 62), abs=1)
    assert session.document.work.ladder(0)[0].red != LINE and not session.document.work.ladder(1)


def test_patches_of_the_reference_are_offered_and_a_pair_is_taken_away(pairing, surveyed_desk):
    dialog = pairing.dialog
    assert len(pairing._patches()) == 24
    dialog.add((20.0, 30.0, 40.0))
    dialog.want(0, pairing._patches()[0][1])
    assert surveyed_desk.session.document.treatment[0].blue != LINE
    dialog._remove(0)
    assert surveyed_desk.session.document.treatment == (Curves(),) and dialog.boxes == []


def test_contradictions_are_said(pairing):
    dialog = pairing.dialog
    for given, wanted in (((20, 20, 20), (60, 20, 20)), ((70, 70, 70), (30, 70, 70))):
        dialog.add(given)
        dialog.want(len(dialog.pairs) - 1, wanted)
    assert dialog.told.text() == "Not to be had together: pairs 1 and 2 want R′ to fall where it rises. The curves go between."


def test_a_step_before_the_curves_lets_pairs_go(pairing, surveyed_desk):
    pairing.dialog.add((20.0, 30.0, 40.0))
    surveyed_desk.session.document.set_treatment(0, (Tone(0.5), *surveyed_desk.session.document.treatment), "put before")
    pairing.dialog.want(0, (40.0, 40.0, 40.0))
    assert pairing.dialog is None and "the steps before it have changed" in surveyed_desk.header.message


def test_another_pick_takes_the_tool_over(pairing, surveyed_desk, qtbot):
    """Shift+I sets the step on the bench; the pairs get nothing."""
    dialog, document = pairing.dialog, surveyed_desk.session.document
    surveyed_desk.acts["colour"].trigger()
    surveyed_desk.acts["colour"].trigger()
    assert surveyed_desk.viewer.look.state.tool is Tool.COLOUR
    drag(surveyed_desk, qtbot, lambda: len(document.treatment[0].master) == 3)
    assert not dialog.pairs


def test_pairs_are_let_go_where_the_picture_is_read_otherwise(pairing, surveyed_desk):
    pairing.dialog.add((20.0, 30.0, 40.0))
    surveyed_desk.session.survey_again(overrides=Overrides(transfer="hlg"))
    pairing.dialog.want(0, (40.0, 40.0, 40.0))
    assert pairing.dialog is None and "read otherwise" in surveyed_desk.header.message
