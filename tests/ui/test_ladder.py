"""The ladder and the bench, by mouse and by keys."""

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QApplication, QComboBox

from bluffline.measure.areas import Shape
from bluffline.treat.catalogue import KINDS
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.reach import Pose, Reach, ReachArea
from bluffline.treat.step import Heading, Number
from bluffline.treat.stored import step_from, step_to
from bluffline.ui.ladder.figures import FigureBox, Slide
from bluffline.view.looking import Tool

WAIT = 60_000
LEFT, ALT = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier


@pytest.fixture
def desk(surveyed_desk):
    """On the second shot, with the ladder in front."""
    surveyed_desk.session.place.go_to(18)
    surveyed_desk.show_page("Treatment")
    QApplication.processEvents()
    return surveyed_desk


def titles(desk):
    ladder = desk.treatment.ladder
    return [ladder.item(n).text().split(":")[0] for n in range(ladder.count())]


def row_of(desk, title):
    """Where a rung stands in the list: its middle, in the viewport."""
    ladder = desk.treatment.ladder
    item = next(ladder.item(n) for n in range(ladder.count()) if title in ladder.item(n).text())
    return ladder.visualItemRect(item).center()


def figure_named(desk, words):
    return next(figure for figure in desk.bench.findChildren(FigureBox) if figure.accessibleName().endswith(words))


def test_keys_turn_the_left_column(desk, qtbot):
    for key, name in (("1", "Findings"), ("3", "Chart"), ("4", "Areas"), ("2", "Treatment")):
        qtbot.keyClick(desk, key)
        assert desk.pages.front == name
    qtbot.mouseClick(desk.pages.tabs["Findings"], LEFT)
    assert desk.findings_card.isVisible() and not desk.treatment_card.isVisible()


def test_the_ladder_names_its_headings_and_a_click_opens_the_bench(desk, qtbot):
    assert titles(desk)[0] == "source, every shot, first" and not desk.bench.isVisible()
    tall = desk.skyline.height()
    desk.session.document.set_treatment(1, (Tone(0.2), SoftCeiling(100, 109, 90)), "own")
    assert [line for line in titles(desk) if line[0].isdigit()] == ["1 Tone", "2 Soft ceiling"]
    qtbot.mouseClick(desk.treatment.ladder.viewport(), LEFT, pos=row_of(desk, "Tone"))
    QApplication.processEvents()
    assert desk.bench.isVisible() and desk.bench.step == Tone(0.2) and desk.skyline.height() < tall
    assert figure_named(desk, "Exposure").value() == pytest.approx(0.2)
    qtbot.mouseClick(desk.bench.buttons["close"], LEFT)
    QApplication.processEvents()
    assert not desk.bench.isVisible() and desk.skyline.height() == tall


@pytest.mark.parametrize("kind", list(KINDS.values()))
def test_every_kind_can_lie_on_the_bench(desk, kind):
    document = desk.session.document
    document.add(kind(), "own")
    desk.session.place.choose(0)
    assert desk.bench.isVisible() and desk.bench.step == kind()
    for figure in desk.bench.findChildren(FigureBox):
        assert figure.text().strip() and figure.accessibleName()
    desk.bench.buttons["bypass"].click()
    assert not document.treatment[0].on and not any(figure.isEnabled() for figure in desk.bench.findChildren(FigureBox))
    document.undo()
    assert document.treatment[0].on


def test_a_slider_is_dragged_in_one_gesture(desk, qtbot):
    desk.treatment.add_step(Tone)
    figure = figure_named(desk, "Contrast")
    slide = next(slide for box, slide in desk.bench.controls.figures.values() if box is figure)
    middle = slide.rect().center()
    qtbot.mousePress(slide, LEFT, pos=middle)
    for across in (10, 20, 30):
        qtbot.mouseMove(slide, middle + QPoint(across, 0))
    qtbot.mouseRelease(slide, LEFT, pos=middle + QPoint(30, 0))
    dragged = desk.session.document.treatment[0].contrast
    assert dragged > 1.01 and figure.value() == pytest.approx(dragged, abs=1e-3)
    qtbot.mousePress(slide, LEFT, pos=middle + QPoint(30, 0))
    qtbot.mouseMove(slide, middle + QPoint(50, 0))
    qtbot.mouseRelease(slide, LEFT, pos=middle + QPoint(50, 0))
    assert desk.session.document.treatment[0].contrast > dragged
    desk.session.document.undo()
    assert desk.session.document.treatment[0].contrast == dragged, "the second gesture alone is undone"
    desk.session.document.undo()
    assert desk.session.document.treatment[0] == Tone() and figure.value() == 1
    qtbot.mouseDClick(slide, LEFT, pos=middle)
    assert desk.session.document.treatment[0].contrast == 1


