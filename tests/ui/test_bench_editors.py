"""Curves and bands on the bench, colours that set a step, proposals and matches, by the hands an operator has."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QInputDialog

from bluffline.errors import SettingsError
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr
from bluffline.signal.white import gains_for_light, light_for_gains
from bluffline.treat.catalogue import KINDS
from bluffline.treat.hands import Picked
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.bands import Band, Bands
from bluffline.treat.kinds.chroma_by_luma import ChromaByLuma
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.hues import Hues
from bluffline.treat.kinds.log import MEASURED, Log
from bluffline.treat.kinds.tone import Tone
from bluffline.ui.ladder.figures import FigureBox
from bluffline.view.looking import Tool
from clips import signal

WAIT = 60_000
LEFT, SHIFT, CONTROL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
SOURCE = signal()


@pytest.fixture
def desk(surveyed_desk):
    surveyed_desk.session.place.go_to(18)
    surveyed_desk.show_page("Treatment")
    QApplication.processEvents()
    return surveyed_desk


def put(desk, step):
    """A step on the bench."""
    desk.session.document.set_treatment(1, (step,), "put")
    desk.session.place.choose(0)
    QApplication.processEvents()


def step_of(desk):
    return desk.session.document.treatment[0]


def drag(qtbot, widget, begin, end, modifier=Qt.KeyboardModifier.NoModifier):
    begin, end = (point.toPoint() if isinstance(point, QPointF) else point for point in (begin, end))
    qtbot.mousePress(widget, LEFT, modifier, pos=begin)
    for part in (0.5, 1.0):
        qtbot.mouseMove(widget, begin + QPoint(*(round(part * by) for by in ((end - begin).x(), (end - begin).y()))))
    qtbot.mouseRelease(widget, LEFT, modifier, pos=end)


def test_a_click_sets_a_point_and_a_drag_moves_it_as_one_act(desk, qtbot):
    put(desk, Curves())
    graph = desk.bench.curves.graph
    qtbot.mouseClick(graph, LEFT, pos=graph.at(50, 60).toPoint())
    assert len(step_of(desk).master) == 3 and step_of(desk).master[1] == pytest.approx((50, 60), abs=1)
    drag(qtbot, graph, graph.at(50, 60), graph.at(40, 70))
    assert step_of(desk).master[1] == pytest.approx((40, 70), abs=1.5)
    desk.session.document.undo()
    assert step_of(desk).master[1] == pytest.approx((50, 60), abs=1), "a drag is one act"
    desk.session.document.undo()
    assert step_of(desk) == Curves(), "and so is the click"


def test_several_points_move_together_arrows_nudge_and_delete_takes_away(desk, qtbot):
    put(desk, Curves(((0, 0), (30, 30), (60, 60), (100, 100))))
    graph = desk.bench.curves.graph
    qtbot.mouseClick(graph, LEFT, pos=graph.at(30, 30).toPoint())
    qtbot.mouseClick(graph, LEFT, CONTROL, pos=graph.at(60, 60).toPoint())
    assert graph.chosen == {1, 2}
    qtbot.keyClick(graph, Qt.Key.Key_Up)
    qtbot.keyClick(graph, Qt.Key.Key_Right, SHIFT)
    assert step_of(desk).master[1:3] == ((30.1, 31), (60.1, 61))
    qtbot.keyClick(graph, Qt.Key.Key_Delete)
    assert step_of(desk).master == ((0, 0), (100, 100))
    graph.chosen = {0}
    qtbot.keyClick(graph, Qt.Key.Key_Delete)
    assert len(step_of(desk).master) == 2, "a curve has two points at least"
    drag(qtbot, graph, graph.at(0, 0), graph.at(111, 50))
    assert step_of(desk).master[0][0] == pytest.approx(99.9), "no point is moved past another"


def test_figures_of_the_chosen_point_can_be_typed_and_each_component_has_its_curve(desk, qtbot):
    put(desk, Curves())
    editor = desk.bench.curves
    qtbot.mouseClick(editor.buttons["blue"], LEFT)
    graph = editor.graph
    qtbot.mouseClick(graph, LEFT, pos=graph.at(0, 0).toPoint())
    assert editor.boxes[1].isEnabled()
    editor.boxes[1].setValue(7)
    assert step_of(desk).blue[0] == (0, 7) and step_of(desk).master == ((0, 0), (100, 100))
    combo = desk.bench.findChild(QComboBox)
    combo.activated.emit(combo.findData("luma"))
    assert step_of(desk).bends == "luma"


def test_hues_go_round_and_show_what_the_picture_holds(desk, qtbot):
    put(desk, Hues(((-120, 0), (123, -12))))
    graph = desk.bench.curves.graph
    qtbot.mouseDClick(graph, LEFT, pos=graph.at(123, -12).toPoint())
    assert step_of(desk).turn == ((-120, 0),)
    qtbot.mouseClick(desk.bench.curves.buttons["chroma"], LEFT)
    qtbot.mouseClick(graph, LEFT, pos=graph.at(40, 1.5).toPoint())
    assert step_of(desk).chroma[0] == pytest.approx((40, 1.5), abs=2)
    assert graph.behind is not None and graph.behind.max() <= 1


def test_the_pixel_under_the_pointer_is_marked(desk, qtbot):
    put(desk, Curves())
    desk.picture.hovered.emit(None)
    picture = desk.picture
    qtbot.mouseMove(picture, picture.box.center())
    qtbot.waitUntil(lambda: desk.bench.curves.graph.pointed is not None, timeout=WAIT)
    assert 0 < desk.bench.curves.graph.pointed < 110


def test_bands_are_added_moved_and_tinted_as_the_vectorscope_lies(desk, qtbot):
    put(desk, Bands())
    editor = desk.bench.drawn[1]
    qtbot.mouseClick(editor.more, LEFT)
    qtbot.mouseClick(editor.more, LEFT)
    assert [band.low for band in step_of(desk).bands] == [0, 30] and editor.chosen == 1
    drag(qtbot, editor.graph, editor.graph.at(70, 0.5), editor.graph.at(60, 0.5))
    assert step_of(desk).bands[1].high == pytest.approx(60, abs=1.5)
    drag(qtbot, editor.graph, editor.graph.at(40, 0.5), editor.graph.at(50, 0.5))
    assert step_of(desk).bands[1].low == pytest.approx(40, abs=2), "between its limits all of it moves"
    middle = QPoint(52, 52)
    drag(qtbot, editor.pad, middle, middle + QPoint(20, -10))
    band = step_of(desk).bands[1]
    assert band.cb > 0 and band.cr > 0 and band.cb == pytest.approx(2 * band.cr, rel=0.1)
    grey = np.full(3, (band.low + band.high) / 200)
    assert rgb_to_ycbcr(Bands((band,)).apply(grey, SOURCE), Matrix.BT709)[1:] * 100 == pytest.approx([band.cb, band.cr])
    desk.session.document.undo()
    assert step_of(desk).bands[1].cb == 0, "a push is one act"
    editor.boxes["low"].setValue(99)
    assert "a band must run upwards" in desk.header.message and step_of(desk).bands[1].low < 60
    qtbot.mouseClick(editor.less, LEFT)
    assert len(step_of(desk).bands) == 1


def test_a_log_is_given_its_encoding_by_the_list_of_the_library(desk):
    desk.treatment.add_step(Log)
    assert step_of(desk).encoding == MEASURED and step_of(desk).low < step_of(desk).high
    combo = desk.bench.findChild(QComboBox)
    assert combo.count() > 10
    combo.activated.emit(3)
    assert step_of(desk).encoding == combo.itemData(3)


def test_a_balance_is_set_by_temperature_and_tint(desk):
    put(desk, Balance())
    boxes = {box.accessibleName(): box for box in desk.bench.findChildren(FigureBox)}
    assert boxes["Balance: Temperature"].value() == pytest.approx(6504, abs=5)
    boxes["Balance: Temperature"].setValue(3200)
    made = step_of(desk)
    assert made.gains[0] < 1 < made.gains[2] and made.derived_value("temperature", SOURCE) == pytest.approx(3200, abs=2)
    boxes["Balance: Tint"].setValue(4)
    assert [step_of(desk).derived_value(key, SOURCE) for key in ("temperature", "tint")] == pytest.approx([3200, 4], abs=2)


@pytest.mark.parametrize("kelvin", [3200, 5600, 6504, 12000])
@pytest.mark.parametrize("tint", [-10, 0, 4])
def test_temperature_and_tint_come_back_from_gains(kelvin, tint):
    assert light_for_gains(gains_for_light(kelvin, tint, "bt709"), "bt709") == pytest.approx((kelvin, tint), rel=2e-4, abs=0.01)
    assert Balance().with_derived("temperature", kelvin, SOURCE).with_derived("tint", -1, SOURCE).gains != (1, 1, 1)


# Colours that were picked --------------------------------------------------------------------------------------------------


def test_a_colour_makes_a_balance_neutral_and_several_are_averaged():
    warm, cold = np.array([0.5, 0.4, 0.3]), np.array([0.3, 0.4, 0.5])
    one = Balance().picked(Picked(np.array([warm]), SOURCE))
    assert np.ptp(one.apply(warm, SOURCE)) < 1e-3
    both = Balance().picked(Picked(np.array([warm, cold]), SOURCE))
    assert np.ptp(both.apply((warm + cold) / 2, SOURCE)) < 1e-3
    with pytest.raises(SettingsError, match="too dark"):
        Balance().picked(Picked(np.array([np.zeros(3)]), SOURCE))


def test_a_colour_sets_a_point_where_it_stands_and_changes_nothing_by_that():
    rgb = np.array([0.6, 0.4, 0.3])
    for step, chosen in ((Curves(((0, 5), (100, 90))), "master"), (Curves(), "red"), (Hues(), "luma"), (ChromaByLuma(), "")):
        made = step.picked(Picked(np.array([rgb]), SOURCE, chosen))
        assert made != step and made.apply(rgb, SOURCE) == pytest.approx(step.apply(rgb, SOURCE), abs=2e-3)
    hue = np.degrees(np.arctan2(*rgb_to_ycbcr(rgb, Matrix.BT709)[[2, 1]]))
    assert HueNudge().picked(Picked(np.array([rgb]), SOURCE)).hue == pytest.approx(hue, abs=0.1)
    assert Bands().picked(Picked(np.array([rgb]), SOURCE)).bands[0].low < rgb_to_ycbcr(rgb, Matrix.BT709)[0] * 100
    with pytest.raises(SettingsError, match="has no hue"):
        Hues().picked(Picked(np.array([np.full(3, 0.5)]), SOURCE))
    with pytest.raises(SettingsError, match="bands already"):
        Bands((Band(),) * 5).picked(Picked(np.array([rgb]), SOURCE))


def test_a_colour_is_picked_on_the_picture(desk, qtbot):
    put(desk, Balance((1.2, 1, 0.8)))
    qtbot.keyClick(desk, Qt.Key.Key_I, SHIFT)
    assert desk.viewer.look.state.tool is Tool.COLOUR
    desk.picture.colour_picked.emit([(40.0, 80.0), (60.0, 100.0)], "new")
    qtbot.waitUntil(lambda: "Set by 1 pick" in desk.header.message, timeout=WAIT)
    assert step_of(desk).gains == pytest.approx((1, 1, 1), abs=0.03), "the clip is grey"
    desk.picture.colour_picked.emit([(80.0, 80.0), (90.0, 100.0)], "add")
    qtbot.waitUntil(lambda: "Set by 2 picks" in desk.header.message, timeout=WAIT)


def test_a_tool_for_colours_needs_a_step_that_takes_one(desk):
    put(desk, Tone())
    desk.picking.take(Tool.COLOUR)
    assert desk.viewer.look.state.tool is Tool.LOOK and "a colour sets: balance, banded balance" in desk.header.message


# Proposals and matches ------------------------------------------------------------------------------------------------------


def test_a_proposal_is_ordinary_rungs_with_reasons_and_one_undo(desk, qtbot):
    document = desk.session.document
    qtbot.keyClick(desk, Qt.Key.Key_G, SHIFT)
    qtbot.waitUntil(lambda: document.treatment != (), timeout=WAIT)
    assert {step.kind for step in document.treatment} >= {"soft-ceiling"} and document.reasons[1]
    assert "Propose bearable for shot 2" in desk.header.message and "Left alone" in desk.header.message
    document.undo()
    assert document.treatment == ()


def test_a_proposal_for_what_has_changed_meanwhile_is_dropped(desk, qtbot):
    desk.acts["propose-exposure"].trigger()
    desk.session.document.set_treatment(1, (Tone(0.5),), "meanwhile")
    qtbot.waitUntil(lambda: desk.work.beside.kind is None, timeout=WAIT)
    assert desk.session.document.treatment == (Tone(0.5),) and "has changed meanwhile" in desk.header.message


def test_a_shot_is_brought_to_the_pinned_frame(desk, qtbot):
    desk.proposing.match_pinned()
    assert "Pin the frame first" in desk.header.message
    desk.session.place.go_to(3)
    qtbot.waitUntil(lambda: desk.viewer.preview is not None and desk.viewer.preview.frame == 3, timeout=WAIT)
    desk.viewer.pin()
    desk.session.place.go_to(18)
    qtbot.keyClick(desk, Qt.Key.Key_M, SHIFT)
    qtbot.waitUntil(lambda: "distance" in desk.header.message, timeout=WAIT)
    assert [step.kind for step in desk.session.document.treatment] and "→" in desk.session.document.reasons[1][0]
    desk.session.document.undo()
    assert desk.session.document.treatment == ()


def test_every_kind_that_is_begun_by_hand_has_a_bench(desk):
    for kind in (kind for kind in KINDS.values() if kind.by_hand):
        desk.session.document.set_treatment(1, (), "clear")
        desk.treatment.add_step(kind)
        assert isinstance(desk.bench.step, kind) and not desk.bench.isHidden()


def test_a_limit_of_a_band_is_dragged_on_the_waveform(desk, qtbot):
    put(desk, Bands((Band(20, 60, 10, luma=5),)))
    waveform = desk.viewer.gauges[0]
    qtbot.waitUntil(lambda: waveform.trace is not None and len(waveform.pulling.handles()) == 2, timeout=WAIT)
    (_, low), (handle, high) = waveform.pulling.handles()
    tag = QPointF(high.x() - 20, high.y())
    drag(qtbot, waveform, tag, tag + QPointF(0, (low.y() - high.y()) / 2))
    assert handle.grip.name == "band 1 to" and step_of(desk).bands[0].high == pytest.approx(40, abs=1.5)


def test_the_ladder_is_shown_up_to_the_rung_on_the_bench(desk, qtbot):
    desk.session.document.set_treatment(1, (Tone(-0.5), Tone(saturation=0), Tone(gamma=(2, 1, 1, 1))), "three")
    desk.session.place.choose(1)
    qtbot.keyClick(desk, Qt.Key.Key_U, SHIFT)
    assert desk.viewer.ladder == desk.session.document.treatment[:2] and desk.viewer.treated_words == "up to rung 2"
    qtbot.waitUntil(lambda: desk.picture.treated_words == "up to rung 2", timeout=WAIT)
    desk.session.place.choose(0)
    assert len(desk.viewer.ladder) == 1
    qtbot.keyClick(desk, Qt.Key.Key_U, SHIFT)
    assert len(desk.viewer.ladder) == 3 and desk.viewer.treated_words == "treated"


def test_curves_are_kept_in_a_library_of_the_operators_own(desk, monkeypatch):
    put(desk, Curves(((0, 0), (50, 60), (100, 100))))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Lifted", True))

    def do(words):
        next(action for action in desk.bench.library_menu().actions() if action.text() == words).trigger()

    assert not desk.bench.library_menu().actions()[-1].isEnabled(), "none are kept yet"
    do("Keep these curves …")
    put(desk, Curves(red=((0, 5), (100, 100))))
    do("Lifted")
    assert step_of(desk) == Curves(((0, 0), (50, 60), (100, 100)))
    desk.session.document.undo()
    assert step_of(desk) == Curves(red=((0, 5), (100, 100)))
