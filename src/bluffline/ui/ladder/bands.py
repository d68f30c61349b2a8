"""Bands on the bench: their limits over the histogram, a tint pad that lies as the vectorscope does, and their figures."""

from dataclasses import fields, replace
from functools import partial
from typing import get_args, get_type_hints

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from bluffline.errors import SettingsError
from bluffline.treat.kinds.bands import MOST_BANDS, Band, Bands, weights_of
from bluffline.treat.step import Number, Step
from bluffline.ui.ladder.figures import FigureBox
from bluffline.ui.ladder.graph import WAYS, Axes, Graph
from bluffline.ui.style.buttons import quiet_button
from bluffline.ui.style.style import DIM, LINE, TEXT, TINT, WELL, font

_GRIP = 6
_FINER = 0.2
_SHOWN = (-8.0, 112.0)
_FIELDS: dict[str, Number] = {
    one.name: get_args(get_type_hints(Band, include_extras=True)[one.name])[1] for one in fields(Band)
}
_PAD_REACH = 15.0  # percent of Cb and Cr from the middle of the pad to its edge
_NEW = (Band(0, 30, 10), Band(30, 70, 10), Band(70, 100, 10))  # shadows, mid-tones, highlights


class BandGraph(Graph):
    """Bands over the histogram: drag a limit, or between them the whole band; drag what falls off to make it softer."""

    moved = pyqtSignal(int, object)  # which, the band
    begun = pyqtSignal()
    chosen_changed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.axes = Axes(_SHOWN, (0.0, 1.0), (0, 25, 50, 75, 100), (0, 1), (" %", ""))
        self.bands: tuple[Band, ...] = ()
        self.chosen = 0
        self._drag: tuple[int, str, float, Band] | None = None
        self.setAccessibleName("Bands over the histogram")
        self.setToolTip("Drag a line to move a limit, the dotted one for softness, the band itself for both; Shift is finer")

    def show_bands(self, bands: tuple[Band, ...], chosen: int) -> None:
        """Show bands, one of them chosen."""
        self.bands, self.chosen = bands, chosen
        self.update()

    def _lines(self, band: Band) -> dict[str, float]:
        """Where the lines stand that can be taken hold of."""
        return {"low": band.low, "high": band.high, "softness": band.high + band.softness}

    def _at(self, point: QPointF) -> tuple[int, str] | None:
        """The line of the chosen band under a point; else the band that is there."""
        along, _ = self.place_at(point)
        for name, value in self._lines(self.bands[self.chosen]).items() if self.bands else ():
            if abs(self.at(value, 0).x() - point.x()) <= _GRIP:
                return self.chosen, name
        order = sorted(range(len(self.bands)), key=lambda n: n != self.chosen)
        inside = [n for n in order if self.bands[n].low <= along <= self.bands[n].high]
        return (inside[0], "all") if inside else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        held = self._at(event.position())
        if held is None:
            return
        number, part = held
        self.begun.emit()
        self._drag = number, part, self.place_at(event.position())[0], self.bands[number]
        if number != self.chosen:
            self.chosen_changed.emit(number)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is None:
            held = self._at(event.position())
            on_line = held is not None and held[1] != "all"
            self.setCursor(Qt.CursorShape.SplitHCursor if on_line else Qt.CursorShape.ArrowCursor)
            return
        number, part, began, band = self._drag
        finer = _FINER if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        self.moved.emit(number, _dragged(band, part, (self.place_at(event.position())[0] - began) * finer))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag = None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        self.paint_ground(painter)
        if not self.bands:
            painter.setPen(DIM)
            painter.setFont(font(12))
            painter.drawText(self.field, Qt.AlignmentFlag.AlignCenter, "No band yet: add one, or Shift+I and a colour")
            return
        along = np.linspace(*_SHOWN, 240)
        for number, weights in enumerate(weights_of(self.bands, along)):
            chosen = number == self.chosen
            painter.setPen(QPen(TINT if chosen else DIM, 2 if chosen else 1.2))
            painter.drawPolyline(QPolygonF([self.at(x, y) for x, y in zip(along.tolist(), weights.tolist(), strict=True)]))
            for name, value in self._lines(self.bands[number]).items() if chosen else ():
                x = self.at(value, 0).x()
                soft = Qt.PenStyle.DotLine if name == "softness" else Qt.PenStyle.DashLine
                painter.setPen(QPen(TINT, 1, soft))
                painter.drawLine(QPointF(x, self.field.top()), QPointF(x, self.field.bottom()))
            middle = self.at((self.bands[number].low + self.bands[number].high) / 2, 1)
            painter.setPen(TINT if chosen else TEXT)
            painter.setFont(font(12, bold=True))
            painter.drawText(QRectF(middle.x() - 12, middle.y() + 4, 24, 16), Qt.AlignmentFlag.AlignCenter, f"{number + 1}")
        self.paint_pointed(painter)


