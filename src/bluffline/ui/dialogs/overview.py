"""The shots overview: a card for every shot, side by side, so that a programme is judged for evenness at a glance."""

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QGridLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from bluffline.media.programme import Programme
from bluffline.ui.findings.marks import draw_mark
from bluffline.ui.style.style import CARD, DIM, TEXT, TINT, font, image_of
from bluffline.view.overview import THUMB_WIDTH, WAVE_HEIGHT, ShotCard

_ACROSS = 3
_GAP, _HEAD, _FOOT = 6, 22, 22


class ShotWidget(QWidget):
    """One shot: source and treated beside each other, their waveforms beneath, the worst finding in words."""

    chosen = pyqtSignal(int)  # frame

    def __init__(self, card: ShotCard, programme: Programme, *, current: bool) -> None:
        super().__init__()
        self._card, self._current = card, current
        self._title = f"Shot {card.number + 1}"
        self._when = programme.label(card.frame)
        self._high = card.pictures[0].shape[0]
        words = card.worst.headline if card.worst is not None else "nothing found"
        self._words = words
        self.setFixedSize(self.sizeHint())
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{self._title}, {self._when}: {words}")
        self.setToolTip(f"Go to {self._when}")

    def sizeHint(self) -> QSize:
        return QSize(2 * THUMB_WIDTH + 3 * _GAP, _HEAD + self._high + WAVE_HEIGHT + _FOOT + 3 * _GAP)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.chosen.emit(self._card.frame)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), CARD)
        if self._current:
            painter.setPen(QPen(TINT, 1.5))
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        painter.setPen(TEXT)
        painter.setFont(font(12, bold=True))
        painter.drawText(QPointF(_GAP, 16), self._title)
        painter.setPen(DIM)
        painter.setFont(font(11))
        right = QRectF(0, 0, self.width() - _GAP, _HEAD)
        painter.drawText(right, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self._when)
        top = _HEAD
        for n, (picture, wave) in enumerate(zip(self._card.pictures, self._card.waves, strict=True)):
            left = _GAP + n * (THUMB_WIDTH + _GAP)
            painter.drawImage(left, top, image_of(picture))
            painter.drawImage(left, top + self._high + _GAP, image_of(wave))
            painter.setPen(TEXT)
            painter.fillRect(QRectF(left, top, 56, 16), Qt.GlobalColor.black)
            painter.drawText(QPointF(left + 5, top + 12), ("source", "treated")[n])
        if len(self._card.pictures) == 1:
            painter.setPen(DIM)
            beside = QRectF(2 * _GAP + THUMB_WIDTH, top, THUMB_WIDTH, self._high)
            painter.drawText(beside, Qt.AlignmentFlag.AlignCenter, "untreated")
        base = self.height() - 9
        if self._card.worst is not None:
            draw_mark(painter, QPointF(_GAP + 6, base - 4), self._card.worst.severity, TEXT, 4.5)
        painter.setPen(TEXT if self._card.worst is not None else DIM)
        painter.drawText(QPointF(_GAP + 18, base), self._words)


class ShotsDialog(QDialog):
    """Every shot; a click goes there and closes the dialog."""

    chosen = pyqtSignal(int)

    def __init__(self, cards: list[ShotCard], programme: Programme, shot: int, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shots")
        holder = QWidget()
        holder.setObjectName("window")
        grid = QGridLayout(holder)
        grid.setSpacing(8)
        grid.setContentsMargins(8, 8, 8, 8)
        for place, card in enumerate(cards):
            widget = ShotWidget(card, programme, current=card.number == shot)
            widget.chosen.connect(self._go)
            grid.addWidget(widget, place // _ACROSS, place % _ACROSS)
        grid.setRowStretch(len(cards), 1)
        area = QScrollArea()
        area.setWidget(holder)
        area.setWidgetResizable(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 4, 4, 4)
        if not cards:
            layout.addWidget(QLabel("No shot has a frame that can be decoded."))
        layout.addWidget(area)
        self.resize(_ACROSS * (2 * THUMB_WIDTH + 3 * _GAP + 8) + 40, 720)

    def _go(self, frame: int) -> None:
        self.chosen.emit(frame)
        self.accept()
