"""The chart panel: which reference, the patches measured against it, every stage in ΔE, the tint of the greys."""

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from bluffline.charts.fit import Aim
from bluffline.charts.reference import SHIPPED
from bluffline.figures import figure
from bluffline.report.chart import doubts, tint_of
from bluffline.session.chart import ChartModel, ChartResult
from bluffline.signal.difference import delta_e_1976
from bluffline.ui.chart.marks import screen_colour
from bluffline.ui.style.style import DIM, LINE, TEXT, TINT, WELL, font

WIDTH = 372
_ROW, _HALF = 15, 178
_TITLES = {"glaze-24": "Glaze tiles, 24", "grey-11": "Grey scale, 11", "cards-3": "Cards, 3"}
_AIMS = {
    Aim.AUTO: "as far as it holds", Aim.NEUTRAL: "neutral scale only", Aim.STRAIGHTEN: "neutral, straightened",
    Aim.MATRIX: "matrix",
}  # fmt: skip
_FROM_FILE = "From a file …"
_TINT_REACH = 24.0  # a*, b* from neutral at the edge of the graph, widened where greys lie beyond


class PatchGrid(QWidget):
    """Every patch, split measured and reference, with its ΔE before and after; the worst first to catch the eye in bold."""

    def __init__(self) -> None:
        super().__init__()
        self._result: ChartResult | None = None
        self.setAccessibleName("Patches")

    def show_result(self, result: ChartResult | None) -> None:
        """Draw a chart's patches."""
        self._result = result
        count = 0 if result is None else len(result.reference.names)
        self.setFixedHeight(max(_ROW * -(-count // 2) + 2, 4 * _ROW))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(2 * _HALF, 12 * _ROW)

    def event(self, event: QEvent | None) -> bool:
        """All figures of the patch that is pointed at."""
        if isinstance(event, QHelpEvent) and event.type() is QEvent.Type.ToolTip and self._result is not None:
            rows = -(-len(self._result.reference.names) // 2)
            row, column = event.pos().y() // _ROW, event.pos().x() // (_HALF + 4)
            number = column * rows + row
            inside = 0 <= row < rows and 0 <= number < len(self._result.reference.names)
            QToolTip.showText(event.globalPos(), patch_text(self._result, number) if inside else "", self)
            return True
        return super().event(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        result = self._result
        if result is None:
            painter.setPen(DIM)
            painter.setFont(font(12))
            words = "Show a frame with the chart in view, choose its reference, and find it; or place its corners by hand."
            painter.drawText(self.rect().adjusted(4, 4, -4, -4), Qt.TextFlag.TextWordWrap, words)
            return
        before, after = result.fit.stages[0], result.fit.result
        measured, wanted, warnings = result.through(()), result.wanted, result.shot.samples.warnings(result.reference.layout)
        rows = -(-len(result.reference.names) // 2)
        for n, name in enumerate(result.reference.names):
            left, top = n // rows * (_HALF + 4), n % rows * _ROW
            painter.fillRect(QRectF(left, top + 1, 13, _ROW - 3), screen_colour(measured[n]))
            painter.fillRect(QRectF(left + 13, top + 1, 13, _ROW - 3), screen_colour(wanted[n]))
            worse = after.difference.total[n] > before.difference.total[n]
            painter.setFont(font(11, bold=name in result.fit.worse))
            painter.setPen(TEXT if result.fit.used[n] and not warnings[n] else TINT)
            told = f"{name}*" if warnings[n] or not result.fit.used[n] else name
            painter.drawText(QRectF(left + 31, top, 80, _ROW), Qt.AlignmentFlag.AlignVCenter, told)
            painter.setPen(TINT if worse else TEXT)
            figures = f"{before.difference.total[n]:.1f} → {after.difference.total[n]:.1f}"
            where = QRectF(left + 100, top, _HALF - 102, _ROW)
            painter.drawText(where, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, figures)


class TintGraph(QWidget):
    """a* and b* of the greys over their lightness: of the source, and as the fit leaves them."""

    def __init__(self) -> None:
        super().__init__()
        self._result: ChartResult | None = None
        self.setFixedHeight(88)
        self.setAccessibleName("Tint of the greys")
        self.setToolTip("Tint of each grey over its lightness: a* solid, b* dashed; the source pale, after the fit in tint")

    def show_result(self, result: ChartResult | None) -> None:
        """Draw a chart's greys."""
        self._result = result
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        field = QRectF(self.rect()).adjusted(30, 2, -2, -16)
        painter.fillRect(field, WELL)
        painter.setFont(font(11))
        painter.setPen(DIM)
        under = QRectF(field.left(), field.bottom() + 1, field.width(), 14)
        painter.drawText(under, Qt.AlignmentFlag.AlignLeft, "L* 0")
        painter.drawText(under, Qt.AlignmentFlag.AlignRight, "100")
        painter.drawText(under, Qt.AlignmentFlag.AlignHCenter, "tint of the greys: a* solid, b* dashed")
        result = self._result
        reach = _TINT_REACH
        if result is not None:
            greys = sorted(result.reference.layout.neutral, key=lambda n: result.reference.lab[n, 0])
            reach = max(reach, *(abs(float(v)) * 1.05 for v in result.fit.stages[0].lab[greys, 1:].ravel()))

        def at(lightness: float, tint: float) -> QPointF:
            up = tint / reach * field.height() / 2
            return QPointF(field.left() + lightness / 100 * field.width(), field.center().y() - up)

        painter.setPen(QPen(LINE, 1))
        painter.drawLine(at(0, 0), at(100, 0))
        painter.setPen(DIM)
        for level, text in ((reach, f"+{reach:.0f}"), (0.0, "0"), (-reach, f"−{reach:.0f}")):
            box = QRectF(0, at(0, level).y() - 8 + (8 if level > 0 else -8 if level < 0 else 0), 26, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text)
        if result is None:
            return
        for stage, colour in ((result.fit.stages[0], TEXT), (result.fit.result, TINT)):
            for axis, style in ((1, Qt.PenStyle.SolidLine), (2, Qt.PenStyle.DashLine)):
                painter.setPen(QPen(colour, 1.4, style))
                points = [at(float(stage.lab[n, 0]), float(stage.lab[n, axis])) for n in greys]
                painter.drawPolyline(QPolygonF(points))
                for point in points:
                    painter.drawEllipse(point, 1.5, 1.5)


class ChartPanel(QWidget):
    """Draws the chart in hand and tells what the operator asks for."""

    asked = pyqtSignal(str)  # the id of a command
    file_asked = pyqtSignal()

    def __init__(self, model: ChartModel) -> None:
        super().__init__()
        self._model = model
        self._reference, self._aim = QComboBox(), QComboBox()
        for name in SHIPPED:
            self._reference.addItem(_TITLES[name], name)
        self._reference.addItem(_FROM_FILE, _FROM_FILE)
        self._reference.setAccessibleName("Chart reference")
        for aim, title in _AIMS.items():
            self._aim.addItem(title, aim)
        self._aim.setAccessibleName("How far to fit")
        self.skin_box, self._even = QCheckBox("Skin first"), QCheckBox("Even the light")
        self.skin_box.setToolTip("Patches that the layout calls skin count four times")
        self._even.setToolTip("Take out light that falls off over the chart before fitting; a dash: where it is uneven")
        self._even.setTristate(True)
        self._find = self._button("Find", "chart-find")
        self._hand = self._button("By hand", "chart-place")
        self._give = self._button("Give to this shot", "chart-give")
        self._carry = self._button("Give to other shots …", "chart-carry")
        self._patches, self.tint = PatchGrid(), TintGraph()
        self.stages, self._words = QLabel(), QLabel()
        self.stages.setFont(font(11))
        self._words.setFont(font(11))
        self._words.setProperty("role", "dim")
        self._words.setWordWrap(True)
        self._words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._build()
        self._reference.activated.connect(self._choose_reference)
        self._aim.activated.connect(lambda: model.wish(aim=self._aim.currentData()))
        self.skin_box.clicked.connect(lambda on: model.wish(skin_first=on))
        self._even.clicked.connect(lambda: model.wish(even_light=_LIGHT[self._even.checkState()]))
        model.changed.connect(self._refresh)
        self._refresh()

    def _button(self, title: str, command: str) -> QPushButton:
        button = QPushButton(title)
        button.setFont(font(12))
        button.clicked.connect(lambda: self.asked.emit(command))
        return button

    def _build(self) -> None:
        choices = QGridLayout()
        choices.setHorizontalSpacing(6)
        choices.setVerticalSpacing(5)
        for row, (title, box, *buttons) in enumerate(
            (("Reference", self._reference, self._find, self._hand), ("Fit", self._aim, self.skin_box, self._even))
        ):
            name = QLabel(title)
            name.setFont(font(12))
            name.setProperty("role", "dim")
            box.setFont(font(12))
            box.setSizePolicy(box.sizePolicy().Policy.Ignored, box.sizePolicy().Policy.Fixed)
            choices.addWidget(name, row, 0)
            choices.addWidget(box, row, 1)
            for column, button in enumerate(buttons, 2):
                button.setFont(font(11 if isinstance(button, QCheckBox) else 12))
                choices.addWidget(button, row, column)
        choices.setColumnStretch(1, 1)
        scroll, words = QScrollArea(), QScrollArea()
        scroll.setAccessibleName("Patches of the chart")
        words.setAccessibleName("What the fit comes to")
        for area, widget in ((scroll, self._patches), (words, self._words)):
            area.setWidgetResizable(True)
            area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            area.setWidget(widget)
        words.setMinimumHeight(44)
        foot = QHBoxLayout()
        foot.addWidget(self._give, 1)
        foot.addWidget(self._carry, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(choices)
        layout.addWidget(scroll, 3)
        layout.addWidget(self.stages)
        layout.addWidget(self.tint)
        layout.addWidget(words, 1)
        layout.addLayout(foot)

    def _choose_reference(self) -> None:
        name = self._reference.currentData()
        if name == _FROM_FILE:
            self.file_asked.emit()
            self._refresh()
        else:
            self._model.change(reference=name, layout=None)

    def _refresh(self) -> None:
        setup, result = self._model.setup, self._model.result
        place = self._reference.findData(setup.reference)
        if place < 0:
            self._reference.insertItem(self._reference.count() - 1, setup.reference.rsplit("/", 1)[-1], setup.reference)
            place = self._reference.findData(setup.reference)
        self._reference.setCurrentIndex(place)
        self._aim.setCurrentIndex(list(_AIMS).index(setup.wishes.aim))
        self.skin_box.setChecked(setup.wishes.skin_first)
        self._even.setCheckState(next(state for state, value in _LIGHT.items() if value is setup.wishes.even_light))
        self._give.setEnabled(result is not None)
        self._carry.setEnabled(result is not None)
        for button, following in ((self._find, result is None), (self._give, result is not None)):
            button.setProperty("next", following)
            style = button.style()
            assert style is not None
            style.polish(button)
        self._patches.show_result(result)
        self.tint.show_result(result)
        self.stages.setText("" if result is None else stage_table(result))
        self.stages.setToolTip("" if result is None else stage_table(result, whole=True))
        self._words.setText("" if result is None else words_of(result))


_LIGHT = {Qt.CheckState.PartiallyChecked: None, Qt.CheckState.Checked: True, Qt.CheckState.Unchecked: False}


def stage_table(result: ChartResult, *, whole: bool = False) -> str:
    """Mean, worst and left-out ΔE of every stage as a small table, with ``whole`` more; the stage that was taken is bold."""
    stages, chosen = result.fit.stages, result.fit.chosen
    rows = [("ΔE2000", [stage.name for stage in stages]), ("mean", [f"{stage.mean:.2f}" for stage in stages])]
    rows.append(("worst", [f"{stage.difference.total.max():.2f}" for stage in stages]))
    if whole:
        for title, share in (("median", 50), ("95th percentile", 95)):
            rows.append((title, [f"{np.percentile(stage.difference.total, share):.2f}" for stage in stages]))
    rows.append(("left out", ["–" if n == 0 else f"{stage.left_out_mean:.2f}" for n, stage in enumerate(stages)]))
    cells = [
        f"<td><font color='#acacac'>{title}</font></td>"
        + "".join(f"<td align='right'>{f'<b>{value}</b>' if n == chosen else value}</td>" for n, value in enumerate(values))
        for title, values in rows
    ]
    return f"<table width='{WIDTH - 24}' cellspacing='0'>{''.join(f'<tr>{row}</tr>' for row in cells)}</table>"


def patch_text(result: ChartResult, number: int) -> str:
    """All figures of a patch."""
    lines = [result.reference.names[number], f"reference L*a*b* {_lab(result.reference.lab[number])}"]
    for stage in (result.fit.stages[0], result.fit.result):
        parts = stage.difference
        told = (("lightness", parts.lightness), ("chroma", parts.chroma), ("hue", parts.hue))
        shares = ", ".join(f"{name} {figure(each[number], '+.2f')}" for name, each in told)
        lines.append(
            f"{stage.name}: L*a*b* {_lab(stage.lab[number])}, ΔE2000 {parts.total[number]:.2f} ({shares}), "
            f"ΔE 1976 {delta_e_1976(stage.lab[number], result.reference.lab[number]):.2f}"
        )
    lines += result.shot.samples.warnings(result.reference.layout)[number]
    return "\n".join(lines)


def _lab(lab: NDArray[np.float64]) -> str:
    return " ".join(figure(value, ".1f") for value in lab)


def words_of(result: ChartResult) -> str:
    """What there is to tell, a sentence each."""
    warned = {word for words in result.shot.samples.warnings(result.reference.layout) for word in words}
    marked = [f"* {', '.join(sorted(warned))}, or left out of the fit."] if warned else []
    confidence, frames = result.chart_frame.confidence, result.shot.samples.frames
    how = "placed by hand" if confidence is None else f"found with a confidence of {confidence:.2f}"
    averaged = f"The chart is {how}; {frames} frame{'s are' if frames > 1 else ' is'} averaged."
    told = [*doubts(result.shot), averaged, tint_of(result.fit.stages[0], result.reference), *result.fit.notes, *marked]
    return "\n".join(told)
