"""The treatment of the shot in view: a card for each step, with figures that can be typed, wheeled or nudged."""

import time
from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction, QMouseEvent
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from bluffline.errors import SettingsError
from bluffline.figures import figure
from bluffline.session.session import Session
from bluffline.treat.catalogue import KINDS
from bluffline.treat.kinds.level_remap import LevelRemap, RemapMode
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.soft_floor import SoftFloor
from bluffline.treat.step import Number, Step, called
from bluffline.ui.ladder.transfer import TransferLine
from bluffline.ui.style.style import font

_PLACES = {"%": 1, "°": 1, "×": 3, "stops": 2, "": 3}  # decimals
_REST = 1.0  # seconds without a change that end a gesture
_ROWS = 3  # of figures, in one column of a card


def figure_of(step: Step, field: str) -> float:
    """A figure of a step by its field; ``gains.1`` is the second of its gains."""
    name, _, place = field.partition(".")
    value = getattr(step, name)
    return float(value[int(place)] if place else value)


def with_figure(step: Step, field: str, value: float) -> Step:
    """The step with another figure.

    Raises
    ------
    SettingsError : the step can't be so
    """
    name, _, place = field.partition(".")
    if place:
        whole = list(getattr(step, name))
        whole[int(place)] = value
        return replace(step, **{name: tuple(whole)})  # type: ignore[arg-type]  # a figure's name is a field of its step
    return replace(step, **{name: value})  # type: ignore[arg-type]


def figures_of(step: Step) -> list[tuple[str, str, Number]]:
    """The figures of a step that are numbers: field (a dot before a place in several), label, declaration."""
    found = []
    for one in step.figures():
        declared = one.declared
        if isinstance(declared, Number) and declared.parts:
            found += [(f"{one.key}.{n}", f"{part} {declared.label}", declared) for n, part in enumerate(declared.parts)]
        elif isinstance(declared, Number):
            found.append((one.key, declared.label, declared))
    return found


def _tells(step: Step) -> bool:
    """Whether a step's card has room to tell what its figures don't."""
    return not step.limits and len(figures_of(step)) < _ROWS


def _told(step: Step) -> str:
    return step.text.replace("; ", "\n")


class Figure(QDoubleSpinBox):
    """A figure with its unit: type it, wheel it, arrows nudge it, Shift is finer, double-click resets."""

    def __init__(self, label: str, declared: Number, value: float) -> None:
        super().__init__()
        self._reset, self._unit = value, declared.unit
        self._nudge, self._finer, unit = declared.nudge, declared.finer, declared.unit
        self.setRange(declared.least, declared.greatest)
        self.setDecimals(_PLACES[unit])
        self.setSingleStep(self._nudge)
        if unit == "×":
            self.setPrefix("×")
        else:
            self.setSuffix(f" {unit}" if unit else "")
        self.setValue(value)
        self.setFont(font(12))
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setAccessibleName(label)
        self.setKeyboardTracking(False)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        nudges = f"arrows nudge by {self._nudge:g}, with Shift by {self._finer:g}"
        self.setToolTip(f"Type, or turn the wheel; {nudges}; double-click resets")
        edit = self.lineEdit()
        assert edit is not None
        edit.mouseDoubleClickEvent = self._double_clicked  # type: ignore[method-assign,assignment]

    def _double_clicked(self, event: QMouseEvent | None) -> None:
        self.setValue(self._reset)

    def stepBy(self, steps: int) -> None:
        finer = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.setSingleStep(self._finer if finer else self._nudge)
        super().stepBy(steps)

    def textFromValue(self, value: float) -> str:
        return figure(value, f".{self.decimals()}f")

    def valueFromText(self, text: str | None) -> float:
        plain = (text or "").replace("−", "-").removesuffix(f" {self._unit}").removeprefix("×").strip()
        return float(plain) if plain else 0.0

    def validate(self, text: str | None, place: int):  # type: ignore[no-untyped-def]
        state, _, _ = super().validate((text or "").replace("−", "-"), place)
        return state, text, place