def test_a_slider_finds_its_values_again():
    for figure in (figure for kind in KINDS.values() for figure in kind.figures() if isinstance(figure.declared, Number)):
        neutral = figure.neutral[0] if isinstance(figure.neutral, tuple) else figure.neutral
        slide = Slide(figure.declared, neutral)
        for part in (0.0, 0.2, 0.5, 0.9, 1.0):
            value = figure.declared.least + part * (figure.declared.greatest - figure.declared.least)
            assert slide.value_at(slide.place_of(value)) == pytest.approx(value, abs=1e-6)


def test_components_have_their_own_page(desk, qtbot):
    desk.treatment.add_step(Tone)
    QApplication.processEvents()
    qtbot.mouseClick(desk.bench.buttons["components"], LEFT)
    figure_named(desk, "Gain B′").setValue(1.2)
    assert desk.session.document.treatment[0].gain == (1, 1, 1, 1.2)
    qtbot.mouseClick(desk.bench.buttons["components"], LEFT)
    figure_named(desk, "Gain").setValue(1.1)
    desk.bench.controls.switches["soft_ends"].click()
    assert desk.session.document.treatment[0] == Tone(gain=(1.1, 1, 1, 1.2), soft_ends=True)
    qtbot.mouseClick(desk.bench.buttons["reset"], LEFT)
    assert desk.session.document.treatment[0] == Tone()


def test_a_remap_takes_its_figures_from_the_shot(desk):
    desk.treatment.add_step(LevelRemap)
    assert not figure_named(desk, "White to").isEnabled()
    combo = desk.bench.findChild(QComboBox)
    combo.activated.emit(combo.findData(str(RemapMode.EXTREMES_TO_LIMITS)))
    (step,) = desk.session.document.treatment
    assert step.mode is RemapMode.EXTREMES_TO_LIMITS and step.place is Heading.SOURCE
    assert figure_named(desk, "White to").isEnabled() and figure_named(desk, "White to").value() == 103


def test_keys_act_on_the_desk_while_a_figure_has_the_focus(desk, qtbot):
    """But for those that are part of a number; after Enter the arrows as well."""
    desk.treatment.add_step(Tone)
    figure = figure_named(desk, "Exposure")
    figure.setFocus()
    figure.selectAll()
    for key in "0.75":
        qtbot.keyClick(figure, key)
    frame = desk.session.place.frame
    qtbot.keyClick(figure, Qt.Key.Key_Z)
    assert desk.viewer.look.state.zones, "the zone map"
    qtbot.keyClick(figure, Qt.Key.Key_Return)
    assert desk.session.document.treatment[0].exposure == 0.75 and not figure.hasFocus()
    qtbot.keyClick(desk, Qt.Key.Key_Right)
    assert desk.session.place.frame == frame + 1


def test_rungs_move_by_keys_and_by_hand(desk, qtbot):
    desk.session.document.set_treatment(1, (Tone(0.2), Cdl(), ChromaRein(-5, 105)), "own")
    desk.session.place.choose(1)
    ladder = desk.treatment.ladder
    ladder.setFocus()
    qtbot.keyClick(ladder, Qt.Key.Key_Up, ALT)
    assert [step.kind for step in desk.session.document.treatment] == ["cdl", "tone", "chroma-rein"]
    assert desk.session.place.rung == 0, "what was chosen is chosen still"

    def drop(where):
        mime, none = QMimeData(), Qt.KeyboardModifier.NoModifier
        ladder.dropEvent(QDropEvent(QPointF(where), Qt.DropAction.MoveAction, mime, LEFT, none, QEvent.Type.Drop))

    drop(row_of(desk, "Tone"))
    assert [step.kind for step in desk.session.document.own][:2] == ["tone", "cdl"] and desk.session.place.rung == 1
    drop(row_of(desk, "over all"))
    assert [str(step.place) for step in desk.session.document.treatment] == ["shot", "over all", "limits"]
    qtbot.keyClick(ladder, Qt.Key.Key_Delete)
    assert [step.kind for step in desk.session.document.treatment] == ["tone", "chroma-rein"]
    frame = desk.session.place.frame
    qtbot.keyClick(ladder, Qt.Key.Key_Right)
    assert desk.session.place.frame == frame + 1, "other keys act on the desk"


