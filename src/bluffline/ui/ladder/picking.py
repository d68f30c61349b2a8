"""Picking on the picture for the step on the bench: a key, or a colour that it is set by."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import MediaError, SettingsError
from bluffline.media.reader import Reader
from bluffline.propose.pixels import colours_in
from bluffline.session.asked import Asked
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor
from bluffline.treat.catalogue import KINDS
from bluffline.treat.hands import Picked
from bluffline.treat.reach import Key
from bluffline.treat.step import Step, called
from bluffline.ui.ladder.reaching import Point, Reaching
from bluffline.view.looking import LookingModel, Tool

Colours = NDArray[np.float64]


class Picking:
    """Reads colours as they come into the step on the bench; ``say`` tells what can't be done.

    ``chosen``: tells which of the step's curves a colour is for; ``taker``: who else wants the part that is picked next.
    """

    def __init__(
        self, session: Session, reaching: Reaching, look: LookingModel, beside: Jobs, say: Callable[[str], None]
    ) -> None:
        self._session, self._reaching, self._look, self._beside, self._say = session, reaching, look, beside, say
        self._picks: list[Colours] = []
        self._picked_for: object = None
        self.chosen: Callable[[], str] = lambda: ""
        self.taker: Callable[[list[Point]], None] | None = None

    def take(self, tool: Tool) -> None:
        """Take a tool to pick with, or put it down."""
        step, self.taker = self._reaching.step, None
        if tool is Tool.COLOUR and (step is None or not step.picks):
            titles = ", ".join(called(kind) for kind in KINDS.values() if kind.picks)
            self._say(f"Put a step on the bench first that a colour sets: {titles}")
            return
        self._look.change(tool=Tool.LOOK if self._look.state.tool is tool else tool)

    def take_part(self, taker: Callable[[list[Point]], None]) -> None:
        """Take the tool for whoever wants the part of the picture that is picked next."""
        self.taker = taker
        self._look.change(tool=Tool.COLOUR)

    def put_down(self) -> None:
        """Want no part any more."""
        self.taker = None
        if self._look.state.tool is Tool.COLOUR:
            self._look.change(tool=Tool.LOOK)

    def key_picked(self, corners: list[Point], how: str) -> None:
        """Take the colours in a part of the picture as the step's key, add them to it, or take them from it."""
        self._read(corners, partial(self._take_key, how))

    def colour_picked(self, corners: list[Point], how: str) -> None:
        """Set the step by the mean of the colours in a part of the picture, or by that and those picked before."""
        if self.taker is not None:
            self.taker(corners)
            return
        self._read(corners, partial(self._take_colour, how))

    def _read(self, corners: list[Point], take: Callable[[Asked, tuple[Colours, Colours]], None]) -> None:
        """Read R′G′B′ (N, 3) in a part of the picture, and of those what is not clipped, for the step on the bench."""
        session, rung = self._session, self._session.place.rung
        programme, frame = session.programme, session.place.frame
        if self._reaching.step is None or rung is None or programme is None:
            self._say("Put a step on the bench first: it is what is picked for")
            return
        asked, source = session.document.ask([session.place.shot], rung), session.source
        ladder = asked.ladders[asked.number]

        def look(_: Monitor) -> tuple[Colours, Colours]:
            with Reader(programme) as reader:
                planes = reader.planes(frame)
            if planes is None:
                raise MediaError(f"Frame {frame} can't be decoded.")
            return colours_in(planes, source, ladder[:rung], frame, corners)

        self._beside.start(Kind.PICK, look, partial(take, asked))

    def _take_key(self, how: str, asked: Asked, read: tuple[Colours, Colours]) -> None:
        key = Key.of(read[0], self._session.source.matrix)

        def keyed(step: Step) -> Step:
            old = step.reach.key
            made = key if old is None or how == "new" else old.joined(key) if how == "add" else old.without(key)
            return replace(step, reach=replace(step.reach, key=made))

        self._settle(asked, keyed, f"Pick the key of {called(asked.step)}")

    def _settle(self, asked: Asked, made: Callable[[Step], Step], act: str) -> bool:
        """Whether the step that was picked for is set by it; what stands in the way is told."""
        try:
            why = self._session.document.settle_step(asked, made, act, behind=True)
        except SettingsError as error:
            self._say(str(error))
            return False
        if why:
            self._say(f"What was picked is left out: {why}")
        return not why

    def _take_colour(self, how: str, asked: Asked, read: tuple[Colours, Colours]) -> None:
        session, step = self._session, asked.step
        if not len(read[1]):
            self._say("Every pixel there is clipped: what its colour was is lost, so nothing is set by it")
            return
        mark = asked.shots[asked.number], asked.rung, step.kind
        if how != "add" or self._picked_for != mark:
            self._picks = []
        self._picked_for = mark
        self._picks.append(read[1].mean(axis=0))
        picks = Picked(np.array(self._picks), session.source, self.chosen())
        if not self._settle(asked, lambda step: step.picked(picks), f"Set {called(step)} by a colour"):
            self._picks.pop()
            return
        lost = len(read[0]) - len(read[1])
        clipped = f"; {lost} clipped pixels were left out" if lost else ""
        self._say(f"Set by {len(self._picks)} pick{'s' if len(self._picks) > 1 else ''} (with Shift one more){clipped}")
