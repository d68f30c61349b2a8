"""Colours that become others: pairs that are picked on the picture, and the curves on the ladder that they make."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QWidget

from bluffline.charts.reference import load_reference
from bluffline.errors import BlufflineError, MediaError
from bluffline.media.reader import Reader
from bluffline.propose.pairs import Colour, paired
from bluffline.propose.pixels import colours_in
from bluffline.session.asked import Asked
from bluffline.session.chart import ChartModel
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.signal.format import SignalFormat
from bluffline.survey.monitor import Monitor
from bluffline.treat.kinds.curves import Curves
from bluffline.treat.ladder import Treatment
from bluffline.ui.dialogs.pairs import PairsDialog
from bluffline.ui.ladder.picking import Picking
from bluffline.ui.ladder.reaching import Point


class Pairing:
    """Sets a step of curves by pairs of colours; ``say`` tells the operator what comes to nothing."""

    def __init__(
        self,
        session: Session,
        picking: Picking,
        chart: ChartModel,
        beside: Jobs,
        say: Callable[[str], None],
        window: QWidget,
    ) -> None:
        self._session, self._picking, self._chart = session, picking, chart
        self._beside, self._say, self._window = beside, say, window
        self._asked: Asked | None = None
        self._source: SignalFormat | None = None  # that colours were picked in
        self._like = Curves()
        self.dialog: PairsDialog | None = None
        session.programme_changed.connect(self._let_go)

    def start(self) -> None:
        """Ask for pairs for the curves on the bench; the first is picked at once."""
        self._let_go()
        place = self._session.place
        asked = self._session.document.ask([place.shot], place.rung)
        assert isinstance(asked.step, Curves), "curves are on the bench"
        self._asked, self._like, self._source = asked, asked.step, self._session.source
        self.dialog = dialog = PairsDialog(f"shot {place.shot + 1}", self._patches(), self._window)
        dialog.given.connect(self._pick_given)
        dialog.wanted.connect(self._pick_wanted)
        dialog.changed.connect(self._changed)
        dialog.closed.connect(self._closed)
        dialog.show()
        self._pick_given()

    def _patches(self) -> list[tuple[str, Colour]]:
        """The patches of the reference in hand, as the programme has them."""
        setup, source = self._chart.setup, self._session.source
        try:
            reference = load_reference(setup.reference, setup.layout)
        except BlufflineError:
            return []
        levels = (reference.signal(source) * 100).round(1).tolist()
        return [(name, (red, green, blue)) for name, (red, green, blue) in zip(reference.names, levels, strict=True)]

    # Picking -------------------------------------------------------------------------------------------------------

    def _pick_given(self) -> None:
        if self._asked is None:
            return
        self._say(f"Drag over a colour of shot {self._number() + 1}")
        self._picking.take_part(self._given_picked)

    def _pick_wanted(self, number: int) -> None:
        self._say("Go to any shot, and drag over what the colour becomes")
        self._picking.take_part(partial(self._wanted_picked, number))

    def _number(self) -> int:
        """The shot that pairs are for, by its number now; −1 where it is no more."""
        assert self._asked is not None, "pairs are for a shot"
        return self._session.document.settle(self._asked).there.get(self._asked.number, -1)

    def _given_picked(self, corners: list[Point]) -> None:
        if self._asked is None or self._session.place.shot != self._number():
            self._say("That is another shot: nothing is picked")
            return
        assert self._asked.rung is not None, "a step is in question"
        before = self._asked.ladders[self._asked.number][: self._asked.rung]
        self._read(corners, before, lambda colour: self.dialog.add(colour) if self.dialog is not None else None)

    def _wanted_picked(self, number: int, corners: list[Point]) -> None:
        ladder = self._session.document.treatment
        self._read(corners, ladder, lambda colour: self.dialog.want(number, colour) if self.dialog is not None else None)

    def _read(self, corners: list[Point], ladder: Treatment, give: Callable[[Colour], None]) -> None:
        """The mean of what is not clipped in a part of the frame in view, behind some steps; then the tool is put down."""
        session, dialog = self._session, self.dialog
        programme, frame, source = session.programme, session.place.frame, session.source
        self._picking.put_down()
        if programme is None or dialog is None:
            return

        def look(_: Monitor) -> Colour | None:
            with Reader(programme) as reader:
                planes = reader.planes(frame)
            if planes is None:
                raise MediaError(f"Frame {frame} can't be decoded.")
            whole = colours_in(planes, source, ladder, frame, corners)[1]
            if not len(whole):
                return None
            red, green, blue = (whole.mean(axis=0) * 100).round(2).tolist()
            return red, green, blue

        def take(colour: Colour | None) -> None:
            if colour is None:
                self._say("Every pixel there is clipped: what its colour was is lost, so nothing is picked")
            elif self.dialog is dialog:
                give(colour)

        self._beside.start(Kind.PICK, look, take)

    # Curves --------------------------------------------------------------------------------------------------------

    def _changed(self) -> None:
        """Other pairs: other curves."""
        dialog, asked, document = self.dialog, self._asked, self._session.document
        if dialog is None or asked is None:
            return
        made = paired(dialog.pairs, self._session.source, self._like)
        same = self._session.source == self._source
        why = "" if same else "the picture is read otherwise by now"
        why = why or document.settle_step(asked, lambda _: made.step, "This colour becomes that", behind=True)
        if why:
            self._say(f"This colour becomes that: {why}, so its pairs are let go")
            dialog.close()
            return
        number = self._number()
        ladder = document.work.ladder(number)
        self._asked = document.ask([number], ladder.index(made.step))
        dialog.show_pairs(made if dialog.pairs else None)

    def _let_go(self) -> None:
        if self.dialog is not None:
            self.dialog.close()

    def _closed(self) -> None:
        self._picking.put_down()
        self.dialog = self._asked = None
