"""The look of the desk: neutral greys, one pale tint for what is chosen, B612 for every figure."""

from importlib import resources

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QImage, QPainter, QPalette, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication, QProxyStyle, QStyle, QStyleHintReturn, QStyleOption, QWidget
from PyQt6.sip import voidptr

from bluffline.figures import figure

GROUND = QColor(38, 38, 38)
CARD = QColor(46, 46, 46)
WELL = QColor(26, 26, 26)
SURROUND = QColor(60, 60, 60)
LINE = QColor(84, 84, 84)
TEXT = QColor(230, 230, 230)
DIM = QColor(172, 172, 172)
TINT = QColor(214, 199, 160)  # pale sandstone: chosen, focused, or the next thing to press
INK = QColor(24, 24, 24)

_FONTS = ("B612-Regular.otf", "B612-Bold.otf", "B612Mono-Regular.otf", "B612Mono-Bold.otf")


def font(pixels: int = 13, *, bold: bool = False, mono: bool = False) -> QFont:
    """B612 at a size in pixels; figures are tabular in the mono cut."""
    face = QFont("B612 Mono" if mono else "B612")
    face.setPixelSize(pixels)
    face.setBold(bold)
    return face


def percent(value: float, places: int = 1) -> str:
    """A percentage with its unit and a true minus sign."""
    return f"{figure(round(value, places) + 0.0, f'.{places}f')} %"


def image_of(pixels: NDArray[np.uint32]) -> QImage:
    """An image that reads its pixels, (H, W) of bytes B, G, R, 255, where they are; they have to be kept as long as it is."""
    height, width = pixels.shape
    at = voidptr(pixels.ctypes.data)
    return QImage(at, width, height, pixels.strides[0], QImage.Format.Format_RGB32)  # type: ignore[call-overload,no-any-return]


def signed(value: float, unit: str) -> str:
    """A difference with its sign and unit; what rounds to nothing has neither plus nor minus."""
    rounded = round(value, 1)
    return f"{figure(rounded, '+.1f')}{unit}" if rounded else f"0.0{unit}"


class DeskStyle(QProxyStyle):
    """Fusion, but for check boxes, whose outline it loses on a dark ground, and without icons on buttons of dialogs."""

    def __init__(self) -> None:
        super().__init__("Fusion")

    def styleHint(
        self,
        hint: QStyle.StyleHint,
        option: QStyleOption | None = None,
        widget: QWidget | None = None,
        returnData: QStyleHintReturn | None = None,  # noqa: N803 (as Qt calls it)
    ) -> int:
        if hint is QStyle.StyleHint.SH_DialogButtonBox_ButtonsHaveIcons:
            return 0  # those of the system's theme are coloured
        return super().styleHint(hint, option, widget, returnData)

    def drawPrimitive(
        self,
        element: QStyle.PrimitiveElement,
        option: QStyleOption | None,
        painter: QPainter | None,
        widget: QWidget | None = None,
    ) -> None:
        if element is not QStyle.PrimitiveElement.PE_IndicatorCheckBox or option is None or painter is None:
            super().drawPrimitive(element, option, painter, widget)
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(0.5, 0.5, -1.5, -1.5)
        painter.setPen(QPen(DIM, 1))
        painter.setBrush(WELL)
        painter.drawRoundedRect(box, 2, 2)
        if option.state & QStyle.StateFlag.State_NoChange:
            painter.fillRect(box.adjusted(3, box.height() / 2 - 1, -3, -(box.height() / 2 - 1)), DIM)
        if option.state & QStyle.StateFlag.State_On:
            painter.setPen(QPen(TEXT, 2))
            x, y, size = box.left(), box.top(), box.width()
            points = ((0.22, 0.52), (0.42, 0.74), (0.80, 0.26))
            painter.drawPolyline(QPolygonF([QPointF(x + across * size, y + down * size) for across, down in points]))
        painter.restore()


