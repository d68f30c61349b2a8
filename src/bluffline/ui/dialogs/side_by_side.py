"""Up to four shots side by side, with their gauges laid over one another; the one that is pointed at stands out."""

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QEnterEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from bluffline.gauges.instrument import Instrument
from bluffline.measure.reading import SKIN_DEGREES
from bluffline.media.programme import Programme
from bluffline.ui.dialogs.layout import close_button, dim, lay_out
from bluffline.ui.style.style import DIM, LINE, TEXT, font, image_of
from bluffline.view.side_by_side import COLOURS, PICTURE, VECTOR, VECTORSCOPE, WAVE, WAVEFORM, Image, Light, Side, laid_over

_HEAD = 22


class SideWidget(QWidget):
    """A shot's frame, with its number in a patch of the colour that its traces have."""

    pointed = pyqtSignal(int)  # its place, or −1

    def __init__(self, place: int, side: Side, programme: Programme) -> None:
        super().__init__()
        self._place, self._side = place, side
        self._when = programme.label(side.frame)
        self.setFixedSize(QSize(PICTURE[0], PICTURE[1] + _HEAD))
        self.setAccessibleName(f"Shot {side.number + 1}, {self._when}, as treated")
        self.setToolTip("Point at it: its traces stand out")

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self.pointed.emit(self._place)

    def leaveEvent(self, event: object) -> None:
        self.pointed.emit(-1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(QRectF(0, 4, 14, 14), QColor(*COLOURS[self._place]))
        painter.setPen(TEXT)
        painter.setFont(font(12, bold=True))
        painter.drawText(QPointF(20, 16), f"Shot {self._side.number + 1}")
        painter.setPen(DIM)
        painter.setFont(font(11))
        right = QRectF(0, 0, self.width(), _HEAD)
        painter.drawText(right, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self._when)
        painter.drawImage(0, _HEAD, image_of(self._side.picture))


class Overlaid(QWidget):
    """Traces of one gauge laid over one another."""

    def __init__(self, gauge: Instrument, traces: Sequence[Light], size: tuple[int, int], words: str) -> None:
        super().__init__()
        self._gauge, self._traces = gauge, traces
        self._image: Image = laid_over(traces)
        self.setFixedSize(size[0] + 44, size[1])
        self.setAccessibleName(words)

    def show_alone(self, place: int) -> None:
        """Let one stand out, or none (−1)."""
        self._image = laid_over(self._traces, None if place < 0 else place)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.drawImage(44, 0, image_of(self._image))
        painter.setFont(font(11))
        span = self._gauge.span
        if span is None:
            self._draw_axes(painter)
            return
        for level in (0, 50, 100):
            y = (1 - span.place(level)) * self.height()
            painter.setPen(QPen(LINE, 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(44, y), QPointF(self.width(), y))
            painter.setPen(DIM)
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, min(max(y - 8, 0), self.height() - 16), 40, 16), right, f"{level} %")

    def _draw_axes(self, painter: QPainter) -> None:
        """Cb to the right, Cr upwards, and the skin line."""
        side = self.height()
        middle, reach = QPointF(44 + side / 2, side / 2), side / 2
        painter.setPen(QPen(LINE, 1, Qt.PenStyle.DotLine))
        painter.drawLine(middle - QPointF(reach, 0), middle + QPointF(reach, 0))
        painter.drawLine(middle - QPointF(0, reach), middle + QPointF(0, reach))
        angle = math.radians(SKIN_DEGREES)
        skin = middle + QPointF(math.cos(angle), -math.sin(angle)) * reach
        painter.setPen(QPen(LINE, 1, Qt.PenStyle.DashLine))
        painter.drawLine(middle, skin)
        painter.setPen(DIM)
        for words, place in (("Cb", middle + QPointF(reach - 18, -4)), ("Cr", middle + QPointF(4, 12 - reach)), ("skin", skin)):
            painter.drawText(place, words)


class SideBySideDialog(QDialog):
    """Two to four shots."""

    def __init__(self, sides: Sequence[Side], programme: Programme, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Side by side")
        grid = QGridLayout()
        grid.setSpacing(10)
        self.sides = [SideWidget(place, side, programme) for place, side in enumerate(sides)]
        for place, widget in enumerate(self.sides):
            grid.addWidget(widget, place // 2, place % 2)
        self.gauges = [
            Overlaid(WAVEFORM, [side.wave for side in sides], WAVE, "Luma waveforms laid over one another"),
            Overlaid(VECTORSCOPE, [side.vector for side in sides], VECTOR, "Vectorscopes laid over one another"),
        ]
        column = QVBoxLayout()
        for words, gauge in zip((WAVEFORM.title, VECTORSCOPE.title), self.gauges, strict=True):
            column.addWidget(dim(words))
            column.addWidget(gauge)
        column.addStretch(1)
        for widget in self.sides:
            for gauge in self.gauges:
                widget.pointed.connect(gauge.show_alone)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addLayout(grid)
        row.addLayout(column)
        told = dim("As treated, the middle frame of each; point at a picture to see its traces alone")
        lay_out(self, told, row, close_button(self))
