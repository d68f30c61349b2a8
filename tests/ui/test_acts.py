"""Few acts: what docs/correcting.md says that a thing takes, counted as it is done, by keys and the mouse, for ten shots."""

import re
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.log import Log
from bluffline.treat.kinds.tone import Tone
from clips import make_clip

WAIT, SHOTS, LONG = 60_000, 10, 6
TABLE = (Path(__file__).parents[2] / "docs" / "correcting.md").read_text(encoding="utf-8")
TOLD = dict(re.findall(r"^\| ([^|]+) \| (\d+): ", TABLE, re.MULTILINE))


@pytest.fixture(scope="module")
def ten_shots(tmp_path_factory):
    """Ten dark shots of six frames, each of another texture; every third of them flat as log is."""
    made = [np.random.default_rng(n).uniform(0, 1, (16, 32, 3)).repeat(8, axis=0).repeat(8, axis=1) for n in range(SHOTS)]

    def picture(number):
        rgb = made[number // LONG]
        return 0.3 + 0.25 * rgb.mean(axis=-1, keepdims=True) + 0.02 * rgb if number // LONG % 3 == 2 else 0.05 + 0.4 * rgb

    return make_clip(tmp_path_factory.mktemp("ten") / "ten.mkv", picture, SHOTS * LONG, codec="ffv1")


class Hand:
    """Presses keys and the mouse where the operator would, and counts."""

    def __init__(self, desk, qtbot):
        self.desk, self.qtbot, self.acts = desk, qtbot, 0

    def key(self, key, *modifiers):
        held = Qt.KeyboardModifier.NoModifier
        for each in modifiers:
            held |= each
        self.acts += 1
        QTest.keyClick(QApplication.focusWidget() or self.desk, key, held)

    def type(self, text):
        self.acts += 1
        QTest.keyClicks(QApplication.focusWidget(), text)

    def drag(self, widget, begin, end):
        self.acts += 1
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=begin)
        QTest.mouseMove(widget, end)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)

    def until(self, holds):
        self.qtbot.waitUntil(holds, timeout=WAIT)


SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def hand(desk, qtbot, ten_shots):
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT), qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        assert desk.open(ten_shots)
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    desk.refresh_commands()
    desk.activateWindow()
    desk.skyline.setFocus()
    assert len(desk.session.shots) == SHOTS
    return Hand(desk, qtbot)


def test_tone_by_hand(hand):
    hand.key(Qt.Key.Key_T, SHIFT)
    hand.type("0.5")
    hand.key(Qt.Key.Key_Return)
    assert hand.desk.session.document.treatment == (Tone(exposure=0.5),)
    assert hand.acts == int(TOLD["tone by hand"])


def test_balance_by_a_colour(hand):
    hand.key(Qt.Key.Key_I, SHIFT)
    picture = hand.desk.picture
    middle = picture.box.center()
    hand.drag(picture, middle, middle + QPoint(20, 12))
    hand.until(lambda: hand.desk.session.document.treatment not in ((), (Balance(),)))
    assert [type(step) for step in hand.desk.session.document.treatment] == [Balance]
    assert hand.acts == int(TOLD["balance by a colour"])


def test_a_colour_that_becomes_another(hand):
    document, picture = hand.desk.session.document, hand.desk.picture
    hand.key(Qt.Key.Key_I, CONTROL, SHIFT)
    middle = picture.box.center()
    hand.drag(picture, middle, middle + QPoint(20, 12))
    hand.until(lambda: bool(hand.desk.pairing.dialog.pairs))
    hand.until(lambda: QApplication.focusWidget() is hand.desk.pairing.dialog.boxes[0][0])  # as the hand waits for the caret
    hand.type("60")
    hand.key(Qt.Key.Key_Return)
    assert hand.desk.pairing.dialog.pairs[0].wanted[0] == 60 and document.treatment[0].red[1][1] == 60
    hand.desk.pairing.dialog.close()
    assert hand.acts == int(TOLD["a colour that becomes another"])


