"""Balance by the temperature of a light, seen on the picture as it is turned."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QFormLayout, QLabel, QSpinBox, QWidget

from bluffline.signal.white import TEMPERATURES
from bluffline.ui.dialogs.layout import close_button, dim, lay_out
from bluffline.ui.style.style import font

_NEUTRAL = 6504  # kelvin: D65, which the programme is made for
_MOST_TINT = 40


class LightDialog(QDialog):
    """Asks what light the shot was filmed under; tells each change at once."""

    changed = pyqtSignal(float, float)  # kelvin, tint

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Balance by temperature")
        self.kelvin, self.tint = QSpinBox(), QSpinBox()
        self.kelvin.setRange(*map(int, TEMPERATURES))
        self.kelvin.setSingleStep(50)
        self.kelvin.setSuffix(" K")
        self.kelvin.setValue(_NEUTRAL)
        self.tint.setRange(-_MOST_TINT, _MOST_TINT)
        self.tint.setValue(0)
        form = QFormLayout()
        for name, field in (("Light on the scene", self.kelvin), ("Tint, magenta to green", self.tint)):
            field.setAccessibleName(name)
            field.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            field.valueChanged.connect(lambda _: self.changed.emit(float(self.kelvin.value()), float(self.tint.value())))
            form.addRow(dim(name), field)
        words = QLabel("Lamps up to 4000 K, daylight above; 6504 K leaves the picture as it is.")
        words.setFont(font(12))
        words.setWordWrap(True)
        lay_out(self, form, words, close_button(self))
        self.setMinimumWidth(380)