def test_the_menu_of_a_rung_and_of_a_heading(desk):
    document, ladder = desk.session.document, desk.treatment.ladder
    document.set_treatment(1, (Tone(0.2), ChromaRein(-5, 105)), "own")

    def do(title, words):
        row = next(row for row in ladder.rows() if (row.step.title if row.step else ladder.title_of(row.heading)) == title)
        action = next(action for action in ladder.menu_for(row).actions() if action.text().split("\t")[0] == words)
        assert action.isEnabled()
        action.trigger()

    do("Tone", "Copy")
    do("Tone", "To Source")
    assert document.treatment[0].place is Heading.SOURCE
    do("Chroma rein", "Paste")
    assert [step.kind for step in document.treatment] == ["tone", "tone", "chroma-rein"]
    do("Limits", "Bypass all")
    assert [step.on for step in document.treatment] == [True, True, False]
    do("Limits", "Restore all")
    do("Shot 2", "Reset: remove all")
    do("Tone", "Neutral figures")
    do("Tone", "Remove")
    assert [step.kind for step in document.treatment] == ["chroma-rein"]
    menu = ladder.menu_for(ladder.rows()[0])
    assert [action.isEnabled() for action in menu.actions()][:3] == [False] * 3, "there is nothing under it"


def test_a_step_reaches_areas_and_a_key_picked_on_the_picture(desk, qtbot):
    document, picture = desk.session.document, desk.picture
    desk.treatment.add_step(Tone)
    figure_named(desk, "Exposure").setValue(0.5)
    document.drawn.add(Shape.RECTANGLE, ((64, 32), (128, 96)))

    def do(words):
        action = next(action for action in desk.bench.reach_menu().actions() if action.text().split("\t")[0] == words)
        assert action.isEnabled()
        action.trigger()

    do("All but area 1")
    reach = document.treatment[0].reach
    assert not reach.inside and reach.areas[0].points == ((25, 25), (50, 75)) and reach.areas[0].feather == 5
    desk.reaching.feather(10)
    assert document.treatment[0].reach.areas[0].feather == 10
    qtbot.keyClick(desk, Qt.Key.Key_I, Qt.KeyboardModifier.ControlModifier)
    assert desk.viewer.look.state.tool is Tool.KEY

    def drag(start, stop, held=Qt.KeyboardModifier.NoModifier):
        box = picture.box
        places = [QPoint(box.left() + round(x * box.width()), box.top() + round(y * box.height())) for x, y in (start, stop)]
        qtbot.mousePress(picture, LEFT, pos=places[0])
        qtbot.mouseMove(picture, places[1])
        qtbot.mouseRelease(picture, LEFT, held, places[1])
        qtbot.waitUntil(lambda: desk.work.beside.kind is None, timeout=WAIT)

    drag((0.7, 0.4), (0.8, 0.6))
    key = document.treatment[0].reach.key
    assert key is not None and key.luma[0] < key.luma[1]
    drag((0.1, 0.1), (0.2, 0.2), Qt.KeyboardModifier.ShiftModifier)
    wider = document.treatment[0].reach.key
    assert wider.luma[0] <= key.luma[0] and wider.luma[1] >= key.luma[1]
    desk.viewer.look.change(reach=True)
    qtbot.waitUntil(lambda: desk.viewer.frames.idle, timeout=WAIT)
    do("All but the key")
    assert document.treatment[0].reach.key.inverted
    do("Everywhere")
    assert document.treatment[0].reach.everywhere and document.treatment[0].exposure == 0.5


def test_a_key_is_picked_for_the_step_that_it_was_asked_for_or_dropped(desk, qtbot):
    desk.treatment.add_step(Tone)
    desk.picking.key_picked([(10, 10), (40, 40)], "new")
    desk.session.document.replace_step(0, Tone(0.3))
    qtbot.waitUntil(lambda: desk.work.beside.kind is None, timeout=WAIT)
    assert desk.session.document.treatment == (Tone(0.3),)
    desk.session.place.choose(None)
    desk.picking.key_picked([(10, 10), (40, 40)], "new")
    assert "Put a step on the bench first" in desk.header.message


def test_the_white_of_the_waveform_is_pulled_in_one_gesture(desk, qtbot):
    desk.treatment.add_step(Tone)
    gauge = desk.viewer.gauges[0]
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and len(gauge.pulling.handles()) == 3, timeout=WAIT)
    handle, at = gauge.pulling.handles()[0]
    for beside, takes in ((QPointF(3, 11), True), (QPointF(-44, -9), True), (QPointF(-12, 15), False), (QPointF(8, 0), False)):
        assert gauge.pulling.near(at + beside) is takes, "a tag is taken by what begins a few pixels beside it"
    start = at.toPoint() - QPoint(12, 0)
    qtbot.mousePress(gauge, LEFT, pos=start)
    for down in (10, 20):
        qtbot.mouseMove(gauge, start + QPoint(0, down))
    qtbot.mouseRelease(gauge, LEFT, pos=start + QPoint(0, 20))
    lower = gauge.pulling.handles()[0][0].level
    assert handle.grip.name == "white" and lower < handle.level - 3 and desk.session.document.treatment[0].white_point > 100
    assert gauge.grab().toImage().width() > 0
    desk.session.document.undo()
    assert desk.session.document.treatment[0] == Tone()


