"""Stock treatments: kept from the shot in view, shown on it, put on it."""

from collections.abc import Callable, Mapping
from functools import partial

from PyQt6.QtWidgets import QInputDialog, QWidget

from bluffline.errors import BlufflineError, MediaError
from bluffline.media.reader import Reader
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.session.shipped_stock import SHIPPED
from bluffline.session.stock import StockShelf, as_look, without_reach
from bluffline.survey.monitor import Monitor
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.ladder import Treatment, shifted
from bluffline.ui.dialogs.layout import show_until_closed
from bluffline.ui.dialogs.shelf import ShelfDialog
from bluffline.view.overview import THUMB_WIDTH, Image
from bluffline.view.preview import View, screen_picture


class Stocking:
    """Acts on the session and the shelf; ``say`` tells the operator what was done or can't be."""

    def __init__(self, session: Session, beside: Jobs, say: Callable[[str], None], window: QWidget) -> None:
        self._session, self._beside, self._say, self._window = session, beside, say, window
        self.shelf = StockShelf(shipped=SHIPPED)

    def keep(self) -> None:
        """Ask for a name and keep the treatment in view under it."""
        name, given = QInputDialog.getText(self._window, "Stock treatment", "Keep this shot's treatment as")
        if given:
            self.keep_as(name)

    def keep_as(self, name: str) -> None:
        """Keep the treatment in view as a stock treatment, with its reasons."""
        document = self._session.document
        try:
            steps = shifted(document.treatment, -self._first)  # counted from the shot's beginning, for other programmes
            self.shelf.keep(name, steps, document.reasons.get(self._session.place.shot, ()))
        except BlufflineError as error:
            self._say(str(error))
        else:
            self._say(f"“{name}” is kept as a stock treatment")

    @property
    def _first(self) -> int:
        """The frame that the shot in view begins at."""
        session = self._session
        return session.shots[session.place.shot].first if session.shots else 0

    def show(self) -> None:
        """Show what is on the shelf, each on the frame in view."""
        session, survey = self._session, self._session.survey
        if survey is None:
            return
        stocks: dict[str, Treatment] = {}
        for name in self.shelf.names():
            try:
                stocks[name] = self.shelf.take(name).steps
            except BlufflineError as error:
                self._say(str(error))
        frame, source, region = session.place.frame, session.source, survey.region
        first, limits = self._first, survey.rules.limits

        def job(monitor: Monitor) -> dict[str, Image]:
            with Reader(survey.programme) as reader:
                planes = reader.planes(frame)
            if planes is None:
                raise MediaError(f"Frame {frame} can't be decoded.")
            size = THUMB_WIDTH, max(round(THUMB_WIDTH * source.height / source.width), 1)
            found = {}
            for name, steps in stocks.items():
                treatment = FrameTreatment(shifted(steps, first), source, region=region)
                view = View(source, region, limits, treatment, size)
                found[name] = screen_picture(treatment.apply(planes, frame), view).image
                monitor.at("Stock treatments", len(found), len(stocks), "treatments")
            return found

        self._beside.start(Kind.STOCK, job, self._show)

    def _show(self, thumbnails: Mapping[str, Image]) -> None:
        self.dialog = dialog = ShelfDialog(self.shelf, thumbnails, self._window)
        dialog.put.connect(partial(self._put, dialog))
        dialog.put_look.connect(partial(self._put_look, dialog))
        show_until_closed(dialog)

    def _put(self, dialog: ShelfDialog, name: str, _strength: float, reach: bool, reasons: bool) -> None:
        """Give the shot in view a stock treatment in place of its own, with its reach and its reasons or without."""
        try:
            stock = self.shelf.take(name)
        except BlufflineError as error:
            dialog.told.setText(str(error))
            return
        steps = shifted(stock.steps, self._first) if reach else without_reach(stock.steps)
        shot = self._session.place.shot
        self._session.document.give(shot, steps, f"Replace the steps with “{name}”", stock.reasons if reasons else ())
        dialog.told.setText(f"Shot {shot + 1} has “{name}” in place of its own steps")

    def _put_look(self, dialog: ShelfDialog, name: str, strength: float) -> None:
        """Add a stock treatment to the shot in view as one step."""
        try:
            look = as_look(name, self.shelf.take(name).steps, strength)
            self._session.document.add(look, f"Use “{name}” as a look")
        except BlufflineError as error:
            dialog.told.setText(str(error))
            return
        dialog.told.setText(f"Shot {self._session.place.shot + 1} has “{name}” as a look at {strength:.0f} %")
