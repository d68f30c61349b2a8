"""Curves on the bench: points that are set, chosen, moved together and taken away, over what the picture holds."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from bluffline.treat.step import LEAST_APART, Curve, Number, Points, Step
from bluffline.ui.ladder.figures import FigureBox
from bluffline.ui.ladder.graph import WAYS, Axes, Graph
from bluffline.ui.style.style import font

_GRIP = 9
_FINER = 0.2
_SHOWN_UP = {"turn": (-60.0, 60.0), "chroma": (0.0, 2.0), "luma": (-30.0, 30.0)}  # of what goes much further
_SAMPLES = 240
# Where the targets of the vectorscope stand, in degrees, by their usual letters [BT709].
_TARGETS = {-130.3: "G", -77.1: "Cy", -5.2: "B", 49.7: "Mg", 102.9: "R", 174.8: "Yl"}
_NO_CURVE = Curve("", Number("", "", 0, 0), Number("", "", 0, 0))


class CurveGraph(Graph):
    """The graph itself."""

    changed = pyqtSignal(object, bool)  # points, whether they go on a gesture
    selected = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.step: Step | None = None
        self.key, self.declared = "", _NO_CURVE
        self.chosen: set[int] = set()
        self._from: tuple[float, float] | None = None
        self._fresh = True  # whether what is dragged next begins an act of its own
        self._began: Points = ()
        self.setToolTip(
            "Click to set a point, drag to move it, with Shift finer; Ctrl and click chooses several; double-click or Delete "
            "takes it away; arrows nudge"
        )

    @property
    def points(self) -> Points:
        """The points in force."""
        return () if self.step is None else getattr(self.step, self.key)

    def show_curve(self, step: Step, key: str, declared: Curve) -> None:
        """Show a curve of a step."""
        if key != self.key or type(step) is not type(self.step):
            self.chosen = set()
        self.step, self.key, self.declared = step, key, declared
        self.chosen = {n for n in self.chosen if n < len(self.points)}
        up = _SHOWN_UP.get(declared.up.label, (-8.0, 112.0))
        if declared.round:
            along, lines = (-180.0, 180.0), tuple(_TARGETS)
        else:
            along, lines = (-8.0, 112.0), (0, 25, 50, 75, 100)
        middle = (up[0] + up[1]) / 2
        up_lines = (0, 50, 100) if up[1] == 112 else (up[0], middle, up[1])
        units = "°" if declared.round else " %", "×" if declared.up.unit == "×" else {"°": "°", "%": " %"}[declared.up.unit]
        self.axes = Axes(along, up, lines, up_lines, units, _TARGETS if declared.round else {})
        self.setAccessibleName(f"{step.title}: {declared.label}")
        self.update()

    # Hands ---------------------------------------------------------------------------------------------------------

    def _at(self, point: QPointF) -> int | None:
        near = [((self.at(*place) - point).manhattanLength(), n) for n, place in enumerate(self.points)]
        off, number = min(near, default=(_GRIP + 1.0, -1))
        return number if off <= _GRIP else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() is not Qt.MouseButton.LeftButton or self.step is None:
            return
        number, place = self._at(event.position()), self.place_at(event.position())
        self._fresh = number is not None
        several = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if number is None:
            made = self.declared.with_point(self.points, self._held(place[0], along=True), self._held(place[1], along=False))
            if not self._give(made, goes_on=False):
                return
            number = min(range(len(made)), key=lambda n: abs(made[n][0] - place[0]))
            self.chosen = {number}
        elif several:
            self.chosen ^= {number}
        elif number not in self.chosen:
            self.chosen = {number}
        self._from, self._began = place, self.points
        self.selected.emit()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._from is None:
            over = self._at(event.position()) is not None
            self.setCursor(Qt.CursorShape.SizeAllCursor if over else Qt.CursorShape.CrossCursor)
            return
        place = self.place_at(event.position())
        finer = _FINER if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        self._moved(
            self._began, (place[0] - self._from[0]) * finer, (place[1] - self._from[1]) * finer, goes_on=not self._fresh
        )
        self._fresh = False

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        number = self._at(event.position())
        if number is not None:
            self.chosen = {number}
            self.take_away()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.chosen:
            self.take_away()
        elif event.key() in WAYS and self.chosen:
            shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            across, up = WAYS[Qt.Key(event.key())]
            along, upwards = (each.finer if shift else each.nudge for each in (self.declared.along, self.declared.up))
            self._moved(self.points, across * along, up * upwards, goes_on=False)
        else:
            event.ignore()

    def take_away(self) -> None:
        """Take the chosen points away, as far as the curve can do without them."""
        left = tuple(point for n, point in enumerate(self.points) if n not in self.chosen)
        if len(left) >= self.declared.least:
            self.chosen = set()
            self._give(left, goes_on=False)
            self.selected.emit()

    def set_chosen(self, along: float | None = None, up: float | None = None) -> None:
        """Give the one point that is chosen another place."""
        if len(self.chosen) != 1:
            return
        (number,) = self.chosen
        x, y = self.points[number]
        self._moved(self.points, 0.0 if along is None else along - x, 0.0 if up is None else up - y, goes_on=False)

    def _moved(self, began: Points, across: float, up: float, *, goes_on: bool) -> None:
        """Move the chosen points by so much from where they were; none past a neighbour."""
        points = list(began)
        for n in sorted(self.chosen, reverse=across > 0):
            low = points[n - 1][0] + LEAST_APART if n > 0 else self.declared.along.least
            high = points[n + 1][0] - LEAST_APART if n + 1 < len(points) else self.declared.along.greatest
            x = min(max(began[n][0] + across, low), high)
            points[n] = round(x, 2), round(self._held(began[n][1] + up, along=False), 3)
        self._give(tuple(points), goes_on=goes_on)

    def _held(self, value: float, *, along: bool) -> float:
        declared = self.declared.along if along else self.declared.up
        return min(max(value, declared.least), declared.greatest)

    def _give(self, points: Points, *, goes_on: bool) -> bool:
        if points not in self.declared:
            return False
        self.changed.emit(points, goes_on)
        return True

    # Drawing -------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        self.paint_ground(painter)
        if self.step is None:
            return
        along = np.linspace(*self.axes.along, _SAMPLES)
        self.paint_line(painter, along, self.step.curve_at(self.key, along))
        self.paint_pointed(painter)
        for n, place in enumerate(self.points):
            self.paint_mark(painter, self.at(*place), chosen=n in self.chosen)


class CurveEditor(QWidget):
    """The curves of a step: which is shown, its graph, and the figures of the point that is chosen."""

    changed = pyqtSignal(str, object, bool)  # key, points, whether they go on a gesture
    turned = pyqtSignal()

    def __init__(self, step: Step, curves: dict[str, Curve]) -> None:
        super().__init__()
        self._curves, self._step = curves, step
        self.key = next(iter(curves))
        self.graph = CurveGraph()
        self.buttons: dict[str, QToolButton] = {}
        column = QVBoxLayout()
        column.setSpacing(3)
        row = QGridLayout()
        row.setSpacing(0)
        for n, (key, declared) in enumerate(curves.items()):
            button = QToolButton()
            button.setObjectName("quiet")
            button.setText(declared.label)
            button.setFont(font(12))
            button.setCheckable(True)
            button.setAccessibleName(f"{step.title}: {declared.label}")
            button.clicked.connect(lambda _, key=key: self.turn(key))
            self.buttons[key] = button
            if len(curves) > 1:
                row.addWidget(button, 0, n)
        column.addLayout(row)
        self._figures = QGridLayout()
        self._figures.setSpacing(2)
        column.addLayout(self._figures)
        self._hint = QLabel()
        self._hint.setFont(font(11))
        self._hint.setProperty("role", "dim")
        self._hint.setWordWrap(True)
        self._hint.setFixedWidth(132)
        column.addWidget(self._hint)
        column.addStretch(1)
        self.column = column
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(column)
        layout.addWidget(self.graph, 1)
        self.graph.changed.connect(lambda points, goes_on: self.changed.emit(self.key, points, goes_on))
        self.graph.selected.connect(self._show_figures)
        self.boxes: list[FigureBox] = []
        self.turn(self.key)

    def turn(self, key: str) -> None:
        """Show another of the curves."""
        self.key = key
        for name, button in self.buttons.items():
            button.setChecked(name == key)
        declared = self._curves[key]
        for box in self.boxes:
            box.deleteLater()
        while self._figures.count():
            item = self._figures.takeAt(0)
            if item is not None and (widget := item.widget()) is not None:
                widget.deleteLater()
        self.boxes = []
        for n, (part, number) in enumerate((("along", declared.along), ("up", declared.up))):
            label = QLabel(number.label.capitalize())
            label.setFont(font(12))
            label.setProperty("role", "dim")
            box = FigureBox(f"{self._step.title}: {number.label}", number, 0.0, 0.0)
            box.setFixedSize(84, 20)
            box.valueChanged.connect(lambda value, part=part: self.graph.set_chosen(**{part: value}))
            self._figures.addWidget(label, n, 0)
            self._figures.addWidget(box, n, 1)
            self.boxes.append(box)
        self.graph.show_curve(self._step, key, declared)
        self._show_figures()
        self.turned.emit()

    def show_step(self, step: Step) -> None:
        """Show the figures in force."""
        self._step = step
        self.graph.show_curve(step, self.key, self._curves[self.key])
        self.setEnabled(step.on)
        self._show_figures()

    def _show_figures(self) -> None:
        points, chosen = self.graph.points, self.graph.chosen
        one = points[next(iter(chosen))] if len(chosen) == 1 else None
        for box, value in zip(self.boxes, one or (0.0, 0.0), strict=True):
            box.setEnabled(one is not None)
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)
        if one is not None:
            self._hint.setText(f"point {next(iter(chosen)) + 1} of {len(points)}")
        elif chosen:
            self._hint.setText(f"{len(chosen)} points move together")
        else:
            self._hint.setText("Click to set a point, or Shift+I for a colour's")
