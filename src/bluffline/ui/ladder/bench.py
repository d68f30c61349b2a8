"""The bench: the chosen step's figures with sliders, made from its kind's declarations, and the transfer line."""

import time
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from bluffline.errors import SettingsError
from bluffline.session.session import Session
from bluffline.treat.step import Choice, Curve, Drawn, Step
from bluffline.ui.ladder.bands import BandsEditor
from bluffline.ui.ladder.controls import StepControls, choice_box, show_choices
from bluffline.ui.ladder.graph import Graph
from bluffline.ui.ladder.library import CurveLibrary
from bluffline.ui.ladder.picking import Picking
from bluffline.ui.ladder.points import CurveEditor
from bluffline.ui.ladder.reach_menu import reach_menu
from bluffline.ui.ladder.reaching import Reaching
from bluffline.ui.ladder.transfer import TransferLine
from bluffline.ui.style.buttons import quiet_button
from bluffline.ui.style.line import Line
from bluffline.ui.style.style import font
from bluffline.view.looking import LookingModel
from bluffline.view.preview import Preview
from bluffline.view.standing import hue_shares, place_of

_REST = 1.0  # seconds without a change that end a gesture
_EDITORS = {"bands": BandsEditor}  # of figures that are drawn in a way of their own, by what their declaration names


