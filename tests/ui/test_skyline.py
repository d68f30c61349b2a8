"""The skyline, driven by mouse and keys on the offscreen platform."""

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication

WAIT = 120_000


def test_the_skyline_goes_zooms_and_shows_all(surveyed_desk, qtbot):
    desk = surveyed_desk
    sky, middle = desk.skyline, desk.skyline.height() // 2
    qtbot.mouseClick(sky, Qt.MouseButton.LeftButton, pos=QPoint(round(sky.x_of(15.5)), middle))
    assert desk.session.place.frame == 15
    place = QPointF(sky.x_of(12), middle)
    wheel = QWheelEvent(
        place,
        sky.mapToGlobal(place),
        QPoint(),
        QPoint(0, 240),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(sky, wheel)
    assert sky.frame_at(place.x()) in (11, 12) and sky.x_of(24) > sky.width()
    qtbot.keyClick(desk, Qt.Key.Key_0)
    assert sky.x_of(24) <= sky.width()
    mark = sky.mark_place(desk.session.findings[1])
    qtbot.mouseClick(sky, Qt.MouseButton.LeftButton, pos=mark.toPoint())
    assert desk.session.place.selected == desk.session.findings[1]


def test_marks_follow_what_is_found(surveyed_desk, qtbot):
    session, sky = surveyed_desk.session, surveyed_desk.skyline

    def marks():
        return sky.grab(QRect(0, 0, sky.width(), 20)).toImage()

    marks()  # what was drawn while the survey grew stands a moment longer
    qtbot.wait(50)
    before = marks()
    judged = session._judged
    session.take_judged(replace(judged, findings=[]))
    qtbot.waitUntil(lambda: marks() != before, timeout=WAIT)
    assert not session.findings and marks() == marks(), "what comes a moment later is all that comes"
    session.take_judged(judged)
    qtbot.waitUntil(lambda: marks() == before, timeout=WAIT)
    drawn = []
    sky._over.timeout.connect(lambda: drawn.append(marks()))
    session.survey_again()
    qtbot.wait(100)
    assert marks() != before and len(drawn) < 3, "nothing is measured yet, so nothing is marked, nor drawn for ever"


def test_the_silhouette_hatches_what_is_outside_and_nothing_else(surveyed_desk):
    sky = surveyed_desk.skyline
    image = sky.drawn_silhouette(240, 100)
    grey = np.frombuffer(image.constBits().asstring(100 * image.bytesPerLine()), np.uint8).reshape(100, -1)[:, :240]
    assert (grey[:, 130:] == 245).any() and not (grey[:, :110] == 245).any()
