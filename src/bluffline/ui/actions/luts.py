"""LUT and CDL files as steps, and steps as LUTs: taken, baked, saved."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from bluffline.errors import BlufflineError
from bluffline.report.files import save_text
from bluffline.session.chart import ChartModel
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor
from bluffline.treat.bake import baked, cube_within, fitted_cdl, tables_within, worst_off
from bluffline.treat.ladder import Treatment, colours_of, rein_of
from bluffline.treat.lutfile import clf_text, corrections, read_step, step_text_for
from bluffline.treat.step import Step, called
from bluffline.ui.actions.for_shot import ForShot

_NEAR = 0.5  # CIEDE2000 from the steps that a saved LUT should keep within
_LUT_FILES = "LUT and CDL files (*.cube *.clf *.cdl *.cc *.ccc)"


class Luts:
    """Acts on the session; ``say`` tells what was done or can't be. ``chart``: a CDL is fitted on the patches that it holds."""

    def __init__(
        self, session: Session, chart: ChartModel, beside: Jobs, for_shot: ForShot, say: Callable[[str], None], window: QWidget
    ) -> None:
        self._session, self._chart, self._beside, self._for_shot = session, chart, beside, for_shot
        self._say, self._window = say, window

    def bake(self) -> None:
        """Bake the steps on colours of the shot in view into one LUT."""
        treatment, source = self._session.document.own, self._session.source

        def job(_: Monitor) -> tuple[Treatment, float]:
            after = baked(treatment, source)
            return after, worst_off(treatment, after, source)

        def give(shot: int, found: tuple[Treatment, float]) -> None:
            after, worst = found
            self._session.document.set_treatment(shot, after, "Bake the steps on colours")
            self._say(f"Baked: at most {worst:.2f} ΔE2000 from the steps themselves, over a grid of colours")

        self._for_shot.start(Kind.BAKE, job, give, whole=True)

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
            self._session.document.add(step, f"Add {called(step)} {path.name}", shot)
            if shot != self._session.place.shot:
                self._say(f"{path.name} is a step of shot {shot + 1} now, which it was read for")

        self._for_shot.start(Kind.LUT, lambda _: read_step(path, chosen), give)

    def save_lut(self) -> None:
        """Ask where to, and save the steps on colours of the shot in view as a LUT or CDL."""
        name, _ = QFileDialog.getSaveFileName(self._window, "Save the steps on colours", "fit.cube", _LUT_FILES)
        if name:
            self.write_lut(Path(name))

    def write_lut(self, path: Path) -> None:
        """Save the steps on colours of the shot in view; as a CDL, with how far it is from them."""
        steps, source, ending = self._session.document.treatment, self._session.source, path.suffix.lower()
        patches = None if self._chart.result is None else self._chart.result.filmed

        def job(_: Monitor) -> tuple[str, float]:
            if ending == ".cdl":
                fitted = fitted_cdl(steps, source, patches)
                save_text(path, step_text_for(fitted, ending))
                reined = ", without the chroma rein" if rein_of(steps) is not None else ""
                return f"as a CDL{reined}", worst_off(steps, (fitted,), source)
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
        return colours_of(self._session.document.treatment)