class Bench(QFrame):
    """Adjusts the step that the place chooses; hidden where it chooses none. ``refused`` tells why a figure was not taken."""

    refused = pyqtSignal(str)
    opened = pyqtSignal(bool)

    def __init__(self, session: Session, reaching: Reaching, picking: Picking, look: LookingModel) -> None:
        super().__init__()
        self.setObjectName("card")
        self._session, self._reaching, self._picking, self._look = session, reaching, picking, look
        picking.chosen = lambda: self.curves.key if self.curves is not None else ""
        self._library = CurveLibrary(lambda: self.step, self._give_curves, self.refused.emit)
        self.curves: CurveEditor | None = None
        self.drawn: tuple[str, BandsEditor] | None = None  # a figure and its editor
        self._preview: Preview | None = None
        self._shown: object = None
        self._components = False
        self.controls: StepControls | None = None
        self._choices: dict[str, QComboBox] = {}  # beside curves
        self._last, self._gestures = ("", 0.0), 0
        self.transfer = TransferLine(session)
        self._title = QLabel()
        self._title.setFont(font(13, bold=True))
        self._facts = Line(font(12))
        self.buttons = {
            name: quiet_button(name, words, act)
            for name, words, act in (
                ("reach", "Where the step acts", self._ask_reach),
                ("show", "Show the reach: what is not reached loses its colour", lambda: look.toggle("reach")),
                ("components", "R′, G′ and B′ each for itself", self._turn),
                ("library", "Curves that were kept, and keeping these", self._ask_library),
                ("bypass", "Take the step out of force, or bring it back", self._bypass),
                ("reset", "Neutral figures", self._reset),
                ("close", "Clear the bench", lambda: session.place.choose(None)),
            )
        }
        self.buttons["components"].setCheckable(True)
        self.buttons["library"].setText("library ▾")
        self.buttons["show"].setCheckable(True)
        self.buttons["close"].setText("×")
        head = QHBoxLayout()
        head.setSpacing(4)
        head.addWidget(self._title)
        head.addWidget(self._facts, 1)
        for button in self.buttons.values():
            head.addWidget(button)
        self._body = QWidget()
        self._matter = QHBoxLayout()
        self._matter.setSpacing(12)
        self._matter.addWidget(self._body, 1)
        self._matter.addWidget(self.transfer, 0, Qt.AlignmentFlag.AlignTop)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 5, 8, 6)
        layout.setSpacing(3)
        layout.addLayout(head)
        layout.addLayout(self._matter, 1)
        look.changed.connect(self._refresh)
        for event in (session.document.changed, session.place.changed, session.place.rung_changed, session.survey_changed):
            event.connect(self._refresh)
        self.hide()  # said in so many words: a splitter shows what was not
        self._refresh()

    @property
    def step(self) -> Step | None:
        """The step on the bench."""
        rung, ladder = self._session.place.rung, self._session.document.treatment
        return ladder[rung] if rung is not None and rung < len(ladder) else None

    def take_figure(self) -> None:
        """Let what is typed next be the step's first figure, or the first that others follow from."""
        fields = {} if self.controls is None else self.controls.figures
        for field in sorted(fields, key=lambda field: not field.startswith("="))[:1]:
            fields[field][0].setFocus()
            fields[field][0].selectAll()

    # Showing -----------------------------------------------------------------------------------------------------------

    def _refresh(self) -> None:
        step, place = self.step, self._session.place
        if (step is None) is not self.isHidden():
            self.setVisible(step is not None)
            self.opened.emit(step is not None)
        if step is None:
            if place.rung is not None and not self._session.document.treatment:
                place.choose(None)
            self._shown = None
            return
        assert place.rung is not None
        shown = type(step), place.rung, place.shot, self._components
        if shown != self._shown:
            self._shown = shown
            self._build(step)
        self._title.setText(f"{place.rung + 1}  {step.title}")
        self._facts.setText(f"{step.place}" + ("" if step.on else " · bypassed"))
        self.buttons["reach"].setText(f"{step.reach.text} ▾")
        self.buttons["library"].setVisible(step.library)
        self.buttons["show"].setEnabled(not step.reach.everywhere)
        self.buttons["show"].setChecked(self._look.state.reach and not step.reach.everywhere)
        self._show_figures(step)
        self.transfer.refresh()

    def _build(self, step: Step) -> None:
        """Controls for a kind of step."""
        self.curves = self.drawn = self.controls = None
        self._choices = {}
        curves = {one.key: one.declared for one in step.figures() if isinstance(one.declared, Curve)}
        own = next(((one.key, one.declared.editor) for one in step.figures() if isinstance(one.declared, Drawn)), None)
        if curves or own is not None:
            self._build_drawn(step, curves, own)
            return
        self.transfer.show()
        self.controls = StepControls(step, self._session, components=self._components)
        self.controls.changed.connect(self._change)
        self.controls.chosen.connect(self._choose)
        self.controls.begun.connect(self._new_gesture)
        self.buttons["components"].setVisible(self.controls.has_components)
        self.buttons["components"].setChecked(self._components and self.controls.has_components)
        self._put(self.controls)

    def _put(self, body: QWidget) -> None:
        """Put other controls in place of those that are there."""
        old = self._matter.replaceWidget(self._body, body)
        if old is not None and (widget := old.widget()) is not None:
            widget.deleteLater()
        self._body = body

    def _build_drawn(self, step: Step, curves: dict[str, Curve], own: tuple[str, str] | None) -> None:
        """Curves, or what is drawn in a way of its own, over what the picture holds."""
        self.buttons["components"].setVisible(False)
        self.transfer.setVisible(step.transfer)
        if own is None:
            self.curves = CurveEditor(step, curves)
            self.curves.changed.connect(self._curve_changed)
            self.curves.turned.connect(self._show_tones)
            for one in step.figures():
                if isinstance(one.declared, Choice):
                    combo = choice_box(step, one.key, one.declared.label, one.declared.among())
                    combo.activated.connect(lambda n, key=one.key, combo=combo: self._choose(key, combo.itemData(n)))
                    self._choices[one.key] = combo
                    self.curves.column.insertWidget(1, combo)
            self._put(self.curves)
        else:
            editor = _EDITORS[own[1]]()
            editor.changed.connect(self._drawn_changed)
            editor.refused.connect(self.refused)
            self.drawn = own[0], editor
            self._put(editor)
        self._show_tones()

    def show_tones(self, preview: Preview | None) -> None:
        """Draw behind curves and bands what the picture holds."""
        self._preview = preview
        self.transfer.show_tones(preview.tones if preview is not None else None)
        self._show_tones()

    def _show_tones(self) -> None:
        if self._preview is None or self._session.survey is None:
            return
        levels, tones = self._session.source.levels, self._preview.tones
        graph = self._graph
        if self.curves is not None and self.curves.graph.declared.round:
            self.curves.graph.show_behind(hue_shares(self._preview))
        elif tones is not None and graph is not None:
            percents = (np.arange(len(tones)) - levels.black) / levels.swing * 100
            counts, _ = np.histogram(percents, bins=120, range=(-8, 112), weights=tones)
            graph.show_behind(np.sqrt(counts / max(counts.max(), 1)))

    @property
    def _graph(self) -> Graph | None:
        """What is drawn on, where anything is."""
        return self.curves.graph if self.curves is not None else self.drawn[1].graph if self.drawn is not None else None

    def point_at(self, rgb: tuple[float, float, float] | None) -> None:
        """Mark where a colour (R′G′B′, 0 … 1) stands that is under the pointer; None where there is none."""
        graph = self._graph
        if graph is None or self._session.survey is None:
            return
        key = self.curves.key if self.curves is not None else ""
        graph.point_at(None if rgb is None else place_of(rgb, self._session.source.matrix, key, graph.axes.units[0]))

    def _curve_changed(self, key: str, points: object, goes_on: bool) -> None:
        if not goes_on:
            self._new_gesture()
        self._change(key, points)

    def _drawn_changed(self, value: object, goes_on: bool) -> None:
        if self.drawn is not None:
            self._curve_changed(self.drawn[0], value, goes_on)

    def _show_figures(self, step: Step) -> None:
        """Show the figures in force, which an undo or another figure may have changed."""
        if self.controls is not None:
            self.controls.show_step(step)
        show_choices(step, self._choices)
        if self.curves is not None:
            self.curves.show_step(step)
        if self.drawn is not None:
            self.drawn[1].show_step(step)
        self.buttons["bypass"].setText("bypass" if step.on else "restore")

    # Hands -------------------------------------------------------------------------------------------------------------

    def _change(self, field: str, value: Any) -> None:
        step, rung = self.step, self._session.place.rung
        if step is None or rung is None:
            return
        try:
            changed = self._figured(step, field, value)
        except SettingsError as error:
            self._show_figures(step)  # what is in force stands there again
            self.refused.emit(str(error))
            return
        self._session.document.replace_step(rung, changed, gesture=self._gesture(field))

    def _figured(self, step: Step, field: str, value: Any) -> Step:
        """The step with another figure.

        Raises
        ------
        SettingsError : it can't be so
        """
        if field.startswith("="):
            return step.with_derived(field[1:], value, self._session.source)
        return step.figured(field, value)

    def _choose(self, key: str, text: str) -> None:
        """Another way of working, and the figures that follow from it."""
        step, rung, document = self.step, self._session.place.rung, self._session.document
        if step is not None and rung is not None:
            document.replace_step(rung, step.chosen(key, text, document.measured()), gesture=self._gesture(key))

    def _gesture(self, field: str) -> str:
        """What changes of one figure, one soon after the other, have in common: they are undone together."""
        now = time.monotonic()
        last, at = self._last
        if last != field or now - at > _REST:
            self._gestures += 1
        self._last = field, now
        return f"{id(self)}.{self._gestures}"

    def _new_gesture(self) -> None:
        self._last = "", 0.0

    def _ask_reach(self) -> None:
        button = self.buttons["reach"]
        self.reach_menu().exec(button.mapToGlobal(button.rect().bottomLeft()))

    def reach_menu(self) -> QMenu:
        """Ways to say where the step on the bench acts."""
        assert self.step is not None
        return reach_menu(self, self.step.reach, self._session.document.areas, self._reaching, self._picking)

    def _ask_library(self) -> None:
        button = self.buttons["library"]
        self.library_menu().exec(button.mapToGlobal(button.rect().bottomLeft()))

    def library_menu(self) -> QMenu:
        """Curves of the operator's own, to be taken, and keeping those on the bench."""
        return self._library.menu(self)

    def _give_curves(self, kept: Step) -> None:
        step, rung = self.step, self._session.place.rung
        if step is not None and rung is not None:
            self._new_gesture()
            made = replace(kept, on=step.on, heading=step.heading, reach=step.reach)
            self._session.document.replace_step(rung, made)

    def _turn(self) -> None:
        self._components = not self._components
        self._refresh()

    def _bypass(self) -> None:
        step, rung = self.step, self._session.place.rung
        if step is not None and rung is not None:
            self._session.document.bypass_step(rung, bypassed=step.on)

    def _reset(self) -> None:
        if self._session.place.rung is not None and self.step is not None:
            self._session.document.reset_step(self._session.place.rung)

