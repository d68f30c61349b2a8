"""Gauges, areas, probe and comparison, by mouse and keys on the offscreen platform."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QWheelEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QPushButton

from bluffline.gauges.catalogue import every_gauge, gauge_named
from bluffline.measure.areas import Shape, Taken
from bluffline.media.codecs import CODECS
from bluffline.media.signals import SIGNALS
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.survey import survey
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.ui.desk import Desk
from bluffline.ui.dialogs.line_up import SignalDialog
from bluffline.view.looking import Compare, Tool

WAIT = 20_000
LEFT = Qt.MouseButton.LeftButton


def point(widget, across, down):
    """A place in a widget's picture or field, by shares of its width and height."""
    box = widget.box if hasattr(widget, "box") else widget.field
    return QPoint(round(box.left() + across * box.width()), round(box.top() + down * box.height()))


def drag(qtbot, widget, start, stop, modifier=Qt.KeyboardModifier.NoModifier):
    qtbot.mousePress(widget, LEFT, modifier, start)
    for share in (0.3, 0.7, 1.0):
        between = QPointF(start) + share * (QPointF(stop) - QPointF(start))
        qtbot.mouseMove(widget, between.toPoint())
        QApplication.processEvents()
    qtbot.mouseRelease(widget, LEFT, modifier, stop)


def settled(qtbot, desk, holds):
    qtbot.waitUntil(lambda: desk.viewer.preview is not None and holds(), timeout=WAIT)


def gauges_hold(desk):
    return all(g.trace is not None and g.trace.gauge == g.instrument for g in desk.viewer.gauges)


def test_any_instrument_in_any_slot(surveyed_desk, qtbot):
    desk = surveyed_desk
    for gauge in every_gauge():
        desk.gauges.put(0, gauge)
        settled(qtbot, desk, lambda: gauges_hold(desk))
        assert desk.viewer.board.cards[0]._title.text().startswith(gauge.title)
        assert not desk.viewer.gauges[0].grab().isNull()


def test_one_two_four_a_window_and_under_the_picture(surveyed_desk, qtbot):
    desk = surveyed_desk
    for count in (4, 1, 2):
        qtbot.keyClick(desk, Qt.Key.Key_Q)
        settled(qtbot, desk, lambda count=count: len(desk.viewer.gauges) == count and gauges_hold(desk))
    qtbot.keyClick(desk, Qt.Key.Key_Q, Qt.KeyboardModifier.ShiftModifier)
    settled(qtbot, desk, lambda: len(desk.viewer.gauges) == 6 and gauges_hold(desk))
    qtbot.keyClick(desk.viewer.window, Qt.Key.Key_X)
    assert desk.gauges.setup.unit == "mV", "its keys are the desk's"
    desk.viewer.window.close()
    desk.activateWindow()
    qtbot.waitUntil(desk.isActiveWindow, timeout=WAIT)
    assert len(desk.viewer.gauges) == 2
    qtbot.keyClick(desk, Qt.Key.Key_U)
    gauge, picture = desk.viewer.board.cards[0].gauge, desk.picture
    settled(qtbot, desk, lambda: gauge.trace is not None and gauge.field.width() == picture.box.width())
    assert gauge.mapToGlobal(gauge.field.topLeft()).x() == picture.mapToGlobal(picture.box.topLeft()).x(), "column for column"
    assert Settings.load(desk.settings.path).gauges == desk.gauges.setup, "layouts are remembered"


def test_one_switch_for_the_unit_of_every_gauge(surveyed_desk, qtbot):
    desk = surveyed_desk
    texts = []
    for _ in range(5):
        texts.append([word.text for word in desk.viewer.gauges[0].graticule.words][-1])
        qtbot.keyClick(desk, Qt.Key.Key_X)
    assert texts == ["100", "700", "235", "940", "3760"]