def test_flat_footage(hand):
    place, shots = hand.desk.session.place, hand.desk.session.shots
    place.go_to(shots[2].first)
    hand.key(Qt.Key.Key_L, CONTROL, SHIFT)
    hand.until(lambda: hand.desk.session.document.treatment != ())
    assert isinstance(hand.desk.session.document.treatment[0], Log)
    assert hand.acts == int(TOLD["open flat footage"])


def test_skin(hand):
    document, picture, place = hand.desk.session.document, hand.desk.picture, hand.desk.session.place
    hand.key(Qt.Key.Key_K, CONTROL, SHIFT)
    hand.drag(picture, picture.box.center(), picture.box.center())
    assert not document.work.areas and "too small for a face" in hand.desk.header.message, "a click marks nothing"
    hand.acts = 0
    hand.key(Qt.Key.Key_K, CONTROL, SHIFT)
    middle = picture.box.center()
    hand.drag(picture, middle, middle + QPoint(24, 18))
    hand.until(lambda: document.treatment != ())
    assert isinstance(document.treatment[0], Hues) and hand.desk.header.message.startswith("Propose skin for shot 1: ")
    assert hand.acts == int(TOLD["skin"])
    place.go_to(hand.desk.session.shots[1].first)
    hand.until(lambda: hand.desk.viewer.shown == place.frame)
    hand.key(Qt.Key.Key_K, CONTROL, SHIFT)
    hand.drag(picture, middle - QPoint(60, 40), middle - QPoint(30, 20))
    hand.until(lambda: hand.desk.header.message.startswith("Propose skin for shot 2: "))
    (marked,) = document.work.areas
    assert marked.area.name == "face" and marked.in_shot(0) != marked.in_shot(1), "one face, where it is in each shot"
    hand.acts, before = 0, hand.desk.header.message
    hand.key(Qt.Key.Key_K, CONTROL, SHIFT)
    hand.until(lambda: hand.desk.header.message != before and "…" not in hand.desk.header.message)
    assert hand.acts == 1, "what is marked is not asked for again"


def test_what_is_asked_for_in_one_programme_is_not_taken_from_another(hand, over_clip, qtbot):
    hand.key(Qt.Key.Key_K, CONTROL, SHIFT)
    with qtbot.waitSignal(hand.desk.survey_done, timeout=WAIT), qtbot.waitSignal(hand.desk.frame_shown, timeout=WAIT):
        assert hand.desk.open(over_clip)
    picture = hand.desk.picture
    hand.drag(picture, picture.box.center(), picture.box.center() + QPoint(24, 18))
    assert not hand.desk.session.document.work.areas and not hand.desk.session.document.treatments


def test_exposure_for_ten_shots(hand):
    document = hand.desk.session.document
    hand.key(Qt.Key.Key_A, CONTROL)
    hand.until(lambda: hasattr(hand.desk.overseeing, "dialog") and hand.desk.overseeing.dialog.isVisible())
    hand.desk.overseeing.dialog.activateWindow()
    hand.until(lambda: QApplication.activeWindow() is hand.desk.overseeing.dialog)
    hand.key(Qt.Key.Key_E, CONTROL, SHIFT)
    hand.until(lambda: len(document.treatments) == SHOTS)
    assert all(any(isinstance(step, Tone) for step in ladder) for ladder in document.treatments.values())
    hand.desk.overseeing.dialog.close()
    document.undo()
    assert not document.treatments, "one undo takes back all ten"
    assert hand.acts == int(TOLD["exposure for ten shots"])


def test_one_step_to_one_other_shot(hand):
    document, place = hand.desk.session.document, hand.desk.session.place
    document.add_step(Tone)
    hand.desk.refresh_commands()
    hand.key(Qt.Key.Key_C, CONTROL)
    hand.key(Qt.Key.Key_Down)
    hand.key(Qt.Key.Key_V, CONTROL)
    assert place.shot == 1 and document.work.ladder(1) == (Tone(),) and not document.work.ladder(2)
    assert hand.acts == int(TOLD["one step to one other shot"])
