"""The desk, driven by mouse and keys on the offscreen platform."""

import json

import pytest
from PIL import Image
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QKeySequence
from PyQt6.QtWidgets import QLabel

from bluffline.rules.catalogue import headline
from bluffline.rules.rulefile import load_rules
from bluffline.rules.severity import Severity
from bluffline.signal.format import NO_OVERRIDES
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.ui.actions.commands import COMMANDS, MENUS
from bluffline.ui.dialogs.facts import FactsDialog
from bluffline.ui.dialogs.key_sheet import KeySheet
from bluffline.ui.dialogs.write import WriteDialog
from bluffline.ui.ladder.figures import FigureBox
from clips import make_clip, numbered, two_pictures

WAIT = 120_000


def press(qtbot, desk, key, modifier=Qt.KeyboardModifier.NoModifier):
    qtbot.keyClick(desk, key, modifier)


def shown(qtbot, desk):
    qtbot.waitUntil(lambda: desk.viewer.preview is not None and desk.viewer.shown == desk.session.place.frame, timeout=WAIT)


def test_an_empty_desk_says_what_to_do(desk):
    assert desk.findings.rows.item(0).text() == "No programme is open"
    enabled = {command.id for command in COMMANDS if desk.acts[command.id].isEnabled()}
    assert "open" in enabled and not {"prove", "legalise", "play", "survey"} & enabled


def test_opening_shows_findings_shots_and_the_first_frame(surveyed_desk):
    desk = surveyed_desk
    assert len(desk.session.shots) == 2 and desk.session.must_fix_count == 3
    rows = desk.findings.rows
    assert rows.rowCount() == 1, "the one shot that has findings"
    told = [rows.index(n, 0, rows.index(0, 0)).data() for n in range(3)]
    assert told == [headline(found) for found in desk.session.findings] and told[0].startswith("Luma over")
    assert "3 must fix" in desk.findings_card.facts and desk.findings.severities[Severity.MUST_FIX].text() == "3 fix"
    assert "narrow range" in desk.header.facts_line.text() and "09:59:58:00" in desk.picture_card.facts


def test_every_command_stands_in_a_menu_with_its_key_and_keys_are_unique(desk):
    keys = [QKeySequence(key).toString() for command in COMMANDS for key in command.keys]
    assert len(keys) == len(set(keys)) and {command.menu for command in COMMANDS} == set(MENUS)
    for command in COMMANDS:
        assert desk.acts[command.id].text().startswith(command.title.split(":")[0])
        assert [s.toString() for s in desk.acts[command.id].shortcuts()] == [QKeySequence(k).toString() for k in command.keys]


def test_keys_move_by_frame_second_shot_and_finding(surveyed_desk, qtbot):
    desk, key = surveyed_desk, Qt.Key
    moves = [
        (key.Key_Right, 1),
        (key.Key_Right, 2),
        (key.Key_Left, 1),
        (key.Key_Down, 12),
        (key.Key_Up, 0),
        (key.Key_End, 23),
        (key.Key_Home, 0),
    ]
    for pressed, frame in moves:
        press(qtbot, desk, pressed)
        assert desk.session.place.frame == frame
    press(qtbot, desk, key.Key_N)
    assert desk.session.place.selected == desk.session.findings[0] and desk.session.place.shot == 1
    press(qtbot, desk, key.Key_N)
    assert desk.session.place.selected == desk.session.findings[1]
    press(qtbot, desk, key.Key_P)
    assert desk.session.place.selected == desk.session.findings[0]
    shown(qtbot, desk)
    assert desk.viewer.preview.frame == desk.session.findings[0].worst_frame


def click_row(qtbot, tree, index):
    qtbot.mouseClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=tree.visualRect(index).center())


def test_a_click_on_a_finding_goes_to_its_worst_frame(surveyed_desk, qtbot):
    desk = surveyed_desk
    click_row(qtbot, desk.findings.tree, desk.findings.index_of(desk.session.findings[0]))
    assert (
        desk.session.place.selected == desk.session.findings[0]
        and desk.session.place.frame == desk.session.findings[0].worst_frame
    )


