"""What is seen of the picture: two frames compared, hatched where they break the limits, zoomed, and what is drawn on them."""

import math
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QWidget

from bluffline.charts.frame import ChartFrame
from bluffline.charts.reference import Layout
from bluffline.measure.areas import Area, Shape
from bluffline.measure.region import Region
from bluffline.ui.chart.marks import ChartMarks
from bluffline.ui.picture.overlays import label, outline, safe_areas, stroke, zone_key
from bluffline.ui.picture.reach_marks import ReachMarks
from bluffline.ui.style.style import SURROUND, TEXT, TINT, font, image_of
from bluffline.view.looking import Compare, Looking, LookingModel, Tool
from bluffline.view.preview import Preview, ScreenPicture

Point = tuple[float, float]
SHAPES = {
    Tool.RECTANGLE: Shape.RECTANGLE, Tool.ELLIPSE: Shape.ELLIPSE, Tool.POLYGON: Shape.POLYGON, Tool.KEY: Shape.RECTANGLE,
    Tool.COLOUR: Shape.RECTANGLE,
}  # fmt: skip


class ShownPicture(QWidget):
    """Shows the last preview it was given, and knows where in the programme's picture a point of it lies."""

    resized = pyqtSignal()

    def __init__(self, model: LookingModel) -> None:
        super().__init__()
        self._model = model
        self._preview: Preview | None = None
        self._drawn: dict[str, QImage] = {}
        self._size = (16, 9)
        self._aspect = 16 / 9
        self._message = "No programme is open"
        self.shown_areas: tuple[Area, ...] = ()
        self.treated_words = "treated"
        self.highlighted: QImage | None = None
        self._points: list[Point] = []  # of what is being drawn
        self._chart = ChartMarks()
        self.reach = ReachMarks()
        self.probe: Point | None = None
        self.source_only = False
        self.setMinimumSize(320, 150)
        self.setAccessibleName("Picture")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        model.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(660, 400)

    @property
    def wipe(self) -> float:
        """The wipe's place, as a share of the picture's width."""
        return self._look.wipe

    @property
    def _look(self) -> Looking:
        return self._model.state

    def set_shape(self, width: int, height: int) -> None:
        """Columns and rows of the picture."""
        self._size, self._aspect = (width, height), width / height
        self.highlighted, self._points = None, []
        self.resized.emit()

    # Where things are ----------------------------------------------------------------------------------------------

    @property
    def box(self) -> QRect:
        """Where the picture lies in the widget: all of it if zoomed, else as much as its shape allows."""
        width, height = self.width(), self.height()
        window = self.window_shown
        if window is not None:
            wide, high = min(width, window.width * self._look.zoom), min(height, window.height * self._look.zoom)
            return QRect((width - wide) // 2, (height - high) // 2, wide, high)
        if width / height > self._aspect:
            wide = round(height * self._aspect)
            return QRect((width - wide) // 2, 0, max(wide, 1), height)
        high = round(width / self._aspect)
        return QRect(0, (height - high) // 2, width, max(high, 1))

    @property
    def window_shown(self) -> Region | None:
        """The part of the picture that is shown where it is zoomed."""
        return self._look.window(*self._size, (self.width(), self.height()))

    def pixel_at(self, point: QPointF) -> Point | None:
        """The place in the picture, in its pixels, under a point of the widget; None beside it."""
        box, shown = self._half(point), self.window_shown or Region(0, 0, *self._size)
        across, down = (point.x() - box.left()) / box.width(), (point.y() - box.top()) / box.height()
        if not (0 <= across < 1 and 0 <= down < 1):
            return None
        return shown.x + across * shown.width, shown.y + down * shown.height

    def point_of(self, pixel: Point, box: QRectF | None = None) -> QPointF:
        """Where a place in the picture is in the widget."""
        box, shown = box or QRectF(self.box), self.window_shown or Region(0, 0, *self._size)
        return QPointF(
            box.left() + (pixel[0] - shown.x) / shown.width * box.width(),
            box.top() + (pixel[1] - shown.y) / shown.height * box.height(),
        )

    def _halves(self) -> tuple[QRectF, QRectF]:
        """Where two pictures side by side lie."""
        box = QRectF(self.box)
        wide, high = box.width() / 2 - 2, box.height() / 2
        top = box.center().y() - high / 2
        return QRectF(box.left(), top, wide, high), QRectF(box.center().x() + 2, top, wide, high)

    def _half(self, point: QPointF) -> QRectF:
        if not self._side_by_side:
            return QRectF(self.box)
        left, right = self._halves()
        return left if point.x() < self.box.center().x() else right

    @property
    def _side_by_side(self) -> bool:
        return self.has_wipe and self._look.compare is Compare.SIDE

    # What is shown -------------------------------------------------------------------------------------------------

    def say(self, message: str) -> None:
        """Show a sentence in place of a picture."""
        self._drawn.clear()
        self._preview, self._message = None, message
        self.update()

    def show_preview(self, preview: Preview) -> None:
        """Show a frame."""
        self._drawn.clear()
        self._preview = preview
        lost = f"Frame {preview.frame} is missing or damaged in the file, or may be predicted from one that is"
        self._message = "" if preview.readable else lost
        self.highlighted = None
        self.update()

    def show_areas(self, areas: tuple[Area, ...]) -> None:
        """Draw areas over the picture."""
        self.shown_areas = areas
        self.update()

    def show_chart(self, frame: ChartFrame | None, layout: Layout, wanted: NDArray[np.float64] | None) -> None:
        """Draw a chart frame over the picture; ``wanted``: (N, 3) R′G′B′ that its patches ought to have."""
        if frame is not None or self._chart.frame is not None:
            self._chart.show(frame, layout, wanted)
            self.update()

    def highlight(self, mask: NDArray[np.bool_] | None) -> None:
        """Show which pixels were pointed at on a gauge; mask: (H, W) of the whole picture."""
        self.highlighted = None
        if mask is not None:
            height, width = (int(size) for size in mask.shape)
            pixels: NDArray[np.uint32] = np.zeros((height, width), np.uint32)
            rows, columns = np.ogrid[:height, :width]
            pixels[mask] = np.where((rows + columns) % 4 < 2, 0xFFFFFFFF, 0xFF000000).astype(np.uint32)[mask]
            self.highlighted = QImage(pixels.tobytes(), width, height, 4 * width, QImage.Format.Format_ARGB32).copy()
        self.update()

    def set_source_only(self, held: bool) -> None:
        """Show the source alone, for as long as it is held."""
        self.source_only = held
        self.update()

    @property
    def has_wipe(self) -> bool:
        """Whether there are two pictures to compare."""
        preview = self._preview
        return preview is not None and (preview.treated or preview.pinned) is not None and not self.source_only

    def pair(self) -> tuple[tuple[str, str], tuple[str, str]]:
        """The two pictures compared, each by its name and what to call it: the pinned frame or the source, and this frame."""
        assert self._preview is not None
        now = ("treated", self.treated_words) if self._preview.treated is not None else ("original", "source")
        if self._preview.pinned is not None:
            title = self._look.pinned.title if self._look.pinned is not None else "pinned frame"
            return ("pinned", title), (now[0], f"this frame, {now[1]}")
        return ("original", "source"), now

    def _wipe_line(self) -> tuple[QPointF, float, float]:
        """A point of the wipe's line, and the direction across it, from the first picture to the second."""
        box = QRectF(self.box)
        turn = math.radians(self._look.angle)
        return QPointF(box.left() + self._look.wipe * box.width(), box.center().y()), math.cos(turn), math.sin(turn)

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
        box = QRectF(self.box)
        if not self.has_wipe:
            held = self.source_only and (self._preview.treated or self._preview.pinned) is not None
            self._draw(painter, box, "original", "source, held" if held else "source")
        elif self._look.compare is Compare.SIDE:
            for half, (name, words) in zip(self._halves(), self.pair(), strict=True):
                self._draw(painter, half, name, words)
        elif self._look.compare is Compare.FLIP:
            name, words = self.pair()[0 if self._look.flipped else 1]
            self._draw(painter, box, name, words)
        else:
            self._draw_wipe(painter, box)
        for half in self._halves() if self._side_by_side else (box,):
            self._draw_over(painter, half)
        if self._look.zones:
            zone_key(painter, self.box)

    def _draw(self, painter: QPainter, box: QRectF, name: str, words: str) -> None:
        painter.drawImage(box, self._image(name))
        self._draw_safe(painter, box)
        label(painter, words + self._mapped, QPointF(box.left() + 8, box.top() + 8), self.box)

    def _draw_safe(self, painter: QPainter, box: QRectF) -> None:
        if self._look.safe:
            painter.save()
            painter.setClipRect(box)
            safe_areas(painter, self._size, partial(self.point_of, box=box), self.box)
            painter.restore()

    @property
    def _mapped(self) -> str:
        """What else is said of a picture of HDR, which this screen can't show as it is."""
        picture = self._preview.original if self._preview is not None else None
        return ", tone-mapped for this screen" if picture is not None and picture.mapped else ""

    def _draw_wipe(self, painter: QPainter, box: QRectF) -> None:
        (first, first_words), (second, second_words) = self.pair()
        painter.drawImage(box, self._image(first))
        middle, across, down = self._wipe_line()
        far = box.width() + box.height()
        along = QPointF(-down * far, across * far)
        beyond = QPointF(across * far, down * far)
        side = QPolygonF([middle - along, middle + along, middle + along + beyond, middle - along + beyond])
        part = QPainterPath()
        part.addPolygon(QPolygonF(box).intersected(side))
        painter.save()
        painter.setClipPath(part)
        painter.drawImage(box, self._image(second))
        painter.restore()
        painter.save()
        painter.setClipRect(box)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(TINT, 1.5))
        painter.drawLine(middle - along, middle + along)
        painter.restore()
        self._draw_safe(painter, box)
        label(painter, first_words + self._mapped, QPointF(middle.x() - 8, box.top() + 8), self.box, before=True)
        label(painter, second_words + self._mapped, QPointF(middle.x() + 8, box.top() + 8), self.box)

    def _draw_over(self, painter: QPainter, box: QRectF) -> None:
        """Areas, what is being drawn, and the pixels pointed at on a gauge."""
        painter.save()
        painter.setClipRect(box)
        if self.highlighted is not None:
            shown = self.window_shown or Region(0, 0, *self._size)
            painter.drawImage(box, self.highlighted, QRectF(shown.x, shown.y, shown.width, shown.height))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        place = partial(self.point_of, box=box)
        self._chart.draw(painter, place)
        for area in self.shown_areas:
            stroke(painter, outline(area, place), closed=True)
            at = self.point_of(area.box[:2], box)
            label(painter, area.name, at + QPointF(2, 2), self.box)
        self.reach.draw(painter, place)
        points = [self.point_of(p, box) for p in self._points]
        if len(points) >= 2 and self._look.tool in (Tool.RECTANGLE, Tool.ELLIPSE, Tool.KEY, Tool.COLOUR):
            drawn = Area("", SHAPES[self._look.tool], (self._points[0], self._points[1]))
            stroke(painter, outline(drawn, place), closed=True)
        elif points:
            if self._look.tool is Tool.POLYGON and self.probe is not None:
                points.append(self.point_of(self.probe, box))
            stroke(painter, points, closed=False)
        painter.restore()

    def _image(self, name: str) -> QImage:
        if name not in self._drawn:
            picture: ScreenPicture = getattr(self._preview, name)
            self._drawn[name] = image_of(picture.image)  # the preview is kept, and its pixels with it
        return self._drawn[name]