class TintPad(QWidget):
    """A tint: Cb to the right, Cr upwards, as on the vectorscope, so that a push moves the dot the same way."""

    moved = pyqtSignal(float, float)
    begun = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.value = (0.0, 0.0)
        self._from: tuple[QPointF, tuple[float, float]] | None = None
        self.setFixedSize(self.sizeHint())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Tint of the band: Cb to the right, Cr upwards")
        self.setToolTip("Drag as the dot is to move on the vectorscope; Shift is finer; arrows nudge; double-click resets")

    def sizeHint(self) -> QSize:
        return QSize(104, 104)

    def show_value(self, cb: float, cr: float) -> None:
        """Show a tint."""
        self.value = cb, cr
        self.update()

    def event(self, event: QEvent | None) -> bool:
        """Arrows are its own while it has the focus."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and event.key() in WAYS:
            event.accept()
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.begun.emit()
        self._from = event.position(), self.value

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._from is None:
            return
        began, value = self._from
        finer = _FINER if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        per_pixel = 2 * _PAD_REACH / self.width() * finer
        by = (event.position() - began) * per_pixel
        self._move(value[0] + by.x(), value[1] - by.y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._move(0.0, 0.0)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() not in WAYS:
            event.ignore()
            return
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        by = _FIELDS["cb"].finer if shift else _FIELDS["cb"].nudge
        across, up = WAYS[Qt.Key(event.key())]
        self._move(self.value[0] + across * by, self.value[1] + up * by)

    def _move(self, cb: float, cr: float) -> None:
        least, greatest = _FIELDS["cb"].least, _FIELDS["cb"].greatest
        self.moved.emit(*(round(min(max(each, least), greatest), 2) for each in (cb, cr)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        side = self.width() - 2
        middle = QPointF(1 + side / 2, 1 + side / 2)
        painter.fillRect(QRectF(1, 1, side, side), WELL)
        painter.setPen(QPen(LINE, 1))
        painter.drawLine(QPointF(1, middle.y()), QPointF(1 + side, middle.y()))
        painter.drawLine(QPointF(middle.x(), 1), QPointF(middle.x(), 1 + side))
        painter.setFont(font(11))
        painter.setPen(DIM)
        painter.drawText(QRectF(side - 24, middle.y() + 1, 24, 14), Qt.AlignmentFlag.AlignRight, "Cb")
        painter.drawText(QRectF(middle.x() + 4, 2, 24, 14), Qt.AlignmentFlag.AlignLeft, "Cr")
        reach = side / 2 - 5
        cb, cr = (min(max(each / _PAD_REACH, -1), 1) * reach for each in self.value)
        place = QPointF(middle.x() + cb, middle.y() - cr)
        painter.setPen(QPen(TINT, 1.5))
        painter.drawLine(middle, place)
        painter.setBrush(TINT)
        painter.drawEllipse(place, 4, 4)


class BandsEditor(QWidget):
    """All of a banded balance; ``changed`` tells of other bands, and whether they go on a gesture."""

    changed = pyqtSignal(object, bool)
    refused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.bands: tuple[Band, ...] = ()
        self.chosen = 0
        self._fresh = True
        self.graph, self.pad = BandGraph(), TintPad()
        self.numbers = [quiet_button(f"{n + 1}", f"Band {n + 1}", partial(self.choose, n)) for n in range(MOST_BANDS)]
        self.more = quiet_button("+", "Add a band", self.add)
        self.less = quiet_button("−", "Take the chosen band away", self.take_away)
        row = QHBoxLayout()
        row.setSpacing(2)
        for button in (*self.numbers, self.more, self.less):
            row.addWidget(button)
        row.addStretch(1)
        self.boxes: dict[str, FigureBox] = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        grid.setHorizontalSpacing(6)
        for n, (name, declared) in enumerate(_FIELDS.items()):
            label = QLabel(declared.label)
            label.setFont(font(12))
            label.setProperty("role", "dim")
            neutral = 1.0 if name == "chroma" else 0.0
            box = FigureBox(f"Band: {declared.label}", declared, neutral, neutral)
            box.setFixedSize(70, 19)
            box.valueChanged.connect(lambda value, name=name: self._change(name, value))
            grid.addWidget(label, n % 4, 2 * (n // 4))
            grid.addWidget(box, n % 4, 2 * (n // 4) + 1)
            self.boxes[name] = box
        column = QVBoxLayout()
        column.setSpacing(2)
        column.addLayout(row)
        column.addLayout(grid)
        column.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(column)
        layout.addWidget(self.graph, 1)
        layout.addWidget(self.pad, 0, Qt.AlignmentFlag.AlignTop)
        self.graph.chosen_changed.connect(self.choose)
        self.graph.moved.connect(self._moved)
        self.pad.moved.connect(self._tinted)
        for part in (self.graph, self.pad):
            part.begun.connect(self._begin)

    def show_step(self, step: Step) -> None:
        """Show the figures in force."""
        assert isinstance(step, Bands), "its declaration says who draws it"
        if len(step.bands) > len(self.bands):
            self.chosen = len(step.bands) - 1
        self.bands = step.bands
        self.chosen = min(self.chosen, max(len(self.bands) - 1, 0))
        self.setEnabled(step.on)
        for n, button in enumerate(self.numbers):
            button.setVisible(n < len(self.bands))
            button.setCheckable(True)
            button.setChecked(n == self.chosen)
        self.more.setEnabled(len(self.bands) < MOST_BANDS)
        self.less.setEnabled(bool(self.bands))
        self.graph.show_bands(self.bands, self.chosen)
        band = self.bands[self.chosen] if self.bands else Band()
        self.pad.setEnabled(bool(self.bands))
        self.pad.show_value(band.cb, band.cr)
        for name, box in self.boxes.items():
            box.setEnabled(bool(self.bands))
            box.blockSignals(True)
            box.setValue(getattr(band, name))
            box.blockSignals(False)

    def choose(self, number: int) -> None:
        """Work on another band."""
        self.chosen = number
        self.show_step(Bands(self.bands))

    def add(self) -> None:
        """Add a band: shadows, mid-tones and highlights first."""
        made = _NEW[len(self.bands)] if len(self.bands) < len(_NEW) else Band(40, 60, 10)
        self.changed.emit((*self.bands, made), False)

    def take_away(self) -> None:
        """Take the chosen band away."""
        self.changed.emit(tuple(band for n, band in enumerate(self.bands) if n != self.chosen), False)

    def _begin(self) -> None:
        self._fresh = True

    def _moved(self, number: int, band: Band) -> None:
        self._give(number, band, goes_on=not self._fresh)
        self._fresh = False

    def _tinted(self, cb: float, cr: float) -> None:
        if self.bands:
            self._give(self.chosen, replace(self.bands[self.chosen], cb=cb, cr=cr), goes_on=not self._fresh)
            self._fresh = False

    def _change(self, name: str, value: float) -> None:
        if not self.bands:
            return
        try:
            self._give(self.chosen, replace(self.bands[self.chosen], **{name: value}), goes_on=False)
        except SettingsError as error:
            self.show_step(Bands(self.bands))
            self.refused.emit(str(error))

    def _give(self, number: int, band: Band, *, goes_on: bool) -> None:
        self.changed.emit((*self.bands[:number], band, *self.bands[number + 1 :]), goes_on)


def _dragged(band: Band, part: str, by: float) -> Band:
    """A band with a limit, its softness or all of it moved by so much; it never runs downwards."""
    least, greatest = _FIELDS["low"].least, _FIELDS["low"].greatest
    if part == "low":
        return replace(band, low=round(min(max(band.low + by, least), band.high), 2))
    if part == "high":
        return replace(band, high=round(max(min(band.high + by, greatest), band.low), 2))
    if part == "softness":
        return replace(band, softness=round(min(max(band.softness + by, 0), _FIELDS["softness"].greatest), 2))
    by = min(max(by, least - band.low), greatest - band.high)
    return replace(band, low=round(band.low + by, 2), high=round(band.high + by, 2))