def dress(application: QApplication) -> None:
    """Give the application its fonts, palette and style sheet."""
    folder = resources.files("bluffline.gauges").joinpath("fonts")
    for name in _FONTS:
        QFontDatabase.addApplicationFontFromData(folder.joinpath(name).read_bytes())
    application.setStyle(DeskStyle())
    application.setFont(font())
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, GROUND), (QPalette.ColorRole.WindowText, TEXT), (QPalette.ColorRole.Base, WELL),
        (QPalette.ColorRole.AlternateBase, CARD), (QPalette.ColorRole.Text, TEXT), (QPalette.ColorRole.Button, CARD),
        (QPalette.ColorRole.ButtonText, TEXT), (QPalette.ColorRole.Highlight, TINT), (QPalette.ColorRole.HighlightedText, INK),
        (QPalette.ColorRole.ToolTipBase, CARD), (QPalette.ColorRole.ToolTipText, TEXT),
        (QPalette.ColorRole.PlaceholderText, DIM),
        (QPalette.ColorRole.Accent, TINT), (QPalette.ColorRole.Link, TINT),
    ):  # fmt: skip
        palette.setColor(role, colour)
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText, QPalette.ColorRole.WindowText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(128, 128, 128))
    application.setPalette(palette)
    application.setStyleSheet(_SHEET)


_SHEET = """
QMainWindow, QDialog { background: #262626 }
QFrame#card { background: #2e2e2e; border-radius: 4px }
QFrame#step { background: #2e2e2e; border: 1px solid #545454; border-radius: 4px }
QLabel { background: transparent }
QLabel[role="dim"] { color: #acacac }
QLabel[role="title"] { font-weight: bold }
QPushButton, QToolButton { background: #3c3c3c; border: 1px solid #545454; border-radius: 3px; padding: 4px 10px }
QPushButton:hover, QToolButton:hover { border-color: #acacac }
QPushButton:focus, QToolButton:focus { border-color: #d6c7a0 }
QPushButton:pressed, QToolButton:pressed { background: #545454 }
QPushButton:disabled, QToolButton:disabled { color: #808080; background: #303030; border-color: #404040 }
QPushButton[next="true"] { background: #d6c7a0; color: #181818; border-color: #d6c7a0; font-weight: bold }
QPushButton[next="true"]:disabled { background: #303030; color: #808080; border-color: #404040 }
QToolButton#tab { background: transparent; border: none; border-bottom: 2px solid transparent; border-radius: 0;
    color: #acacac; padding: 1px 3px }
QToolButton#tab:checked { color: #e6e6e6; border-bottom-color: #d6c7a0 }
QToolButton#quiet { background: transparent; border-color: transparent; padding: 1px 6px; color: #c8c8c8 }
QToolButton#count { background: transparent; border-color: transparent; padding: 1px 1px; color: #9c9c9c }
QToolButton#count:hover { border-color: #acacac }
QToolButton#count:checked { color: #e6e6e6; border-color: #545454 }
QToolButton#quiet:hover { border-color: #acacac }
QToolButton#quiet:checked { color: #d6c7a0; border-color: #d6c7a0 }
QToolButton::menu-indicator { image: none }
QToolButton#title { background: transparent; border: 1px solid transparent; padding: 1px 3px; margin-left: -4px }
QToolButton#title:hover { border-color: #545454 }
QWidget#window { background: #262626 }
QMenuBar { background: #262626; padding: 0 4px }
QMenuBar::item { padding: 3px 9px; background: transparent }
QMenuBar::item:selected, QMenu::item:selected { background: #d6c7a0; color: #181818 }
QMenu { background: #2e2e2e; border: 1px solid #545454; padding: 4px }
QMenu::item { padding: 4px 22px 4px 12px }
QMenu::item:disabled { color: #808080 }
QMenu::separator { height: 1px; background: #545454; margin: 4px 6px }
QSplitter::handle { background: #262626 }
QListView, QTreeView { background: #2e2e2e; border: none; outline: none }
QDoubleSpinBox, QComboBox, QLineEdit, QSpinBox { background: #1a1a1a; border: 1px solid #545454; border-radius: 2px;
    padding: 1px 3px }
QDoubleSpinBox:focus, QComboBox:focus, QLineEdit:focus, QSpinBox:focus { border-color: #d6c7a0 }
QDoubleSpinBox:disabled, QComboBox:disabled { color: #808080 }
QCheckBox { spacing: 5px; background: transparent }
QCheckBox:focus { color: #d6c7a0 }
QProgressBar { background: #1a1a1a; border: none; border-radius: 2px; max-height: 6px; min-height: 6px }
QProgressBar::chunk { background: #acacac; border-radius: 2px }
QScrollBar:vertical { background: #2e2e2e; width: 9px }
QScrollBar:horizontal { background: #2e2e2e; height: 9px }
QScrollBar::handle { background: #545454; border-radius: 4px; min-height: 24px; min-width: 24px }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0 }
QScrollArea, QWidget#steps { border: none; background: #2e2e2e }
QToolTip { background: #2e2e2e; color: #e6e6e6; border: 1px solid #545454 }
"""
