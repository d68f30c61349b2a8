"""Controls of a step on the bench, made from what its kind declares: figures with sliders, switches, choices."""

from collections.abc import Mapping
from enum import StrEnum

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QLabel, QWidget

from bluffline.session.session import Session
from bluffline.treat.step import Choice, Figure, Number, Step, Told
from bluffline.ui.ladder.figures import FigureBox, Slide, figure_of
from bluffline.ui.style.style import font

_ROWS, _PARTS = 5, 4  # figures in a column; those of one declaration from which they have a page of their own
_WORDS = {("bends", "rgb"): "on R′, G′ and B′", ("bends", "luma"): "on luma"}


class StepControls(QWidget):
    """The controls of one kind of step. ``components``: figures of R′, G′ and B′ each for itself, where it has them."""

    changed = pyqtSignal(str, object)  # a figure or a switch, and its value
    chosen = pyqtSignal(str, str)  # a choice, and what was chosen
    begun = pyqtSignal()  # another gesture

    def __init__(self, step: Step, session: Session, *, components: bool) -> None:
        super().__init__()
        self._step, self._session = step, session
        self.figures: dict[str, tuple[FigureBox, Slide]] = {}
        self.switches: dict[str, QCheckBox] = {}
        self._choices: dict[str, QComboBox] = {}
        self._told: QLabel | None = None
        self._grid = grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(0)
        grid.setHorizontalSpacing(8)
        several = [one for one in step.figures() if isinstance(one.declared, Number) and len(one.declared.parts) >= _PARTS]
        self.has_components = bool(several)
        if components and several:
            self._add_components(several)
        else:
            self._add_figures(several)
        columns = grid.columnCount() // 2
        for column in range(columns):
            grid.setColumnStretch(2 * column, 1)
        if columns < 2:
            grid.setColumnStretch(2 * columns, 2)
        grid.setRowStretch(grid.rowCount(), 1)

    def _add_components(self, several: list[Figure]) -> None:
        """Figures of R′, G′ and B′ each for itself."""
        for row, one in enumerate(several):
            assert isinstance(one.declared, Number)
            for column, part in enumerate(one.declared.parts):
                self._add(f"{one.key}.{column}", part, one.declared, one.neutral[column], row, column)

    def _add_figures(self, several: list[Figure]) -> None:
        """All figures, of those that have many parts the first, and what follows from them."""
        cell = 0
        for one in self._step.figures():
            declared = one.declared
            if isinstance(declared, Number) and declared.parts:
                shown = declared.parts[:1] if one in several else declared.parts
                for n, part in enumerate(shown):
                    label = declared.label if one in several else f"{declared.label} {part}"
                    place = cell % _ROWS, cell // _ROWS
                    self._add(f"{one.key}.{n}", label, declared, one.neutral[n], *place)
                    cell += 1
            elif isinstance(declared, Number):
                self._add(one.key, declared.label, declared, one.neutral, cell % _ROWS, cell // _ROWS)
                cell += 1
        for n, one in enumerate(self._step.derived()):
            assert isinstance(one.declared, Number), "what follows from figures is a number"
            self._add(f"={one.key}", one.declared.label, one.declared, one.neutral, n, 1)
        self._add_others(cell)

    def _add(self, field: str, label: str, declared: Number, neutral: float, row: int, column: int) -> None:
        """A figure with its slider."""
        name = QLabel(declared.label if label in declared.parts[:1] else label[:1].upper() + label[1:])
        name.setFont(font(12))
        name.setProperty("role", "dim")
        whole = f"{declared.label} {label}" if label in declared.parts else label
        box = FigureBox(f"{self._step.title}: {whole}", declared, self._value_of(self._step, field), neutral)
        box.setFixedSize(70 if label in declared.parts else 88, 20)
        box.valueChanged.connect(lambda value, field=field: self.changed.emit(field, value))
        slide = Slide(declared, neutral)
        slide.moved.connect(lambda value, field=field: self.changed.emit(field, value))
        slide.pressed.connect(self.begun)
        slide.reset.connect(lambda field=field, neutral=neutral: self.changed.emit(field, neutral))
        self._grid.addWidget(name, 2 * row, 2 * column)
        self._grid.addWidget(box, 2 * row, 2 * column + 1)
        self._grid.addWidget(slide, 2 * row + 1, 2 * column, 1, 2)
        self.figures[field] = box, slide

    def _add_others(self, cell: int) -> None:
        """Switches, a choice, and a line for what comes from elsewhere."""
        row = 2 * min(cell, _ROWS)
        others = [one for one in self._step.figures() if isinstance(one.declared, Told | Choice)]
        line = QHBoxLayout()
        line.setSpacing(14)
        for one in others:
            if isinstance(one.neutral, bool):
                switch = QCheckBox(one.declared.label)
                switch.setFont(font(12))
                switch.toggled.connect(lambda on, key=one.key: self.changed.emit(key, on))
                line.addWidget(switch)
                self.switches[one.key] = switch
            elif isinstance(one.neutral, StrEnum):
                line.addWidget(self._combo(one.key, one.declared.label, tuple(map(str, type(one.neutral)))))
            elif isinstance(one.declared, Choice):
                line.addWidget(self._combo(one.key, one.declared.label, one.declared.among()))
        if any(isinstance(one.declared, Told) and not isinstance(one.neutral, bool | StrEnum) for one in others):
            self._told = QLabel()
            self._told.setFont(font(12))
            self._told.setWordWrap(True)
            line.addWidget(self._told, 1)
        line.addStretch(1)
        if others:
            self._grid.addLayout(line, row, 0, 1, -1)

    def _combo(self, key: str, label: str, among: tuple[str, ...]) -> QComboBox:
        combo = choice_box(self._step, key, label, among)
        combo.activated.connect(lambda n: self.chosen.emit(key, combo.itemData(n)))
        self._choices[key] = combo
        return combo

    def _value_of(self, step: Step, field: str) -> float:
        """A figure of a step, or what follows from its figures."""
        return step.derived_value(field[1:], self._session.source) if field.startswith("=") else figure_of(step, field)

    def show_step(self, step: Step) -> None:
        """Show the figures of the step as it is now, which an undo or another figure may have changed."""
        for field, (box, slide) in self.figures.items():
            value = self._value_of(step, field)
            if box.value() != round(value, box.decimals()) or not box.hasFocus():  # what is being typed stands
                box.blockSignals(True)
                box.setValue(value)
                box.blockSignals(False)
            may = step.on and step.settable(field)
            box.setEnabled(may)
            slide.show_value(value)
            slide.setEnabled(may)
        for key, switch in self.switches.items():
            switch.blockSignals(True)
            switch.setChecked(getattr(step, key))
            switch.blockSignals(False)
        show_choices(step, self._choices)
        if self._told is not None:
            self._told.setText(step.text.replace("; ", "\n"))


def choice_box(step: Step, key: str, label: str, among: tuple[str, ...]) -> QComboBox:
    """A box to choose one of some words in."""
    combo = QComboBox()
    combo.setFont(font(12))
    for word in among:
        combo.addItem(_WORDS.get((key, word), word or "choose an encoding"), word)
    combo.setAccessibleName(f"{step.title}: {label}")
    combo.setToolTip(label)
    return combo


def show_choices(step: Step, boxes: Mapping[str, QComboBox]) -> None:
    """Show in boxes what is chosen in a step."""
    for key, combo in boxes.items():
        combo.setCurrentIndex(combo.findData(str(getattr(step, key))))
        combo.setEnabled(step.on)
