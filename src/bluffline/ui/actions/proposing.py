"""Proposing, and bringing to a reference: looked at in the background, given as ordinary rungs, one undo each."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial

from bluffline.errors import BlufflineError
from bluffline.measure.areas import Area
from bluffline.measure.region import Region
from bluffline.media.reader import Reader
from bluffline.propose.matching import Match, bring
from bluffline.propose.pixels import Pixels, look_at
from bluffline.propose.propose import Proposal
from bluffline.propose.suggesting import Wanted, evidence_for, pixels_of, propose_look
from bluffline.rules.aims import load_aims
from bluffline.session.asked import Asked
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor
from bluffline.view.looking import LookingModel


class Proposing:
    """Proposes treatments for the shot in view; ``say`` tells what came of it, and what was left alone and why."""

    def __init__(self, session: Session, look: LookingModel, beside: Jobs, say: Callable[[str], None]) -> None:
        self._session, self._look, self._beside, self._say = session, look, beside, say

    def propose(self, *wanted: Wanted) -> None:
        """Look at the shot in view behind its treatment, and add what brings it to the aims."""
        session, survey = self._session, self._session.survey
        number = session.place.shot
        if survey is None or number >= session.treatable:
            return
        try:
            aims = load_aims()
        except BlufflineError as error:
            self._say(str(error))
            return
        shots, findings = list(session.shots), list(session.findings)
        own = [finding for finding in findings if finding.shot == number]
        asked = session.document.ask([number])
        treatment, areas = asked.ladders[number], session.document.areas

        def job(_: Monitor) -> Proposal:
            levels = evidence_for(survey, shots, number) if Wanted.LEVELS in wanted else None
            with Reader(survey.programme) as reader:
                return propose_look(
                    survey, number, shots[number], own, reader.planes, wanted, aims, treatment, areas,
                    levels=levels,
                )  # fmt: skip

        self._say(f"Looking at shot {number + 1} …")
        self._beside.start(Kind.PROPOSE, job, partial(self._accept, asked, wanted))

    def _accept(self, asked: Asked, wanted: Sequence[Wanted], proposal: Proposal) -> None:
        document = self._session.document
        now = document.settle(asked).same.get(asked.number)
        if now is None:
            self._say("The shot has changed meanwhile: nothing was proposed for it")
            return
        title = f"Propose {', '.join(wanted)} for shot {now + 1}"
        if proposal.treatment != asked.ladders[asked.number]:
            document.accept_one(now, proposal, title)
        told = "; ".join(proposal.reasons) or "nothing is proposed"
        left = f" Left alone: {'; '.join(proposal.left)}." if proposal.left else ""
        self._say(f"{title}: {told}.{left}")

    def match_pinned(self) -> None:
        """Bring the shot in view to the pinned frame, by areas of one name where there are any."""
        pinned, session = self._look.state.pinned, self._session
        if pinned is None:
            self._say("Pin the frame first that the shot is to look like (M)")
            return
        areas = session.document.areas
        self._match(
            pinned.title,
            lambda _: look_at(lambda _n: pinned.planes, [0], pinned.source, Region.whole(pinned.source), areas=areas),
        )

    def match_shots(self, numbers: Sequence[int], reference: int) -> None:
        """Bring shots to another shot as it is treated."""
        session, survey = self._session, self._session.survey
        if survey is None or not 0 <= reference < len(session.shots):
            return
        shot, treatment = session.shots[reference], session.document.work.ladder(reference)
        areas = self._areas_in(reference)
        self._match(
            f"shot {reference + 1}",
            lambda reader: pixels_of(survey, shot, reader.planes, treatment, areas),
            numbers,
        )

    def _areas_in(self, shot: int) -> tuple[Area, ...]:
        return tuple(followed.in_shot(shot) for followed in self._session.document.work.areas)

    def _match(self, title: str, reference: Callable[[Reader], Pixels], numbers: Sequence[int] = ()) -> None:
        """Bring shots to a reference, the one in view where none are named."""
        session, survey = self._session, self._session.survey
        chosen = [number for number in (numbers or [session.place.shot]) if number < session.treatable]
        if survey is None or not chosen:
            return
        shots, asked = list(session.shots), session.document.ask(chosen)
        areas = {number: self._areas_in(number) for number in chosen}

        def job(monitor: Monitor) -> dict[int, Match]:
            found = {}
            with Reader(survey.programme) as reader:
                aim = reference(reader)
                for number in chosen:
                    mine = pixels_of(survey, shots[number], reader.planes, asked.ladders[number], areas[number])
                    found[number] = bring(mine, aim, by_areas=bool(areas[number]))
                    monitor.at("Match", len(found), len(chosen), "shots")
            return found

        named = f"shot {chosen[0] + 1}" if len(chosen) == 1 else f"{len(chosen)} shots"
        self._say(f"Bringing {named} to {title} …")
        self._beside.start(Kind.MATCH, job, partial(self._matched, asked, title))

    def _matched(self, asked: Asked, title: str, found: Mapping[int, Match]) -> None:
        document = self._session.document
        same = document.settle(asked).same
        if not same:
            self._say("What was to be brought to the reference has changed meanwhile: nothing was done to it")
            return
        for number, now in same.items():
            if found[number].treatment:
                act = f"Bring shot {now + 1} to {title}"
                document.add_to(now, found[number].treatment, act, (f"{act.lower()}: {found[number].told}",))
        each = [f"shot {now + 1}: {found[number].told}" for number, now in same.items()]
        left = len(found) - len(same)
        told = f"; left as you made them meanwhile: {left} shot{'s' if left > 1 else ''}" if left else ""
        self._say(f"Brought to {title}: {'; '.join(each)}{told}")