def test_an_area_is_drawn_measured_taken_moved_and_removed(surveyed_desk, qtbot):
    desk, picture = surveyed_desk, surveyed_desk.picture
    qtbot.keyClick(desk, Qt.Key.Key_R)
    assert desk.viewer.look.state.tool is Tool.RECTANGLE
    drag(qtbot, picture, point(picture, 0.25, 0.25), point(picture, 0.5, 0.75))
    (area,) = desk.session.document.areas
    assert area.box == pytest.approx((64, 32, 128, 96), abs=1) and desk.viewer.look.state.tool is Tool.LOOK
    pixels = area.mask(256, 128).sum()
    settled(qtbot, desk, lambda: desk.viewer.gauges[0].trace.counts.sum() == pixels)
    assert desk.areas_card.isVisible() and "from neutral" in desk.viewer.panel.text
    qtbot.keyClick(desk, Qt.Key.Key_A)
    assert desk.gauges.setup.taken is Taken.OTHERS
    settled(qtbot, desk, lambda: desk.viewer.gauges[0].trace.counts.sum() == 256 * 128 - pixels)
    drag(qtbot, picture, point(picture, 0.25, 0.5), point(picture, 0.35, 0.5))
    assert desk.session.document.areas[0].box[0] == pytest.approx(64 + 25.6, abs=2)
    desk.viewer.change_area(0, "remove")
    assert desk.session.document.areas == ()
    settled(qtbot, desk, desk.areas_card.isHidden)
    for _ in range(2):
        qtbot.keyClick(desk, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert desk.session.document.areas[0].box[0] == pytest.approx(64, abs=1), "one drag is one undo"


def test_a_polygon_is_clicked_and_closed_and_escape_puts_the_tool_down(surveyed_desk, qtbot):
    desk, picture = surveyed_desk, surveyed_desk.picture
    desk.measuring.take_tool(Tool.POLYGON)
    for across, down in ((0.2, 0.2), (0.6, 0.2), (0.4, 0.8)):
        qtbot.mouseClick(picture, LEFT, pos=point(picture, across, down))
    qtbot.mouseDClick(picture, LEFT, pos=point(picture, 0.4, 0.8))
    (area,) = desk.session.document.areas
    assert len(area.points) == 3 and area.mask(256, 128).sum() == pytest.approx(0.5 * 0.4 * 0.6 * 256 * 128, rel=0.03)
    desk.measuring.take_tool(Tool.ELLIPSE)
    qtbot.mousePress(picture, LEFT, pos=point(picture, 0.5, 0.5))
    qtbot.keyClick(desk, Qt.Key.Key_Escape)
    assert desk.viewer.look.state.tool is Tool.LOOK and len(desk.session.document.areas) == 1


def test_the_probe_reads_the_pixel_and_marks_it_on_every_gauge(surveyed_desk, qtbot):
    desk, picture = surveyed_desk, surveyed_desk.picture
    qtbot.mouseMove(picture, point(picture, 0.3, 0.6))
    qtbot.waitUntil(lambda: "codes Y′" in desk.viewer.probe.line.text(), timeout=WAIT)
    x, y = (int(value) for value in picture.pixel_at(QPointF(point(picture, 0.3, 0.6))))
    code = int(desk.viewer.preview.signal.planes[0][y, x])
    assert f"pixel {x}, {y} · codes Y′ {code} " in desk.viewer.probe.line.text()
    for gauge in desk.viewer.gauges:
        assert len(gauge.places) == 1
    ((across, _),) = desk.viewer.gauges[0].places[0]
    assert across == pytest.approx(0.3, abs=0.01)
    qtbot.keyClick(desk, Qt.Key.Key_Y)
    qtbot.waitUntil(lambda: "5×5 about" in desk.viewer.probe.line.text(), timeout=WAIT)


def test_a_drag_on_a_gauge_shows_which_pixels_stand_there(surveyed_desk, qtbot):
    desk = surveyed_desk
    gauge, picture = desk.viewer.gauges[0], desk.picture
    drag(qtbot, gauge, point(gauge, 0.0, 0.0), point(gauge, 0.5, 1.0))
    image = picture.highlighted
    assert image is not None and image.pixelColor(20, 60).alpha() == 255 and image.pixelColor(200, 60).alpha() == 0
    qtbot.mouseDClick(gauge, LEFT, pos=point(gauge, 0.5, 0.5))
    assert picture.highlighted is None


def test_a_path_on_the_picture_is_drawn_on_the_gauges(surveyed_desk, qtbot):
    desk, picture = surveyed_desk, surveyed_desk.picture
    desk.measuring.take_tool(Tool.PATH)
    drag(qtbot, picture, point(picture, 0.1, 0.5), point(picture, 0.9, 0.5))
    places = desk.viewer.gauges[0].places
    assert len(places) >= 4 and places[0][0][0] < 0.15 and places[-1][0][0] > 0.85
    picture.drop_tool()
    assert len(desk.viewer.gauges[0].places) <= 1


def test_a_pinned_frame_is_compared_in_every_way(surveyed_desk, qtbot):
    desk, picture = surveyed_desk, surveyed_desk.picture
    qtbot.keyClick(desk, Qt.Key.Key_M)
    desk.session.place.go_to(20)
    settled(qtbot, desk, lambda: desk.viewer.preview.frame == 20 and desk.viewer.preview.pinned is not None)
    (first, words), (second, now) = picture.pair()
    assert (
        (first, second) == ("pinned", "original") and words.startswith("pinned: over, 09:59:58:00") and now.startswith("this")
    )
    assert desk.viewer.preview.other is not None and "this − compared" in desk.viewer.panel.text
    shots = set()
    for mode in (Compare.SIDE, Compare.FLIP, Compare.WIPE):
        qtbot.keyClick(desk, Qt.Key.Key_C)
        assert desk.viewer.look.state.compare is mode
        shots.add(picture.grab().toImage().pixelColor(picture.width() // 4, picture.height() // 2).name())
    assert len(shots) > 1
    qtbot.keyClick(desk, Qt.Key.Key_F)
    assert desk.viewer.look.state.flipped
    qtbot.keyClick(desk, Qt.Key.Key_M)
    settled(qtbot, desk, lambda: desk.viewer.preview.pinned is None)


def test_the_wipe_turns_and_divides_at_its_angle(surveyed_desk, qtbot):
    desk, picture = surveyed_desk, surveyed_desk.picture
    desk.session.place.go_to(18)
    desk.session.document.add_step(SoftCeiling)
    desk.session.document.replace_step(0, SoftCeiling(30, 110, 10))
    settled(qtbot, desk, lambda: picture.has_wipe)
    for _ in range(2):
        qtbot.keyClick(desk, Qt.Key.Key_W, Qt.KeyboardModifier.ShiftModifier)
    assert abs(desk.viewer.look.state.angle) == 90
    image = picture.grab().toImage()
    ratio = image.width() / picture.width()
    above, below = (
        image.pixelColor(round(place.x() * ratio), round(place.y() * ratio)).lightness()
        for place in (point(picture, 0.7, 0.4), point(picture, 0.7, 0.6))
    )
    assert abs(above - below) > 20, "source on one side of the level line, treated on the other"


def test_the_picture_zooms_to_real_pixels_and_is_moved(surveyed_desk, qtbot):
    desk, picture = surveyed_desk, surveyed_desk.picture
    at = QPointF(point(picture, 0.5, 0.5))
    for expected in (1, 4):
        event = QWheelEvent(
            at, at, QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        picture.wheelEvent(event)
        assert desk.viewer.look.state.zoom == expected
    shown = picture.window_shown
    settled(qtbot, desk, lambda: desk.viewer.preview.original.image.shape == (picture.box.height(), picture.box.width()))
    assert abs(picture.box.width() - 4 * shown.width) < 4
    drag(qtbot, picture, QPoint(200, 100), QPoint(120, 100))
    assert picture.window_shown.x == pytest.approx(min(shown.x + 20, 256 - shown.width), abs=1)
    qtbot.keyClick(desk, Qt.Key.Key_Minus, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(desk, Qt.Key.Key_Minus, Qt.KeyboardModifier.ControlModifier)
    assert desk.viewer.look.state.zoom == 0


def test_guides_are_added_dragged_and_removed(surveyed_desk, qtbot, monkeypatch):
    desk = surveyed_desk
    gauge = desk.viewer.gauges[0]
    monkeypatch.setattr("bluffline.ui.gauges.gauge.QInputDialog.getText", lambda *_: ("faces", True))
    gauge.name_guide(50.0)
    assert desk.gauges.setup.guides[0].name == "faces"
    drag(qtbot, gauge, point(gauge, 0.5, 1 - 58 / 120), point(gauge, 0.5, 1 - 70 / 120))
    assert desk.gauges.setup.guides[0].level == pytest.approx(62, abs=1)
    desk.gauges.set_guide(0, None)
    assert desk.gauges.setup.guides == ()


def test_a_gauge_is_saved_and_an_ending_that_is_none_is_said(surveyed_desk, tmp_path, monkeypatch):
    desk = surveyed_desk
    monkeypatch.setattr(
        "bluffline.ui.gauges.measuring.QFileDialog.getSaveFileName", lambda parent, *_: (parent and str(tmp_path / "a.svg"), "")
    )
    desk.acts["export-gauge"].trigger()
    assert (tmp_path / "a.svg").exists()
    for name in ("g.png", "g.svg", "g.csv"):
        desk.measuring.write_gauge(tmp_path / name)
        assert (tmp_path / name).stat().st_size > 1000 and name in desk.header.message
    desk.measuring.write_gauge(tmp_path / "g.txt")
    assert "saved as .png, .svg, .csv" in desk.header.message


def test_a_test_signal_is_made_opened_and_its_bars_checked(surveyed_desk, qtbot, tmp_path):
    desk = surveyed_desk
    desk.measuring.check_bars()
    qtbot.waitUntil(lambda: "No colour bars" in desk.header.message, timeout=WAIT)
    target = tmp_path / "bars.mkv"
    settings = {"size": (640, 360), "depth": 10, "seconds": 0.2}
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.programmes.write_test_signal(SIGNALS["bars"], target, CODECS["ffv1"], settings)
    settled(qtbot, desk, lambda: desk.session.programme.path == target and desk.viewer.preview.signal is not None)
    qtbot.keyClick(desk, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: desk.work.beside.kind is None, timeout=WAIT)
    texts = [label.text() for label in desk.measuring.bars_dialog.findChildren(QLabel)]
    assert "The EBU 100/0/75/0 bars sit where they should." in texts and "magenta" in texts
    desk.measuring.bars_dialog.close()


def test_the_signal_dialog_says_what_would_go_wrong(desk, qtbot):
    dialog = SignalDialog(desk)
    qtbot.addWidget(dialog)
    go = next(button for button in dialog.findChildren(QPushButton) if "Make" in button.text())
    assert go.isEnabled() and dialog.settings["size"] == (1920, 1080)
    dialog.rows.path.setText("picture.gif")
    assert not go.isEnabled() and "ending" in dialog.rows.trouble.text()
    dialog.rows.codecs.setCurrentIndex(dialog.rows.codecs.findData("h264"))
    assert dialog.rows.target.suffix == ".mp4" and go.isEnabled()


def test_work_is_taken_up_in_the_next_sitting(surveyed_desk, qtbot, over_clip, tmp_path):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    desk.session.document.add_step(SoftCeiling)
    treatments = dict(desk.session.document.treatments)
    desk.close()
    again = Desk(Session(), Settings(tmp_path / "other.json"))
    try:
        with qtbot.waitSignal(again.survey_done, timeout=WAIT):
            again.open(over_clip)
        assert dict(again.session.document.treatments) == treatments and "taken up" in again.header.message
        again.session.document.undo()
        assert again.session.document.treatments == {}
    finally:
        again.close()


def test_shots_are_divided_by_keys_and_what_can_not_be_is_told(surveyed_desk, qtbot):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    desk.refresh_commands()
    desk.acts["split"].trigger()
    assert len(desk.session.shots) == 3 and desk.session.place.shot == 2 and "Split shot 2" in desk.acts["undo"].text()

    qtbot.waitUntil(lambda: {found.shot for found in desk.session.findings} == {1, 2}, timeout=WAIT)
    assert desk.findings.rows.rowCount() == 2
    assert desk.session.findings == desk.session.survey.findings(desk.session.shots)
    desk.acts["split"].trigger()
    assert "begins at this frame already" in desk.header.message
    desk.acts["join"].trigger()
    assert len(desk.session.shots) == 2
    desk.session.place.go_to(0)
    desk.acts["join"].trigger()
    assert "no shot before the first" in desk.header.message


def test_work_is_saved_as_a_file_and_opened_from_it(surveyed_desk, qtbot, tmp_path, monkeypatch, over_clip):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    desk.session.document.add_step(SoftCeiling)
    work = desk.session.document.work
    asked = []
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *args: (asked.append(args[2]) or str(tmp_path / "evening"), ""))
    desk.acts["save-work"].trigger()
    assert asked == [str(over_clip.with_suffix(".bluffline"))] and (tmp_path / "evening.bluffline").exists()
    desk.session.document.reset_shot()
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        assert desk.open(tmp_path / "evening.bluffline")
    assert desk.session.document.work == work and desk.session.programme.path == over_clip
    (tmp_path / "bad.bluffline").write_text("no work")
    with qtbot.waitSignal(desk.work.refused, timeout=WAIT):
        desk.open(tmp_path / "bad.bluffline")
    assert "is no work file" in desk.header.message and desk.session.document.work == work


def test_a_programme_opened_again_is_not_measured_again_but_where_it_is_asked_for(surveyed_desk, qtbot, over_clip, monkeypatch):
    desk, findings, measured = surveyed_desk, surveyed_desk.session.findings, []
    whole = survey._measure
    monkeypatch.setattr(survey, "_measure", lambda *args: measured.append(1) or whole(*args))
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.open(over_clip)
    assert not measured and desk.session.findings == findings
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.programmes.survey_again()
    assert len(measured) == 24 and desk.session.findings == findings


def test_the_transfer_line_tells_black_grey_and_white(surveyed_desk, qtbot):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    assert not desk.bench.transfer.isVisible()
    desk.treatment.add_step(SoftCeiling)
    desk.session.document.replace_step(0, SoftCeiling(90, 100, 50))
    assert desk.bench.transfer.figures == ["white 90.0 %", "grey 40.9 %", "black 0.0 %"]
    assert desk.bench.transfer.isVisible()


def test_menus_of_gauge_and_area(surveyed_desk, qtbot, monkeypatch):
    desk, picture = surveyed_desk, surveyed_desk.picture
    gauge, menus = desk.viewer.gauges[0], []
    desk.gauges.add_guide("faces", 50.0)
    monkeypatch.setattr(
        "bluffline.ui.gauges.gauge.QMenu.exec", lambda menu, *_: menus.append([a.text() for a in menu.actions()])
    )
    at = point(gauge, 0.5, 1 - 58 / 120)
    gauge.contextMenuEvent(QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, gauge.mapToGlobal(at)))
    assert (
        "Waveform, luma" in menus[0] and "Remove the guide faces" in menus[0] and any("Add a guide at 5" in t for t in menus[0])
    )
    desk.session.document.drawn.add(Shape.RECTANGLE, ((64, 32), (192, 96)))
    settled(qtbot, desk, lambda: bool(picture.shown_areas))
    at = point(picture, 0.25, 0.5)
    picture.contextMenuEvent(QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, picture.mapToGlobal(at)))
    assert menus[1] == ["Rename area 1 …", "Remove area 1"]
    monkeypatch.setattr("bluffline.ui.picture.viewer.QInputDialog.getText", lambda *_: ("card", True))
    desk.viewer.change_area(0, "rename")
    assert desk.session.document.areas[0].name == "card"


def test_an_area_moved_with_shift_moves_in_this_shot_only(surveyed_desk, qtbot):
    desk, picture = surveyed_desk, surveyed_desk.picture
    desk.session.document.drawn.add(Shape.RECTANGLE, ((64, 32), (192, 96)))
    desk.session.place.go_to(15)
    settled(qtbot, desk, lambda: desk.viewer.shown == 15 and bool(picture.shown_areas))
    drag(qtbot, picture, point(picture, 0.25, 0.5), point(picture, 0.4, 0.5), Qt.KeyboardModifier.ShiftModifier)
    assert desk.session.document.areas[0].box[0] > 90
    desk.session.place.go_to(3)
    assert desk.session.document.areas[0].box[0] == 64


def test_the_probe_tells_the_unit_in_force(surveyed_desk, qtbot):
    desk, picture = surveyed_desk, surveyed_desk.picture
    qtbot.mouseMove(picture, point(picture, 0.3, 0.6))
    for words in ("% · ", "mV · ", "8-bit code · ", "10-bit code · "):
        qtbot.waitUntil(lambda words=words: words in desk.viewer.probe.line.text(), timeout=WAIT)
        qtbot.keyClick(desk, Qt.Key.Key_X)
    picture.leaveEvent(None)
    assert desk.viewer.probe.line.text().startswith("Point at the picture")


def test_source_and_treated_are_on_the_gauges_at_once(surveyed_desk, qtbot):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    desk.session.document.add_step(SoftCeiling)
    desk.session.document.replace_step(0, SoftCeiling(50, 110, 20))
    settled(qtbot, desk, lambda: desk.viewer.preview.treated is not None and desk.viewer.preview.other is None)
    before = desk.viewer.gauges[0].grab().toImage()
    qtbot.keyClick(desk, Qt.Key.Key_E)
    settled(qtbot, desk, lambda: desk.viewer.preview.other is not None)
    assert desk.viewer.gauges[0].grab().toImage() != before and "this − compared" in desk.viewer.panel.text


def test_a_click_on_the_level_over_time_goes_there(desk, over_clip, qtbot):
    """And it draws from the first frame on, before anything is known of what is around it."""
    desk.gauges.put(0, gauge_named("time", "10"))
    desk.open(over_clip)
    gauge = desk.viewer.gauges[0]
    settled(qtbot, desk, lambda: desk.session.surveyed and gauges_hold(desk))
    count = desk.session.programme.frame_count
    settled(qtbot, desk, lambda: gauge.trace.measured == count)  # it follows the survey to its end
    assert desk.header._fault is None
    qtbot.mouseClick(gauge, LEFT, pos=point(gauge, 0.5 + 5 / 251, 0.4))
    assert desk.session.place.frame == 5
    settled(qtbot, desk, lambda: desk.viewer.shown == 5 and gauge.trace.frame == 5 - 125)
    qtbot.mouseClick(gauge, LEFT, pos=point(gauge, 0.01, 0.4))
    assert desk.session.place.frame == 0, "before the beginning there is the beginning"
    desk.session.place.go_to(5)
    settled(qtbot, desk, lambda: desk.viewer.shown == 5)
    drag(qtbot, gauge, point(gauge, 0.5, 0.5), point(gauge, 0.5 + 3 / 251, 0.5))
    assert desk.session.place.frame == 8, "however often the gauge moves on under the hand"
    assert desk.picture.highlighted is None


def test_the_level_over_time_says_whether_it_was_tried(surveyed_desk, qtbot):
    desk = surveyed_desk
    desk.gauges.put(1, gauge_named("time", "10"))
    desk.session.place.go_to(18)
    gauge, card = desk.viewer.gauges[1], desk.viewer.board.cards[1]
    settled(qtbot, desk, lambda: gauges_hold(desk) and card.facts == "% · source")
    high = np.nanmax(gauge.trace.levels["y_max"])
    desk.session.document.add(SoftCeiling(70.0, 109.0, 50.0), "Add")
    assert desk.measuring.facts_of(gauge.instrument, treated=True) == "% · foreseen"
    qtbot.waitUntil(lambda: desk.session.all_tried and card.facts == "% · treated", timeout=WAIT)
    settled(qtbot, desk, lambda: np.nanmax(gauge.trace.levels["y_max"]) <= 70.5 < high)


def test_facts_of_the_gauges(surveyed_desk, qtbot):
    desk = surveyed_desk
    desk.gauges.put(0, gauge_named("chromaticity"))
    qtbot.keyClick(desk, Qt.Key.Key_T)
    qtbot.keyClick(desk, Qt.Key.Key_T)
    cards = desk.viewer.board.cards
    settled(qtbot, desk, lambda: cards[0].facts == "0.0 % out of BT.709")
    desk.gauges.put(0, gauge_named("histogram"))
    settled(qtbot, desk, lambda: cards[0].facts == "combing 0.0 %")
    qtbot.keyClick(desk, Qt.Key.Key_Period)
    assert cards[1].facts == "legal at Y′ 55 %"