class StepCard(QFrame):
    """One step: its title, whether it is in force, its figures."""

    refused = pyqtSignal(str)

    def __init__(self, session: Session, place: int, step: Step) -> None:
        super().__init__()
        self.setObjectName("step")
        self._session, self._place, self._step = session, place, step
        self._last, self._gestures = ("", 0.0), 0
        title = QCheckBox(f"{place + 1} {step.title}")
        title.setFont(font(12, bold=True))
        title.setChecked(step.on)
        title.setToolTip("In force; clear to bypass the step")
        title.toggled.connect(lambda on: session.document.bypass_step(place, bypassed=not on))
        head = QHBoxLayout()
        head.setSpacing(3)
        head.addWidget(title)
        head.addStretch(1)
        last = len(session.document.treatment) - 1
        for text, words, act, there_is in (
            ("‹", "Move {} earlier", lambda: session.document.move_step(place, -1), place > 0),
            ("›", "Move {} later", lambda: session.document.move_step(place, 1), place < last),
            ("×", "Remove {}", lambda: session.document.remove_step(place), True),
        ):
            button = QToolButton()
            button.setText(text)
            button.setFont(font(11))
            button.setStyleSheet("padding: 1px 3px")
            button.setAccessibleName(words.format(called(step)))
            button.setToolTip(words.format(called(step)))
            button.setEnabled(there_is)
            button.clicked.connect(act)
            head.addWidget(button)
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        grid.setHorizontalSpacing(6)
        figures = figures_of(step)
        for number, (field, label, declared) in enumerate(figures):
            row, column = number % _ROWS, 2 * (number // _ROWS)
            name = QLabel(label)
            name.setFont(font(11))
            name.setProperty("role", "dim")
            figure = Figure(f"{step.title}: {label}", declared, figure_of(step, field))
            figure.setEnabled(step.on and self._editable(field))
            figure.valueChanged.connect(lambda new, field=field: self._change(new, field))
            grid.addWidget(name, row, column)
            grid.addWidget(figure, row, column + 1)
        if _tells(step):
            told = QLabel(_told(step))
            told.setObjectName("told")
            told.setFont(font(11))
            told.setWordWrap(True)
            grid.addWidget(told, grid.rowCount(), 0, 1, 2)
        self._add_choice(grid)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 3, 4, 4)
        layout.setSpacing(2)
        layout.addLayout(head)
        layout.addLayout(grid)
        layout.addStretch(1)
        self.setFixedWidth(206 if len(figures) <= _ROWS else 330)

    def _editable(self, field: str) -> bool:
        if isinstance(self._step, LevelRemap):
            return self._step.mode is RemapMode.EXTREMES_TO_LIMITS
        return not (field == "knee" and getattr(self._step, "hard", False))

    def _add_choice(self, grid: QGridLayout) -> None:
        step, row = self._step, grid.rowCount()
        if isinstance(step, LevelRemap):
            modes = QComboBox()
            modes.setFont(font(11))
            modes.addItems([str(mode) for mode in RemapMode])
            modes.setCurrentText(str(step.mode))
            modes.setAccessibleName("Level remap: kind")
            modes.textActivated.connect(
                lambda text: self._session.document.replace_step(
                    self._place, self._session.document.remap_step(RemapMode(text))
                )
            )
            grid.addWidget(modes, row, 0, 1, 2)
        elif isinstance(step, SoftCeiling | SoftFloor):
            hard = QCheckBox("Hard clip")
            hard.setFont(font(11))
            hard.setChecked(step.hard)
            hard.toggled.connect(lambda on: self._session.document.replace_step(self._place, replace(step, hard=on)))
            grid.addWidget(hard, row, 0, 1, 2)

    def _change(self, value: float, field: str) -> None:
        step = self._session.document.treatment[self._place]
        if field == "limit" and isinstance(step, SoftCeiling):
            step = replace(step, knee=min(step.knee, value - 1))  # a limit that is moved past its knee takes it along
        elif field == "limit" and isinstance(step, SoftFloor):
            step = replace(step, knee=max(step.knee, value + 1))
        try:
            changed = with_figure(step, field, value)
        except SettingsError as error:
            self.refused.emit(str(error))
            return
        self._session.document.replace_step(self._place, changed, gesture=self._gesture(field))

    def _gesture(self, field: str) -> str:
        """What changes of one figure, one soon after the other, have in common: they are undone together."""
        now = time.monotonic()
        last, at = self._last
        if last != field or now - at > _REST:
            self._gestures += 1
        self._last = field, now
        return f"{id(self)}.{self._gestures}"


