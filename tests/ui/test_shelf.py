"""The shelf of stock treatments."""

from contextlib import suppress

import numpy as np
import pytest
from PyQt6.QtWidgets import QInputDialog

from bluffline.errors import SettingsError
from bluffline.measure.areas import Shape
from bluffline.session.shipped_stock import SHIPPED
from bluffline.session.stock import StockShelf, as_look
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.look import Look
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.reach import Pose, Reach, ReachArea
from bluffline.treat.stored import load_stock

WAIT = 60_000
INSIDE = Reach(areas=(ReachArea(Shape.RECTANGLE, ((10, 10), (60, 60)), 5),))
STEPS = (Tone(0.5, reach=INSIDE), ChromaRein(-5, 105))


@pytest.fixture
def open_shelf(surveyed_desk, qtbot):
    """Opens the shelf over the desk."""
    opened = []

    def show():
        surveyed_desk.refresh_commands()
        surveyed_desk.acts["put-stock"].trigger()
        qtbot.waitUntil(lambda: surveyed_desk.work.beside.kind is None, timeout=WAIT)
        opened.append(surveyed_desk.stocking.dialog)
        return opened[-1]

    yield show
    for dialog in opened:
        with suppress(RuntimeError):
            dialog.close()


def test_a_treatment_is_kept_seen_on_the_shot_and_put(surveyed_desk, open_shelf, monkeypatch):
    document, shelf = surveyed_desk.session.document, surveyed_desk.stocking.shelf
    empty = open_shelf()
    assert [empty.list.item(n).text() for n in range(empty.list.count())] == sorted(SHIPPED)
    assert empty.told.text() == "Choose one."
    empty.list.setCurrentRow(0)
    assert "open shade" in SHIPPED["Shade gone blue"].reasons[0] and SHIPPED[empty.name].reasons[0] in empty.told.text()
    assert not empty.buttons["Remove"].isEnabled() and empty.buttons["Use as a look"].isEnabled()
    empty.list.setCurrentRow(sorted(SHIPPED).index("Captions held"))
    assert not empty.buttons["Use as a look"].isEnabled() and "nothing but limits" in empty.buttons["Use as a look"].toolTip()
    document.give(0, STEPS, "own", ("because it was dark",))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Warm lamps", True))
    surveyed_desk.stocking.keep()
    shelf.keep("Cool", (Balance((0.9, 1, 1.2)),))
    surveyed_desk.session.place.go_to(15)
    dialog = open_shelf()
    assert [dialog.list.item(n).text() for n in range(2)] == ["Cool", "Warm lamps"]
    assert not dialog.list.item(0).icon().isNull() and not dialog.buttons["Use as a look"].isEnabled()
    dialog.search.setText("tone")
    assert dialog.list.item(0).text() == "Warm lamps" and dialog.list.count() == 1 + sum(
        any(isinstance(step, Tone) for step in stock.steps) for stock in SHIPPED.values()
    )
    dialog.list.setCurrentRow(0)
    assert "Tone: exposure +0.50 stops" in dialog.told.text()
    dialog.buttons["Replace the steps"].click()
    assert document.treatment == STEPS and document.reasons[1] == ("because it was dark",)
    dialog.reach.setChecked(False)
    dialog.reasons.setChecked(False)
    dialog.buttons["Replace the steps"].click()
    assert document.treatment[0] == Tone(0.5) and 1 not in document.reasons
    document.undo()
    document.undo()
    assert document.treatment == ()


def test_areas_are_followed_on_the_shelf_from_the_beginning_of_a_shot(surveyed_desk, open_shelf):
    session, stocking = surveyed_desk.session, surveyed_desk.stocking
    first = session.shots[1].first
    followed = ReachArea(Shape.RECTANGLE, ((10, 10), (60, 60)), 5, (Pose(first), Pose(first + 4, 20)))
    session.document.set_treatment(1, (Tone(0.5, reach=Reach(areas=(followed,))),), "own")
    session.place.go_to(first)
    stocking.keep_as("Moving")
    assert [place.frame for place in stocking.shelf.take("Moving").steps[0].reach.areas[0].follow] == [0, 4]
    session.place.go_to(0)
    dialog = open_shelf()
    dialog.list.setCurrentRow(0)
    dialog.buttons["Replace the steps"].click()
    assert session.document.work.treatments[0][0].reach.areas[0].follow == (Pose(0), Pose(4, 20))
    session.place.go_to(first)
    dialog.buttons["Replace the steps"].click()
    assert session.document.work.treatments[1][0].reach.areas[0] == followed


def test_a_look_is_put_with_its_strength(surveyed_desk, open_shelf):
    surveyed_desk.stocking.shelf.keep("Evening", STEPS)
    dialog = open_shelf()
    dialog.list.setCurrentRow(0)
    dialog.strength.setValue(40)
    dialog.buttons["Use as a look"].click()
    (look,) = surveyed_desk.session.document.treatment
    assert isinstance(look, Look) and look.strength == 40 and look.steps == (Tone(0.5),), "limits stay out, and its reach"


def test_files_are_taken_in_and_given_out(surveyed_desk, open_shelf, tmp_path):
    shelf = surveyed_desk.stocking.shelf
    shelf.keep("Evening", STEPS, ("why",))
    dialog = open_shelf()
    dialog.list.setCurrentRow(0)
    dialog.export(tmp_path / "evening.json")
    assert load_stock(tmp_path / "evening.json").reasons == ("why",)
    dialog.take_in(tmp_path / "evening.json")
    assert shelf.names()[:2] == ["Evening", "Evening 2"] and dialog.name == "Evening 2"
    dialog.buttons["Remove"].click()
    assert shelf.names() == ["Evening", *sorted(SHIPPED)]
    (tmp_path / "grade.cube").write_text("LUT_1D_SIZE 2\n0 0 0\n1 1 0.5\n")
    dialog.take_in(tmp_path / "grade.cube")
    dialog.strength.setValue(50)
    dialog.buttons["Use as a look"].click()
    (look,) = surveyed_desk.session.document.treatment
    assert look.apply(np.ones(3), surveyed_desk.session.source) == pytest.approx([1, 1, 0.75]), "a LUT file at half strength"
    (tmp_path / "none.json").write_text("{}")
    dialog.take_in(tmp_path / "none.json")
    assert "is not a treatment" in dialog.told.text()


def test_a_title_that_is_no_file_name_is_made_one(tmp_path):
    other, shelf = StockShelf(tmp_path / "other"), StockShelf(tmp_path / "shelf")
    path = other.keep("plain", STEPS)
    path.write_text(path.read_text().replace('"title": "plain"', '"title": "../a: b"'))
    assert shelf.take_in(path) == "a  b" and shelf.take("a  b").steps == STEPS
    path.write_text(path.read_text().replace('"steps"', '"reasons": [3], "steps"'))
    with pytest.raises(SettingsError, match="reasons must be a text"):
        shelf.take_in(path)
    assert as_look("n", (Look("inner", 50, (Tone(1),)), Tone(2)), 30).steps == (Tone(2),)
