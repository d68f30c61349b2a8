"""How a file in hand is drawn: its mark, its name, its skyline with limits and hatching, what was found, when it is on air."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QImage, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from bluffline.media.opening import shown
from bluffline.rules.severity import Severity
from bluffline.shift.file_in_hand import FileInHand
from bluffline.shift.one_file import Told
from bluffline.shift.redelivery import CameBefore
from bluffline.shift.states import State
from bluffline.ui.findings.marks import draw_mark
from bluffline.ui.shift.rows import FILE
from bluffline.ui.shift.words import found_in, length_of, next_for, part_done
from bluffline.ui.style.style import DIM, GROUND, LINE, TEXT, TINT, WELL, font

ROW = 46
_MIDDLE = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_LOW, _HIGH = -12.0, 125.0  # percent from the foot to the top of a small skyline
_PLAIN = 0.0, 100.0, 0.0, 100.0  # limits, where nobody has said
_PALE, _BEHIND = QColor(158, 158, 158), QColor(92, 92, 92)
# Left edges of the columns from the right edge of the row, and widths; the skyline has what is left.
_FOUND, _LENGTH, _AIR, _NEXT = (-350, 164), (-180, 66), (-108, 44), (-58, 54)
_NAME = 230


def columns(width: int) -> list[tuple[str, int, int]]:
    """The columns of a row: their titles, left edges and widths in pixels."""
    sky = max(width + _FOUND[0] - _NAME - 12, 60)
    return [
        ("Programme", 34, _NAME - 34), ("Skyline", _NAME, sky), ("Found", width + _FOUND[0], _FOUND[1]),
        ("Length", width + _LENGTH[0], _LENGTH[1]), ("On air", width + _AIR[0], _AIR[1]), ("Next", width + _NEXT[0], _NEXT[1]),
    ]  # fmt: skip


class FilePainter(QStyledItemDelegate):
    """Draws a row when it is shown."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(400, ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        file: FileInHand = index.data(FILE)
        box = option.rect
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(QPen(TINT, 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(box).adjusted(0.5, 1.5, -0.5, -1.5), 3, 3)
        done = file.state in (State.DELIVERED, State.PROVED, State.PUT_OFF, State.SENT_BACK)
        draw_state(painter, QPointF(box.left() + 17, box.center().y() + 1), file)
        places = columns(box.width())
        cells = {title: QRect(box.left() + left, box.top(), width, box.height()) for title, left, width in places}
        name = cells["Programme"]
        painter.setPen(DIM if done else TEXT)
        self._write(
            painter,
            QRect(name.left(), box.top() + 5, name.width() - 8, 19),
            shown(file.path.name),
            13,
            Qt.TextElideMode.ElideMiddle,
        )
        painter.setPen(DIM)
        under = QRect(name.left(), box.top() + 24, name.width() - 8, 16)
        self._write(painter, under, f"{file.profile.name} · {_rules_of(file)}", 11)
        draw_skyline(painter, QRectF(cells["Skyline"]).adjusted(0, 5, 0, -5), file.told)
        painter.setPen(TEXT if file.state.needs_a_person else DIM)
        self._write(painter, cells["Found"].adjusted(0, 0, -8, 0), found_in(file), 12)
        painter.setPen(DIM)
        painter.setFont(font(12))
        painter.drawText(cells["Length"], _MIDDLE, length_of(file))
        painter.setPen(TEXT)
        painter.drawText(cells["On air"], _MIDDLE, file.on_air)
        painter.setPen(TINT if file.state is State.TO_FIX else TEXT)
        self._write(painter, cells["Next"], next_for(file), 12)
        painter.restore()

    @staticmethod
    def _write(
        painter: QPainter, box: QRect, text: str, size: int, how: Qt.TextElideMode = Qt.TextElideMode.ElideRight
    ) -> None:
        painter.setFont(font(size))
        painter.drawText(box, _MIDDLE, painter.fontMetrics().elidedText(text, how, box.width()))


def _rules_of(file: FileInHand) -> str:
    """The rules that a file is judged by: their title once that is known."""
    told = file.told.checked.get("rules", {}) if file.told is not None else {}
    return str(told.get("title", file.profile.rules.rpartition("/")[2]))


def draw_state(painter: QPainter, centre: QPointF, file: FileInHand) -> None:
    """The mark of a state: a diamond as findings have it, a ring while it is measured, a ticked box, an envelope."""
    x, y = centre.x(), centre.y()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(TEXT, 1.4))
    match file.state:
        case State.TO_FIX:
            draw_mark(painter, centre, Severity.MUST_FIX, TEXT, 6)
        case State.GOOD:
            look = file.told is not None and file.told.count(Severity.LOOK)
            draw_mark(painter, centre, Severity.LOOK if look else Severity.NOTE, TEXT, 6)
        case State.PROVED:
            painter.drawRect(QRectF(x - 5.5, y - 5.5, 11, 11))
            painter.drawPolyline(QPolygonF([QPointF(x - 3, y), QPointF(x - 1, y + 3), QPointF(x + 4, y - 4)]))
        case State.DELIVERED:
            painter.drawRect(QRectF(x - 6.5, y - 4.5, 13, 9))
            painter.drawPolyline(QPolygonF([QPointF(x - 6.5, y - 4.5), QPointF(x, y + 1), QPointF(x + 6.5, y - 4.5)]))
        case State.REFUSED:
            painter.drawLine(QPointF(x - 5, y - 5), QPointF(x + 5, y + 5))
            painter.drawLine(QPointF(x - 5, y + 5), QPointF(x + 5, y - 5))
        case State.PUT_OFF | State.SENT_BACK:
            painter.drawLine(QPointF(x - 2.5, y - 5), QPointF(x - 2.5, y + 5))
            painter.drawLine(QPointF(x + 2.5, y - 5), QPointF(x + 2.5, y + 5))
        case State.MEASURING:
            painter.setPen(QPen(LINE, 3))
            painter.drawEllipse(centre, 5.5, 5.5)
            painter.setPen(QPen(TEXT, 3))
            part = part_done(file)
            turned = 360 * (part if part is not None else 1 / 12)
            painter.drawArc(QRectF(x - 5.5, y - 5.5, 11, 11), 90 * 16, -round(16 * turned))
        case _:
            painter.setPen(QPen(LINE, 1.4))
            painter.drawEllipse(centre, 5.5, 5.5)


