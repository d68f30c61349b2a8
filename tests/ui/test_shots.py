"""The shots overview: picked, compared, grouped, given steps, gone to."""

from contextlib import suppress

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QInputDialog

from bluffline.measure.areas import Shape
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.step import Heading
from bluffline.ui.dialogs.overview import ShotWidget
from bluffline.view.overview import Order
from bluffline.view.side_by_side import laid_over

WAIT = 60_000
LEFT, SHIFT, CONTROL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def shots(surveyed_desk, qtbot):
    """The desk with the overview open; the first shot in view has a step."""
    desk = surveyed_desk
    desk.session.document.set_treatment(0, (Tone(0.5),), "own")
    qtbot.keyClick(desk, Qt.Key.Key_O)
    qtbot.waitUntil(lambda: hasattr(desk.overseeing, "dialog"), timeout=WAIT)
    yield desk
    with suppress(RuntimeError):  # it may be gone already
        desk.overseeing.dialog.close()


def press(shots, words):
    shots.overseeing.dialog.buttons[words].click()


def test_a_double_click_goes_there(shots, qtbot):
    cards = shots.overseeing.dialog.findChildren(ShotWidget)
    assert [card.accessibleName().split(",")[0] for card in cards] == ["Shot 1", "Shot 2"]
    qtbot.mouseDClick(cards[1], LEFT)
    assert shots.session.place.shot == 1 and not shots.overseeing.dialog.isVisible()


def test_shots_are_picked_one_by_one_and_up_to_another(shots, qtbot):
    dialog = shots.overseeing.dialog
    first, second = dialog.widgets[0], dialog.widgets[1]
    assert not dialog.buttons["Give steps"].isEnabled()
    qtbot.mouseClick(first, LEFT)
    assert dialog.picked == {0} and first.picked
    qtbot.mouseClick(second, LEFT, SHIFT)
    assert dialog.picked == {0, 1} and "2 of 2 shots picked" in dialog.told.text()
    qtbot.mouseClick(first, LEFT, CONTROL)
    assert dialog.picked == {1}


def test_shots_are_picked_by_keys(shots, qtbot):
    dialog, keys = shots.overseeing.dialog, Qt.Key
    qtbot.waitUntil(lambda: dialog.focusWidget() is not None)
    board = dialog.focusWidget()
    assert not dialog.acts.isVisible(), "nothing is picked, and nothing can be done to it"
    qtbot.keyClick(board, keys.Key_Space)
    assert dialog.picked == {0} and dialog.acts.isVisible() and dialog.widgets[0].here
    qtbot.keyClick(board, keys.Key_Right)
    assert dialog.picked == {0} and dialog.widgets[1].here and not dialog.widgets[0].here
    qtbot.keyClick(board, keys.Key_Right)
    qtbot.keyClick(board, keys.Key_Down)
    assert dialog.widgets[1].here, "there are no more"
    qtbot.keyClick(board, keys.Key_Space)
    assert dialog.picked == {0, 1}
    qtbot.keyClick(board, keys.Key_Space)
    qtbot.keyClick(board, keys.Key_Left, SHIFT)
    assert dialog.picked == {0, 1}, "what is passed with Shift"
    qtbot.keyClick(board, keys.Key_Right)
    qtbot.keyClick(board, keys.Key_Return)
    assert shots.session.place.shot == 1 and not dialog.isVisible()


def test_each_is_compared_with_a_reference_and_sorted(shots, qtbot):
    dialog = shots.overseeing.dialog
    qtbot.mouseClick(dialog.widgets[1], LEFT)
    press(shots, "Make it the reference")
    assert dialog.reference == 1 and dialog.widgets[1].beside == "reference · "
    assert float(dialog.widgets[0].beside.split()[1]) > 5
    for order, first in ((Order.DISTANCE, 1), (Order.FINDING, 1), (Order.TIME, 0)):
        dialog.order.setCurrentText(str(order))
        dialog.order.textActivated.emit(str(order))
        assert dialog._grid.itemAtPosition(0, 0).widget() is dialog.widgets[first]
    alike, same_light = dialog.more.actions()
    alike.trigger()
    assert dialog.picked == {1}, "the other is much darker"
    same_light.trigger()
    assert dialog.picked == {0, 1}, "both are grey"


def test_steps_given_to_a_group_are_all_its_shots_and_one_undo(shots, qtbot):
    dialog, document = shots.overseeing.dialog, shots.session.document
    qtbot.mouseClick(dialog.widgets[0], LEFT)
    qtbot.mouseClick(dialog.widgets[1], LEFT, SHIFT)
    assert not dialog.buttons["Make a group"].isEnabled(), "it has no name"
    dialog.name.setText("both")
    press(shots, "Group with steps")
    assert [document.work.ladder(n)[0].place for n in (0, 1)] == [Heading.GROUP] * 2
    document.replace_step(0, Tone(1.0, heading=Heading.GROUP))
    assert [document.work.ladder(n)[0].exposure for n in (0, 1)] == [1.0, 1.0], "a change in its rung is one in all its shots"
    document.undo()
    document.undo()
    assert document.work.ladder(0) == (Tone(0.5),) and document.work.ladder(1) == ()
    press(shots, "Make a group")
    press(shots, "Group with steps")
    press(shots, "Group with steps")
    assert "no steps of its own" in dialog.told.text()


