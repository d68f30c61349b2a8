"""The files in hand on the desk, and findings that are waived, driven as an operator drives them."""

import shutil

from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QInputDialog

from bluffline.media.target import certificate_paths
from bluffline.rules.finding import Waiver
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.shift.delivery import what_goes
from bluffline.shift.profile import Profile
from bluffline.shift.states import State
from bluffline.ui.actions import programmes, who
from bluffline.ui.desk import Desk
from bluffline.ui.dialogs.result import ResultDialog

WAIT = 30_000
LEFT = Qt.MouseButton.LeftButton


def dropped(desk, *paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    event = QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier)
    desk.dropEvent(event)


def states(desk):
    return {file.path.name: file.state for file in desk.shifting.shift.files}


MEASURED = {"good.mkv": State.GOOD, "over.mkv": State.TO_FIX, "torn.mov": State.REFUSED}


def test_what_is_dropped_together_is_taken_in_hand_measured_and_worked_through_by_keys(desk, qtbot, folder, monkeypatch):
    dropped(desk, *folder.iterdir())
    assert desk.in_hand and not desk.acts["play"].isEnabled() and desk.acts["shift-next"].isEnabled()
    qtbot.waitUntil(lambda: states(desk) == MEASURED, timeout=WAIT)
    place = desk.shifting.place
    qtbot.waitUntil(lambda: [file.state for file in place.rows.files] == list(MEASURED.values()), timeout=WAIT)
    assert place.grab().toImage().width() > 600
    place.strip._choose(frozenset({State.TO_FIX, State.REFUSED}))
    assert [file.path.name for file in place.rows.files] == ["over.mkv", "torn.mov"]
    place.strip._choose(None)
    place.search.setText("good mkv")
    assert [file.path.name for file in place.rows.files] == ["good.mkv"] and place.current.path.name == "good.mkv"
    assert place.chosen.buttons["certify"].isEnabled() and not place.chosen.buttons["legalise"].isEnabled()
    qtbot.keyClick(place.list, Qt.Key.Key_C)
    qtbot.waitUntil((folder / "good.mkv.certificate.html").exists, timeout=WAIT)
    place.search.setText("")
    qtbot.waitUntil(lambda: not place.rows.files[0].asked_for, timeout=WAIT)
    said = []

    def answer(dialog):
        said.append(dialog.name.text())
        assert dialog.accept_button.isEnabled() is bool(said[-1])
        dialog.name.setText(" Rosalind ")
        dialog.station.setText("Larkmoor Television")
        assert dialog.accept_button.isEnabled() and dialog.grab().toImage().width() > 300
        return True

    monkeypatch.setattr(who, "asked", answer)
    qtbot.keyClick(place.list, Qt.Key.Key_D)
    assert states(desk)["good.mkv"] is State.DELIVERED and desk.who.known == "Rosalind, Larkmoor Television"
    assert desk.shifting.shift.files[0].by == desk.who.known and said == [""]
    desk.acts["who"].trigger()
    assert said == ["", "Rosalind"] and Settings.load(desk.settings.path).station == "Larkmoor Television"

    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.acts["shift-next"].trigger()
    assert not desk.in_hand and desk.session.programme.path == folder / "over.mkv"
    assert desk.session.place.selected is not None and desk.acts["play"].isEnabled(), "where it is worst"
    desk.acts["legalise"].trigger()
    qtbot.waitUntil(lambda: 1 in desk.session.document.treatments, timeout=WAIT)
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    with qtbot.waitSignal(desk.proved, timeout=WAIT):
        desk.work.start_proof(folder / "proved.mov", "prores")
    desk.work.result_dialog.close()
    assert states(desk)["over.mkv"] is State.PROVED and desk.shifting.shift.next() is None
    file = next(file for file in desk.shifting.shift.files if file.path.name == "over.mkv")
    assert what_goes(file.path, file.told)[0] == folder / "proved.mov", "what was proved here is what is handed on"


def test_the_next_comes_from_the_result_and_what_is_refused_goes_back_or_to_another_profile(desk, qtbot, folder, monkeypatch):
    shutil.copy(folder / "over.mkv", folder / "second.mkv")
    (folder / "second.mkv").touch()
    monkeypatch.setattr(who, "asked", lambda _: False)  # who does not say is called as the machine calls its user
    monkeypatch.setenv("USER", "duty")
    dropped(desk, *folder.iterdir())
    qtbot.waitUntil(lambda: states(desk) == MEASURED | {"second.mkv": State.TO_FIX}, timeout=WAIT)
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.acts["shift-next"].trigger()
    desk.acts["legalise"].trigger()
    qtbot.waitUntil(lambda: 1 in desk.session.document.treatments and desk.jobs.kind is None, timeout=WAIT)
    with qtbot.waitSignal(desk.proved, timeout=WAIT):
        desk.work.start_proof(folder / "proved.mov", "prores")
    dialog = desk.work.result_dialog
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        qtbot.keyClick(dialog, Qt.Key.Key_F3)
    assert desk.session.programme.path.name == "second.mkv"
    qtbot.waitUntil(lambda: not desk.findChildren(ResultDialog), timeout=WAIT)
    desk.acts["shift"].trigger()
    place = desk.shifting.place
    place.search.setText("torn")
    qtbot.keyClick(place.list, Qt.Key.Key_B)
    qtbot.waitUntil(lambda: states(desk)["torn.mov"] is State.SENT_BACK, timeout=WAIT)
    assert [file.by for file in desk.shifting.shift.files if file.path.name == "torn.mov"] == ["duty"]
    place.search.setText("second")
    desk.shifting.shift.profiles.append(Profile("strict", rules="strict"))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_, **__: ("strict", True))
    qtbot.waitUntil(place.chosen.buttons["profile"].isEnabled, timeout=WAIT)
    qtbot.keyClick(place.list, Qt.Key.Key_P)
    second = folder / "second.mkv"
    qtbot.waitUntil(lambda: [f.profile.name for f in desk.shifting.shift.files if f.path == second] == ["strict"], timeout=WAIT)
    qtbot.waitUntil(lambda: states(desk)["second.mkv"] is State.TO_FIX, timeout=WAIT)
    assert place.grab().toImage().width() > 600


