"""Figures with their units, and sliders for them, made from what a kind of step declares."""

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QApplication, QDoubleSpinBox, QWidget

from bluffline.figures import figure
from bluffline.treat.step import Number, Step
from bluffline.ui.style.style import DIM, LINE, TEXT, font

_PLACES = {"K": 0, "steps": 1, "px": 2, "%": 1, "°": 1, "×": 3, "stops": 2, "": 3}  # decimals
_EDITING = frozenset(
    {
        Qt.Key.Key_Backspace, Qt.Key.Key_Delete, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down,
        Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Return, Qt.Key.Key_Enter,
    }
)  # fmt: skip


def figure_of(step: Step, field: str) -> float:
    """A figure of a step by its field; ``gains.1`` is the second of its gains."""
    name, _, place = field.partition(".")
    value = getattr(step, name)
    return float(value[int(place)] if place else value)


def figures_of(step: Step) -> list[tuple[str, str, Number]]:
    """The figures of a step that are numbers: field, label, declaration."""
    found = []
    for one in step.figures():
        declared = one.declared
        if isinstance(declared, Number) and declared.parts:
            found += [(f"{one.key}.{n}", f"{declared.label} {part}", declared) for n, part in enumerate(declared.parts)]
        elif isinstance(declared, Number):
            found.append((one.key, declared.label, declared))
    return found


class FigureBox(QDoubleSpinBox):
    """A figure with its unit: type it, wheel it, arrows nudge it, Shift is finer, double-click resets.

    It takes the keys that are part of a number, and after Enter none; all others act on the desk.
    """

    def __init__(self, label: str, declared: Number, value: float, reset: float) -> None:
        super().__init__()
        self._reset, self._unit = reset, declared.unit
        self._nudge, self._finer = declared.nudge, declared.finer
        self.setRange(declared.least, declared.greatest)
        self.setDecimals(_PLACES[declared.unit])
        self.setSingleStep(self._nudge)
        if declared.unit == "×":
            self.setPrefix("×")
        else:
            self.setSuffix(f" {declared.unit}" if declared.unit else "")
        self.setValue(value)
        self.setFont(font(12))
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setAccessibleName(label)
        self.setKeyboardTracking(False)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        nudges = f"arrows nudge by {self._nudge:g}, with Shift by {self._finer:g}"
        self.setToolTip(f"Type, or turn the wheel; {nudges}; double-click resets")
        edit = self.lineEdit()
        assert edit is not None
        edit.mouseDoubleClickEvent = self._double_clicked  # type: ignore[method-assign,assignment]

    def _double_clicked(self, event: QMouseEvent | None) -> None:
        self.setValue(self._reset)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and not _of_a_number(event):
            event.ignore()
            return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        super().keyPressEvent(event)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.clearFocus()

    def stepBy(self, steps: int) -> None:
        finer = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.setSingleStep(self._finer if finer else self._nudge)
        super().stepBy(steps)

    def textFromValue(self, value: float) -> str:
        return figure(value, f".{self.decimals()}f")

    def valueFromText(self, text: str | None) -> float:
        plain = (text or "").replace("−", "-").removesuffix(f" {self._unit}").removeprefix("×").strip()
        return float(plain) if plain else 0.0

    def validate(self, text: str | None, place: int):  # type: ignore[no-untyped-def]
        state, _, _ = super().validate((text or "").replace("−", "-"), place)
        return state, text, place


def _of_a_number(event: QKeyEvent) -> bool:
    """Whether a key is part of typing a number, or of moving about in it."""
    held = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    if held:
        return False
    return event.key() in _EDITING or (event.text() != "" and event.text() in "0123456789.,-+−")


class Slide(QWidget):
    """A slider between a figure's bounds, finer about its neutral value; a drag from one place to another is one gesture."""

    moved = pyqtSignal(float)
    pressed = pyqtSignal()
    reset = pyqtSignal()

    def __init__(self, declared: Number, neutral: float) -> None:
        super().__init__()
        self._least, self._greatest, self._neutral = declared.least, declared.greatest, neutral
        self._value = neutral
        self._from: tuple[float, float] | None = None
        self.setFixedHeight(13)
        self.setMinimumWidth(60)

    def sizeHint(self) -> QSize:
        return QSize(120, 14)

    def show_value(self, value: float) -> None:
        """Stand at a value."""
        if value != self._value:
            self._value = value
            self.update()

    def place_of(self, value: float) -> float:
        """How far along a value stands, 0 … 1: its distance from neutral goes by its square root."""
        side = self._greatest if value >= self._neutral else self._least
        room = abs(side - self._neutral)
        middle = self._middle
        part = (min(abs(value - self._neutral) / room, 1) ** 0.5) if room else 0.0
        return middle + part * (1 - middle) if value >= self._neutral else middle - part * middle

    def value_at(self, place: float) -> float:
        """The inverse of `place_of`."""
        middle = self._middle
        place = min(max(place, 0.0), 1.0)
        if place >= middle:
            return self._neutral + ((place - middle) / max(1 - middle, 1e-9)) ** 2 * (self._greatest - self._neutral)
        return self._neutral - ((middle - place) / middle) ** 2 * (self._neutral - self._least)

    @property
    def _middle(self) -> float:
        """Where neutral stands: half-way, but at an end where there is nothing beyond it."""
        if self._neutral <= self._least:
            return 0.0
        return 1.0 if self._neutral >= self._greatest else 0.5

    def _x_of(self, value: float) -> float:
        return 5 + self.place_of(value) * (self.width() - 10)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton and self.isEnabled():
            self.pressed.emit()
            self._from = event.position().x(), self._x_of(self._value)
            if abs(event.position().x() - self._from[1]) > 7:
                self._from = event.position().x(), event.position().x()
                self._to(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._from is not None:
            finer = 0.2 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self._to(self._from[1] + (event.position().x() - self._from[0]) * finer)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.reset.emit()

    def _to(self, x: float) -> None:
        value = self.value_at((x - 5) / max(self.width() - 10, 1))
        self.show_value(value)
        self.moved.emit(value)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = self.height() / 2
        painter.setPen(QPen(LINE, 2))
        painter.drawLine(QPointF(5, y), QPointF(self.width() - 5, y))
        if 0 < self._middle < 1:
            middle = self._x_of(self._neutral)
            painter.drawLine(QPointF(middle, y - 4), QPointF(middle, y + 4))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(TEXT if self.isEnabled() else DIM)
        painter.drawRoundedRect(QRectF(self._x_of(self._value) - 4, y - 5.5, 8, 11), 2, 2)
