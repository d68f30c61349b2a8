"""The treatment of the shot in view: a card for each step, with figures that can be typed, wheeled or nudged."""

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import Qt
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
from bluffline.session.session import STEP_KINDS, Session
from bluffline.treat.steps import ChromaRein, LevelRemap, RemapMode, SoftCeiling, SoftFloor, Step, called
from bluffline.ui.style import font
from bluffline.ui.transfer import TransferLine

# For each kind of step the figures an operator sets: field, label, least, greatest.
_FIGURES: dict[type[Step], tuple[tuple[str, str, float, float], ...]] = {
    LevelRemap: (("low_out", "Black to", -10, 50), ("high_out", "White to", 50, 115)),
    SoftCeiling: (("limit", "Limit", 50, 110), ("knee", "Knee", 10, 109)),
    SoftFloor: (("limit", "Limit", -10, 50), ("knee", "Knee", -9, 80)),
    ChromaRein: (("low", "R′G′B′ from", -20, 50), ("high", "R′G′B′ to", 50, 120), ("onset", "Onset", 0, 50)),
}


class Figure(QDoubleSpinBox):
    """A percentage: type it, wheel it, arrows nudge it, Shift is finer, double-click resets."""

    def __init__(self, label: str, least: float, greatest: float, value: float, reset: float) -> None:
        super().__init__()
        self._reset = reset
        self.setRange(least, greatest)
        self.setDecimals(1)
        self.setSingleStep(0.5)
        self.setSuffix(" %")
        self.setValue(value)
        self.setFont(font(12))
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setAccessibleName(label)
        self.setKeyboardTracking(False)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip("Type, or turn the wheel; arrows nudge by 0.5 %, with Shift by 0.1 %; double-click resets")
        edit = self.lineEdit()
        assert edit is not None
        edit.mouseDoubleClickEvent = self._double_clicked  # type: ignore[method-assign]

    def _double_clicked(self, event: QMouseEvent | None) -> None:
        self.setValue(self._reset)

    def stepBy(self, steps: int) -> None:
        finer = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.setSingleStep(0.1 if finer else 0.5)
        super().stepBy(steps)

    def textFromValue(self, value: float) -> str:
        return f"{value:.1f}".replace("-", "−")

    def valueFromText(self, text: str | None) -> float:
        plain = (text or "").replace("−", "-").removesuffix(" %").strip()
        return float(plain) if plain else 0.0

    def validate(self, text: str | None, place: int):  # type: ignore[no-untyped-def]
        state, _, _ = super().validate((text or "").replace("−", "-"), place)
        return state, text, place


class StepCard(QFrame):
    """One step: its title, whether it is in force, its figures."""

    def __init__(self, session: Session, place: int, step: Step) -> None:
        super().__init__()
        self.setObjectName("step")
        self._session, self._place, self._step = session, place, step
        title = QCheckBox(f"{place + 1} {step.title}")
        title.setFont(font(12, bold=True))
        title.setChecked(not step.bypassed)
        title.setToolTip("In force; clear to bypass the step")
        title.toggled.connect(lambda on: session.bypass_step(place, bypassed=not on))
        remove = QToolButton()
        remove.setText("Remove")
        remove.setFont(font(11))
        remove.setStyleSheet("padding: 1px 3px")
        remove.setAccessibleName(f"Remove {called(step)}")
        remove.clicked.connect(lambda: session.remove_step(place))
        head = QHBoxLayout()
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(remove)
        grid = QGridLayout()
        grid.setVerticalSpacing(2)
        grid.setHorizontalSpacing(6)
        for row, (field, label, least, greatest) in enumerate(_FIGURES[type(step)]):
            name = QLabel(label)
            name.setFont(font(11))
            name.setProperty("role", "dim")
            value = getattr(step, field)
            figure = Figure(f"{step.title}: {label}", least, greatest, value, value)
            figure.setEnabled(not step.bypassed and self._editable(field))
            figure.valueChanged.connect(lambda new, field=field: self._change(new, field))
            grid.addWidget(name, row, 0)
            grid.addWidget(figure, row, 1)
        self._add_choice(grid)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 3, 4, 4)
        layout.setSpacing(2)
        layout.addLayout(head)
        layout.addLayout(grid)
        layout.addStretch(1)
        self.setFixedWidth(190)

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
                lambda text: self._session.replace_step(self._place, self._session.remap_step(RemapMode(text)))
            )
            grid.addWidget(modes, row, 0, 1, 2)
        elif isinstance(step, SoftCeiling | SoftFloor):
            hard = QCheckBox("Hard clip")
            hard.setFont(font(11))
            hard.setChecked(step.hard)
            hard.toggled.connect(lambda on: self._session.replace_step(self._place, replace(step, hard=on)))
            grid.addWidget(hard, row, 0, 1, 2)

    def _change(self, value: float, field: str) -> None:
        step = self._session.treatment[self._place]
        wanted = {field: value}
        if field == "limit" and isinstance(step, SoftCeiling):
            wanted["knee"] = min(step.knee, value - 1)  # a limit that is moved past its knee takes it along
        elif field == "limit" and isinstance(step, SoftFloor):
            wanted["knee"] = max(step.knee, value + 1)
        try:
            changed = replace(step, **wanted)
            if isinstance(changed, LevelRemap):
                gain = (changed.high_out - changed.low_out) / (changed.high_in - changed.low_in)
                changed = replace(changed, chroma_gain=gain)
        except SettingsError as error:
            self.setToolTip(str(error))
            return
        self._session.replace_step(self._place, changed, gesture=f"{self._session.shot}.{self._place}.{field}")


