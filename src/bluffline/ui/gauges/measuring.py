"""What the operator does to look and to measure: comparison, zoom, tools, gauges, the bars check."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog

from bluffline.errors import BlufflineError
from bluffline.gauges.instrument import Instrument, Seen
from bluffline.measure.areas import Taken
from bluffline.measure.bars import BarsReading, read_bars
from bluffline.report.gauge import save_gauge
from bluffline.session import jobs
from bluffline.session.gauges import SLOTS
from bluffline.session.jobs import Jobs
from bluffline.signal.colorimetry import GAMUTS
from bluffline.ui.dialogs.layout import show_until_closed
from bluffline.ui.dialogs.line_up import BarsDialog
from bluffline.ui.picture.viewer import Viewer
from bluffline.view.looking import Compare, Tool


class Measuring:
    """Acts on the viewer and the setup of its gauges; ``say`` tells the operator what can't be done."""

    def __init__(self, viewer: Viewer, beside: Jobs, say: Callable[[str], None]) -> None:
        self.viewer, self._beside, self._say = viewer, beside, say
        self.session, self.gauges, self.picture = viewer.session, viewer.model, viewer.picture

    def cycle_wipe(self) -> None:
        """Put the wipe in the middle; from there to source, treated, and back."""
        self.picture.set_wipe({0.5: 1.0, 1.0: 0.0}.get(self.picture.wipe, 0.5))

    def turn_wipe(self) -> None:
        """Turn the wipe by an eighth of a full turn."""
        look = self.viewer.look
        look.change(angle=(look.state.angle + 45 + 90) % 180 - 90)

    def flip(self) -> None:
        """Compare by flipping, and flip."""
        look = self.viewer.look
        if look.state.compare is Compare.FLIP:
            look.toggle("flipped")
        else:
            look.change(compare=Compare.FLIP, flipped=True)

    def zoom_picture(self, steps: int) -> None:
        """Zoom the picture about the pixel under the pointer, or its middle."""
        source = self.session.source
        self.viewer.look.zoom_by(steps, self.picture.probe or (source.width / 2, source.height / 2))

    def take_tool(self, tool: Tool) -> None:
        """Take a tool for drawing on the picture, or put it down if it is in hand."""
        if self.viewer.look.state.tool is tool:
            self.picture.drop_tool()
        else:
            self.picture.drop_tool()
            self.viewer.look.change(tool=tool)

    def next_gamut(self) -> None:
        """The next gamut that the chromaticity diagram marks colours against, or none."""
        names = [None, *GAMUTS]
        self.gauges.change(gamut=names[(names.index(self.gauges.setup.gamut) + 1) % len(names)])

    def gauge_beneath(self) -> None:
        """Put the first gauge under the picture, column for column, or back."""
        self.gauges.change(beneath=not self.gauges.setup.beneath)

    def histogram_scale(self) -> None:
        """Count histograms in decades, or evenly."""
        look = self.gauges.setup.look
        self.gauges.change(look=replace(look, log=not look.log))

    def outline_source(self) -> None:
        """Lay the source's traces over those of the treated frame, or take them away."""
        self.gauges.change(outline_source=not self.gauges.setup.outline_source)

    def next_taken(self) -> None:
        """Gauges take the areas, all but them, or the whole picture."""
        kinds = list(Taken)
        self.gauges.change(taken=kinds[(kinds.index(self.gauges.setup.taken) + 1) % len(kinds)])

    def save_gauge(self) -> None:
        """Ask where to save the first gauge as a picture, or its counts."""
        kinds = "PNG, SVG or CSV (*.png *.svg *.csv)"
        name, _ = QFileDialog.getSaveFileName(self.picture, "Save the gauge", "gauge.png", kinds)
        if name:
            self.write_gauge(Path(name))

    def write_gauge(self, path: Path) -> None:
        """Save the first gauge in view."""
        gauge, programme = self.viewer.gauges[0], self.session.programme
        if gauge.trace is None or programme is None:
            return
        setup = self.gauges.setup
        title = f"{programme.title}, {programme.label(self.viewer.shown)} · {gauge.instrument.title}"
        try:
            save_gauge(
                path, gauge.trace, title, self.session.source, self.session.rules.limits,
                unit=setup.unit, look=setup.look, gamut=setup.gamut,
            )  # fmt: skip
        except BlufflineError as error:
            self._say(str(error))
        else:
            self._say(f"{path.name} is saved")

    def check_bars(self) -> None:
        """Read the bars in view and say what is wrong with them."""
        preview, survey, programme = self.viewer.preview, self.session.survey, self.session.programme
        if preview is None or preview.signal is None or survey is None or programme is None:
            return
        signal, label = preview.signal, programme.label(preview.frame)
        self._beside.start(jobs.Kind.BARS, lambda _: read_bars(signal, survey.region), partial(self._show_bars, label))

    def _show_bars(self, label: str, reading: BarsReading | None) -> None:
        if reading is None:
            self._say("No colour bars are recognised in this frame")
            return
        self.bars_dialog = BarsDialog(reading, label, self.picture)
        show_until_closed(self.bars_dialog)

    def facts_of(self, instrument: Instrument, *, treated: bool) -> str:
        """What a gauge shows beside its name: what its instrument says, its unit, and what it reads."""
        setup, preview = self.gauges.setup, self.viewer.preview
        if self.session.document.areas and setup.taken is not Taken.WHOLE and not instrument.around:
            return str(setup.taken)
        words = self.viewer.treated_words if treated else "source"
        if treated and instrument.around and not self.session.all_tried:
            words = "foreseen"  # by bounds, where a shot has not been tried
        half = preview is not None and preview.proxy
        return instrument.facts(
            Seen(
                unit=setup.unit,
                words=words,
                proxy=half,
                roomy=setup.shown < SLOTS and not half,
                luma=setup.luma,
                gamut=setup.gamut or self.session.rules.gamut,
                heard=self.session.survey is not None and bool(self.session.survey.sounds),
                gamut_area=preview.gamut_area if preview is not None else None,
                combing=preview.measure.combing if preview is not None and preview.measure is not None else None,
            )
        )
