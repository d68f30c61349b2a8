"""Proposing, and bringing to a reference: looked at in the background, given as ordinary rungs, one undo each."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial

from bluffline.errors import BlufflineError
from bluffline.measure.areas import Area, Shape
from bluffline.measure.region import Region
from bluffline.media.reader import Reader
from bluffline.propose.matching import Match, bring
from bluffline.propose.pixels import Pixels, look_at
from bluffline.propose.propose import Proposal
from bluffline.propose.suggesting import Wanted, evidence_for, pixels_of, propose_look
from bluffline.rules.aims import load_aims, usable_aims
from bluffline.session.asked import Asked
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor
from bluffline.ui.actions.offering import Offering
from bluffline.ui.ladder.picking import Picking
from bluffline.ui.picture.shown import Point
from bluffline.view.looking import LookingModel

PROPOSED: Mapping[Wanted, tuple[str, tuple[str, ...]]] = {  # in the order of the menus: in words, and its keys
    Wanted.BEARABLE: ("bearable", ("Shift+G",)),
    Wanted.LEVELS: ("mend levels against their tag", ()),
    Wanted.EXPOSURE: ("exposure and contrast", ("Ctrl+Shift+E",)),
    Wanted.BALANCE: ("balance", ("Ctrl+Shift+B",)),
    Wanted.LOG: ("open flat footage", ("Ctrl+Shift+L",)),
    Wanted.SKIN: ("skin to its line", ("Ctrl+Shift+K",)),
}

_LEAST_FACE = 4  # pixels across and down: less is a click


class Proposing:
    """Proposes treatments for the shot in view; ``say`` tells what came of it, and what was left alone and why."""

    def __init__(
        self, session: Session, look: LookingModel, picking: Picking, beside: Jobs, offering: Offering,
        say: Callable[[str], None],
    ) -> None:  # fmt: skip
        self._session, self._look, self._picking = session, look, picking
        self._beside, self._offering, self._say = beside, offering, say

    def propose_here(self, wanted: Wanted) -> None:
        """Propose for the shot in view; for skin a drag over a face is asked for where none is named."""
        names, shot = usable_aims().names, self._session.place.shot
        if wanted is not Wanted.SKIN or not names.face or any(names.says_face(each.name) for each in self._areas_in(shot)):
            self.propose(wanted)
            return
        self._say(f"Drag over a face: it is marked as {names.face[0]} in this shot, and brought to the skin line")
        self._picking.take_part(self._face_picked)

    def _face_picked(self, corners: list[Point]) -> None:
        self._picking.put_down()
        (left, top), (right, bottom) = corners[0], corners[-1]
        if abs(right - left) < _LEAST_FACE or abs(bottom - top) < _LEAST_FACE:
            self._say("That is too small for a face: nothing is marked")
            return
        try:
            self._session.document.drawn.mark(usable_aims().names.face[0], Shape.ELLIPSE, corners)
        except BlufflineError as error:
            self._say(str(error))
            return
        self.propose(Wanted.SKIN)

    def propose(self, *wanted: Wanted, shots: Sequence[int] = ()) -> None:
        """Look at shots behind their treatments, the one in view where none are named; add what brings them to the aims."""
        session, survey = self._session, self._session.survey
        chosen = [number for number in (shots or [session.place.shot]) if number < session.treatable]
        if survey is None or not chosen:
            return
        try:
            aims = load_aims()
        except BlufflineError as error:
            self._say(str(error))
            return
        every, findings = list(session.shots), list(session.findings)
        asked = session.document.ask(chosen)
        areas = {number: self._areas_in(number) for number in chosen}
        alone = len(chosen) == 1  # lights are offered for one shot at a time
        beside = self._offering.beside(chosen[0]) if alone else None

        def job(monitor: Monitor) -> dict[int, Proposal]:
            proposed = {}
            with Reader(survey.programme) as reader:
                for number in chosen:
                    own = [finding for finding in findings if finding.shot == number]
                    levels = evidence_for(survey, every, number) if Wanted.LEVELS in wanted else None
                    proposed[number] = propose_look(
                        survey, number, every[number], own, reader.planes, wanted, aims, asked.ladders[number], areas[number],
                        levels=levels, offering=alone, beside=beside,
                    )  # fmt: skip
                    monitor.at("Propose", len(proposed), len(chosen), "shots")
            return proposed

        self._say(f"Looking at {_named(chosen)} …")
        self._beside.start(Kind.PROPOSE, job, partial(self._accept, asked, wanted))

    def _accept(self, asked: Asked, wanted: Sequence[Wanted], proposed: Mapping[int, Proposal]) -> None:
        document = self._session.document
        same = document.settle(asked).same
        if not same:
            what = "The shot has" if len(proposed) == 1 else "The shots have"
            self._say(f"{what} changed meanwhile: nothing was proposed")
            return
        given = {now: proposed[number] for number, now in same.items() if proposed[number].treatment != asked.ladders[number]}
        title = f"Propose {', '.join(wanted)} for {_named(list(same.values()))}"
        if given:
            document.accept_as_one(given, title)
        if len(proposed) == 1:
            (one,) = proposed.values()
            left = f" Left alone: {'; '.join(one.left)}." if one.left else ""
            if one.offered:
                left += " Lights are offered beneath the picture."
                (now,) = same.values()
                self._offering.offer(now, one)
            self._say(f"{title}: {'; '.join(one.reasons) or 'nothing is proposed'}.{left}")
            return
        as_they_are, changed = len(same) - len(given), len(proposed) - len(same)
        told = [f"{len(given)} given something"] if given else ["nothing is proposed"]
        told += [f"{as_they_are} left as they are"] if given and as_they_are else []
        told += [f"{changed} changed meanwhile and left"] if changed else []
        self._say(f"{title}: {', '.join(told)}; why is said on each ladder (Ctrl+Z takes all of it back)")

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
        """The areas of a shot; those whose names say what they hold only where that was said, or they were moved to."""
        names, areas = usable_aims().names, self._session.document.work.areas
        return tuple(each.in_shot(shot) for each in areas if shot in each.shots or not names.tell(each.area.name))

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

        self._say(f"Bringing {_named(chosen)} to {title} …")
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
        brought = "Brought" if any(found[number].treatment for number in same) else "Nothing brought"
        self._say(f"{brought} to {title}: {'; '.join(each)}{told}")


def _named(shots: Sequence[int]) -> str:
    return f"shot {shots[0] + 1}" if len(shots) == 1 else f"{len(shots)} shots"
