"""The picture and the hands on it: wiping, zooming, pointing, drawing areas and keys, dragging a chart."""

import math

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QMenu

from bluffline.measure.areas import Shape
from bluffline.measure.region import Region
from bluffline.ui.picture.overlays import distance, outline
from bluffline.ui.picture.shown import SHAPES, ShownPicture
from bluffline.view.looking import Compare, LookingModel, Tool

_LARGER, _TURN = 1.02, 1.0  # times and degrees a notch of the wheel
_GRIP = 9


class PictureView(ShownPicture):
    """The picture, telling what the operator does on it in pixels of the programme."""

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
        super().__init__(model)
        self._drag: str | None = None
        self._from = QPointF()
        self._held_area = 0
        self._alone = False
        self._gestures = 0
        self.setMouseTracking(True)

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
                shape = SHAPES[self._look.tool]
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
