"""Delivering from the desk, to a gateway that runs."""

import shutil

import pytest
from PyQt6.QtWidgets import QInputDialog, QPushButton

from bluffline.media.target import certificate_paths
from bluffline.session.jobs import Kind
from bluffline.shift import sending
from gateways import running

WAIT = 120_000


@pytest.fixture
def proved_desk(surveyed_desk, qtbot, tmp_path):
    desk = surveyed_desk
    desk.work.legalise()
    qtbot.waitUntil(lambda: bool(desk.session.document.treatments) and desk.jobs.kind is None, timeout=WAIT)
    with qtbot.waitSignal(desk.proved, timeout=WAIT):
        desk.work.start_proof(tmp_path / "legal.mkv", "ffv1")
    return desk


def test_what_was_proved_is_delivered_stopped_and_gone_on_with(proved_desk, qtbot, tmp_path, monkeypatch):
    desk, target = proved_desk, tmp_path / "legal.mkv"
    monkeypatch.setattr(sending, "_PIECE", 2000)
    with running(tmp_path / "g") as (address, _):
        monkeypatch.setattr(QInputDialog, "getText", lambda *_: (address, True))
        (button,) = [each for each in desk.work.result_dialog.findChildren(QPushButton) if each.text() == "Deliver …"]
        button.click()
        qtbot.waitUntil(desk.header.bar.isVisible, timeout=WAIT)
        desk.cancel()  # Esc, which puts tools down
        assert desk.delivering.busy
        desk.header.cancel_button.click()
        qtbot.waitUntil(lambda: not desk.delivering.busy and "delivered again, it goes on" in desk.header.message, timeout=WAIT)
        assert not desk.header.bar.isVisible()
        button.click()
        qtbot.waitUntil(lambda: f"legal.mkv is delivered: {address} accepted it" in desk.header.message, timeout=WAIT)
        assert (tmp_path / "g" / "accepted" / "legal.mkv").read_bytes() == target.read_bytes()
        assert desk.settings.gateway == address
        shutil.copy(target, tmp_path / "other.mkv")
        for path, there in zip(certificate_paths(target), certificate_paths(tmp_path / "other.mkv"), strict=True):
            shutil.copy(path, there)
        (tmp_path / "other.mkv").write_bytes(b"another film")
        desk.delivering.deliver(tmp_path / "other.mkv", address)
        assert desk.acts["stop-delivering"].isEnabled()
        desk.delivering.deliver(target, address)
        assert "Another file is being delivered" in desk.header.message
        qtbot.waitUntil(lambda: "other.mkv was sent back by" in desk.header.message, timeout=WAIT)
    desk.acts["deliver"].trigger()  # of what is in view, which nobody has certified
    qtbot.waitUntil(lambda: "is not there, so over.mkv is not delivered" in desk.header.message, timeout=WAIT)


def test_other_work_goes_on_beside_it(proved_desk, qtbot, tmp_path):
    desk = proved_desk
    with running(tmp_path / "g") as (address, _):
        desk.delivering.deliver(tmp_path / "legal.mkv", address)
        with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
            desk.programmes.survey_again()
            assert desk.jobs.kind is Kind.SURVEY
        qtbot.waitUntil(lambda: not desk.delivering.busy, timeout=WAIT)
    assert (tmp_path / "g" / "accepted" / "legal.mkv").exists()
