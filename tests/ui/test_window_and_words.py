"""The window itself, and what is said in it."""

import json

import numpy as np
from PyQt6.QtCore import QRect
from PyQt6.QtWidgets import QDialogButtonBox

from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.level_remap import LevelRemap
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.ui.desk import Desk
from bluffline.ui.dialogs.key_sheet import KeySheet
from bluffline.ui.dialogs.layout import ask_buttons
from bluffline.ui.dialogs.said import SaidDialog
from clips import make_clip

WAIT = 120_000
LONG = "Nothing is proposed: greys lean to yellow by 15.8; " * 12


def test_an_empty_desk_shows_no_bench(desk, qtbot):
    desk.show()
    qtbot.waitExposed(desk)
    assert not desk.bench.isVisible()


def test_the_window_carries_the_programmes_name(desk, qtbot, over_clip):
    assert desk.windowTitle() == "Bluffline"
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.open(over_clip)
    assert desk.windowTitle() == f"{over_clip.stem} · Bluffline"


def test_it_fits_the_screen_and_stands_where_it_stood(qtbot, tmp_path, monkeypatch):
    room = QRect(0, 0, 1280, 800)
    monkeypatch.setattr("PyQt6.QtGui.QScreen.availableGeometry", lambda _: room)
    settings = Settings(tmp_path / "settings.json")
    desk = Desk(Session(), settings)
    qtbot.addWidget(desk)
    desk.fit_screen()
    assert desk.width() <= 1280 and desk.height() + 30 <= 800, "there is room for a title bar"
    settings.window = [30, 40, 1200, 720]
    desk.fit_screen()
    assert desk.geometry() == QRect(30, 40, 1200, 720)
    settings.window = [5000, 40, 1200, 720]  # a screen that is no more
    desk.fit_screen()
    assert desk.width() == 1280
    desk.close()
    assert Settings.load(settings.path).window == [desk.x(), desk.y(), desk.width(), desk.height()]


def test_a_message_that_does_not_fit_can_be_read_on_and_again(desk, qtbot):
    desk.show()
    qtbot.waitExposed(desk)
    desk.header.say("Short")
    desk.header.say(LONG)
    qtbot.waitUntil(desk.header.read_on.isVisible, timeout=WAIT)
    desk.header.end_progress()
    assert desk.header.message == LONG, "the end of other work takes no sentence away"
    desk.header.say("")
    assert [words for _, words in desk.header.said] == ["Short", LONG]
    dialog = SaidDialog(desk.header.said, desk)
    qtbot.addWidget(dialog)
    assert LONG in dialog.text.toPlainText() and desk.header.said[0][0] in dialog.text.toPlainText()
    qtbot.waitUntil(lambda: not desk.header.read_on.isVisible(), timeout=WAIT)


def test_the_key_sheet_scrolls_on_a_small_window(desk, qtbot):
    for width, height in ((1180, 700), (1280, 800)):
        desk.resize(width, height)
        sheet = KeySheet(desk)
        qtbot.addWidget(sheet)
        assert sheet.width() <= width and sheet.height() <= height


def test_buttons_of_dialogs_show_no_icons(desk, qtbot):
    sheet = KeySheet(desk)
    qtbot.addWidget(sheet)
    buttons = ask_buttons(sheet, "Do it")
    cancel = buttons.button(QDialogButtonBox.StandardButton.Cancel)
    assert cancel.icon().isNull() or not cancel.style().styleHint(cancel.style().StyleHint.SH_DialogButtonBox_ButtonsHaveIcons)


def test_a_good_programme_is_certified_as_it_stands(desk, qtbot, tmp_path):
    good = make_clip(tmp_path / "good.mov", lambda n: np.full((96, 128, 3), 0.5), 6, codec="prores_ks")
    before = good.read_bytes()
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.open(good)
    desk.refresh_commands()
    assert desk.acts["certify"].isEnabled()
    desk.acts["certify"].trigger()
    qtbot.waitUntil(lambda: "Certified as it stands" in desk.header.message, timeout=WAIT)
    told = json.loads((tmp_path / "good.mov.certificate.json").read_text())
    assert told["must_fix"] == 0 and told["file"]["sha256"] and good.read_bytes() == before
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    desk.acts["certify"].trigger()
    qtbot.waitUntil(lambda: "is there already" in desk.header.message, timeout=WAIT)


def test_one_with_something_to_fix_is_not(desk, qtbot, over_clip):
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.open(over_clip)
    desk.refresh_commands()
    assert desk.session.must_fix_count and not desk.acts["certify"].isEnabled()


def test_adding_a_step_says_where_it_acts(surveyed_desk):
    for kind, words in ((LevelRemap, "every shot of the file"), (Balance, "to this shot"), (SoftCeiling, "under Limits")):
        surveyed_desk.treatment.add_step(kind)
        assert words in surveyed_desk.header.message
