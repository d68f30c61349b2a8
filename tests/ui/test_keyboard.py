"""All of the desk is reached by keys, in the order of the work; what has the focus is seen, and says what it shows."""

import re

import pytest
from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)

from bluffline.treat.kinds.tone import Tone
from bluffline.ui.focus import stops
from bluffline.ui.ladder.figures import FigureBox
from bluffline.ui.style.style import CARD, DIM, GROUND, TEXT, WELL

Tab, Back = Qt.Key.Key_Tab, Qt.Key.Key_Backtab


def press(desk, key, times=1):
    for _ in range(times):
        QTest.keyClick(QApplication.focusWidget() or desk, key)
    return QApplication.focusWidget()


def walked(desk, key=Tab):
    """What Tab comes to, from where the focus is until it is there again."""
    begun = QApplication.focusWidget()
    found = [begun]
    while (now := press(desk, key)) is not begun:
        assert now not in found and len(found) < 100
        found.append(now)
    return found


def said(widget):
    """What a person who can't see it is told that it is."""
    return widget.accessibleName() or (widget.text() if hasattr(widget, "text") else "")


def test_tab_goes_through_the_desk_in_the_order_of_the_work(surveyed_desk):
    desk = surveyed_desk
    there = walked(desk)
    gauges = [part for card in desk.viewer.cards[:2] for part in (card._title, card.gauge)]
    findings = [desk.findings.order, *desk.findings.severities.values(), desk.findings.tree]
    work = [desk.skyline, desk.pages.tabs["Findings"], *findings, desk.picture, *gauges, desk.header.rules_button]
    assert there[: len(work)] == work
    assert there[len(work) :] == [button for button in desk.header.buttons.values() if button.isEnabled()]
    assert walked(desk, Back) == [there[0], *there[:0:-1]]


@pytest.mark.parametrize("page", ["Findings", "Treatment", "Chart", "Areas", "In hand"])
def test_whatever_tab_comes_to_has_a_name_of_its_own(surveyed_desk, page):
    desk = surveyed_desk
    if page == "In hand":
        desk.turn_to_shift()
    else:
        desk.session.document.add_step(Tone)
        desk.session.place.choose(0)
        desk.show_page(page)
    names = [said(each) for each in walked(desk)]
    assert all(names) and len(set(names)) == len(names) > 5


DIALOGS = (
    "facts", "signal", "light", "shots", "put-stock", "keys", "said", "kept-work", "find", "paste", "prove", "who", "waive",
)  # fmt: skip


@pytest.mark.parametrize("act", DIALOGS)
def test_whatever_a_dialog_asks_has_a_name(surveyed_desk, qtbot, act):
    desk = surveyed_desk
    desk.session.go_to_worst()
    desk.session.document.add_step(Tone)
    qtbot.waitUntil(lambda: desk.jobs.kind is None)
    desk.refresh_commands()
    looked = []

    def look():
        dialog = next((each for each in QApplication.topLevelWidgets() if isinstance(each, QDialog) and each.isVisible()), None)
        if dialog is None:
            return
        waiting.stop()
        named = {label.buddy() for label in dialog.findChildren(QLabel)}
        fields = QLineEdit, QComboBox, QAbstractSpinBox
        for each in stops([dialog]):
            inner = isinstance(each, QLineEdit) and isinstance(each.parentWidget(), QComboBox | QAbstractSpinBox)
            told = each.accessibleName() or (not isinstance(each, fields) and said(each)) or each in named
            looked.append(inner or bool(told) or each)
        dialog.close()

    waiting = QTimer()
    waiting.timeout.connect(look)
    waiting.start(20)
    desk.acts[act].trigger()
    qtbot.waitUntil(lambda: not waiting.isActive())
    assert looked and all(each is True for each in looked), looked