def test_legalise_treats_the_shot_and_undo_takes_it_back(surveyed_desk, qtbot):
    desk = surveyed_desk
    press(qtbot, desk, Qt.Key.Key_G)
    qtbot.waitUntil(lambda: 1 in desk.session.document.treatments, timeout=WAIT)
    assert isinstance(desk.session.document.treatments[1][0], SoftCeiling) and "each can be undone" in desk.header.message
    press(qtbot, desk, Qt.Key.Key_N)
    shown(qtbot, desk)
    qtbot.waitUntil(lambda: desk.viewer.preview.treated is not None, timeout=WAIT)
    assert desk.viewer.preview.original.marks.any() and not desk.viewer.preview.treated.marks.any()
    assert "luma reaches" in desk.treatment.why.text() and "treated" in desk.viewer.board.cards[0].facts
    assert desk.viewer.preview.measure.luma_high_area == 0
    press(qtbot, desk, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert desk.session.document.treatments == {}
    press(qtbot, desk, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert 1 in desk.session.document.treatments


def test_a_figure_changes_picture_gauge_and_skyline_at_once(surveyed_desk, qtbot, monkeypatch):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    desk.treatment.add_step(SoftCeiling)
    figure = next(f for f in desk.bench.findChildren(FigureBox) if f.accessibleName().endswith("Limit"))
    monkeypatch.setattr("bluffline.ui.ladder.bench.time.monotonic", lambda: 100.0)  # however slow the machine
    for value in (90.0, 85.0, 80.0):
        figure.setValue(value)
    assert desk.session.document.treatment[0].limit == 80.0
    assert desk.session.treated_columns()["y_max"][12:].max() == pytest.approx(80, abs=0.01)
    levels = desk.session.source.levels
    qtbot.waitUntil(
        lambda: desk.viewer.preview.measure is not None and levels.percent(desk.viewer.preview.measure.y_max) < 80.2,
        timeout=WAIT,
    )
    desk.session.document.undo()
    assert desk.session.document.treatment[0].limit == 103, "one drag is one undo"
    refreshed = next(f for f in desk.bench.findChildren(FigureBox) if f.accessibleName().endswith("Limit"))
    assert refreshed.value() == 103 and desk.session.document.treatment[0].knee == 88.2, "and its knee comes back with it"


def test_two_gestures_are_two_and_a_refused_figure_returns_to_what_is_in_force(surveyed_desk, monkeypatch):
    desk = surveyed_desk
    now = [100.0]
    monkeypatch.setattr("bluffline.ui.ladder.bench.time.monotonic", lambda: now[0])
    desk.session.place.go_to(18)
    desk.treatment.add_step(ChromaRein)
    high = next(f for f in desk.bench.findChildren(FigureBox) if f.accessibleName().endswith("R′G′B′ to"))
    for value, rest in ((104.0, 0.1), (103.0, 0.1), (102.0, 5.0), (101.0, 0.1)):
        high.setValue(value)
        now[0] += rest
    for expected in (102.0, 105.0):
        desk.session.document.undo()
        assert desk.session.document.treatment[0].high == expected
    low = next(f for f in desk.bench.findChildren(FigureBox) if f.accessibleName().endswith("R′G′B′ from"))
    low.setValue(50.0)
    high.setValue(50.0)
    assert desk.session.document.treatment[0].high == high.value() == 105.0
    assert "the low limit must lie below the high one" in desk.header.message


def test_steps_are_bypassed_removed_and_reset(surveyed_desk, qtbot):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    desk.session.document.add_step(ChromaRein)
    desk.session.document.add_step(SoftCeiling)
    assert [type(step) for step in desk.session.document.treatment] == [SoftCeiling, ChromaRein]
    desk.show_page("Treatment")
    ladder = desk.treatment.ladder
    row = next(n for n in range(ladder.count()) if "Chroma rein" in ladder.item(n).text())
    corner = ladder.visualItemRect(ladder.item(row)).topLeft()
    qtbot.mouseClick(ladder.viewport(), Qt.MouseButton.LeftButton, pos=corner + QPoint(12, 12))
    assert desk.session.document.treatment[1].on is False
    press(qtbot, desk, Qt.Key.Key_B)
    assert not any(step.on for step in desk.session.document.treatment)
    press(qtbot, desk, Qt.Key.Key_Backspace, Qt.KeyboardModifier.ControlModifier)
    assert desk.session.document.treatment == ()
    assert desk.treatment_card.facts == "untreated"


def test_a_senseless_figure_changes_nothing(surveyed_desk):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    desk.treatment.add_step(SoftCeiling)
    knee = next(f for f in desk.bench.findChildren(FigureBox) if f.accessibleName().endswith("Knee"))
    before = desk.session.document.treatment
    knee.setValue(108.0)
    assert desk.session.document.treatment == before


def test_the_wipe_is_dragged_and_the_source_is_held(surveyed_desk, qtbot):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    desk.session.document.add_step(SoftCeiling)
    qtbot.waitUntil(lambda: desk.picture.has_wipe, timeout=WAIT)
    box = desk.picture.box
    start, end = QPoint(box.center().x(), box.center().y()), QPoint(box.left() + box.width() // 4, box.center().y())
    qtbot.mousePress(desk.picture, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(desk.picture, end)
    qtbot.mouseRelease(desk.picture, Qt.MouseButton.LeftButton, pos=end)
    assert desk.picture.wipe == pytest.approx(0.25, abs=0.01)
    qtbot.keyPress(desk.windowHandle(), Qt.Key.Key_S)
    assert desk.picture.source_only and not desk.picture.has_wipe
    qtbot.waitUntil(lambda: desk.viewer.preview.measure.luma_high_area > 0, timeout=WAIT)
    qtbot.keyRelease(desk.windowHandle(), Qt.Key.Key_S)
    assert desk.picture.has_wipe


def test_playing_goes_to_the_end_and_stops(surveyed_desk, qtbot):
    desk = surveyed_desk
    press(qtbot, desk, Qt.Key.Key_Space)
    assert desk.player.playing
    qtbot.waitUntil(lambda: not desk.player.playing, timeout=WAIT)
    assert desk.session.place.frame == 23
    press(qtbot, desk, Qt.Key.Key_J)
    qtbot.waitUntil(lambda: desk.session.place.frame < 20, timeout=WAIT)
    press(qtbot, desk, Qt.Key.Key_K)
    assert not desk.player.playing


def test_a_file_is_dropped_and_a_bad_one_costs_nothing(surveyed_desk, qtbot, tmp_path, over_clip):
    desk = surveyed_desk
    bad = tmp_path / "bad.mov"
    bad.write_text("no film")
    for path, title in ((bad, "over"), (over_clip, "over")):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        drop = QDropEvent(
            QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
        with qtbot.waitSignal(desk.work.refused if path is bad else desk.survey_done, timeout=WAIT):
            desk.dropEvent(drop)
        assert desk.session.programme.title == title
        if path is bad:
            assert "can't be opened" in desk.header.message and desk.session.surveyed
    qtbot.waitUntil(lambda: desk.session.surveyed and desk.jobs.kind is None, timeout=WAIT)
    assert json.loads((tmp_path / "settings.json").read_text())["recent"] == [str(over_clip)]
    assert [action.text() for action in desk.menus.recent.actions()] == [str(over_clip)]


def test_rules_from_a_file_survey_again(surveyed_desk, qtbot, tmp_path):
    desk = surveyed_desk
    (tmp_path / "wide.toml").write_text('title = "Wide"\n[limits]\nluma = [-10, 120]\nrgb = [-30, 140]\n')
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.programmes.choose_rules(str(tmp_path / "wide.toml"))
    assert desk.session.must_fix_count == 0 and "Wide" in desk.header.rules_button.text()
    (tmp_path / "wide.toml").write_text("limits = 1")
    desk.programmes.choose_rules(str(tmp_path / "wide.toml"))
    assert "must be a table" in desk.header.message and desk.session.rules.title == "Wide"


def test_a_survey_is_cancelled_and_begun_again(desk, qtbot, over_clip):
    with qtbot.waitSignal(desk.work.opened, timeout=WAIT):
        desk.open(over_clip)
    desk.cancel()
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    assert "Survey stopped" in desk.header.message and not desk.session.surveyed
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.programmes.survey_again()
    assert desk.session.surveyed


def test_facts_show_tags_and_take_the_operators_word(surveyed_desk, qtbot):
    dialog = FactsDialog(surveyed_desk.session, surveyed_desk)
    qtbot.addWidget(dialog)
    assert dialog.overrides == NO_OVERRIDES, "what is left as the file has it is no word against it"
    for name, word in (("range", "full"), ("transfer", "HLG"), ("fields", "bottom-first"), ("chroma_location", "centre")):
        dialog.boxes[name].setCurrentText(word)
    dialog.edges[1].setValue(20)
    assert dialog.overrides.range == "full" and dialog.region.as_list() == [0, 20, 256, 108]
    session = surveyed_desk.session
    session.survey_again(overrides=dialog.overrides, region=dialog.region)
    source = session.source
    assert (source.range, source.transfer, source.scan, source.siting) == ("full", "hlg", "bottom-first", "centre")
    again = FactsDialog(session, surveyed_desk)
    qtbot.addWidget(again)
    assert again.overrides == dialog.overrides and again.boxes["range"].itemText(0) == "narrow, as tagged"
    again.boxes["range"].setCurrentIndex(0)
    session.survey_again(overrides=again.overrides)
    assert session.source.range == "narrow", "a word is taken back"


def test_the_rate_of_numbered_pictures_is_the_operators_to_say(desk, qtbot, tmp_path):
    for number in range(3):
        Image.new("RGB", (64, 48), (number * 40, 90, 90)).save(tmp_path / f"shot_{number}.png")
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        assert desk.open(tmp_path)
    dialog = FactsDialog(desk.session, desk)
    qtbot.addWidget(dialog)
    assert dialog.reopened is None
    dialog.rate_box.setCurrentText("50 frames/s")
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.open(tmp_path, **dialog.reopened)
    assert desk.session.programme.frame_rate == 50


def test_another_picture_track_is_taken_and_those_that_do_not_fit_are_left_out(desk, qtbot, tmp_path):
    clip = make_clip(tmp_path / "c.mkv", numbered, 3)
    two_pictures(clip, tmp_path / "two.mkv")
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        assert desk.open(tmp_path / "two.mkv")
    facts = FactsDialog(desk.session, desk)
    qtbot.addWidget(facts)
    facts.track_box.setCurrentIndex(1)
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.open(tmp_path / "two.mkv", **facts.reopened)
    assert desk.session.programme.picture == 1 and desk.session.programme.video_tracks == [0, 1]
    dialog = WriteDialog(desk.session, desk)
    qtbot.addWidget(dialog)
    qtbot.waitUntil(lambda: "Track 0 (ffv1, 160×96) is a second picture" in dialog.rows.trouble.text(), timeout=WAIT)
    dialog.drop_box.setChecked(True)
    told = "Track 0 (ffv1, 160×96), a second picture, is left out, as asked."
    qtbot.waitUntil(lambda: told in dialog.carried.text(), timeout=WAIT)
    assert dialog.rows.trouble.text() == ""
    dialog.done(0)


def test_the_key_sheet_has_every_key(desk, qtbot):
    sheet = KeySheet(desk)
    qtbot.addWidget(sheet)
    text = " ".join(label.text() for label in sheet.findChildren(QLabel))
    for command in COMMANDS:
        told = "Ctrl+arrows Nudge the step's reach" if command.id.startswith("nudge-") else command.title.removesuffix(" …")
        assert not command.keys or told in text
    sheet.adjustSize()
    assert sheet.width() <= 1280 and sheet.height() <= 800, "it fits the smallest screen"


def test_every_control_has_a_name(surveyed_desk):
    desk = surveyed_desk
    for widget in (desk.skyline, desk.findings.tree, desk.picture, *desk.viewer.gauges, desk.treatment.ladder):
        assert widget.accessibleName()
    assert load_rules("r103").title in desk.header.rules_button.text()


def test_a_command_is_found_by_a_word_and_done(surveyed_desk, qtbot, monkeypatch):
    desk, seen = surveyed_desk, {}

    def by_typing(*keys, words):
        def answer(dialog):
            dialog.show()
            dialog.line.setText(words)
            qtbot.wait(20)  # as a person's hand would
            rows = [dialog.list.topLevelItem(n) for n in range(dialog.list.topLevelItemCount())]
            seen[words] = {row.text(0): not row.isDisabled() for row in rows}
            for key in keys:
                qtbot.keyClick(dialog.line, key)
            dialog.hide()
            return dialog.result() == dialog.DialogCode.Accepted

        monkeypatch.setattr("bluffline.ui.actions.helping.asked", answer)
        desk.acts["find"].trigger()

    by_typing(Qt.Key.Key_Return, words="last fra")
    assert desk.session.place.frame == desk.session.programme.frame_count - 1
    by_typing(Qt.Key.Key_Return, words="go first")
    assert desk.session.place.frame == 0, "by its menu as well"
    by_typing(Qt.Key.Key_Down, Qt.Key.Key_Return, words="next")
    assert list(seen["next"])[:2] == ["Next frame", "Next finding"] and desk.session.place.selected is not None
    by_typing(Qt.Key.Key_Return, words="bake the steps")
    assert seen["bake the steps"] == {"Bake the steps on colours": False}, "nothing to bake: nothing is done"
    by_typing(Qt.Key.Key_Return, words="brew tea")
    assert seen["brew tea"] == {}
