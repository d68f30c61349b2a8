"""What the operator does to calibrate: charts, cards, neutral picks, LUTs, stock treatments, carrying steps on."""

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from bluffline.charts.fit import ChartFit, fit_chart
from bluffline.charts.frame import ChartFrame
from bluffline.charts.picks import neutral_pick, sample_cards
from bluffline.errors import BlufflineError, MediaError
from bluffline.figures import figure
from bluffline.media.reader import Reader
from bluffline.report.files import save_text
from bluffline.session.chart import ChartModel, ChartRequest, ChartResult, read_and_fit, same_light
from bluffline.session.jobs import Jobs, Kind
from bluffline.signal.format import Planes
from bluffline.signal.white import gains_for_light
from bluffline.survey.monitor import Monitor
from bluffline.treat.bake import baked, cube_within, fitted_cdl, tables_within, worst_off
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.ladder import Treatment, colours_of
from bluffline.treat.lutfile import clf_text, corrections, read_step, step_text_for
from bluffline.treat.step import Step, called
from bluffline.ui.chart.panel import ChartPanel
from bluffline.ui.dialogs.carry_on import CarryOnDialog
from bluffline.ui.dialogs.layout import show_until_closed
from bluffline.ui.dialogs.light import LightDialog
from bluffline.ui.picture.viewer import Viewer

Found = TypeVar("Found")
_NEAR = 0.5  # CIEDE2000 from the steps that a saved LUT should keep within
_LUT_FILES = "LUT and CDL files (*.cube *.clf *.cdl *.cc *.ccc)"


