"""Balance by the temperature of a light, seen on the picture as it is turned."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLabel, QSpinBox, QVBoxLayout, QWidget

from bluffline.signal.white import TEMPERATURES
from bluffline.ui.style import font

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
            label = QLabel(name)
            label.setProperty("role", "dim")
            form.addRow(label, field)
        words = QLabel("Lamps up to 4000 K, daylight above; 6504 K leaves the picture as it is.")
        words.setFont(font(12))
        words.setWordWrap(True)
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.accept)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 14)
        layout.setSpacing(10)
        layout.addLayout(form)
        layout.addWidget(words)
        layout.addWidget(close)
        self.setMinimumWidth(380)
