"""The picture: source and treated with a wipe between them, hatched where it breaks the limits."""

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget

from bluffline.session.preview import Preview, ScreenPicture
from bluffline.ui.style import SURROUND, TEXT, TINT, font

_GRIP = 9


class PictureView(QWidget):
    """Shows the last preview it was given. The wipe is dragged; left of it is the source, right the treated frame."""

    resized = pyqtSignal()
    clicked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._preview: Preview | None = None
        self._drawn: dict[str, QImage] = {}
        self._aspect = 16 / 9
        self._message = "No programme is open"
        self.wipe = 0.5
        self.source_only = False
        self._dragging = False
        self.setMinimumSize(320, 180)
        self.setMouseTracking(True)
        self.setAccessibleName("Picture")

    def sizeHint(self) -> QSize:
        return QSize(660, 400)

    def set_shape(self, aspect: float) -> None:
        """Width over height of the picture as displayed."""
        self._aspect = aspect
        self.resized.emit()

    @property
    def box(self) -> QRect:
        """Where the picture lies in the widget."""
        width, height = self.width(), self.height()
        if width / height > self._aspect:
            wide = round(height * self._aspect)
            return QRect((width - wide) // 2, 0, max(wide, 1), height)
        high = round(width / self._aspect)
        return QRect(0, (height - high) // 2, width, max(high, 1))

    def say(self, message: str) -> None:
        """Show a sentence in place of a picture."""
        self._preview, self._message = None, message
        self.update()

    def show_preview(self, preview: Preview) -> None:
        """Show a frame."""
        self._preview = preview
        self._message = "" if preview.readable else f"Frame {preview.frame} can't be decoded: it is damaged in the file"
        self._drawn.clear()
        self.update()

    def set_source_only(self, held: bool) -> None:
        """Show the source alone, for as long as it is held."""
        self.source_only = held
        self.update()

    @property
    def has_wipe(self) -> bool:
        """Whether source and treated differ, so that there is something to wipe between."""
        return self._preview is not None and self._preview.treated is not None and not self.source_only

    # Hands ---------------------------------------------------------------------------------------------------------

    def _wipe_x(self) -> float:
        return self.box.left() + self.wipe * self.box.width()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._dragging = self.has_wipe and abs(event.position().x() - self._wipe_x()) <= _GRIP
        if not self._dragging:
            self.clicked.emit()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        near = self.has_wipe and abs(event.position().x() - self._wipe_x()) <= _GRIP
        self.setCursor(Qt.CursorShape.SplitHCursor if near or self._dragging else Qt.CursorShape.ArrowCursor)
        if self._dragging:
            self.set_wipe((event.position().x() - self.box.left()) / self.box.width())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._dragging = False

    def set_wipe(self, place: float) -> None:
        """Put the wipe at a share of the picture's width."""
        self.wipe = min(max(place, 0.0), 1.0)
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.resized.emit()

    # Drawing -------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), SURROUND)
        if self._preview is None or self._preview.original is None:
            painter.setPen(TEXT)
            painter.setFont(font(14))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._message)
            return
        box = self.box
        painter.drawImage(box, self._image("original", self._preview.original))
        if self.has_wipe and self._preview.treated is not None:
            x = round(self._wipe_x())
            treated = self._image("treated", self._preview.treated)
            part = QRectF(self.wipe * treated.width(), 0, (1 - self.wipe) * treated.width(), treated.height())
            painter.drawImage(QRectF(x, box.top(), box.right() + 1 - x, box.height()), treated, part)
            painter.setPen(QPen(TINT, 1.5))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            self._label(painter, "source", QPointF(x - 8, box.top() + 8), before=True)
            self._label(painter, "treated", QPointF(x + 8, box.top() + 8), before=False)
        else:
            held = self.source_only and self._preview.treated is not None
            self._label(painter, "source, held" if held else "source", QPointF(box.left() + 8, box.top() + 8), before=False)

    def _label(self, painter: QPainter, text: str, place: QPointF, *, before: bool) -> None:
        painter.setFont(font(12))
        width = painter.fontMetrics().horizontalAdvance(text) + 12
        left = place.x() - width if before else place.x()
        if left < self.box.left() or left + width > self.box.right():
            return
        painter.fillRect(QRectF(left, place.y(), width, 20), QColor(20, 20, 20, 190))
        painter.setPen(TEXT)
        painter.drawText(QRectF(left, place.y(), width, 20), Qt.AlignmentFlag.AlignCenter, text)

    def _image(self, name: str, picture: ScreenPicture) -> QImage:
        if name not in self._drawn:
            pixels = picture.image
            height, width = pixels.shape
            image = QImage(pixels.tobytes(), width, height, 4 * width, QImage.Format.Format_RGB32)
            self._drawn[name] = image.copy()  # the copy owns its pixels
        return self._drawn[name]
