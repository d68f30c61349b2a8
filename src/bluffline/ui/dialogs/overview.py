"""The shots overview: a card for every shot, side by side, so that a programme is judged for evenness at a glance."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QShortcut
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
from bluffline.propose.suggesting import Wanted
from bluffline.rules.aims import Aims
from bluffline.rules.catalogue import headline
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

_PROPOSED = (
    (Wanted.BEARABLE, "Bearable"), (Wanted.EXPOSURE, "Exposure and contrast"), (Wanted.BALANCE, "Balance"),
    (Wanted.LOG, "Open flat footage"),
)  # fmt: skip
_ACROSS = 3
_GAP, _HEAD, _FOOT = 6, 22, 22
_APART = 16  # pixels between two marks that can be told apart


class ShotWidget(QWidget):
    """One shot: source and treated beside each other, their waveforms beneath, the worst finding in words."""

    pressed = pyqtSignal(int, object)  # number, modifiers
    opened = pyqtSignal(int)  # frame

    def __init__(self, card: ShotCard, programme: Programme, *, current: bool) -> None:
        super().__init__()
        self.card, self._current = card, current
        self.picked, self.beside = False, ""
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

    def show_state(self, *, picked: bool, beside: str) -> None:
        """Whether it is picked, and what is told beside its time."""
        if (picked, beside) != (self.picked, self.beside):
            self.picked, self.beside = picked, beside
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), CARD)
        if self.picked:
            painter.setPen(QPen(TINT, 2))
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
            for numbers, x in self._together([(card.white if row else card.skin, card.number) for card in self._cards]):
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
        self.buttons: dict[str, QPushButton] = {}
        first, second = QHBoxLayout(), QHBoxLayout()
        first.addWidget(self.order)
        for row, words, act in (
            (first, "Compare with the picked", self._compare),
            (first, "Side by side", lambda: self.compared.emit(sorted(self.picked))),
            (first, "Pick what looks like it", lambda: self._pick_like(alike)),
            (first, "Pick the same light", lambda: self._pick_like(under_the_same_light)),
            (second, "Make a group", lambda: self._group(given=False)),
            (second, "Give steps to the group", lambda: self._group(given=True)),
            (second, "Copy steps to the picked", lambda: self.given.emit(sorted(self.picked))),
            (second, "Bring the picked to the reference", self._bring),
        ):
            button = QPushButton(words)
            button.setFont(font(12))
            button.setAutoDefault(False)
            button.clicked.connect(lambda _, act=act: act())
            if row is second and words == "Make a group":
                row.addWidget(self.name)
            row.addWidget(button)
            self.buttons[words] = button
        self.proposals = QMenu(self)
        for wanted, words in _PROPOSED:
            self.proposals.addAction(words, lambda wanted=wanted: self.proposed.emit(sorted(self.picked), wanted))
        self.buttons["Propose for the picked"] = offer = QPushButton("Propose for the picked")
        offer.setFont(font(12))
        offer.setAutoDefault(False)
        offer.setMenu(self.proposals)
        second.addWidget(offer)
        every = QShortcut(QKeySequence(QKeySequence.StandardKey.SelectAll), self)
        every.activated.connect(self._pick_all)
        first.addStretch(1)
        second.addStretch(1)
        holder = QWidget()
        holder.setObjectName("window")
        self._grid = QGridLayout(holder)
        self._grid.setSpacing(8)
        self._grid.setContentsMargins(8, 8, 8, 8)
        area = QScrollArea()
        area.setWidget(holder)
        area.setWidgetResizable(True)
        self.strip = LevelsStrip(cards, aims)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addLayout(first)
        layout.addLayout(second)
        layout.addWidget(self.told)
        layout.addWidget(self.strip)
        if not cards:
            layout.addWidget(QLabel("No shot has a frame that can be decoded."))
        layout.addWidget(area, 1)
        self.resize(_ACROSS * (2 * THUMB_WIDTH + 3 * _GAP + 8) + 48, 760)
        self._arrange()
        self._refresh()

    def _arrange(self) -> None:
        """Put the cards in the order that was chosen."""
        for place, card in enumerate(ordered_cards(self._cards, Order(self.order.currentText()), self.reference)):
            self._grid.addWidget(self.widgets[card.number], place // _ACROSS, place % _ACROSS)
        self._grid.setRowStretch(len(self._cards), 1)

    def _pressed(self, number: int, modifiers: Qt.KeyboardModifier) -> None:
        order = [card.number for card in ordered_cards(self._cards, Order(self.order.currentText()), self.reference)]
        if modifiers & Qt.KeyboardModifier.ShiftModifier and self._last in order:
            here, there = sorted((order.index(self._last), order.index(number)))
            self.picked |= set(order[here : there + 1])
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            self.picked ^= {number}
        else:
            self.picked = {number}
        self._last = number
        self._refresh()

    def _pick_all(self) -> None:
        self.picked = set(self.widgets)
        self._refresh()

    def _refresh(self) -> None:
        known = next((card for card in self._cards if card.number == self.reference), None)
        for number, widget in self.widgets.items():
            far = "" if known is None else f"Δ {apart(widget.card, known):.1f} · "
            far = "reference · " if number == self.reference else far
            widget.show_state(picked=number in self.picked, beside=far)
        self.strip.picked = self.picked
        self.strip.update()
        self.buttons["Side by side"].setEnabled(2 <= len(self.picked) <= MOST)
        one, some, named = len(self.picked) == 1, bool(self.picked), bool(self.name.text().strip())
        for words, can in (
            ("Compare with the picked", one), ("Pick what looks like it", one), ("Pick the same light", one),
            ("Make a group", some and named), ("Give steps to the group", some and named),
            ("Copy steps to the picked", some), ("Propose for the picked", some),
            ("Bring the picked to the reference", some and known is not None),
        ):  # fmt: skip
            self.buttons[words].setEnabled(can)
        count = len(self.picked)
        none = "Click a shot to pick it, Ctrl+A picks all; double-click goes there"
        told = f"{count} of {len(self._cards)} shots picked" if count else none
        told += f" · Δ: distance in Lab from shot {self.reference + 1}, as treated" if self.reference is not None else ""
        self.told.setText(told + f" · steps are those of shot {self._shot + 1}, which is in view")

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