class StepsRow(QScrollArea):
    """The steps in order, and a way to add one; ``refused`` tells why a figure could not be taken."""

    refused = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: tuple[object, ...] = ()
        self.setWidgetResizable(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Treatment of the shot in view")
        self.setFixedHeight(132)
        for event in (session.document.changed, session.place.changed, session.survey_changed):
            event.connect(self._refresh)
        self._refresh()

    def _refresh(self) -> None:
        session = self._session
        structure = tuple(
            (type(step), step.on, getattr(step, "mode", None), getattr(step, "hard", None))
            for step in session.document.treatment
        )
        key = (session.place.shot, session.surveyed, session.programme, structure)
        if key == self._shown:
            self._update_figures()
            return
        self._shown = key
        row = QWidget()
        row.setObjectName("steps")
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        for place, step in enumerate(session.document.treatment):
            card = StepCard(session, place, step)
            card.refused.connect(self._refuse)
            layout.addWidget(card)
        side = QVBoxLayout()
        side.setSpacing(6)
        if not session.document.treatment:
            words = QLabel(self._empty_text())
            words.setProperty("role", "dim")
            words.setWordWrap(True)
            words.setAlignment(Qt.AlignmentFlag.AlignTop)
            layout.addWidget(words, 1)
        side.addWidget(self._add_button())
        if session.document.treatment:
            reset = QPushButton("Reset shot")
            reset.setFont(font(12))
            reset.clicked.connect(session.document.reset_shot)
            side.addWidget(reset)
        side.addStretch(1)
        layout.addLayout(side)
        if session.document.treatment:
            layout.addStretch(1)
        if (old := self.takeWidget()) is not None:
            old.deleteLater()  # not at once: it may be one of its own controls that led here
        self.setWidget(row)

    def _refuse(self, why: str) -> None:
        self._update_figures()  # what is in force stands there again
        self.refused.emit(why)

    def _update_figures(self) -> None:
        """Show the figures in force, which an undo or another figure may have changed."""
        row = self.widget()
        figures = row.findChildren(Figure) if row is not None else []
        values = [figure_of(step, name) for step in self._session.document.treatment for name, *_ in figures_of(step)]
        for box, value in zip(figures, values, strict=True):
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)
        labels = row.findChildren(QLabel, "told") if row is not None else []
        for label, step in zip(labels, filter(_tells, self._session.document.treatment), strict=True):
            label.setText(_told(step))

    def _empty_text(self) -> str:
        if self._session.programme is None:
            return "Steps that correct a shot appear here."
        if not self._session.surveyed:
            return "Steps can be added when the survey is done."
        return "This shot is untreated: it will be written as it stands. Legalise (G) proposes the least that is needed."

    def _add_button(self) -> QToolButton:
        button = QToolButton()
        button.setText("Add a step")
        button.setFont(font(12))
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(button)
        for kind in (kind for kind in KINDS.values() if kind.by_hand):
            action = QAction(kind.title, menu)
            action.triggered.connect(lambda _, kind=kind: self._session.document.add_step(kind))
            menu.addAction(action)
        button.setMenu(menu)
        button.setEnabled(self._session.surveyed)
        return button


class TreatmentPanel(QWidget):
    """The steps of the shot in view, and beside them what they make of a grey ramp."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.steps, self.transfer = StepsRow(session), TransferLine(session)
        self.setAccessibleName("Treatment of the shot in view")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(self.steps, 1)
        layout.addWidget(self.transfer, 0, Qt.AlignmentFlag.AlignTop)
        for event in (session.document.changed, session.place.changed, session.survey_changed):
            event.connect(self._refresh)
        self._refresh()

    def _refresh(self) -> None:
        self.transfer.setVisible(bool(self._session.document.treatment))
        self.transfer.refresh()
