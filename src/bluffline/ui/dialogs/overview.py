"""The shots overview: a card for every shot, side by side, so that a programme is judged for evenness at a glance."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QShortcut
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from bluffline.media.programme import Programme
from bluffline.rules.aims import Aims
from bluffline.rules.catalogue import headline
from bluffline.ui.actions.proposing import PROPOSED
from bluffline.ui.findings.marks import draw_mark
from bluffline.ui.style.style import CARD, DIM, LINE, TEXT, TINT, WELL, font, image_of
from bluffline.view.overview import (
    THUMB_WIDTH,
    WAVE_HEIGHT,
    Order,
    ShotCard,
    alike,
    apart,
    ordered_cards,
    under_the_same_light,
)
from bluffline.view.side_by_side import MOST

_ACROSS = 3
_WAYS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -_ACROSS, Qt.Key.Key_Down: _ACROSS}
_GAP, _HEAD, _FOOT = 6, 22, 22
_NO_FACE = "no area is named face in any shot: name one there, and its level stands here"
_APART = 16  # pixels between two marks that can be told apart


class ShotWidget(QWidget):
    """One shot: source and treated beside each other, their waveforms beneath, the worst finding in words."""

    pressed = pyqtSignal(int, object)  # number, modifiers
    opened = pyqtSignal(int)  # frame

    def __init__(self, card: ShotCard, programme: Programme, *, current: bool) -> None:
        super().__init__()
        self.card, self._current = card, current
        self.picked, self.beside, self.here = False, "", False
        self._title = f"Shot {card.number + 1}"
        self._when = programme.label(card.frame)
        self._high = card.pictures[0].shape[0]
        words = headline(card.worst) if card.worst is not None else "nothing found"
        self._words = words
        self.setFixedSize(self.sizeHint())
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{self._title}, {self._when}: {words}")
        self.setToolTip("Click picks it, with Shift all up to it, with Ctrl one more; double-click goes there")

    def sizeHint(self) -> QSize:
        return QSize(2 * THUMB_WIDTH + 3 * _GAP, _HEAD + self._high + WAVE_HEIGHT + _FOOT + 3 * _GAP)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.pressed.emit(self.card.number, event.modifiers())

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.opened.emit(self.card.frame)

    def show_state(self, *, picked: bool, beside: str, here: bool) -> None:
        """Whether it is picked, what is told beside its time, and whether keys have moved to it."""
        if (picked, beside, here) != (self.picked, self.beside, self.here):
            self.picked, self.beside, self.here = picked, beside, here
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), CARD)
        if self.picked or self.here:
            painter.setPen(QPen(TINT, 2) if self.picked else QPen(DIM, 1, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        painter.setPen(TEXT)
        painter.setFont(font(12, bold=True))
        painter.drawText(QPointF(_GAP, 16), self._title + (" · in view" if self._current else ""))
        painter.setPen(DIM)
        painter.setFont(font(11))
        right = QRectF(0, 0, self.width() - _GAP, _HEAD)
        painter.drawText(right, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{self.beside}{self._when}")
        top = _HEAD
        for n, (picture, wave) in enumerate(zip(self.card.pictures, self.card.waves, strict=True)):
            left = _GAP + n * (THUMB_WIDTH + _GAP)
            painter.drawImage(left, top, image_of(picture))
            painter.drawImage(left, top + self._high + _GAP, image_of(wave))
            painter.setPen(TEXT)
            painter.fillRect(QRectF(left, top, 56, 16), Qt.GlobalColor.black)
            painter.drawText(QPointF(left + 5, top + 12), ("source", "treated")[n])
        if len(self.card.pictures) == 1:
            painter.setPen(DIM)
            beside = QRectF(2 * _GAP + THUMB_WIDTH, top, THUMB_WIDTH, self._high)
            painter.drawText(beside, Qt.AlignmentFlag.AlignCenter, "untreated")
        base = self.height() - 9
        if self.card.worst is not None:
            draw_mark(painter, QPointF(_GAP + 6, base - 4), self.card.worst.severity, TEXT, 4.5)
        painter.setPen(TEXT if self.card.worst is not None else DIM)
        painter.drawText(QPointF(_GAP + 18, base), self._words)


class _Board(QWidget):
    """Where the cards lie; it takes the keys that move about among them."""

    keyed = pyqtSignal(object, object)  # key, modifiers

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Shots")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in _WAYS or event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.keyed.emit(Qt.Key(event.key()), event.modifiers())
        else:
            super().keyPressEvent(event)


class LevelsStrip(QWidget):
    """Skin and white of every shot as marks along one scale, so that the odd one out is seen; the aims lie behind them."""

    def __init__(self, cards: Sequence[ShotCard], aims: Aims) -> None:
        super().__init__()
        self._cards, self._aims = cards, aims
        self.picked: set[int] = set()
        self.setFixedHeight(86)
        told = "; ".join(f"shot {card.number + 1}: {_levels_of(card)}" for card in cards)
        self.setAccessibleName(f"Skin and white of every shot, as treated: {told}")
        self.setToolTip("Each mark is a shot, as it is treated: its skin above, its white below; grey lies where the aims are")

    def _x(self, percent: float) -> float:
        return 56 + min(max(percent, 0), 110) / 110 * (self.width() - 72)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), WELL)
        painter.setFont(font(11))
        levels = self._aims.levels
        for row, (name, aim) in enumerate((("skin", levels.face), ("white", levels.highlights))):
            middle = 14 + row * 28
            painter.fillRect(QRectF(self._x(aim[0]), middle - 10, self._x(aim[1]) - self._x(aim[0]), 20), LINE)
            painter.setPen(DIM)
            painter.drawText(QRectF(6, middle - 10, 46, 20), Qt.AlignmentFlag.AlignVCenter, name)
            levels_of = [(card.white if row else card.skin, card.number) for card in self._cards]
            if all(value is None for value, _ in levels_of):
                painter.drawText(QRectF(60, middle - 10, self.width() - 76, 20), Qt.AlignmentFlag.AlignVCenter, _NO_FACE)
            for numbers, x in self._together(levels_of):
                self._draw(painter, numbers, x, middle)
        painter.setPen(DIM)
        for percent in (0, 25, 50, 75, 100):
            box = QRectF(self._x(percent) - 24, 67, 48, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{percent} %")

    def _together(self, levels: Sequence[tuple[float | None, int]]) -> list[tuple[list[int], float]]:
        """Shots whose marks would lie over one another, as one mark in their middle."""
        groups: list[list[tuple[float, int]]] = []
        for value, number in sorted((value, number) for value, number in levels if value is not None):
            x = self._x(value)
            if groups and x - groups[-1][-1][0] < _APART:
                groups[-1].append((x, number))
            else:
                groups.append([(x, number)])
        return [(sorted(number for _, number in group), sum(x for x, _ in group) / len(group)) for group in groups]

    def _draw(self, painter: QPainter, numbers: Sequence[int], x: float, middle: float) -> None:
        chosen = bool(self.picked & set(numbers))
        painter.setPen(QPen(TINT if chosen else TEXT, 1.4))
        painter.setBrush(TINT if chosen else WELL)
        painter.drawPolygon(QPolygonF([QPointF(x, middle - 5), QPointF(x + 4, middle + 1), QPointF(x - 4, middle + 1)]))
        told = " ".join(str(number + 1) for number in numbers)
        painter.drawText(QRectF(x - 60, middle + 1, 120, 14), Qt.AlignmentFlag.AlignCenter, told)


def _levels_of(card: ShotCard) -> str:
    return (f"skin {card.skin:.0f} %, " if card.skin is not None else "") + f"white {card.white:.0f} %"


class ShotsDialog(QDialog):
    """Every shot, to be picked, compared with one of them, made a group, or gone to."""

    chosen = pyqtSignal(int)  # frame
    grouped = pyqtSignal(str, object, bool)  # name, numbers, whether the steps of the shot in view go to the group
    given = pyqtSignal(object)  # numbers that get copies of the steps of the shot in view
    compared = pyqtSignal(object)  # numbers, two to four
    brought = pyqtSignal(object, int)  # numbers, and the one that they are brought to
    proposed = pyqtSignal(object, object)  # numbers, and what is wanted for them

    def __init__(self, cards: list[ShotCard], programme: Programme, shot: int, aims: Aims, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shots")
        self._cards, self._shot = cards, shot
        self.picked: set[int] = set()
        self._last: int | None = None
        self.here = shot  # where keys have moved to
        self.reference: int | None = None
        self.widgets = {card.number: ShotWidget(card, programme, current=card.number == shot) for card in cards}
        for widget in self.widgets.values():
            widget.pressed.connect(self._pressed)
            widget.opened.connect(self._go)
        self.order = QComboBox()
        self.order.addItems([str(order) for order in Order])
        self.order.setAccessibleName("Order of the shots")
        self.order.textActivated.connect(lambda _: self._arrange())
        self.name = QLineEdit()
        self.name.setPlaceholderText("name of a group")
        self.name.setAccessibleName("Name of a group")
        self.name.setMaximumWidth(150)
        self.name.textChanged.connect(lambda _: self._refresh())
        self.told = QLabel()
        self.told.setFont(font(12))
        self.told.setProperty("role", "dim")
        self.proposals, self.more = QMenu(self), QMenu(self)
        for wanted, (words, keys) in PROPOSED.items():
            action = self.proposals.addAction(words.capitalize())
            assert action is not None
            action.triggered.connect(lambda _, wanted=wanted: self.proposed.emit(sorted(self.picked), wanted))
            action.setShortcuts([QKeySequence(key) for key in keys])  # the desk's, here for the picked
            self.addAction(action)
        for which, words in ((alike, "What looks like it"), (under_the_same_light, "What lies under the same light")):
            self.more.addAction(words, lambda which=which: self._pick_like(which))
        self.buttons: dict[str, QPushButton] = {}
        self.acts = QWidget()
        row = QHBoxLayout(self.acts)
        row.setContentsMargins(0, 0, 0, 0)
        for words, act in (
            ("Propose", self.proposals),
            ("Give steps", lambda: self.given.emit(sorted(self.picked))),
            ("Make it the reference", self._compare),
            ("Bring to the reference", self._bring),
            ("Side by side", lambda: self.compared.emit(sorted(self.picked))),
            ("Pick more", self.more),
            ("Make a group", lambda: self._group(given=False)),
            ("Group with steps", lambda: self._group(given=True)),
        ):
            button = QPushButton(words)
            button.setFont(font(12))
            button.setAutoDefault(False)
            if isinstance(act, QMenu):
                button.setMenu(act)
            else:
                button.clicked.connect(lambda _, act=act: act())
            if words == "Make a group":
                row.addWidget(self.name)
            row.addWidget(button)
            self.buttons[words] = button
        row.addStretch(1)
        kept = self.acts.sizePolicy()
        kept.setRetainSizeWhenHidden(True)  # nothing moves when they appear
        self.acts.setSizePolicy(kept)
        first = QHBoxLayout()
        first.addWidget(self.order)
        first.addWidget(self.told)
        first.addStretch(1)
        every = QShortcut(QKeySequence(QKeySequence.StandardKey.SelectAll), self)
        every.activated.connect(self.pick_all)
        holder = _Board()
        holder.setObjectName("window")
        holder.keyed.connect(self._keyed)
        self._grid = QGridLayout(holder)
        self._grid.setSpacing(8)
        self._grid.setContentsMargins(8, 8, 8, 8)
        self._area = area = QScrollArea()
        area.setAccessibleName("Page of shots")
        area.setWidget(holder)
        area.setWidgetResizable(True)
        self.strip = LevelsStrip(cards, aims)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addLayout(first)
        layout.addWidget(self.acts)
        layout.addWidget(self.strip)
        if not cards:
            layout.addWidget(QLabel("No shot has a frame that can be decoded."))
        layout.addWidget(area, 1)
        self.resize(_ACROSS * (2 * THUMB_WIDTH + 3 * _GAP + 8) + 48, 760)
        self._arrange()
        self._refresh()
        holder.setFocus()

    @property
    def _shown(self) -> list[int]:
        """The shots in the order in which their cards stand."""
        return [card.number for card in ordered_cards(self._cards, Order(self.order.currentText()), self.reference)]

    def _keyed(self, key: Qt.Key, modifiers: Qt.KeyboardModifier) -> None:
        """Arrows move about, with Shift they pick what they pass; Space picks or lets go, Enter goes there."""
        order = self._shown
        if not order:
            return
        if key in _WAYS:
            self._last = self.here if self._last is None else self._last
            place = order.index(self.here) + _WAYS[key] if self.here in order else 0
            if 0 <= place < len(order):
                self.here = order[place]
                if modifiers & Qt.KeyboardModifier.ShiftModifier:
                    self._pressed(self.here, modifiers)
            self._area.ensureWidgetVisible(self.widgets[self.here])
            self._refresh()
        elif self.here in order and key == Qt.Key.Key_Space:
            self._pressed(self.here, Qt.KeyboardModifier.ControlModifier)
        elif self.here in order:
            self._go(self.widgets[self.here].card.frame)

    def _arrange(self) -> None:
        """Put the cards in the order that was chosen."""
        for place, card in enumerate(ordered_cards(self._cards, Order(self.order.currentText()), self.reference)):
            self._grid.addWidget(self.widgets[card.number], place // _ACROSS, place % _ACROSS)
        self._grid.setRowStretch(len(self._cards), 1)

    def _pressed(self, number: int, modifiers: Qt.KeyboardModifier) -> None:
        order, self.here = self._shown, number
        if modifiers & Qt.KeyboardModifier.ShiftModifier and self._last in order:
            here, there = sorted((order.index(self._last), order.index(number)))
            self.picked |= set(order[here : there + 1])
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            self.picked ^= {number}
        else:
            self.picked = {number}
        self._last = number
        self._refresh()

    def pick_all(self) -> None:
        """Pick every shot."""
        self.picked = set(self.widgets)
        self._refresh()

    def _refresh(self) -> None:
        known = next((card for card in self._cards if card.number == self.reference), None)
        for number, widget in self.widgets.items():
            far = "" if known is None else f"Δ {apart(widget.card, known):.1f} · "
            far = "reference · " if number == self.reference else far
            widget.show_state(picked=number in self.picked, beside=far, here=number == self.here)
        self.strip.picked = self.picked
        self.strip.update()
        count, named = len(self.picked), bool(self.name.text().strip())
        self.acts.setVisible(count > 0)
        for action in self.proposals.actions():
            action.setEnabled(count > 0)
        for words, can, does, lacks in (
            ("Propose", True, "Proposes for every picked shot, as one act", ""),
            ("Give steps", True, f"Gives copies of the steps of shot {self._shot + 1}, which is in view", ""),
            ("Make it the reference", count == 1, "Tells how far every shot is from it", "Pick one shot alone for that"),
            ("Bring to the reference", known is not None, "Matches the picked to it", "Make a shot the reference first"),
            ("Side by side", 2 <= count <= MOST, "Shows the picked large", f"Pick two to {MOST} shots for that"),
            ("Pick more", count == 1, "Picks what is like it", "Pick one shot alone for that"),
            ("Make a group", named, "Steps given to a group act on all its shots", "Give the group a name first"),
            ("Group with steps", named, f"And the steps of shot {self._shot + 1} go to it", "Give the group a name first"),
        ):
            self.buttons[words].setEnabled(count > 0 and can)
            self.buttons[words].setToolTip(does if can else lacks)
        none = "Click a shot to pick it, or arrows and Space; Ctrl+A picks all; double-click or Enter goes there"
        told = f"{count} of {len(self._cards)} shots picked" if count else none
        told += f" · Δ: distance in Lab from shot {self.reference + 1}, as treated" if self.reference is not None else ""
        self.told.setText(told)

    def _compare(self) -> None:
        (self.reference,) = self.picked
        self._arrange()
        self._refresh()

    def _pick_like(self, which: Callable[[Sequence[ShotCard], ShotCard], list[int]]) -> None:
        (number,) = self.picked
        self.picked = set(which(self._cards, self.widgets[number].card))
        self._refresh()

    def _group(self, *, given: bool) -> None:
        self.grouped.emit(self.name.text().strip(), sorted(self.picked), given)

    def _bring(self) -> None:
        assert self.reference is not None
        self.brought.emit(sorted(self.picked - {self.reference}), self.reference)

    def _go(self, frame: int) -> None:
        self.chosen.emit(frame)
        self.accept()
