"""Where the keyboard is: the order in which Tab goes through places, and a line about what it has come to."""

from collections.abc import Iterator, Sequence
from itertools import takewhile

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QObject, QRect, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen, QRegion
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QApplication, QScrollArea, QWidget

from bluffline.ui.style.style import TINT

_WIDTH = 2  # pixels
_LINE = 40  # pixels: what is higher stands beside more than one line
_MOVES = frozenset(
    {QEvent.Type.Move, QEvent.Type.Resize, QEvent.Type.Show, QEvent.Type.Hide, QEvent.Type.ParentChange}
)
_THROUGH_ROWS = frozenset(
    {Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Home, Qt.Key.Key_End}
)


def stops(places: Sequence[QWidget]) -> list[QWidget]:
    """What Tab comes to in some places, one after the other; within each as it is read, line by line from the left."""
    return [stop for place in places for stop in _as_read([each for each in _within(place) if _is_stop(each)])]


def _within(place: QWidget) -> Iterator[QWidget]:
    yield place
    yield from place.findChildren(QWidget)


def _is_stop(widget: QWidget) -> bool:
    if not (widget.isVisible() and widget.isEnabled() and widget.focusProxy() is None):
        return False
    group = widget.group() if isinstance(widget, QAbstractButton) else None
    if group is not None and group.exclusive() and group.checkedButton() not in (None, widget):
        return False  # arrows go from one to the next
    return bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus)


def _as_read(widgets: Sequence[QWidget]) -> list[QWidget]:
    """Those that begin above the middle of the first of a line stand in it."""
    boxes = {widget: QRect(widget.mapToGlobal(widget.rect().topLeft()), widget.size()) for widget in widgets}
    left, found = sorted(widgets, key=lambda widget: boxes[widget].top()), list[QWidget]()
    while left:
        first = boxes[left[0]]
        middle = first.top() + max(min(first.height(), _LINE) // 2, 1)
        line = [widget for widget in left if boxes[widget].top() < middle]
        found += sorted(line, key=lambda widget: boxes[widget].left())
        left = [widget for widget in left if widget not in line]
    return found


def go_on(places: Sequence[QWidget], *, back: bool) -> bool:
    """Have the focus go to the next stop, or to the one before, round and round; whether there is any."""
    order = stops(places)
    if not order:
        return False
    now = QApplication.focusWidget()
    at = order.index(now) + (-1 if back else 1) if now in order else (-1 if back else 0)
    stop = order[at % len(order)]
    stop.setFocus(Qt.FocusReason.BacktabFocusReason if back else Qt.FocusReason.TabFocusReason)
    for around in _above(stop):
        if isinstance(around, QScrollArea):
            around.ensureWidgetVisible(stop)
    return True


def is_for_focus(event: QKeyEvent, window: QWidget) -> bool:
    """Whether a key belongs to what a key has taken the focus to: to press a button, to go through the rows of a list."""
    now = QApplication.focusWidget()
    if now is None or event.modifiers() != Qt.KeyboardModifier.NoModifier or not by_key(window):
        return False
    if isinstance(now, QAbstractButton):
        return event.key() == Qt.Key.Key_Space
    return isinstance(now, QAbstractItemView) and event.key() in _THROUGH_ROWS


def by_key(window: QWidget) -> bool:
    """Whether a key has taken the focus of a window to where it is."""
    return window.testAttribute(Qt.WidgetAttribute.WA_KeyboardFocusChange)


def _above(widget: QWidget | None) -> Iterator[QWidget]:
    while widget is not None:
        yield widget
        widget = widget.parentWidget()


class FocusLine(QWidget):
    """A line about what has the focus in a window or its dialogs, from when a key has taken it there until a click does."""

    def __init__(self, desk: QWidget) -> None:
        super().__init__(desk)
        self._desk, self._about = desk, desk
        self._around: list[QWidget] = []  # it, and what it lies in: each may move
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hide()
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._follow)

    def _follow(self, _: QWidget | None, now: QWidget | None) -> None:
        for each in self._around:
            if not sip.isdeleted(each):  # what had the focus may be gone
                each.removeEventFilter(self)
        self._about, self._around = self._desk, []
        self.hide()
        self.setParent(self._desk)  # a dialog takes what stands in it along when it goes
        window = now.window() if now is not None else None
        if now is None or window is None or self._desk not in _above(window):
            return
        if by_key(window):
            self._about = now
            self._around = list(takewhile(lambda each: each is not window, _above(now)))
            for each in self._around:
                each.installEventFilter(self)
            self.setParent(window)
            self._place()

    def _place(self) -> None:
        around = self.parentWidget()
        if sip.isdeleted(self._about) or around is None or around is not self._about.window():  # it went, or moved there
            self.hide()
            return
        place = QRect(self._about.mapTo(around, self._about.rect().topLeft()), self._about.size())
        self.setGeometry(place.adjusted(-_WIDTH, -_WIDTH, _WIDTH, _WIDTH).intersected(around.rect()))
        inner = self.rect().adjusted(_WIDTH, _WIDTH, -_WIDTH, -_WIDTH)
        self.setMask(QRegion(self.rect()).subtracted(QRegion(inner)))  # what is under it is painted without it
        self.setVisible(self._about.isVisible())
        self.raise_()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in _MOVES:
            self._place()
        return super().eventFilter(watched, event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setPen(QPen(TINT, 2 * _WIDTH))
        painter.drawRect(self.rect())
