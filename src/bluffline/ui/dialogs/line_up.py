"""Line-up: the bars check of the frame in view, and test signals to make."""

from fractions import Fraction
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QFormLayout,
    QGridLayout,
    QLabel,
    QWidget,
)

from bluffline.figures import figure
from bluffline.measure.bars import Bar, BarsReading
from bluffline.media.signals import SIGNALS, TestSignal
from bluffline.ui.dialogs.layout import add_row, cancel_button, close_button, dim, lay_out
from bluffline.ui.dialogs.target import TargetRows
from bluffline.ui.style.style import font, percent, signed

_SIZES = ((1920, 1080), (1280, 720), (720, 576), (3840, 2160))
_RATES = ("25", "50", "24", "30000/1001", "60000/1001")
_COLUMNS = ("", "luma", "error", "chroma", "hue")


class BarsDialog(QDialog):
    """Every bar against its target, and the verdict."""

    def __init__(self, reading: BarsReading, when: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Bars check")
        grid = QGridLayout()
        grid.setHorizontalSpacing(22)
        grid.setVerticalSpacing(4)
        for column, title in enumerate(_COLUMNS):
            grid.addWidget(dim(title), 0, column, Qt.AlignmentFlag.AlignRight)
        for row, bar in enumerate(reading.bars, 1):
            for column, text in enumerate(_cells(bar)):
                label = QLabel(text)
                label.setFont(font(12))
                label.setAlignment(Qt.AlignmentFlag.AlignRight if column else Qt.AlignmentFlag.AlignLeft)
                grid.addWidget(label, row, column)
        verdict = QLabel(reading.verdict)
        verdict.setWordWrap(True)
        verdict.setFont(font(13, bold=True))
        figures = (
            f"luma gain {reading.gain:.3f} · setup {signed(reading.setup, ' %')} · chroma gain {reading.saturation:.3f} · "
            f"hue {signed(reading.hue, '°')} · left unexplained {percent(reading.residual)}"
        )
        explained = dim(figures)
        explained.setWordWrap(True)
        lay_out(self, dim(f"{reading.pattern}, read at {when}"), verdict, grid, explained, close_button(self))
        self.setMinimumWidth(520)


def _cells(bar: Bar) -> tuple[str, ...]:
    gain = "" if bar.chroma_gain is None else f"×{bar.chroma_gain:.3f}"
    hue = "" if bar.hue_error is None else f"{figure(bar.hue_error, '+.1f')}°"
    return bar.name, f"{figure(bar.luma, '6.1f')} %", f"{figure(bar.luma_error, '+5.1f')} %", gain, hue


class SignalDialog(QDialog):
    """Which test signal to make, and as what."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Test signal")
        self._name, self._size, self._rate, self._depth = (QComboBox() for _ in range(4))
        for signal in SIGNALS.values():
            self._name.addItem(signal.title, signal.name)
        for width, height in _SIZES:
            self._size.addItem(f"{width}×{height}", (width, height))
        self._rate.addItems(_RATES)
        for depth in (10, 8, 12):
            self._depth.addItem(f"{depth}-bit", depth)
        self._seconds = QDoubleSpinBox()
        self._seconds.setRange(0.04, 3600)
        self._seconds.setValue(10)
        self._seconds.setSuffix(" s")
        self.rows = TargetRows(Path.cwd() / "test-signal.mkv", "ffv1", lambda *_: None, "will be replaced.")
        form = QFormLayout()
        for title, field in (
            ("Signal", self._name), ("Size", self._size), ("Frames a second", self._rate), ("Depth", self._depth),
            ("Duration", self._seconds),
        ):  # fmt: skip
            add_row(form, title, field)
        self.rows.add_to(form)
        buttons = cancel_button(self)
        self.rows.add_button(buttons, "Make and open")
        lay_out(self, form, self.rows.trouble, buttons)
        self.setMinimumWidth(560)

    @property
    def signal(self) -> TestSignal:
        """What to make."""
        return SIGNALS[self._name.currentData()]

    @property
    def settings(self) -> dict[str, object]:
        """Size, rate, depth and duration, as `write_signal` takes them."""
        return {
            "size": self._size.currentData(),
            "rate": Fraction(self._rate.currentText()),
            "depth": self._depth.currentData(),
            "seconds": self._seconds.value(),
        }
