"""What the areas measure, and how far that is from the frame compared with."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QScrollArea, QVBoxLayout, QWidget

from bluffline.figures import figure, light_text
from bluffline.gauges.scale import Unit
from bluffline.measure.reading import Reading
from bluffline.signal.format import SignalFormat
from bluffline.ui.style.style import font, signed
from bluffline.view.preview import AreaReading


class AreasPanel(QScrollArea):
    """A block of figures for each area."""

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Figures of the areas")
        self._holder = QWidget()
        self._holder.setObjectName("steps")
        self._layout = QVBoxLayout(self._holder)
        self._layout.setContentsMargins(2, 0, 4, 0)
        self._layout.setSpacing(5)
        self._layout.addStretch(1)
        self.labels: list[QLabel] = []
        self.setWidget(self._holder)

    def show_readings(self, readings: tuple[AreaReading, ...], source: SignalFormat, unit: Unit) -> None:
        """Show what was read; labels are kept, so that figures can change with every frame."""
        while len(self.labels) < len(readings):
            label = QLabel()
            label.setFont(font(11))
            label.setTextFormat(Qt.TextFormat.RichText)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            self.labels.append(label)
            self._layout.insertWidget(len(self.labels) - 1, label)
        for number, label in enumerate(self.labels):
            label.setVisible(number < len(readings))
            if number < len(readings):
                label.setText(describe_reading(readings[number], source, unit).replace("\n", "<br>"))

    @property
    def text(self) -> str:
        """Everything that is shown."""
        return "\n".join(label.text() for label in self.labels if not label.isHidden())


def describe_reading(reading: AreaReading, source: SignalFormat, unit: Unit) -> str:
    """An area's figures in a few lines."""
    now = reading.now
    lines = [f"<b>{reading.name}</b> · {now.pixels} px", *_figures(now, source, unit)]
    if reading.other is not None:
        other, levels = reading.other, source.levels
        change = levels.percent(now.luma) - levels.percent(other.luma)
        rgb = " ".join(signed(levels.percent(a) - levels.percent(b), "") for a, b in zip(now.rgb, other.rgb, strict=True))
        delta = sum((a - b) ** 2 for a, b in zip(now.lab, other.lab, strict=True)) ** 0.5
        lines.append(f"this − compared: Y′ {signed(change, ' %')}, ΔE {delta:.1f}")
        lines.append(f"R′G′B′ {rgb} %")
    return "\n".join(lines)


def _figures(now: Reading, source: SignalFormat, unit: Unit) -> list[str]:
    levels = source.levels
    spread = now.luma_spread / levels.swing * 100
    luma = unit.text(levels.percent(now.luma), source)
    rgb = " ".join(unit.bare(levels.percent(code), source) for code in now.rgb)
    lightness, a, b = (figure(value, ".1f") for value in now.lab)
    skin = "neutral" if now.from_skin_line is None else f"{signed(now.from_skin_line, '°')} from skin line"
    return [
        f"Y′ {luma}, code {now.luma:.0f} ± {now.luma_spread:.0f} ({spread:.1f} %)",
        *([light_text(now.luminance)] if now.luminance is not None else []),
        f"R′G′B′ {rgb} {'' if unit.depth else unit}".rstrip(),
        f"Lab {lightness} {a} {b} · ΔE {now.from_neutral:.1f} from neutral",
        skin,
    ]
