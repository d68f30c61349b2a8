"""Lights that are offered for a shot: shown while it is in view, and taken as ordinary rungs."""

from collections.abc import Callable

from bluffline.propose.propose import Proposal
from bluffline.session.asked import Asked
from bluffline.session.session import Session
from bluffline.signal.format import SignalFormat
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.ladder import Treatment
from bluffline.ui.ladder.lights import LightsPanel


class Offering:
    """Shows the lights of the last shot that any were offered for, until it is treated otherwise or another is offered some."""

    def __init__(self, session: Session, panel: LightsPanel, say: Callable[[str], None]) -> None:
        self._session, self._panel, self._say = session, panel, say
        self._asked: Asked | None = None
        self._proposal: Proposal | None = None
        self._ladders: list[tuple[Treatment, int | None]] = []  # what the shot may have, and the light that is in it
        self._giving = False
        self._source: SignalFormat | None = None  # that the lights were found in
        session.programme_changed.connect(self.drop)
        panel.taken.connect(self.take)
        panel.closed.connect(self.drop)
        for event in (session.document.changed, session.place.changed, session.place.rung_changed, session.survey_changed):
            event.connect(self._refresh)

    def offer(self, shot: int, proposal: Proposal) -> None:
        """Show what is offered for a shot."""
        assert proposal.seen is not None, "what is offered was looked at"
        document = self._session.document
        self._asked, self._proposal, self._source = document.ask([shot]), proposal, self._session.source
        self._ladders = [(document.work.ladder(shot), None)]
        why = next((each for each in proposal.left if each.startswith("balance:")), "")
        self._panel.put(why.removeprefix("balance: "), proposal.seen, proposal.offered)
        self._session.place.choose(None)
        self._refresh()
        self._panel.setFocus()

    def take(self, number: int) -> None:
        """Give the shot one of the lights, in place of another that it was given here."""
        shot = self._shot
        if shot is None or self._proposal is None:
            return
        document, chosen = self._session.document, self._proposal.offered[number]
        title = f"Balance shot {shot + 1}: {chosen.offer.title}"
        self._giving = True  # its ladder is not known before it has been given
        document.accept_as_one({shot: chosen.proposal}, title)
        self._ladders.append((document.work.ladder(shot), number))
        self._giving = False
        self._say(f"{title}, {chosen.offer.step.text} (Ctrl+Z takes it back)")
        self._refresh()

    def drop(self) -> None:
        """Offer nothing any more."""
        self._asked = self._proposal = None
        self._refresh()

    def beside(self, shot: int) -> tuple[str, Balance] | None:
        """The balance of the nearest other shot that has one for itself or shares one, and what to call it."""
        work = self._session.document.work
        for other in sorted(range(len(self._session.shots)), key=lambda other: abs(other - shot)):
            steps = [step for step in work.ladder(other) if isinstance(step, Balance) and step.on and step.reach.everywhere]
            if other != shot and steps:
                return f"as shot {other + 1}", steps[0]
        return None

    @property
    def _shot(self) -> int | None:
        """The number by now of the shot that lights are offered for; None where it is no more, or treated otherwise."""
        if self._asked is None or self._session.source != self._source:
            return None
        there = self._session.document.settle(self._asked).there
        shot = there.get(self._asked.number)
        return shot if shot is not None and self._light(shot) is not None else None

    def _light(self, shot: int) -> tuple[int | None] | None:
        """Which light a shot has, in brackets; None where its ladder is another."""
        ladder = self._session.document.work.ladder(shot)
        return next(((light,) for known, light in self._ladders if known == ladder), None)

    def _refresh(self) -> None:
        if self._giving:
            return
        place, shot = self._session.place, self._shot
        seen = shot is not None and place.shot == shot and place.rung is None
        if shot is not None and seen:
            light = self._light(shot)
            self._panel.mark(light[0] if light is not None else None)
        self._panel.show_as(seen=seen)
