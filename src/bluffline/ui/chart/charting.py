"""What the operator does with a filmed chart: found, placed, fitted, given to shots."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from bluffline.charts.frame import ChartFrame
from bluffline.errors import BlufflineError
from bluffline.media.reader import Reader
from bluffline.session.chart import ChartModel, ChartRequest, ChartResult, read_and_fit, same_light
from bluffline.session.jobs import Jobs, Kind
from bluffline.survey.monitor import Monitor
from bluffline.treat.ladder import colours_of
from bluffline.ui.actions.carrying import Carrying
from bluffline.ui.chart.panel import ChartPanel
from bluffline.ui.picture.viewer import Viewer


class Charting:
    """Acts on the session and the chart in hand; ``say`` tells the operator what was done or can't be."""

    def __init__(self, viewer: Viewer, jobs: Jobs, carrying: Carrying, say: Callable[[str], None], window: QWidget) -> None:
        self.viewer, self._jobs, self._carrying, self._say, self._window = viewer, jobs, carrying, say, window
        self.session, self.picture = viewer.session, viewer.picture
        self.model = ChartModel()
        self.panel = ChartPanel(self.model)
        self.panel.file_asked.connect(self.choose_reference)
        self.picture.chart_placed.connect(self._placed)
        self.model.changed.connect(self._changed)
        self._fitted = self.model.setup

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
            self._carrying.carry_fit(result.fit.steps, sorted(there[number] for number in found if number in there))

        self._jobs.start(Kind.LIKE_SHOTS, job, then)