def test_the_middle_of_the_vectorscope_is_pulled_in_one_gesture(desk, qtbot):
    desk.treatment.add_step(Balance)
    gauge = next(gauge for gauge in desk.viewer.gauges if gauge.instrument.name == "vectorscope")
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and gauge.pulling.middle() is not None, timeout=WAIT)
    before = gauge.pulling.middle()
    start = gauge.pulling.place_of(before).toPoint()
    assert gauge.pulling.near(QPointF(start)) and not gauge.pulling.near(QPointF(start) + QPointF(40, 0))
    qtbot.mousePress(gauge, LEFT, pos=start)
    for across in (6, 14):
        qtbot.mouseMove(gauge, start + QPoint(across, -across))
    qtbot.mouseRelease(gauge, LEFT, pos=start + QPoint(14, -14))
    red, green, blue = desk.session.document.treatment[0].gains
    assert red > green and blue > green
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and gauge.pulling.middle() != before, timeout=WAIT)
    assert gauge.pulling.middle()[0] > before[0] and gauge.pulling.middle()[1] > before[1]
    assert gauge.grab().toImage().width() > 0
    desk.session.document.undo()
    assert desk.session.document.treatment[0] == Balance()


def test_a_point_of_the_transfer_line_is_pulled_over_the_histogram(desk, qtbot):
    desk.treatment.add_step(Tone)
    line = desk.bench.transfer
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and len(line.points()) == 3, timeout=WAIT)
    desk.viewer.ask()
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and desk.viewer.preview.tones is not None, timeout=WAIT)
    counted = desk.viewer.preview.tones
    assert counted.sum() == -(-desk.session.source.width // 4) * -(-desk.session.source.height // 4)
    handle, at = line.points()[0]
    qtbot.mousePress(line, LEFT, pos=at.toPoint())
    qtbot.mouseMove(line, at.toPoint() + QPoint(0, 12))
    qtbot.mouseRelease(line, LEFT, pos=at.toPoint() + QPoint(0, 12))
    assert handle.grip.name == "white" and line.points()[0][0].level < handle.level - 5
    assert desk.session.document.treatment[0].white_point > 100
    desk.session.document.undo()
    assert desk.session.document.treatment[0] == Tone()


def test_the_reach_is_shown_while_its_key_is_held_and_kept_by_a_tap(desk, qtbot):
    desk.treatment.add_step(Tone)
    desk.reaching.drawn(Shape.RECTANGLE, [(10, 10), (60, 40)])
    desk.refresh_commands()
    window, shift = desk.windowHandle(), Qt.KeyboardModifier.ShiftModifier
    qtbot.keyPress(window, Qt.Key.Key_S, shift)
    assert desk.viewer.look.state.reach
    qtbot.keyRelease(window, Qt.Key.Key_S, shift)
    assert desk.viewer.look.state.reach, "tapped, it stays"
    qtbot.keyClick(window, Qt.Key.Key_S, shift)
    assert not desk.viewer.look.state.reach
    qtbot.keyPress(window, Qt.Key.Key_S, shift)
    qtbot.wait(450)
    assert desk.viewer.look.state.reach
    qtbot.keyRelease(window, Qt.Key.Key_S, shift)
    assert not desk.viewer.look.state.reach, "let go"


def test_a_reach_moved_far_beyond_the_picture_can_still_be_stored(desk):
    desk.treatment.add_step(Tone)
    desk.reaching.drawn(Shape.RECTANGLE, [(10, 10), (60, 40)])
    for act in (
        lambda: desk.reaching.nudge(5000.0, -5000.0),
        lambda: desk.reaching.turn(1e6, 1e6),
        lambda: desk.reaching.nudge(-5000.0, 5000.0),
        lambda: desk.reaching.turn(1e-9, -1e7),
        lambda: desk.reaching.turn(1e4, 0.0),
        desk.reaching.stay,
    ):
        act()
        steps = desk.session.document.treatment
        assert tuple(map(step_from, map(step_to, steps))) == steps


def test_a_reach_is_drawn_dragged_placed_turned_and_followed(desk, qtbot):
    document, picture, first = desk.session.document, desk.picture, desk.session.shots[1].first
    desk.treatment.add_step(Tone)
    width, height = desk.session.source.width, desk.session.source.height

    def at(x, y):
        return picture.point_of((x * width, y * height)).toPoint()

    def drag(start, end, held=Qt.KeyboardModifier.NoModifier):
        qtbot.mousePress(picture, LEFT, held, at(*start))
        qtbot.mouseMove(picture, at(*end))
        qtbot.mouseRelease(picture, LEFT, held, at(*end))
        qtbot.waitUntil(lambda: desk.viewer.frames.idle, timeout=WAIT)

    def area():
        return document.treatment[0].reach.areas[0]

    desk.reaching.draw(Tool.RECTANGLE)
    drag((0.25, 0.25), (0.5, 0.5))
    assert area().shape is Shape.RECTANGLE and document.areas == (), "it is the step's own"
    assert np.array(area().points) == pytest.approx(np.array([(25, 25), (50, 50)]), abs=1) and area().feather == 5
    assert desk.viewer.look.state.tool is Tool.LOOK and not desk.viewer.look.state.for_reach
    drag((0.25, 0.3), (0.35, 0.3))
    assert area().points[0][0] == pytest.approx(35, abs=1) and area().follow == ()
    qtbot.keyClick(desk, Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert area().points[0][1] == pytest.approx(25.25, abs=1)
    desk.acts["place-reach"].trigger()
    desk.session.place.go_to(first + 9)
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and desk.viewer.shown == first + 9, timeout=WAIT)
    drag((0.35, 0.35), (0.45, 0.35))
    assert [place.frame for place in area().follow] == [first + 6, first + 9]
    assert area().follow[1].across == pytest.approx(10, abs=1)
    assert area().at(first + 8).follow[0].across == pytest.approx(6.7, abs=1)
    desk.session.place.go_to(first)
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and desk.viewer.shown == first, timeout=WAIT)
    picture.reach_turned.emit(1.5, 0.0)
    assert [(place.frame, place.scale) for place in area().follow] == [
        (first + frame, scale) for frame, scale in ((0, 1.5), (6, 1.0), (9, 1.0))
    ]
    assert desk.skyline.grab().toImage().width() > 0
    desk.acts["follow"].trigger()
    qtbot.waitUntil(lambda: desk.work.beside.kind is None, timeout=WAIT)
    assert "Hold is lost" in desk.header.message or "Followed" in desk.header.message
    stood = area().at(first).follow[0]
    desk.reaching.stay()
    assert area().follow == () and area().points[1][0] - area().points[0][0] == pytest.approx(25 * stood.scale, abs=1)
    desk.reaching.follow()
    document.replace_step(0, Tone(0.4))
    qtbot.waitUntil(lambda: desk.work.beside.kind is None, timeout=WAIT)
    assert document.treatment[0] == Tone(0.4), "what was followed for a step that has changed is dropped"
    desk.reaching.follow()
    assert "Draw an area" in desk.header.message


