"""The desk's parts by themselves: header, lines, workers, figures of areas, the form for a target."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtWidgets import QDialogButtonBox, QFormLayout, QMenuBar, QWidget

from bluffline.errors import WriteError
from bluffline.gauges.scale import Unit
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.reading import read_selection
from bluffline.media.codecs import Codec
from bluffline.media.probe import probe
from bluffline.rules.rulefile import load_rules
from bluffline.signal.matrix import standard
from bluffline.survey.monitor import Progress
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.ui.dialogs.target import TargetRows
from bluffline.ui.header import Header
from bluffline.ui.picture.readings import AreasPanel, describe_reading
from bluffline.ui.picture.workers import FrameWorker
from bluffline.ui.style.line import Line
from bluffline.ui.style.style import dress, font, image_of, percent, signed
from bluffline.view.costs import Work
from bluffline.view.preview import AreaReading, Region, View
from clips import signal, to_planes

WAIT = 60_000


@pytest.fixture
def header(qtbot, qapp):
    dress(qapp)
    made = Header(QMenuBar())
    qtbot.addWidget(made)
    return made


@pytest.mark.parametrize(
    ("progress", "words", "filled"),
    [
        (Progress("Survey", 250, 1000, 5.0), "Survey: 250 of 1000 frames · 50 frames/s · 15 s left", 250),
        (Progress("Shots", 2, 4, 1.0, "shots"), "Shots: 2 of 4 shots · 2.0 shots/s · 1 s left", 500),
        (
            Progress("Checksum of the source", 6 << 30, 12 << 30, 8.0, "bytes"),
            "Checksum of the source: 6442 of 12884 MB · 805 MB/s · 8 s left",
            500,
        ),
        (Progress("Render", 0, 0, 0.0), "Render: 0 of 0 frames · 0.0 frames/s · 0 s left", 0),
    ],
)
def test_progress_of_every_size_is_shown(header, progress, words, filled):
    header.show_progress(progress)
    assert header.message == words and header.bar.value() == filled and not header.cancel_button.isHidden()
    header.end_progress()
    assert header.message == "" and header.cancel_button.isHidden()


def test_the_next_thing_to_press_is_the_one_that_is_tinted(header):
    for name in ("open", "legalise", "prove"):
        header.point_to(name)
        assert [n for n, button in header.buttons.items() if button.property("next")] == [name]


def test_a_line_elides_what_does_not_fit_and_tells_it_in_its_tip(qtbot):
    line = Line(font(12))
    qtbot.addWidget(line)
    line.resize(60, 20)
    line.setText("a sentence that is much longer than sixty pixels")
    line.grab()
    assert line.toolTip() == line.text() == line.accessibleDescription()
    line.setText("short")
    line.grab()
    assert line.toolTip() == ""


def test_figures_are_written_as_the_desk_writes_them():
    assert percent(-0.04) == "0.0 %" and percent(-1.25) == "−1.2 %" and percent(103, 0) == "103 %"
    assert signed(0.04, "°") == "0.0°" and signed(-3.26, " %") == "−3.3 %" and signed(2, "") == "+2.0"
    assert [standard(name) for name in ("bt709", "p3")] == ["BT.709", "P3"]


def test_an_image_reads_its_pixels_where_they_are(qapp):
    pixels = np.full((3, 5), 0xFF102030, np.uint32)
    image = image_of(pixels)
    pixels[1, 2] = 0xFFA0B0C0
    assert image.pixelColor(2, 1).getRgb() == (0xA0, 0xB0, 0xC0, 255) and image.pixelColor(0, 0).red() == 0x10


@pytest.mark.parametrize(
    ("unit", "luma"), [(Unit.PERCENT, "Y′ 50.0 %"), (Unit.MILLIVOLT, "Y′ 350 mV"), (Unit.CODE_8, "Y′ 126")]
)
def test_an_area_is_described_in_the_unit_in_force(unit, luma):
    source = signal(sampling="444")
    now, then = (
        read_selection(FrameSignal(to_planes(np.full((48, 64, 3), v), source), source), Selection.whole(source))
        for v in (0.5, 0.4)
    )
    words = describe_reading(AreaReading("card", now, then), source, unit).split("\n")
    assert words[0] == "<b>card</b> · 3072 px" and words[1].startswith(luma) and "code 502 ± 0" in words[1]
    assert "neutral" in words[3:5] and words[-2].startswith("this − compared: Y′ +10.0 %, ΔE ")


@pytest.mark.parametrize(("transfer", "grey", "told"), [
    ("pq", 0.5806, "203 cd/m²"), ("pq", 0.1, "0.32"), ("hlg", 0.75, "203 cd/m²"), ("hlg", 0.38, "26"), ("bt709", 0.5, None),
])  # fmt: skip
def test_hdr_is_read_in_light(transfer, grey, told):
    source = replace(signal(depth=12), transfer=transfer)
    frame = FrameSignal(to_planes(np.full((48, 64, 3), grey), source), source)
    words = describe_reading(AreaReading("card", read_selection(frame, Selection.whole(source))), source, Unit.PERCENT)
    (light,) = [line for line in words.split("\n") if "cd/m²" in line] or [None]
    assert light is None if told is None else light.startswith(told)


def test_the_panel_keeps_its_labels_and_hides_those_it_does_not_need(qtbot):
    panel, source = AreasPanel(), signal()
    qtbot.addWidget(panel)
    reading = read_selection(FrameSignal(to_planes(np.full((48, 64, 3), 0.5), source), source), Selection.whole(source))
    panel.show_readings((AreaReading("a", reading), AreaReading("b", reading)), source, Unit.PERCENT)
    labels = list(panel.labels)
    panel.show_readings((AreaReading("c", reading),), source, Unit.PERCENT)
    assert panel.labels == labels and labels[1].isHidden() and "<b>c</b>" in panel.text


def test_a_target_follows_its_codec_and_says_what_would_go_wrong(qtbot, tmp_path):
    def refuse(path: Path, codec: Codec) -> None:
        assert codec is rows.codec
        if path.name == "source.mov":
            raise WriteError("That is the source.")

    holder, buttons = QWidget(), QDialogButtonBox()
    qtbot.addWidget(holder)
    rows = TargetRows(tmp_path / "out.mov", "prores", refuse, "will go.")
    rows.add_to(QFormLayout(holder))
    rows.add_button(buttons, "Write")
    assert rows.go.isEnabled() and rows.trouble.text() == ""
    rows.codecs.setCurrentIndex(rows.codecs.findData("ffv1"))
    assert rows.target == tmp_path / "out.mkv" and rows.codec.name == "ffv1"
    (tmp_path / "out.mkv").touch()
    rows.path.setText(str(tmp_path / "out.mkv") + " ")
    assert rows.trouble.text() == "out.mkv exists and will go." and rows.go.isEnabled()
    rows.codecs.setCurrentIndex(rows.codecs.findData("prores"))
    rows.path.setText(str(tmp_path / "source.mov"))
    assert rows.trouble.text() == "That is the source." and not rows.go.isEnabled()


@pytest.fixture
def frames_at_work(qapp, over_clip):
    """A worker on a clip, the view it is asked for, and the frames it has told."""
    worker, programme, shown = FrameWorker(), probe(over_clip), []
    rules, source = load_rules("r103"), programme.format
    worker.ready.connect(lambda _, preview: shown.append(preview.frame))
    worker.set_programme(programme)
    yield worker, View(source, Region.whole(source), rules.limits, FrameTreatment((), source), (64, 32)), shown
    worker.stop()


def test_frames_made_ahead_are_told_at_once_and_only_once(qtbot, frames_at_work, over_clip):
    worker, view, shown = frames_at_work
    worker.ask(3, view, Work(view.source), ahead=True)
    qtbot.waitUntil(lambda: shown == [3] and worker.idle, timeout=WAIT)
    worker.ask(4, view, Work(view.source))
    assert shown == [3, 4], "it was made while frame 3 was looked at"
    worker.ask(20, view, Work(view.source))
    qtbot.waitUntil(lambda: worker.idle and 20 in shown, timeout=WAIT)
    assert shown == [3, 4, 20]
    worker.set_programme(probe(over_clip))
    worker.ask(20, view, Work(view.source))
    assert shown == [3, 4, 20], "a frame of another programme is never told as this one's"
    qtbot.waitUntil(lambda: shown == [3, 4, 20, 20], timeout=WAIT)


def test_only_frames_that_follow_one_another_tell_what_reading_costs(qtbot, frames_at_work, monkeypatch):
    worker, view, shown = frames_at_work
    read = []
    monkeypatch.setattr(worker.costs, "read", read.append)
    for frame, count in ((0, 0), (7, 0), (8, 1), (3, 1)):
        worker.ask(frame, view, Work(view.source))
        qtbot.waitUntil(lambda frame=frame: worker.idle and shown[-1:] == [frame], timeout=WAIT)
        assert len(read) == count, "to begin to read is not to go on"


def test_frames_asked_for_in_between_are_skipped_and_the_last_one_comes(qtbot, frames_at_work):
    worker, view, shown = frames_at_work
    for frame in range(24):
        worker.ask(frame, view, Work(view.source))
    worker.wait_until_idle(WAIT / 1000)
    assert worker.idle, "what is held back for frames goes on once they are made"
    qtbot.waitUntil(lambda: bool(shown) and shown[-1] == 23, timeout=WAIT)
    assert len(shown) < 24 and shown == sorted(shown)
    with qtbot.waitSignal(worker.failed, timeout=WAIT) as told:
        worker.ask(99, view, Work(view.source))
    assert "no frame 99" in told.args[1].sentence
