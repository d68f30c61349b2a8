"""The gauges: a luma waveform and a vectorscope, drawn from full-size counts."""

import math

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget

from bluffline.session.preview import Preview
from bluffline.session.session import Session
from bluffline.signal.levels import Levels
from bluffline.signal.matrix import ChromaGains, rgb_to_ycbcr
from bluffline.ui.style import DIM, LINE, TEXT, WELL, font

_SKIN_DEGREES = 123.0
_TARGETS = (("R", (1, 0, 0)), ("Mg", (1, 0, 1)), ("B", (0, 0, 1)), ("Cy", (0, 1, 1)), ("G", (0, 1, 0)), ("Yl", (1, 1, 0)))
_TARGET_LEVEL = 0.75


def density(counts: NDArray[np.int32], full: float) -> NDArray[np.float32]:
    """Counts to brightness 0 … 1: logarithmic, so that one pixel shows and a flat field does not blind."""
    return np.asarray(np.clip(np.log1p(counts) / math.log1p(max(full, 2.0)), 0, 1), np.float32)


class Gauge(QWidget):
    """What gauges have in common: a session, the last counts, and a blank state that says so."""

    resized = pyqtSignal()

    def __init__(self, session: Session, name: str) -> None:
        super().__init__()
        self._session = session
        self._counts: NDArray[np.int32] | None = None
        self._image: QImage | None = None
        self.setAccessibleName(name)
        self.setMinimumSize(180, 120)

    def clear(self) -> None:
        """Show that there is nothing to show."""
        self._counts = self._image = None
        self.update()

    def _begin(self) -> QPainter:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), WELL)
        return painter

    def _say_empty(self, painter: QPainter) -> None:
        painter.setPen(DIM)
        painter.setFont(font(12))
        text = "No programme is open" if self._session.programme is None else "No picture to measure"
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._image = None
        self.resized.emit()


class Waveform(Gauge):
    """Luma over the width of the picture, in percent of the nominal range."""

    LOW, HIGH = -8.0, 112.0
    _LEFT, _RIGHT = 42, 6

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Luma waveform")

    def sizeHint(self) -> QSize:
        return QSize(290, 230)

    @property
    def columns(self) -> int:
        """Columns that the gauge has room for."""
        return max(self.width() - self._LEFT - self._RIGHT, 16)

    def show_preview(self, preview: Preview) -> None:
        """Draw a frame's counts."""
        self._counts, self._image = preview.waveform, None
        self.update()

    def y_of(self, percent: float) -> float:
        """Where a percentage lies, in widget pixels."""
        return 6 + (self.HIGH - percent) / (self.HIGH - self.LOW) * (self.height() - 12)

    def _trace(self, levels: Levels, bit_depth: int) -> QImage:
        assert self._counts is not None
        height = self.height() - 12
        percent = self.HIGH - (np.arange(height) + 0.5) / height * (self.HIGH - self.LOW)
        codes = levels.black + percent / 100 * levels.swing
        bins = codes / (1 << (bit_depth - 8))
        counts = self._counts
        low = np.clip(np.floor(bins).astype(int), 0, counts.shape[1] - 1)
        inside = (bins >= 0) & (bins < counts.shape[1])
        spread = density(counts, counts.sum() / counts.shape[0] / 12)
        picture = np.where(inside[:, None], spread.T[low], 0)
        grey = (WELL.red() + picture * (245 - WELL.red())).astype(np.uint8)
        rows, columns = grey.shape
        return QImage(grey.tobytes(), columns, rows, columns, QImage.Format.Format_Grayscale8).copy()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self._begin()
        if self._counts is None or self._session.programme is None:
            self._say_empty(painter)
            return
        field = QRectF(self._LEFT, 6, self.width() - self._LEFT - self._RIGHT, self.height() - 12)
        if self._image is None:
            self._image = self._trace(self._session.source.levels, self._session.source.bit_depth)
        painter.drawImage(field, self._image)
        painter.setFont(font(11, mono=True))
        for value in (0, 25, 50, 75, 100):
            y = round(self.y_of(value)) + 0.5
            painter.setPen(QPen(LINE, 1))
            painter.drawLine(QPointF(field.left(), y), QPointF(field.right(), y))
            painter.setPen(DIM)
            label = QRectF(0, y - 8, self._LEFT - 5, 16)
            painter.drawText(label, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, str(value))
        pen = QPen(TEXT, 1)
        pen.setDashPattern([5, 4])
        painter.setPen(pen)
        for value in self._session.rules.limits.luma:
            y = round(self.y_of(value)) + 0.5
            painter.drawLine(QPointF(field.left(), y), QPointF(field.right(), y))