class Charting:
    """Acts on the session and the chart in hand; ``say`` tells the operator what was done or can't be.

    ``beside``: runs short work that ends no other.
    """

    def __init__(self, viewer: Viewer, jobs: Jobs, beside: Jobs, say: Callable[[str], None], window: QWidget) -> None:
        self.viewer, self._jobs, self._beside, self._say, self._window = viewer, jobs, beside, say, window
        self.session, self.picture = viewer.session, viewer.picture
        self.model = ChartModel()
        self.panel = ChartPanel(self.model)
        self.panel.file_asked.connect(self.choose_reference)
        self.picture.chart_placed.connect(self._placed)
        self.model.changed.connect(self._changed)
        self._fitted = self.model.setup
        self._lights = 0

    # The chart -----------------------------------------------------------------------------------------------------

    def find(self) -> None:
        """Find the chart in the frame in view, measure and fit it."""
        self.model.let_go()
        self._read()

    def place(self) -> None:
        """Lay a chart frame over the picture, to be dragged where the chart is."""
        self.model.place_in_middle(self.session.source.width, self.session.source.height)
        self._say("Drag the corners to the chart's; the filled one goes to the upper left of the chart itself")

    def turn(self) -> None:
        """Take another corner of the chart for its upper left."""
        if self.model.chart_frame is not None:
            self._placed(self.model.chart_frame.turned())

    def choose_reference(self) -> None:
        """Ask for a chart reference."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Chart reference", str(Path.cwd()), "CGATS.17 or CSV (*.txt *.csv)")
        if name:
            self.take_reference(name)

    def take_reference(self, name: str) -> None:
        """Take a chart reference from a file."""
        try:
            self.model.change(reference=name, layout=None)
        except BlufflineError as error:
            self._say(str(error))

    def _placed(self, frame: ChartFrame) -> None:
        self.model.place(frame)
        self._read()

    def _read(self) -> None:
        session, model = self.session, self.model
        if session.programme is None or not session.surveyed or self._jobs.kind not in (None, Kind.CHART):
            return  # other work is under way, which is not to be cut short
        shot = session.shots[session.place.shot]
        span = (shot.first, shot.last)
        request = ChartRequest(session.programme, session.source, session.place.frame, span, model.setup, model.placed)
        self._fitted = model.setup
        self._jobs.start(Kind.CHART, lambda monitor: read_and_fit(request, monitor), self._take)

    def _take(self, result: ChartResult) -> None:
        self.model.take(result)
        best = result.fit.result
        self._say(f"Chart fit: mean ΔE2000 from {result.fit.stages[0].mean:.1f} to {best.mean:.2f}, by {best.name}")

    def _changed(self) -> None:
        """Fit again where the operator chose otherwise, and show what there is."""
        if self.model.result is not None and self.model.setup != self._fitted:
            self._read()
        self.show_marks()

    def show_marks(self) -> None:
        """Draw the chart over the picture and on the gauges, in the shot that it belongs to."""
        model, session = self.model, self.session
        result, frame = model.result, model.chart_frame
        if result is not None and not result.request.span[0] <= session.place.frame <= result.request.span[1]:
            result = frame = None
        self.picture.show_chart(frame, model.reference.layout, None if result is None else result.wanted)
        if result is None:
            self.viewer.show_targets(None)
            return
        treated = session.document.treatment if not self.viewer.held_source else ()
        self.viewer.show_targets((result.through(colours_of(treated)), result.wanted))

    # Carrying on ---------------------------------------------------------------------------------------------------

    def give(self) -> None:
        """Give the fit to the shot in view; its own steps follow after it."""
        if self.model.result is not None:
            self.session.document.calibrate([self.session.place.shot], self.model.result.fit.steps, "Chart fit")

    def carry_on(self) -> None:
        """Look which shots are under the same light, then ask which get the fit."""
        result, session = self.model.result, self.session
        if result is None or session.programme is None or self._jobs.kind is not None:
            return
        programme, document = session.programme, session.document
        asked = document.ask(range(len(session.shots)))

        def job(monitor: Monitor) -> list[int]:
            with Reader(programme) as reader:
                return same_light(result, asked.shots, reader.planes, monitor)

        def then(found: list[int]) -> None:
            there = document.settle(asked).there
            self._ask_shots(result, sorted(there[number] for number in found if number in there))

        self._jobs.start(Kind.LIKE_SHOTS, job, then)

    def _ask_shots(self, result: ChartResult, found: list[int]) -> None:
        count = len(found)
        words = "Only the chart's own shot is marked: no other looks to be under the same light."
        if count > 1:
            words = f"{count} shots are marked: they look to be under the chart's light."
        words += " The shots' own other steps follow after the fit."
        assert self.session.programme is not None
        self.dialog = CarryOnDialog(
            "Carry the fit on", words, result.fit.steps, self.session.shots, found, self.session.programme, self._window
        )
        self._give_chosen(lambda shots: self.session.document.calibrate(shots, self.dialog.steps, "Chart fit"))

    def _give_chosen(self, give: Callable[[list[int]], None]) -> None:
        """Show the dialog that asks for shots, and give to those that are chosen and are there still."""
        document = self.session.document
        asked = document.ask(range(len(self.session.shots)))

        def accepted() -> None:
            there = document.settle(asked).there
            give([there[number] for number in self.dialog.shots if number in there])

        self.dialog.accepted.connect(accepted)
        show_until_closed(self.dialog)

    def paste(self) -> None:
        """Ask which steps of the shot in view go to which other shots."""
        session = self.session
        if not session.document.treatment or session.programme is None:
            return
        words = f"From shot {session.place.shot + 1}. "
        words += "A step takes the place of one of its kind; others are added where they belong."
        self.dialog = CarryOnDialog(
            "Paste steps", words, session.document.treatment, session.shots, (), session.programme, self._window
        )
        own = session.shots[session.place.shot]

        def paste(shots: list[int]) -> None:
            others = [number for number in shots if session.shots[number] != own]
            session.document.paste(others, self.dialog.steps, "Paste steps")

        self._give_chosen(paste)

    # From areas ----------------------------------------------------------------------------------------------------

    def neutral_pick(self, *, linear: bool = True) -> None:
        """Balance the shot in view by what the areas hold, in light or on coded values."""
        source, areas = self.session.source, self.session.document.areas

        def give(shot: int, found: tuple[Balance, str]) -> None:
            step, told = found
            self.session.document.paste([shot], (step,), "Neutral pick")
            self._say(f"Neutral pick: {told}")

        self._pick(lambda planes: neutral_pick(planes, source, areas, linear=linear), give)

    def balance_by_light(self) -> None:
        """Ask for a light's temperature and tint, balancing the shot in view by them as they are turned."""
        self.light = LightDialog(self._window)
        self._lights += 1
        self.light.changed.connect(self.set_light)
        show_until_closed(self.light)

    def set_light(self, kelvin: float, tint: float) -> None:
        """Balance the shot in view for a light; turns of one dialog are undone together."""
        session = self.session
        try:
            step = Balance(gains_for_light(kelvin, tint, session.source.primaries))
        except BlufflineError as error:
            self._say(str(error))
            return
        session.document.paste([session.place.shot], (step,), f"Balance for {kelvin:.0f} K", f"light.{self._lights}")
        self._say(f"Balance for {kelvin:.0f} K, tint {figure(tint, '+.0f')}: {step.text}")

    def three_point(self) -> None:
        """Calibrate the shot in view by white, grey and black cards under three areas."""
        source, areas = self.session.source, self.session.document.areas

        def fit_cards(planes: Planes) -> ChartFit:
            samples, reference = sample_cards(planes, source, areas)
            return fit_chart(samples, reference, source)

        def give(shot: int, fit: ChartFit) -> None:
            self.session.document.calibrate([shot], fit.steps, "Three-point")
            self._say(f"Three-point: mean ΔE2000 of the cards from {fit.stages[0].mean:.1f} to {fit.result.mean:.2f}")

        self._pick(fit_cards, give)

    def _pick(self, make: Callable[[Planes], Found], give: Callable[[int, Found], None]) -> None:
        """Find something in the frame in view, untreated, and give it to its shot, whatever is in view by then."""
        session = self.session
        programme, frame = session.programme, session.place.frame
        if programme is None:
            return

        def job(_: Monitor) -> Found:
            with Reader(programme) as reader:
                planes = reader.planes(frame)
                if planes is None:
                    raise MediaError(f"Frame {frame} can't be decoded.")
                return make(planes)

        self._start(Kind.PICK, job, give)

    def _start(
        self, kind: Kind, job: Callable[[Monitor], Found], give: Callable[[int, Found], None], *, whole: bool = False
    ) -> None:
        """Work for the shot in view; what comes of it is given to that shot, beside what was done to it since.

        ``whole``: it is in place of the whole ladder, which has to be as it was.
        """
        document = self.session.document
        asked = document.ask([self.session.place.shot])

        def then(found: Found) -> None:
            settled = document.settle(asked)
            now = (settled.same if whole else settled.there).get(asked.number)
            if now is None:
                what = "is no more" if settled.gone else "has changed meanwhile"
                self._say(f"{kind} comes to nothing: the shot that it was for {what}")
            else:
                give(now, found)

        self._beside.start(kind, job, then)

    # LUTs ----------------------------------------------------------------------------------------------------------

    def bake(self) -> None:
        """Bake the steps on colours of the shot in view into one LUT."""
        treatment, source = self.session.document.own, self.session.source

        def job(_: Monitor) -> tuple[Treatment, float]:
            after = baked(treatment, source)
            return after, worst_off(treatment, after, source)

        def give(shot: int, found: tuple[Treatment, float]) -> None:
            after, worst = found
            self.session.document.set_treatment(shot, after, "Bake the steps on colours")
            self._say(f"Baked: at most {worst:.2f} ΔE2000 from the steps themselves, over a grid of colours")

        self._start(Kind.BAKE, job, give, whole=True)

    def load_lut(self) -> None:
        """Ask for a LUT or CDL file and take it as a step."""
        name, _ = QFileDialog.getOpenFileName(self._window, "Step from a file", str(Path.cwd()), _LUT_FILES)
        if name:
            self.take_lut(Path(name))

    def take_lut(self, path: Path) -> None:
        """Take a LUT or CDL file as a step of the shot in view; a large one takes seconds to read, away from the window."""
        try:
            named, chosen = corrections(path), None
        except BlufflineError as error:
            self._say(str(error))
            return
        if len(named) > 1:
            asked = f"Which correction of {path.name}"
            chosen, given = QInputDialog.getItem(self._window, "Step from a file", asked, named, 0, False)
            if not given:
                return

        def give(shot: int, step: Step) -> None:
            self.session.document.add(step, f"Add {called(step)} {path.name}", shot)
            if shot != self.session.place.shot:
                self._say(f"{path.name} is a step of shot {shot + 1} now, which it was read for")

        self._start(Kind.LUT, lambda _: read_step(path, chosen), give)

    def save_lut(self) -> None:
        """Ask where to, and save the steps on colours of the shot in view as a LUT or CDL."""
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the steps on colours", "fit.cube", _LUT_FILES)
        if name:
            self.write_lut(Path(name))

    def write_lut(self, path: Path) -> None:
        """Save the steps on colours of the shot in view; as a CDL, with how far it is from them."""
        steps, source, ending = self.session.document.treatment, self.session.source, path.suffix.lower()
        patches = None if self.model.result is None else self.model.result.filmed

        def job(_: Monitor) -> tuple[str, float]:
            if ending == ".cdl":
                fitted = fitted_cdl(steps, source, patches)
                save_text(path, step_text_for(fitted, ending))
                reined = any(isinstance(step, ChromaRein) and step.on for step in steps)
                return f"as a CDL{', without the chroma rein' if reined else ''}", worst_off(steps, (fitted,), source)
            if ending == ".clf":
                tables, worst = tables_within(steps, source, _NEAR, name=path.stem)
                save_text(path, clf_text(tables))
                return f"{tables[-1].size} entries a side{' behind curves' if len(tables) > 1 else ''}", worst
            cube, worst = cube_within(steps, source, _NEAR, name=path.stem)
            save_text(path, step_text_for(cube, ending))
            return f"{cube.size} entries a side", worst

        def tell(made: tuple[str, float]) -> None:
            self._say(f"{path.name} is saved, {made[0]}: at most {made[1]:.2f} ΔE2000 from all steps, limits and all")

        self._beside.start(Kind.BAKE, job, tell)

    @property
    def steps(self) -> Treatment:
        """The steps on colours of the shot in view."""
        return colours_of(self.session.document.treatment)
