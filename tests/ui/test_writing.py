"""Writing and proving from the desk, and the dialog before it, on the offscreen platform."""

from pathlib import Path

from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QLabel, QPushButton

from bluffline.media.codecs import CODECS
from bluffline.media.target import certificate_paths
from bluffline.session.session import Session
from bluffline.signal.format import Overrides
from bluffline.signal.matrix import Matrix
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey
from bluffline.ui.dialogs.write import WriteDialog
from clips import make_clip, numbered

WAIT = 120_000


def test_proof_writes_the_file_and_its_certificate(surveyed_desk, qtbot, tmp_path, monkeypatch):
    desk = surveyed_desk
    desk.work.legalise()
    qtbot.waitUntil(lambda: bool(desk.session.document.treatments) and desk.jobs.kind is None, timeout=WAIT)
    target = tmp_path / "legal.mkv"
    with qtbot.waitSignal(desk.proved, timeout=WAIT):
        desk.work.start_proof(target, "ffv1")
    assert target.exists() and (tmp_path / "legal.mkv.certificate.html").exists()
    assert "proved legal" in desk.header.message
    result = desk.work.result_dialog
    words = " ".join(label.text() for label in result.findChildren(QLabel))
    assert result.isVisible() and "Picture proved legal" in words and "Luma over" in words
    assert "Nothing is left" in result.left.text()
    opened = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()))
    buttons = {button.text(): button for button in result.findChildren(QPushButton)}
    buttons["Print it as PDF"].click()
    qtbot.waitUntil(lambda: "lies beside the certificate" in desk.header.message, timeout=WAIT)
    assert certificate_paths(target).printed.read_bytes().startswith(b"%PDF")
    desk.acts["print"].trigger()  # of what is in view, which nobody has certified
    qtbot.waitUntil(lambda: "There is no certificate" in desk.header.message, timeout=WAIT)
    for words in ("Open the certificate", "Open its folder", "Close"):
        buttons[words].click()
    assert {Path(name) for name in opened} == {target.parent, target.with_name(f"{target.name}.certificate.html")}
    assert not result.isVisible()


def test_all_that_is_not_judged_can_be_read_before_writing(surveyed_desk, qtbot, monkeypatch):
    monkeypatch.setattr("bluffline.ui.dialogs.write.not_judged", lambda _: ["size, rate and scan, length, " * 20])
    dialog = WriteDialog(surveyed_desk.session, surveyed_desk)
    qtbot.addWidget(dialog)
    dialog.show()
    for label in dialog.findChildren(QLabel):
        if label.isVisible() and label.wordWrap():
            assert label.height() >= label.heightForWidth(label.width()), label.text()
    dialog.done(0)


def test_the_write_dialog_says_what_would_go_wrong(surveyed_desk, qtbot):
    dialog = WriteDialog(surveyed_desk.session, surveyed_desk)
    qtbot.addWidget(dialog)
    go = next(b for b in dialog.findChildren(QPushButton) if b.text() == "Prove and write")
    assert go.isEnabled() and dialog.rows.target.suffix == ".mov"
    dialog.rows.path.setText(str(surveyed_desk.session.programme.path))
    assert not go.isEnabled()
    dialog.rows.codecs.setCurrentIndex(dialog.rows.codecs.findData("ffv1"))
    assert "source itself" in dialog.rows.trouble.text()
    assert dialog.handed.text().startswith("All frames are encoded anew: not every frame of it stands alone")
    dialog.done(0)
    surveyed_desk.session.survey_again(overrides=Overrides(matrix=Matrix.BT601))
    dialog = WriteDialog(surveyed_desk.session, surveyed_desk)
    qtbot.addWidget(dialog)
    dialog.rows.codecs.setCurrentIndex(dialog.rows.codecs.findData("dnxhr"))
    assert "can't say that its matrix is BT.601" in dialog.rows.trouble.text()
    dialog.done(0)


def test_the_write_dialog_begins_with_the_codec_of_the_source_and_says_what_is_handed_on(surveyed_desk, qtbot, tmp_path):
    session = Session()
    session.open(make_clip(tmp_path / "own.mkv", numbered, 12, options=dict(CODECS["ffv1"].options)))
    run_survey(session.survey, Monitor())
    session.refresh()
    dialog = WriteDialog(session, surveyed_desk)
    qtbot.addWidget(dialog)
    assert (dialog.rows.codec.name, dialog.rows.target.suffix) == ("ffv1", ".mkv")
    assert dialog.handed.text() == "Frames that are not treated go over as they are coded."
    dialog.done(0)