def test_what_is_drawn_says_what_it_shows_and_says_it_anew(surveyed_desk, qtbot):
    desk = surveyed_desk
    drawn = [desk.skyline, desk.picture, *desk.viewer.gauges[:2]]
    qtbot.waitUntil(lambda: "luma" in desk.viewer.gauges[0].accessibleDescription())
    before = [each.accessibleDescription() for each in drawn]
    assert all(re.search(r"\d", each) for each in before) and "must fix" in before[0]
    assert re.search(r"luma \d+\.\d … \d+\.\d %", before[1]) and before[1].partition("luma")[2] in before[2]
    with qtbot.waitSignal(desk.frame_shown):
        desk.session.place.go_to(desk.session.shots[-1].first)
    qtbot.waitUntil(lambda: all(a != each.accessibleDescription() for a, each in zip(before, drawn, strict=True)))
    assert desk.findings.tree.accessibleDescription().startswith(f"{desk.session.must_fix_count} must fix")
    group = desk.findings.rows.index(0, 0)
    assert re.fullmatch(r"Shot \d, \d+ findings?", group.data(Qt.ItemDataRole.AccessibleTextRole))


def test_a_key_belongs_to_what_tab_has_come_to_and_else_to_the_desk(surveyed_desk, qtbot):
    desk = surveyed_desk
    fix = next(iter(desk.findings.severities.values()))
    press(desk, Qt.Key.Key_Space)
    assert desk.player.playing
    press(desk, Qt.Key.Key_Space)
    press(desk, Tab, 3)
    assert QApplication.focusWidget() is fix
    press(desk, Qt.Key.Key_Space)
    assert not fix.isChecked() and not desk.player.playing
    press(desk, Qt.Key.Key_Space)
    press(desk, Tab, 3)
    tree, frame = desk.findings.tree, desk.session.place.frame
    assert QApplication.focusWidget() is tree
    press(desk, Qt.Key.Key_Home)
    press(desk, Qt.Key.Key_Down)
    finding = tree.currentIndex().data(Qt.ItemDataRole.UserRole + 1)
    assert finding is not None and desk.session.place.frame == frame, "rows are gone through, frames are not"
    press(desk, Qt.Key.Key_Return)
    assert desk.session.place.selected is finding
    press(desk, Tab)
    frame = desk.session.place.frame
    press(desk, Qt.Key.Key_Right)
    assert desk.session.place.frame == frame + 1
    open_button = desk.header.buttons["open"]
    open_button.clicked.disconnect()
    qtbot.mouseClick(open_button, Qt.MouseButton.LeftButton)
    press(desk, Qt.Key.Key_Space)
    assert desk.player.playing, "whoever uses the mouse plays with Space, whatever was clicked last"
    desk.player.pause()


def test_what_has_the_focus_is_seen_from_a_key_on_until_a_click(surveyed_desk, qtbot):
    desk = surveyed_desk
    line = desk.focus_line
    assert not line.isVisible()
    for _ in range(9):
        now = press(desk, Tab)
        around = now.rect().translated(now.mapTo(desk, now.rect().topLeft()))
        assert line.isVisible() and line.geometry() == around.adjusted(-2, -2, 2, 2).intersected(desk.rect())
    desk.resize(1200, 760)
    now = QApplication.focusWidget()
    qtbot.waitUntil(lambda: line.geometry().center() == now.mapTo(desk, now.rect().center()))
    desk.turn_to_shift()
    now = QApplication.focusWidget()
    assert line.isVisible(), "what a command takes the focus to is seen as well"
    qtbot.waitUntil(lambda: line.geometry().center() == now.mapTo(desk, now.rect().center()))
    desk.turn_to_shift()
    assert line.isVisible()
    qtbot.mouseClick(desk.skyline, Qt.MouseButton.LeftButton, pos=desk.skyline.rect().center())
    qtbot.mouseClick(desk.picture, Qt.MouseButton.LeftButton, pos=desk.picture.rect().center())
    assert not line.isVisible()
    desk.turn_to_shift()
    assert not line.isVisible(), "whoever uses the mouse is not bothered"