class StepsRow(QScrollArea):
    """The steps in order, and a way to add one."""

    def __init__(self, session: Session, legalise: Callable[[], None]) -> None:
        super().__init__()
        self._session = session
        self._legalise = legalise
        self._shown: tuple[object, ...] = ()
        self.setWidgetResizable(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Treatment of the shot in view")
        self.setFixedHeight(132)
        for event in (session.treatment_changed, session.place_changed, session.survey_changed):
            event.connect(self._refresh)
        self._refresh()

    def _refresh(self) -> None:
        session = self._session
        structure = tuple(
            (type(step), step.bypassed, getattr(step, "mode", None), getattr(step, "hard", None)) for step in session.treatment
        )
        key = (session.shot, session.surveyed, session.programme, structure)
        if key == self._shown:
            self._update_figures()
            return
        self._shown = key
        row = QWidget()
        row.setObjectName("steps")
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        for place, step in enumerate(session.treatment):
            layout.addWidget(StepCard(session, place, step))
        side = QVBoxLayout()
        side.setSpacing(6)
        if not session.treatment:
            words = QLabel(self._empty_text())
            words.setProperty("role", "dim")
            words.setWordWrap(True)
            words.setAlignment(Qt.AlignmentFlag.AlignTop)
            layout.addWidget(words, 1)
        side.addWidget(self._add_button())
        if session.treatment:
            reset = QPushButton("Reset shot")
            reset.setFont(font(12))
            reset.clicked.connect(session.reset_shot)
            side.addWidget(reset)
        side.addStretch(1)
        layout.addLayout(side)
        if session.treatment:
            layout.addStretch(1)
        if (old := self.takeWidget()) is not None:
            old.deleteLater()  # not at once: it may be one of its own controls that led here
        self.setWidget(row)

    def _update_figures(self) -> None:
        """Show the figures in force, which an undo or another figure may have changed."""
        row = self.widget()
        figures = row.findChildren(Figure) if row is not None else []
        values = [getattr(step, name) for step in self._session.treatment for name, *_ in _FIGURES[type(step)]]
        for figure, value in zip(figures, values, strict=True):
            figure.blockSignals(True)
            figure.setValue(value)
            figure.blockSignals(False)

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
        have = {type(step) for step in self._session.treatment}
        for kind in STEP_KINDS:
            action = QAction(kind.title, menu)
            action.setEnabled(kind not in have)
            action.triggered.connect(lambda _, kind=kind: self._session.add_step(kind))
            menu.addAction(action)
        button.setMenu(menu)
        button.setEnabled(self._session.surveyed)
        return button


class TreatmentPanel(QWidget):
    """The steps of the shot in view, and beside them what they make of a grey ramp."""

    def __init__(self, session: Session, legalise: Callable[[], None]) -> None:
        super().__init__()
        self._session = session
        self.steps, self.transfer = StepsRow(session, legalise), TransferLine(session)
        self.setAccessibleName("Treatment of the shot in view")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(self.steps, 1)
        layout.addWidget(self.transfer, 0, Qt.AlignmentFlag.AlignTop)
        for event in (session.treatment_changed, session.place_changed, session.survey_changed):
            event.connect(self._refresh)
        self._refresh()

    def _refresh(self) -> None:
        self.transfer.setVisible(bool(self._session.treatment))
        self.transfer.refresh()