def test_one_file_is_opened_and_what_was_in_hand_is_there_in_the_next_sitting(desk, qtbot, folder, tmp_path):
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        dropped(desk, folder / "good.mkv")
    assert not desk.in_hand and desk.session.programme.path.name == "good.mkv"
    desk.acts["shift"].trigger()
    assert desk.in_hand and desk.shifting.place.rows.files == []
    dropped(desk, folder)
    qtbot.waitUntil(lambda: states(desk) == MEASURED, timeout=WAIT)
    desk.acts["shift"].trigger()
    assert not desk.in_hand
    second = Desk(Session(), Settings(tmp_path / "other.json"))
    qtbot.addWidget(second)
    second.shifting.begin()
    assert "Another desk has the files in hand" in second.header.message and not second.in_hand
    desk.shifting.stop()
    shutil.copy(folder / "good.mkv", folder / "torn.mov")
    second.shifting.begin()
    qtbot.waitUntil(lambda: states(second)["torn.mov"] is State.GOOD, timeout=WAIT)
    assert not second.in_hand, "it goes on by itself"
    second.acts["shift"].trigger()
    assert {file.path.name for file in second.shifting.place.rows.files} == set(MEASURED)
    second.end()


def test_a_finding_is_waived_listed_counted_and_taken_back(surveyed_desk, qtbot, monkeypatch):
    desk, session = surveyed_desk, surveyed_desk.session
    desk.acts["waive"].trigger()
    assert "Pick the finding" in desk.header.message
    session.place.select(session.findings[0])

    def answer(dialog):
        assert not dialog.accept_button.isEnabled()
        dialog.reason.setText("lamp in view, as agreed")
        dialog.by.setText("Duty editor")
        assert dialog.accept_button.isEnabled()
        dialog.choices[choice][0].setChecked(True)
        return True

    monkeypatch.setattr(programmes, "asked", answer)
    choice = 0
    desk.acts["waive"].trigger()
    assert session.must_fix_count == 2 and session.left_count == 2 and session.findings[0].waiver.by == "Duty editor"
    assert session.place.selected == session.findings[0], "it is still the one that is picked"
    rows = desk.findings.rows
    tip = rows.index(0, 0, rows.index(0, 0)).data(Qt.ItemDataRole.ToolTipRole)
    assert "waived by Duty editor" in tip and rows.item(0).rowCount() >= 3
    assert desk.findings.grab().toImage().width() > 0
    desk.acts["waive"].trigger()
    assert session.must_fix_count == 3
    desk.acts["undo"].trigger()
    assert session.must_fix_count == 2
    session.place.select(session.findings[1])
    choice = 1
    desk.acts["waive"].trigger()
    assert session.must_fix_count == 0 and all(found.waiver for found in session.findings if found.shot == 1)
    assert desk.acts["certify"].isEnabled(), "nothing is left to fix"
    with qtbot.waitSignal(desk.work.ended, timeout=WAIT):
        desk.acts["certify"].trigger()
    pages = certificate_paths(session.programme.path)
    page = pages.page.read_text()
    for each in pages:
        each.unlink()  # the file is that of other tests as well
    assert "lamp in view, as agreed" in page and "waived" in page


def test_a_file_whose_findings_are_waived_on_the_desk_is_good_in_the_list(desk, qtbot, folder):
    dropped(desk, folder)
    qtbot.waitUntil(lambda: states(desk) == MEASURED, timeout=WAIT)
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.acts["shift-next"].trigger()
    desk.session.document.waive(Waiver("", "as agreed", "Duty editor", "2026-11-29T16:41:00Z", 0, 23))
    assert desk.session.must_fix_count == 0
    desk.acts["shift"].trigger()
    qtbot.waitUntil(lambda: states(desk)["over.mkv"] is State.GOOD, timeout=WAIT)
    place = desk.shifting.place
    qtbot.waitUntil(lambda: any("waived" in place.rows.index(n).data() for n in range(3)), timeout=WAIT)


def test_files_in_hand_go_to_other_machines_by_a_setting_and_stay_here_where_none_answer(desk, qtbot, folder, monkeypatch):
    monkeypatch.setattr("bluffline.shift.cluster._WAIT", 1)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: (" tcp://127.0.0.1:9 ", True))
    desk.acts["shift-where"].trigger()
    assert Settings.load(desk.settings.path).cluster == "tcp://127.0.0.1:9"
    assert "behind tcp://127.0.0.1:9" in desk.header.message
    dropped(desk, *folder.iterdir())
    qtbot.waitUntil(lambda: states(desk) == MEASURED, timeout=WAIT)
    assert any("There is no scheduler at tcp://127.0.0.1:9" in words for _, words in desk.header.said)
    assert desk.shifting.shift.elsewhere
    monkeypatch.setattr(QInputDialog, "getText", lambda *_: ("", True))
    desk.acts["shift-where"].trigger()
    assert not desk.shifting.shift.elsewhere and "by this machine" in desk.header.message
