"""The picture: two frames compared, hatched where they break the limits, zoomed, and drawn upon."""

import math
from functools import partial

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QImage,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QMenu, QWidget

from bluffline.charts.frame import ChartFrame
from bluffline.charts.reference import Layout
from bluffline.measure.areas import Area, Shape
from bluffline.measure.region import Region
from bluffline.ui.chart.marks import ChartMarks
from bluffline.ui.picture.overlays import distance, label, outline, stroke, zone_key
from bluffline.ui.picture.reach_marks import ReachMarks
from bluffline.ui.style.style import SURROUND, TEXT, TINT, font, image_of
from bluffline.view.looking import Compare, Looking, LookingModel, Tool
from bluffline.view.preview import Preview, ScreenPicture

_LARGER, _TURN = 1.02, 1.0  # times and degrees a notch of the wheel
_GRIP = 9
Point = tuple[float, float]
_SHAPES = {
    Tool.RECTANGLE: Shape.RECTANGLE, Tool.ELLIPSE: Shape.ELLIPSE, Tool.POLYGON: Shape.POLYGON, Tool.KEY: Shape.RECTANGLE,
    Tool.COLOUR: Shape.RECTANGLE,
}  # fmt: skip


class PictureView(QWidget):
    """Shows the last preview it was given, and tells what the operator does on it in pixels of the programme."""

    resized = pyqtSignal()
    hovered = pyqtSignal(object)  # Point of the picture, or None
    area_drawn = pyqtSignal(object, object)  # Shape, points
    area_moved = pyqtSignal(int, float, float, bool, str)  # number, across, down, only here, gesture
    area_asked = pyqtSignal(int, str)  # number, "rename" or "remove"
    reach_moved = pyqtSignal(int, float, float, str)  # number, across, down, gesture
    reach_turned = pyqtSignal(float, float)  # times as large, degrees clockwise
    key_picked = pyqtSignal(object, str)  # two corners of the picture, "new", "add" or "take"
    colour_picked = pyqtSignal(object, str)  # the same
    path_drawn = pyqtSignal(object)  # points, or None
    chart_placed = pyqtSignal(object)  # ChartFrame, when a corner has been dragged

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
        self._points: list[Point] = []
        self._drag: str | None = None
        self._from = QPointF()
        self._held_area = 0
        self._alone = False
        self._gestures = 0
        self._chart = ChartMarks()
        self.reach = ReachMarks()
        self.probe: Point | None = None
        self.source_only = False
        self.setMinimumSize(320, 150)
        self.setMouseTracking(True)
        self.setAccessibleName("Picture")
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

    # Hands ---------------------------------------------------------------------------------------------------------

    def _wipe_line(self) -> tuple[QPointF, float, float]:
        """A point of the wipe's line, and the direction across it, from the first picture to the second."""
        box = QRectF(self.box)
        turn = math.radians(self._look.angle)
        return QPointF(box.left() + self._look.wipe * box.width(), box.center().y()), math.cos(turn), math.sin(turn)

    def _near_wipe(self, point: QPointF) -> bool:
        if not self.has_wipe or self._look.compare is not Compare.WIPE:
            return False
        middle, across, down = self._wipe_line()
        return abs((point.x() - middle.x()) * across + (point.y() - middle.y()) * down) <= _GRIP

    def _area_at(self, point: QPointF) -> int | None:
        """The area whose edge is under a point."""
        for number in reversed(range(len(self.shown_areas))):
            path = outline(self.shown_areas[number], self.point_of)
            for a, b in zip(path, [*path[1:], path[0]], strict=True):
                if distance(point, a, b) <= _GRIP / 1.5:
                    return number
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        point, pixel = event.position(), self.pixel_at(event.position())
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        self._from, self._drag = point, None
        self._gestures += 1
        area = self._area_at(point)
        if self._look.tool is Tool.POLYGON and pixel is not None:
            self._points.append(pixel)
        elif self._look.tool is not Tool.LOOK and pixel is not None:
            self._drag, self._points = "draw", [pixel, pixel]
        elif self._chart.grab(point, self.point_of):
            self._drag = "chart"
        elif self._near_wipe(point):
            turned = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._drag = "turn" if turned else "wipe"
        elif (part := self.reach.at(point, self.point_of)) is not None:
            self._drag, self._held_area = "reach", part
        elif area is not None:
            self._drag, self._held_area = "area", area
            self._alone = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        elif self._look.zoom:
            self._drag = "pan"
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        point, pixel = event.position(), self.pixel_at(event.position())
        self.probe = pixel
        box = self.box
        if self._drag == "wipe":
            self._drag_wipe(point)
        elif self._drag == "turn":
            middle, _, _ = self._wipe_line()
            angle = math.degrees(math.atan2(point.y() - middle.y(), point.x() - middle.x())) - 90
            self._model.change(angle=(angle + 90) % 180 - 90)
        elif self._drag in ("pan", "area", "reach"):
            shown = self.window_shown or Region(0, 0, *self._size)
            across = (point.x() - self._from.x()) * shown.width / box.width()
            down = (point.y() - self._from.y()) * shown.height / box.height()
            self._from = point
            if self._drag == "reach":
                self.reach_moved.emit(self._held_area, across, down, f"reach.{self._gestures}")
            elif self._drag == "area":
                self.area_moved.emit(self._held_area, across, down, self._alone, f"area.{self._gestures}")
            else:
                centre = shown.x + shown.width / 2 - across, shown.y + shown.height / 2 - down
                self._model.change(centre=centre)
        elif self._drag == "chart" and pixel is not None:
            self._chart.drag(pixel)
        elif self._drag == "draw" and pixel is not None:
            if self._look.tool is Tool.PATH:
                self._points.append(pixel)
            else:
                self._points[1] = pixel
        self._show_cursor(point)
        self.hovered.emit(pixel)
        self.update()

    def _drag_wipe(self, point: QPointF) -> None:
        """Let the wipe's line pass through a point."""
        box = self.box
        _, across, down = self._wipe_line()
        middle = QRectF(box).center().y()
        x = point.x() + (point.y() - middle) * down / across if abs(across) > 0.05 else point.x()
        self.set_wipe((x - box.left()) / box.width())

    def _show_cursor(self, point: QPointF) -> None:
        if self._look.tool is not Tool.LOOK:
            self.setCursor(Qt.CursorShape.CrossCursor)
        elif self._near_wipe(point) or self._drag == "wipe":
            self.setCursor(Qt.CursorShape.SplitHCursor)
        elif (
            self.reach.at(point, self.point_of) is not None
            or self._area_at(point) is not None
            or self._chart.corner_at(point, self.point_of) is not None
        ):
            self.setCursor(Qt.CursorShape.SizeAllCursor)
        else:
            self.setCursor(Qt.CursorShape.OpenHandCursor if self._look.zoom else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag == "draw":
            points, self._points = self._points, []
            if self._look.tool is Tool.PATH:
                self._points = points
                self.path_drawn.emit(points)
            elif self._look.tool is Tool.KEY:
                self.key_picked.emit(points, self._how_picked(event))
            elif self._look.tool is Tool.COLOUR:
                self.colour_picked.emit(points, self._how_picked(event))
            elif math.dist(points[0], points[1]) >= 2:
                shape = _SHAPES[self._look.tool]
                self._model.change(tool=Tool.LOOK)
                self.area_drawn.emit(shape, points)
        elif self._chart.release():
            self.chart_placed.emit(self._chart.frame)
        self._drag = None

    @staticmethod
    def _how_picked(event: QMouseEvent | None) -> str:
        held = event.modifiers() if event is not None else Qt.KeyboardModifier.NoModifier
        if held & Qt.KeyboardModifier.ShiftModifier:
            return "add"
        return "take" if held & Qt.KeyboardModifier.AltModifier else "new"

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Close the polygon that is being drawn."""
        points = [p for n, p in enumerate(self._points) if n == 0 or math.dist(p, self._points[n - 1]) >= 1]
        if self._look.tool is Tool.POLYGON and len(points) >= 3:
            self._points = []
            self._model.change(tool=Tool.LOOK)
            self.area_drawn.emit(Shape.POLYGON, points)

    def drop_tool(self) -> None:
        """Put the tool down and forget what was begun with it."""
        self._points, self._drag = [], None
        self._model.change(tool=Tool.LOOK, for_reach=False)
        self.path_drawn.emit(None)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        pixel, held = self.pixel_at(event.position()), event.modifiers()
        notches = (event.angleDelta().y() or event.angleDelta().x()) / 120  # Alt turns a wheel sideways
        if held & Qt.KeyboardModifier.AltModifier and self.reach.areas:
            turned = bool(held & Qt.KeyboardModifier.ShiftModifier)
            self.reach_turned.emit(1.0 if turned else _LARGER**notches, _TURN * notches if turned else 0.0)
        elif pixel is not None and event.angleDelta().y():
            self._model.zoom_by(1 if event.angleDelta().y() > 0 else -1, pixel)

    def leaveEvent(self, event: object) -> None:
        self.probe = None
        self.hovered.emit(None)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        number = self._area_at(QPointF(event.pos()))
        if number is None:
            return
        menu = QMenu(self)
        for words, act in (("Rename", "rename"), ("Remove", "remove")):
            action = menu.addAction(f"{words} {self.shown_areas[number].name}{' …' if act == 'rename' else ''}")
            assert action is not None
            action.triggered.connect(lambda _, act=act: self.area_asked.emit(number, act))
        menu.exec(event.globalPos())

    def set_wipe(self, place: float) -> None:
        """Put the wipe at a share of the picture's width."""
        self._model.change(wipe=min(max(place, 0.0), 1.0))

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
        label(painter, words, QPointF(box.left() + 8, box.top() + 8), self.box)

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
        label(painter, first_words, QPointF(middle.x() - 8, box.top() + 8), self.box, before=True)
        label(painter, second_words, QPointF(middle.x() + 8, box.top() + 8), self.box)

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
            drawn = Area("", _SHAPES[self._look.tool], (self._points[0], self._points[1]))
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