def test_what_has_the_focus_may_go_and_so_may_its_dialog(surveyed_desk, qtbot):
    desk = surveyed_desk
    desk.session.document.add_step(Tone)
    desk.session.place.choose(0)
    qtbot.waitUntil(lambda: any(box.isVisible() for box in desk.bench.findChildren(FigureBox)))
    assert any(isinstance(press(desk, Tab), FigureBox) for _ in range(40))
    desk.session.document.undo()
    qtbot.waitUntil(lambda: not desk.focus_line.isVisible())
    dialog = QDialog(desk)
    row = QHBoxLayout(dialog)
    for words in ("One", "Another"):
        row.addWidget(QPushButton(words))
    dialog.show()
    qtbot.waitExposed(dialog)
    dialog.activateWindow()
    qtbot.waitUntil(dialog.isActiveWindow)
    press(dialog, Tab, 2)
    assert desk.focus_line.isVisible() and desk.focus_line.window() is dialog
    dialog.close()
    dialog.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    desk.activateWindow()
    qtbot.waitUntil(desk.isActiveWindow)
    desk.skyline.setFocus(Qt.FocusReason.ShortcutFocusReason)
    assert desk.focus_line.isVisible() and desk.focus_line.window() is desk


def test_stops_are_read_line_by_line_and_what_is_off_or_hidden_is_none(qtbot, dressed):
    place = QWidget()
    qtbot.addWidget(place)
    made = {}
    for name, box in (("c", (0, 60, 40, 200)), ("b", (50, 3, 40, 20)), ("a", (0, 0, 40, 20)), ("d", (50, 90, 40, 20))):
        made[name] = QPushButton(name, place)
        made[name].setGeometry(*box)
    off, hidden = QPushButton(place), QPushButton(place)
    off.setEnabled(False)
    place.show()
    hidden.hide()
    assert [each.text() for each in stops([place])] == list("abcd")


def test_files_in_hand_are_filtered_and_sorted_by_keys(desk, over_clip, qtbot):
    desk.turn_to_shift()
    desk.shifting.add([over_clip])
    place = desk.shifting.place
    qtbot.waitUntil(lambda: bool(place.rows.files))
    chosen = []
    place.strip.chosen.connect(chosen.append)
    place.strip.setFocus(Qt.FocusReason.TabFocusReason)
    assert re.match(r"1 ", place.strip.accessibleDescription())
    press(desk, Qt.Key.Key_Right, 2)
    assert len(chosen) == 2 and chosen[0] and chosen[1] is None
    place.head.setFocus(Qt.FocusReason.TabFocusReason)
    order, reverse = place.rows.order, place.rows.reverse
    press(desk, Qt.Key.Key_Space)
    assert (place.rows.order, place.rows.reverse) == (order, not reverse)
    press(desk, Qt.Key.Key_Right)
    assert place.rows.order != order


def light(colour):
    parts = [int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5)]
    linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
    return sum(weight * part for weight, part in zip((0.2126, 0.7152, 0.0722), linear, strict=True))


def test_words_stand_out_by_four_and_a_half_to_one(dressed):
    """But for what is off, which may be paler [WCAG21, 1.4.3]."""
    sheet = dressed.styleSheet()
    words = {TEXT.name(), DIM.name()}
    for rule in re.findall(r"^[^{}]*\{[^}]*\}", sheet, re.MULTILINE):
        if "background: #" not in rule.partition("{")[2] and ":disabled" not in rule:
            words |= set(re.findall(r"(?<!-)color: (#\w{6})", rule))
    grounds = [each.name() for each in (GROUND, CARD, WELL)] + ["#3c3c3c"]
    assert len(words) > 4
    for word in words:
        for ground in grounds[:3] if word not in (TEXT.name(), "#c8c8c8") else grounds:
            assert (light(word) + 0.05) / (light(ground) + 0.05) >= 4.5, (word, ground)
