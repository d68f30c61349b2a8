"""Charts, cards, LUTs and carrying on, by mouse and keys on the offscreen platform."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QInputDialog

from bluffline.charts.fit import Aim
from bluffline.gauges.catalogue import gauge_named
from bluffline.measure.areas import Shape
from bluffline.treat.bake import bake_cube
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.lut import Lut
from bluffline.treat.kinds.neutral_scale import NeutralScale
from bluffline.treat.kinds.straighten import Straighten
from bluffline.treat.lutfile import read_step, step_text_for
from bluffline.ui.ladder.figures import FigureBox
from clips import signal, two_corrections

WAIT = 60_000
LEFT = Qt.MouseButton.LeftButton
BENT = ((0.05, 0.02), (0.4, 0.46), (0.9, 0.93))


@pytest.fixture
def chart_desk(desk, qtbot, chart_clip):
    """The desk on a clip whose first shot shows a chart, its survey done."""
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT), qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        assert desk.open(chart_clip)
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    desk.refresh_commands()
    return desk


def fitted(qtbot, desk):
    qtbot.waitUntil(lambda: desk.charting.model.result is not None and desk.jobs.kind is None, timeout=WAIT)
    return desk.charting.model.result


def settled(qtbot, desk, holds=lambda: True):
    def all_done():
        return desk.viewer.frames.idle and desk.work.beside.kind is None and desk.viewer.preview is not None and holds()

    qtbot.waitUntil(all_done, timeout=WAIT)


def test_from_the_key_to_the_fitted_picture_and_back(chart_desk, qtbot):
    desk = chart_desk
    qtbot.keyClick(desk, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    result = fitted(qtbot, desk)
    assert desk.chart_card.isVisible() and not desk.findings_card.isVisible()
    assert result.fit.stages[0].mean > 5 > 1 > result.fit.result.mean
    told = f"found with a confidence of {result.chart_frame.confidence:.2f}; {result.shot.samples.frames} frames are averaged"
    assert desk.chart_card.facts.startswith("found, ") and told in desk.charting.panel._words.text()
    assert "matrix" in desk.charting.panel.stages.text()
    desk.gauges.put(0, gauge_named("chromaticity"))
    settled(qtbot, desk, lambda: desk.viewer.gauges[0].trace is not None)
    before = desk.viewer.gauges[1].grab().toImage()
    qtbot.keyClick(desk, Qt.Key.Key_G, Qt.KeyboardModifier.ControlModifier)
    settled(qtbot, desk, lambda: desk.viewer.preview.treated is not None)
    assert [type(step) for step in desk.session.document.treatment][:2] == [NeutralScale, Straighten]
    assert desk.viewer.gauges[1].grab().toImage() != before, "patches have moved to their targets"
    grey = desk.viewer.preview.signal.rgb
    at = (slice(150, 170), slice(205, 215))  # the third slate, within the second row
    levels = [float(plane[at].mean()) for plane in grey]
    assert max(levels) - min(levels) < 6, "codes: the grey is neutral on the gauges"
    qtbot.keyClick(desk, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not desk.session.document.treatment
    qtbot.keyClick(desk, Qt.Key.Key_C, Qt.KeyboardModifier.ShiftModifier)
    assert desk.findings_card.isVisible() and desk.charting.model.result is None


def test_another_choice_fits_again(chart_desk, qtbot):
    desk = chart_desk
    desk.find_chart()
    first = fitted(qtbot, desk)
    desk.charting.panel.skin_box.click()
    qtbot.waitUntil(lambda: desk.charting.model.result is not first and desk.jobs.kind is None, timeout=WAIT)
    assert desk.charting.model.result.request.setup.wishes.skin_first
    desk.charting.model.wish(aim=Aim.NEUTRAL)
    qtbot.waitUntil(lambda: len(desk.charting.model.result.fit.stages) == 2 and desk.jobs.kind is None, timeout=WAIT)
    desk.charting.take_reference("nowhere.txt")
    assert "There is no chart reference nowhere.txt" in desk.header.message and desk.charting.model.result is not None
    desk.charting.take_reference("grey-11")
    assert desk.charting.model.result is None


def test_corners_are_placed_by_hand(chart_desk, qtbot):
    desk = chart_desk
    qtbot.keyClick(desk, Qt.Key.Key_H, Qt.KeyboardModifier.ControlModifier)
    assert desk.chart_card.isVisible()
    picture = desk.picture
    for number, corner in enumerate([(60, 60), (420, 60), (420, 300), (60, 300)]):
        start = picture.point_of(desk.charting.model.chart_frame.corners[number]).toPoint()
        stop = picture.point_of(corner).toPoint()
        qtbot.mousePress(picture, LEFT, pos=start)
        qtbot.mouseMove(picture, QPoint((start.x() + stop.x()) // 2, (start.y() + stop.y()) // 2))
        qtbot.mouseMove(picture, stop)
        QApplication.processEvents()
        qtbot.mouseRelease(picture, LEFT, pos=stop)
        qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    result = fitted(qtbot, desk)
    assert result.chart_frame.confidence is None and desk.chart_card.facts == "by hand"
    assert result.fit.result.mean < 2
    desk.charting.turn()
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    turned = fitted(qtbot, desk)
    assert turned.fit.stages[0].mean > result.fit.stages[0].mean, "the chart was not turned"


def test_a_frame_without_a_chart_is_told_in_the_header(chart_desk, qtbot):
    desk = chart_desk
    desk.session.place.go_to(12)
    desk.find_chart()
    qtbot.waitUntil(lambda: "place its four corners by hand" in desk.header.message, timeout=WAIT)
    assert desk.charting.model.result is None


def test_the_fit_is_carried_on_and_steps_are_pasted(chart_desk, qtbot):
    desk = chart_desk
    desk.find_chart()
    fitted(qtbot, desk)
    desk.charting.carry_on()
    qtbot.waitUntil(lambda: hasattr(desk.carrying, "dialog") and desk.jobs.kind is None, timeout=WAIT)
    dialog = desk.carrying.dialog
    assert dialog.shots == [0]
    dialog.check(Qt.CheckState.Checked)
    boxes = dialog.findChildren(QCheckBox)
    boxes[-1].click()
    dialog.accept()
    assert set(desk.session.document.treatments) == {0, 1} and len(desk.session.document.treatments[1]) == len(boxes) - 1
    desk.session.document.undo()
    assert not desk.session.document.treatments, "one act"
    desk.session.document.set_treatment(0, (ChromaRein(-5, 105),), "own")
    desk.carrying.paste()
    desk.carrying.dialog.check(Qt.CheckState.Checked)
    desk.carrying.dialog.accept()
    assert desk.session.document.treatments[1] == (ChromaRein(-5, 105),)


def test_areas_balance_a_shot_and_three_calibrate_it(chart_desk, qtbot):
    desk = chart_desk
    slate = (60 + 6, 120 + 6, 60 + 48, 120 + 48)
    desk.session.document.drawn.add(Shape.RECTANGLE, ((slate[0] + 240, slate[1]), (slate[2] + 240, slate[3])))
    settled(qtbot, desk)
    desk.acts["neutral"].setEnabled(True)
    qtbot.keyClick(desk, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    settled(qtbot, desk)
    (step,) = desk.session.document.treatment
    assert isinstance(step, Balance) and step.gains[2] > 1.2 and "Neutral pick: R ×" in desk.header.message
    desk.session.place.choose(0)
    figures = desk.bench.findChildren(FigureBox)
    assert [figure.text()[0] for figure in figures[:3]] == ["×"] * 3 and figures[3].text().endswith(" K")
    figures[0].setValue(1.5)
    assert desk.session.document.treatment[0].gains[0] == 1.5
    desk.balancing.three_point()
    settled(qtbot, desk)
    assert "there are 1" in desk.header.message
    for across in (0, 300):
        desk.session.document.drawn.add(Shape.RECTANGLE, ((slate[0] + across, slate[1]), (slate[2] + across, slate[3])))
    desk.balancing.three_point()
    settled(qtbot, desk)
    assert "Three-point: mean ΔE2000 of the cards from" in desk.header.message
    assert isinstance(desk.session.document.treatment[0], NeutralScale)


def test_a_light_is_turned_and_undone_in_one(chart_desk, qtbot):
    desk = chart_desk
    desk.balancing.balance_by_light()
    desk.balancing.light.kelvin.setValue(3200)
    desk.balancing.light.tint.setValue(3)
    desk.balancing.light.accept()
    (step,) = desk.session.document.treatment
    assert step.gains[2] > 1.5 > step.gains[0] and "Balance for 3200 K, tint +3" in desk.header.message
    desk.session.document.undo()
    assert not desk.session.document.treatment


def test_luts_are_taken_saved_and_baked(chart_desk, qtbot, tmp_path, monkeypatch):
    desk = chart_desk
    path = tmp_path / "house.cube"
    path.write_text(step_text_for(bake_cube((Straighten(BENT),), signal(), 17, name="house"), ".cube"))
    desk.luts.take_lut(path)
    settled(qtbot, desk)
    assert isinstance(desk.session.document.treatment[0], Lut)
    desk.luts.take_lut(tmp_path / "none.cube")
    settled(qtbot, desk)
    assert "can't be read" in desk.header.message and len(desk.session.document.treatment) == 1
    monkeypatch.setattr(QInputDialog, "getItem", lambda *asked: (asked[3][1], True))
    desk.luts.take_lut(two_corrections(tmp_path / "two.ccc"))
    settled(qtbot, desk)
    assert desk.session.document.treatment[-1].slope == (1, 1, 1) and len(desk.session.document.treatment) == 2
    desk.session.document.undo()
    desk.session.document.set_treatment(0, (Straighten(BENT), ChromaRein(-5, 105)), "own")
    desk.luts.write_lut(tmp_path / "fit.clf")
    settled(qtbot, desk)
    assert "fit.clf is saved, 65 entries a side behind curves: at most 0." in desk.header.message
    assert read_step(tmp_path / "fit.clf")
    desk.luts.write_lut(tmp_path / "fit.cdl")
    settled(qtbot, desk)
    assert "fit.cdl is saved, as a CDL, without the chroma rein: at most" in desk.header.message
    assert read_step(tmp_path / "fit.cdl")
    desk.luts.write_lut(tmp_path / "fit.gif")
    settled(qtbot, desk)
    assert "can't be written as .gif" in desk.header.message
    qtbot.keyClick(desk, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    settled(qtbot, desk)
    assert isinstance(desk.session.document.treatment[0], Lut) and "Baked: at most" in desk.header.message