def draw_skyline(painter: QPainter, box: QRectF, told: Told | CameBefore | None) -> None:
    """A small skyline: luma pale, R′G′B′ behind it, limits of luma dashed, what is outside hatched."""
    skyline, limits = (told.skyline, told.limits) if told is not None else (b"", _PLAIN)
    device = painter.device()
    painter.drawImage(box, _skyline(skyline, limits, box.width(), box.height(), device.devicePixelRatioF() if device else 1.0))


@lru_cache(maxsize=256)
def _skyline(skyline: bytes, limits: tuple[float, float, float, float], width: float, height: float, ratio: float) -> QImage:
    """The same as a picture of a size; drawn once for as long as it is among those that were looked at last."""
    drawn = QImage(round(width * ratio), round(height * ratio), QImage.Format.Format_RGB32)
    drawn.setDevicePixelRatio(ratio)
    drawn.fill(WELL)
    ends = np.frombuffer(skyline, np.int16).reshape(4, -1) / 10
    count = ends.shape[1]
    painter = QPainter(drawn)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    xs = (np.arange(count)[:, None] + (0, 1)).ravel() * width / max(count, 1)

    def heights(values: NDArray[np.float64]) -> NDArray[np.float64]:
        return height * (_HIGH - np.clip(values, _LOW, _HIGH)) / (_HIGH - _LOW)

    def band(upper: NDArray[np.float64], lower: NDArray[np.float64]) -> QPolygonF:
        over, under = (np.repeat(heights(values), 2) for values in (upper, lower))
        return QPolygonF([*map(QPointF, xs, over), *map(QPointF, xs[::-1], under[::-1])])

    if count:
        luma_low, luma_high, rgb_low, rgb_high = ends
        painter.setPen(Qt.PenStyle.NoPen)
        for colour, upper, lower in ((_BEHIND, rgb_high, rgb_low), (_PALE, luma_high, luma_low)):
            painter.setBrush(colour)
            painter.drawPolygon(band(upper, lower))
        for ends_there, limit, outer in (
            (luma_high, limits[1], np.maximum), (rgb_high, limits[3], np.maximum),
            (luma_low, limits[0], np.minimum), (rgb_low, limits[2], np.minimum),
        ):  # fmt: skip
            beyond = outer(ends_there, limit)
            if (beyond != limit).any():
                _hatch(painter, band(beyond, np.full(count, limit)))
    painter.setPen(QPen(TEXT if count else LINE, 1, Qt.PenStyle.DashLine))
    for at in heights(np.array(limits[:2])):
        painter.drawLine(QPointF(0, at), QPointF(width, at))
    painter.end()
    return drawn


def _hatch(painter: QPainter, shape: QPolygonF) -> None:
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(GROUND)
    painter.drawPolygon(shape)
    painter.setBrush(QBrush(TEXT, Qt.BrushStyle.BDiagPattern))
    painter.drawPolygon(shape)