class Vectorscope(Gauge):
    """Chroma: Cb to the right, Cr upwards, both to a little over ±50 %."""

    REACH = 0.56

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Vectorscope")
        self._colours = _cell_colours()

    def sizeHint(self) -> QSize:
        return QSize(290, 290)

    def show_preview(self, preview: Preview) -> None:
        """Draw a frame's counts."""
        self._counts, self._image = preview.vectorscope, None
        self.update()

    @property
    def box(self) -> QRectF:
        """The square that the gauge draws in."""
        side = min(self.width(), self.height()) - 8
        return QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side)

    def place_of(self, cb: float, cr: float) -> QPointF:
        """Where a chroma (−0.5 … 0.5) lies, in widget pixels."""
        box = self.box
        scale = box.width() / 2 / self.REACH
        return QPointF(box.center().x() + cb * scale, box.center().y() - cr * scale)

    def _trace(self, levels: Levels, bit_depth: int) -> QImage:
        assert self._counts is not None
        unit = 1 << (bit_depth - 8)
        side = int(self.box.width())
        chroma = ((np.arange(side) + 0.5) / side * 2 - 1) * self.REACH
        cells = np.clip(np.rint((levels.zero + chroma * levels.span) / unit - 0.5).astype(int), 0, 255)
        brightness = _spread(density(self._counts, self._counts.sum() / 2500))
        picture = brightness[cells[None, :], cells[::-1, None]][..., None] * self._colours[cells[None, :], cells[::-1, None]]
        bgra = np.full((side, side, 4), 255, np.uint8)
        bgra[..., :3] = np.clip(WELL.red() + picture * (255 - WELL.red()), 0, 255).astype(np.uint8)
        return QImage(bgra.tobytes(), side, side, 4 * side, QImage.Format.Format_RGB32).copy()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self._begin()
        if self._counts is None or self._session.programme is None:
            self._say_empty(painter)
            return
        if self._image is None:
            self._image = self._trace(self._session.source.levels, self._session.source.bit_depth)
        painter.drawImage(self.box.topLeft(), self._image)
        painter.setPen(QPen(LINE, 1))
        centre, radius = self.place_of(0, 0), self.box.width() / 2 / self.REACH * 0.5
        for share in (0.5, 1.0):
            painter.drawEllipse(centre, radius * share, radius * share)
        painter.drawLine(self.place_of(-0.5, 0), self.place_of(0.5, 0))
        painter.drawLine(self.place_of(0, -0.5), self.place_of(0, 0.5))
        angle = math.radians(_SKIN_DEGREES)
        pen = QPen(DIM, 1)
        pen.setDashPattern([4, 4])
        painter.setPen(pen)
        painter.drawLine(centre, self.place_of(0.5 * math.cos(angle), 0.5 * math.sin(angle)))
        painter.setFont(font(11))
        painter.drawText(self.place_of(0.5 * math.cos(angle) - 0.03, 0.5 * math.sin(angle) + 0.012), "skin")
        for name, rgb in _TARGETS:
            _, cb, cr = rgb_to_ycbcr(np.array(rgb, float) * _TARGET_LEVEL, self._session.source.matrix)
            place = self.place_of(float(cb), float(cr))
            painter.setPen(QPen(TEXT, 1))
            painter.drawRect(QRectF(place.x() - 4.5, place.y() - 4.5, 9, 9))
            painter.setPen(DIM)
            painter.drawText(QPointF(place.x() + 7, place.y() + 4), name)


def _spread(brightness: NDArray[np.float32]) -> NDArray[np.float32]:
    """Each cell lent to its neighbours at half strength, so that a flat patch is more than one dot on the screen."""
    edge = np.pad(brightness * np.float32(0.5), 1)
    near = [edge[1 + down : 257 + down, 1 + right : 257 + right] for down, right in ((0, 1), (0, -1), (1, 0), (-1, 0))]
    return np.maximum.reduce([brightness, *near])


def _cell_colours() -> NDArray[np.float32]:
    """(256, 256, 3) B, G, R of each chroma cell at one brightness, so that the trace has the data's own colours."""
    chroma = (np.arange(256, dtype=np.float32) + 0.5 - 128) / 224
    cb, cr = np.meshgrid(chroma, chroma, indexing="ij")
    gains = ChromaGains(1.5748, -0.1873, -0.4681, 1.8556)
    red, green, blue = gains.red_cr * cr, gains.green_cb * cb + gains.green_cr * cr, gains.blue_cb * cb
    rgb = np.stack([blue, green, red], axis=-1)
    rgb = rgb - rgb.min(axis=-1, keepdims=True)
    strength = np.clip(np.hypot(cb, cr) * 4, 0, 1)[..., None]
    colour = rgb / np.maximum(rgb.max(axis=-1, keepdims=True), 1e-6)
    return np.asarray(0.25 + 0.75 * (colour * strength + (1 - strength)), np.float32)
