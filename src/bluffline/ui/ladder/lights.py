"""Lights to choose from: a shot small under each, beside its source, where none of them is sure."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from bluffline.propose.lights import MOST_OFFERED
from bluffline.propose.propose import Offered
from bluffline.ui.style.buttons import quiet_button
from bluffline.ui.style.line import Line
from bluffline.ui.style.style import DIM, TEXT, TINT, font

_WIDE, _HIGH, _EDGE, _LINE = 152, 86, 2, 16  # pixels
_KEYS = {Qt.Key.Key_1: 0, Qt.Key.Key_2: 1, Qt.Key.Key_3: 2}
_HELP = "1, 2 or 3 takes one, another changes it · Esc closes"


def _picture(rgb: NDArray[np.float64]) -> QImage:
    codes = np.ascontiguousarray(np.rint(np.clip(rgb, 0, 1) * 255).astype(np.uint8))
    height, width = codes.shape[:2]
    return QImage(codes.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()


class LightCard(QWidget):
    """The shot under one light, and what is said of it."""

    pressed = pyqtSignal()

    def __init__(self, rgb: NDArray[np.float64], words: Sequence[str]) -> None:
        super().__init__()
        self._image, self._words = _picture(rgb), words
        self.chosen = False
        self.setFixedHeight(self.sizeHint().height())
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMaximumWidth(220)
        self.setAccessibleName("; ".join(words))
        self.setToolTip("\n".join(words))

    def sizeHint(self) -> QSize:
        return QSize(_WIDE + 2 * _EDGE, _HIGH + 2 * _EDGE + 3 * _LINE + 4)

    def mark(self, *, chosen: bool) -> None:
        """Show whether the shot has this light."""
        if chosen is not self.chosen:
            self.chosen = chosen
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.pressed.emit()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        size = self._image.size().scaled(self.width() - 2 * _EDGE, _HIGH, Qt.AspectRatioMode.KeepAspectRatio)
        picture = QRectF(_EDGE, _EDGE, size.width(), size.height())
        painter.drawImage(picture, self._image)
        if self.chosen:
            painter.setPen(QPen(TINT, _EDGE))
            painter.drawRect(picture.adjusted(-1, -1, 1, 1))
        for n, words in enumerate(self._words):
            painter.setFont(font(11 if n else 12, bold=n == 0))
            painter.setPen(TEXT if n == 0 else DIM)
            shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, self.width() - _EDGE)
            painter.drawText(_EDGE, _HIGH + 2 * _EDGE + 13 + n * _LINE, shown)


class LightsPanel(QFrame):
    """Shows lights; ``taken`` tells which is wanted, ``closed`` that none is, ``opened`` whether it is to be seen."""

    taken = pyqtSignal(int)
    closed = pyqtSignal()
    opened = pyqtSignal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.cards: list[LightCard] = []
        title = QLabel("Offered lights")
        title.setFont(font(13, bold=True))
        self.told = Line(font(12), right=False)
        keys = Line(font(12))
        keys.setText(_HELP)
        head = QHBoxLayout()
        head.setSpacing(10)
        head.addWidget(title)
        head.addWidget(keys, 1)
        head.addWidget(quiet_button("×", "Offer no light any more", self.closed.emit))
        self._row = QHBoxLayout()
        self._row.setSpacing(10)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 5, 8, 6)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addLayout(self._row)
        layout.addWidget(self.told)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.hide()

    def put(self, told: str, seen: NDArray[np.float64], offered: Sequence[Offered]) -> None:
        """Lights in place of those that were there; seen: the shot without any."""
        self.told.setText(told)
        while (item := self._row.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self.cards = []
        self._row.addWidget(LightCard(seen, ("as it is",)), 1)
        for n, one in enumerate(offered):
            gains = " ".join(f"{name} ×{gain:.2f}" for name, gain in zip("RGB", one.offer.step.gains, strict=True))
            card = LightCard(one.seen, (f"{n + 1}  {one.offer.title}", one.offer.told, gains))
            card.setCursor(Qt.CursorShape.PointingHandCursor)
            card.pressed.connect(lambda n=n: self.taken.emit(n))
            self.cards.append(card)
            self._row.addWidget(card, 1)
        self._row.addStretch(MOST_OFFERED - len(offered))

    def mark(self, chosen: int | None) -> None:
        """Show which light the shot has."""
        for n, card in enumerate(self.cards):
            card.mark(chosen=n == chosen)

    def show_as(self, *, seen: bool) -> None:
        """Be seen, or not."""
        if seen is self.isHidden():
            self.setVisible(seen)
            self.opened.emit(seen)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and self._own(event):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not self._own(event):
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
        else:
            self.taken.emit(_KEYS[Qt.Key(event.key())])

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self.hasFocus():
            painter = QPainter(self)
            painter.setPen(QPen(TINT, 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)

    def _own(self, event: QKeyEvent) -> bool:
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            return False
        return event.key() == Qt.Key.Key_Escape or _KEYS.get(Qt.Key(event.key()), len(self.cards)) < len(self.cards)