def test_a_rung_goes_to_another_shot_by_two_keys(desk, qtbot):
    document, place = desk.session.document, desk.session.place
    place.go_to(14)
    assert not desk.acts["copy"].isEnabled() and not desk.acts["put"].isEnabled()
    area = ReachArea(Shape.ELLIPSE, ((10, 10), (30, 30)), follow=(Pose(14), Pose(16, 4.0)))
    document.set_treatment(1, (Tone(0.2, reach=Reach(True, (area,))), ChromaRein(-5, 105)), "own")
    document.move_to(0, Heading.OVER_ALL)
    place.choose(next(n for n, step in enumerate(document.treatment) if step.kind == "tone"))
    qtbot.keyClick(desk, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert "Copied from shot 2: tone" in desk.header.message
    document.undo()
    place.go_to(0)
    assert document.treatment == ()
    qtbot.keyClick(desk, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    (step,) = document.own
    assert step.kind == "tone" and step.place is Heading.SHOT, "this shot's alone, and no other's"
    assert [at.frame for at in step.reach.areas[0].follow] == [2, 4], "as far into this shot as into the other"
    assert document.undoes == "Paste tone" and document.work.ladder(1)[0].reach.areas[0].follow[0].frame == 14
    place.choose(None)
    place.go_to(14)
    qtbot.keyClick(desk, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert "tone, chroma rein" in desk.header.message, "all, where none is on the bench"
    document.reset_shot()
    qtbot.keyClick(desk, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert [step.kind for step in document.own] == ["tone", "chroma-rein"]
