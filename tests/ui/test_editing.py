"""Markers for an editor, and an editor's cuts, on the desk."""

import pytest
from PyQt6.QtWidgets import QFileDialog

WAIT = 120_000

LIST = """TITLE: over
FCM: NON-DROP FRAME
001  AX       V     C        00:00:00:00 00:00:00:06 09:59:58:00 09:59:58:06
002  AX       V     C        00:00:00:00 00:00:00:18 09:59:58:06 09:59:58:24
"""


@pytest.fixture
def listed(tmp_path):
    path = tmp_path / "list.edl"
    path.write_text(LIST)
    return path


def test_cuts_are_taken_as_one_act(surveyed_desk, qtbot, listed, monkeypatch):
    desk, session = surveyed_desk, surveyed_desk.session
    before = list(session.shots)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(listed), ""))
    desk.acts["edit-list"].trigger()
    qtbot.waitUntil(lambda: [shot.first for shot in session.shots] == [0, 6], timeout=WAIT)
    assert "shots begin at 1 frame after the first" in desk.header.message
    qtbot.waitUntil(lambda: {finding.shot for finding in session.findings} == {1}, timeout=WAIT)
    session.document.undo()
    assert session.shots == before
    listed.write_text(LIST.replace("09:", "11:"))
    desk.acts["edit-list"].trigger()
    qtbot.waitUntil(lambda: "is about other times" in desk.header.message, timeout=WAIT)
    assert session.shots == before


def test_a_list_that_is_read_while_the_shots_are_measured_anew_is_not_taken(surveyed_desk, qtbot, listed):
    desk, session = surveyed_desk, surveyed_desk.session
    before = list(session.shots)
    desk.editing.take_cuts(listed)
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.programmes.survey_again()
    qtbot.waitUntil(lambda: desk.work.beside.kind is None, timeout=WAIT)
    assert session.shots == before and session.document.undoes is None


def test_markers_are_saved_in_the_form_that_was_chosen(surveyed_desk, qtbot, tmp_path, monkeypatch):
    desk = surveyed_desk
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "marks"), "Captions (*.vtt)"))
    desk.acts["markers"].trigger()
    qtbot.waitUntil(lambda: "marks.vtt holds 2 shots and" in desk.header.message, timeout=WAIT)
    assert (tmp_path / "marks.vtt").read_text().startswith("WEBVTT")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "no" / "marks.EDL"), ""))
    desk.acts["markers"].trigger()
    qtbot.waitUntil(lambda: "could not be written" in desk.header.message, timeout=WAIT)