def test_steps_are_copied_and_shots_brought_to_one(shots, qtbot):
    dialog, document = shots.overseeing.dialog, shots.session.document
    qtbot.mouseClick(dialog.widgets[1], LEFT)
    press(shots, "Give steps")
    assert document.work.ladder(1) == (Tone(0.5),)
    document.undo()
    press(shots, "Make it the reference")
    qtbot.mouseClick(dialog.widgets[0], LEFT)
    press(shots, "Bring to the reference")
    qtbot.waitUntil(lambda: "Nothing brought to shot 2" in shots.header.message, timeout=WAIT)
    assert document.work.ladder(0) == (Tone(0.5),) and "left alone" in shots.header.message, "they show other things"


def test_a_face_is_one_in_the_shot_that_it_is_named_in(surveyed_desk, monkeypatch):
    session = surveyed_desk.session
    session.place.go_to(session.shots[1].first)
    for shape in (Shape.RECTANGLE, Shape.ELLIPSE):
        session.document.drawn.add(shape, ((10, 10), (60, 60)))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("Face", True))
    surveyed_desk.viewer.change_area(0, "rename")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("clock", True))
    surveyed_desk.viewer.change_area(1, "rename")
    told = [[area.name for area in surveyed_desk.proposing._areas_in(shot)] for shot in (0, 1)]
    assert told == [["clock"], ["Face", "clock"]], "what stands there in another shot is no face"
    session.place.go_to(0)
    session.document.drawn.move(0, 5, 5, only_here=True)
    assert len(surveyed_desk.proposing._areas_in(0)) == 2, "but where it was moved to it is one"


def test_a_shot_is_brought_to_one_that_shows_the_same(surveyed_desk, qtbot):
    session, document = surveyed_desk.session, surveyed_desk.session.document
    session.place.go_to(6)
    document.split_shot()
    document.set_treatment(0, (Tone(0.5),), "own")
    surveyed_desk.proposing.match_shots([1], 0)
    qtbot.waitUntil(lambda: "Brought to shot 1" in surveyed_desk.header.message, timeout=WAIT)
    assert document.work.ladder(1) and "distance" in document.reasons[1][0]


def test_shots_stand_side_by_side_and_one_of_them_stands_out(shots, qtbot):
    dialog = shots.overseeing.dialog
    qtbot.mouseClick(dialog.widgets[0], LEFT)
    assert not dialog.buttons["Side by side"].isEnabled()
    qtbot.mouseClick(dialog.widgets[1], LEFT, SHIFT)
    press(shots, "Side by side")
    qtbot.waitUntil(lambda: hasattr(shots.overseeing, "sides"), timeout=WAIT)
    beside = shots.overseeing.sides
    assert [side.accessibleName().split(",")[0] for side in beside.sides] == ["Shot 1", "Shot 2"]
    beside.sides[1].pointed.emit(-1)
    both = beside.gauges[0]._image.copy()
    beside.sides[1].pointed.emit(1)
    assert (beside.gauges[0]._image != both).any()
    beside.sides[1].pointed.emit(-1)
    assert (beside.gauges[0]._image == both).all()
    beside.close()


def test_traces_are_laid_over_one_another_each_in_its_colour():
    first, second = np.zeros((4, 6), np.float32), np.zeros((4, 6), np.float32)
    first[0], second[:, 0] = 1, 1
    whole, alone = laid_over([first, second]), laid_over([first, second], 1)
    red, green = whole >> 16 & 255, whole >> 8 & 255
    assert red[0, 3] > green[0, 3] and green[2, 0] > red[2, 0]
    assert (alone >> 16 & 255)[0, 3] < red[0, 3] and (alone >> 8 & 255)[2, 0] == green[2, 0]


def test_picked_shots_are_proposed_for_as_one_act(shots, qtbot):
    """Two acts for however many shots: pick them, and one menu."""
    desk, dialog, document = shots, shots.overseeing.dialog, shots.session.document
    before, undoes = document.work, document.undoes
    assert not dialog.buttons["Propose"].isEnabled()
    qtbot.keyClick(dialog, Qt.Key.Key_A, CONTROL)
    assert dialog.picked == {0, 1} and dialog.buttons["Propose"].isEnabled()
    exposure = next(act for act in dialog.proposals.actions() if act.text() == "Exposure and contrast")
    exposure.trigger()
    assert "Looking at 2 shots" in dialog.told.text()
    qtbot.waitUntil(lambda: document.work != before, timeout=WAIT)
    assert document.undoes == "Propose exposure for 2 shots" and document.reasons.keys() & {0, 1}
    assert "given something" in desk.header.message and document.work.ladder(0)[0] != ()
    document.undo()
    assert document.work == before and document.undoes == undoes
    exposure.trigger()
    document.set_treatment(1, (Tone(0.2),), "meanwhile")
    qtbot.waitUntil(lambda: "1 changed meanwhile" in desk.header.message, timeout=WAIT)
    assert document.work.ladder(1) == (Tone(0.2),), "what was done meanwhile stays"
    document.undo()
    exposure.trigger()
    document.set_treatment(0, (), "meanwhile")
    document.set_treatment(1, (Tone(0.3),), "meanwhile")
    qtbot.waitUntil(lambda: "The shots have changed meanwhile" in desk.header.message, timeout=WAIT)
