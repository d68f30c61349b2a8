"""The document: what the operator does to a programme, every act of it to be undone."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import Protocol

from bluffline.errors import SettingsError
from bluffline.measure.areas import Area
from bluffline.propose.propose import Proposal, luma_extremes
from bluffline.rules.finding import Waiver
from bluffline.rules.shots import Shot, shot_at
from bluffline.session import rungs
from bluffline.session.asked import Asked, Settled, rung_now, settled
from bluffline.session.drawn import DrawnAreas
from bluffline.session.event import Event
from bluffline.session.history import History
from bluffline.session.place import Place
from bluffline.session.work import NO_CUTS, OWN, Aside, Cuts, Shared, Treatments, Work, brought_beside, carried, own_step
from bluffline.session.workfile import WorkFile
from bluffline.survey.survey import Survey
from bluffline.treat.ladder import Treatment, acts, with_step
from bluffline.treat.step import Heading, Measured, Step, called


class Known(Protocol):
    """What the work is done on."""

    survey: Survey | None
    shots: list[Shot]


class Document:
    """The work on a programme, in the shots that it has; ``changed`` tells of every change.

    ``divided``: called when the state in force may divide the shots otherwise. ``found``: shots by the cuts that were seen; the
    work's numbers mean these, divided by hand as well.
    """

    def __init__(self, known: Known, place: Place, divided: Callable[[], None]) -> None:
        self._known, self._place, self._divided = known, place, divided
        self._history: History[Work] = History(Work())
        self.found: list[Shot] = []
        self._grows = False
        self._mine: tuple[Cuts, list[Shot], list[Shot]] = (NO_CUTS, [], [])
        self._ladders: tuple[Work, int, dict[int, Treatment]] = (Work(), 0, {})
        self.changed = Event()
        self.drawn = DrawnAreas(lambda: self.work, lambda: self.shot, self._push)

    # Taking up ---------------------------------------------------------------------------------------------------------

    def begin(self) -> None:
        """Nothing has been done yet."""
        self._history, self.found, self._grows = History(Work()), [], True

    def take_up(self, work: Work, made_for: Sequence[Shot]) -> None:
        """Go on with work from an earlier sitting; it was done on some shots."""
        if work != Work():
            self.found, self._grows = list(made_for), False
            self._history.push(work, "Take up earlier work")

    def bring(self, file: WorkFile) -> None:
        """Take up work from a file of its own; what was done here and is not in it is kept aside, areas beside those of it."""
        work = file.work
        if self.work == Work():
            self.found, self._grows = list(file.shots), False
        else:
            work = brought_beside(work, file.shots, self.work, self.found)
        if work != self.work:
            self._history.push(work, "Take up the work that was brought")

    def take_over(self, work: Work) -> None:
        """Go on with work on another delivery, brought to the shots of this one."""
        self._push(work, "Take up the work on the delivery before")

    def carry(self, found: list[Shot]) -> None:
        """Carry every state of the work to the shots that were found now."""
        self._grows = False
        if found != self.found:
            before, self.found = self.found, found
            self._history.map(lambda work: carried(work, work.cuts.of(before), work.cuts.of(found)))

    def grow(self, found: list[Shot]) -> int:
        """Follow a survey that grows with work that was begun on it; work from before waits until it is complete.

        Returns how many of the shots that end already are those that the work is on.
        """
        if self._grows:
            known = max(len(self.found) - 1, 0)  # the last one may have grown, or have been parted from what follows
            if found[:known] != self.found[:known]:
                before = self.found
                self._history.map(lambda work: carried(work, work.cuts.of(before), work.cuts.of(found)))
            self.found = found
        ended = self.work.cuts.of(found)[:-1]
        mine = self.work.cuts.of(self.found)
        return next((n for n, shot in enumerate(ended) if mine[n : n + 1] != [shot]), len(ended))

    @property
    def _survey(self) -> Survey:
        assert self._known.survey is not None, "steps are made for a surveyed programme"
        return self._known.survey

    # The ladder --------------------------------------------------------------------------------------------------------

    @property
    def shot(self) -> int:
        """The shot in view by the numbers that the work has, which hold though a survey has not come to it yet."""
        shots = self.shots
        return shot_at(shots, self._place.frame) if shots else self._place.shot

    @property
    def shots(self) -> list[Shot]:
        """The shots that the work's numbers mean."""
        return self._shots_by(self.work.cuts)

    def _shots_by(self, cuts: Cuts) -> list[Shot]:
        if self._mine[1] is not self.found or self._mine[0] != cuts:
            self._mine = cuts, self.found, cuts.of(self.found)
        return self._mine[2]

    @property
    def treatments(self) -> Treatments:
        """The whole ladder of every shot that has one, by its number."""
        work, shots = self._history.state, len(self._known.shots)
        before, count, known = self._ladders
        if before is not work or count != shots:
            self._ladders = work, shots, work.ladders(shots, before, known)
        return self._ladders[2]

    @property
    def treatment(self) -> Treatment:
        """The whole ladder of the shot in view; places of steps count on it."""
        return self._history.state.ladder(self.shot)

    @property
    def own(self) -> Treatment:
        """The steps that the shot in view has for itself."""
        return self._history.state.treatments.get(self.shot, ())

    @property
    def reasons(self) -> Mapping[int, tuple[str, ...]]:
        """Why the treatments in force are as they were proposed, by shot."""
        return self._history.state.reasons

    # Undo -------------------------------------------------------------------------------------------------------------

    @property
    def undoes(self) -> str | None:
        """What undo would take back."""
        return self._history.undoes

    @property
    def redoes(self) -> str | None:
        """What redo would bring back."""
        return self._history.redoes

    @property
    def work(self) -> Work:
        """Everything done to the programme."""
        return self._history.state

    def set_treatment(self, shot: int, treatment: Treatment, act: str, gesture: str | None = None) -> None:
        """Give a shot other steps of its own; none leave it with what it shares."""
        self._push(self._history.state.changed(shot, treatment), act, gesture)

    def give(self, shot: int, treatment: Treatment, act: str, reasons: tuple[str, ...]) -> None:
        """Give a shot other steps of its own, with reasons; what it shares already is not given twice."""
        self._push(self.work.treated(shot, self._own_of(shot, treatment), reasons), act)

    def calibrate(self, shots: Sequence[int], steps: Treatment, act: str) -> None:
        """Give shots these steps on colours in place of those they have, as one act; their own other steps follow after."""
        treatments = dict(self.work.treatments)
        for shot in shots:
            rest = tuple(step for step in treatments.get(shot, ()) if not step.calibrates)
            treatments[shot] = tuple(map(own_step, (*steps, *rest)))
        self._push(replace(self._history.state, treatments=MappingProxyType(treatments)), act)

    def paste(self, shots: Sequence[int], steps: Treatment, act: str, gesture: str | None = None) -> None:
        """Give shots copies of steps as one act: each in place of one of its kind, or else where its kind belongs.

        What a shot shares already is not given twice.
        """
        treatments = dict(self.work.treatments)
        for shot in shots:
            treatment = treatments.get(shot, ())
            for step in self._own_of(shot, steps):
                kinds = [type(other) for other in treatment]
                if type(step) in kinds:
                    place = kinds.index(type(step))
                    treatment = (*treatment[:place], step, *treatment[place + 1 :])
                else:
                    treatment = with_step(treatment, step)
            treatments[shot] = tuple(map(own_step, treatment))
        self._push(replace(self._history.state, treatments=MappingProxyType(treatments)), act, gesture)

    def move_step(self, place: int, by: int) -> None:
        """Move a step of the ladder in view, see `rungs.moved`."""
        self._push(rungs.moved(self.work, self.shot, place, by), f"Move {called(self.treatment[place])}")

    def move_to(self, place: int, heading: Heading, group: str = "") -> None:
        """Move a step of the ladder in view under another heading, see `rungs.moved_under`."""
        act = f"Move {called(self.treatment[place])} to {heading}"
        self._push(rungs.moved_under(self.work, self.shot, place, heading, group), act)

    def set_group(self, name: str, shots: Sequence[int], given: Sequence[int] = ()) -> None:
        """Name a set of shots, and give it steps of the shot in view, see `rungs.grouped`."""
        act = f"Give to group {name}" if given else f"Group {name}"
        self._push(rungs.grouped(self.work, self.shot, name, shots, given), act)

    @property
    def groups(self) -> list[Shared]:
        """The groups that the shot in view is in."""
        return [each for each in self.work.shared if each.heading is Heading.GROUP and each.reaches(self.shot)]

    def _push(self, work: Work, act: str, gesture: str | None = None) -> None:
        """Make a state the one in force; an act that changes nothing is none. A gesture is made on one shot."""
        if work != self.work:
            self._history.push(work, act, gesture and f"{gesture} on shot {self.shot}")
            self._work_changed()

    def _work_changed(self) -> None:
        """Draw the state in force, which may divide the shots otherwise."""
        self._divided()
        self.changed.tell()

    def add_step(self, kind: type[Step]) -> None:
        """Add a step for the shot in view, its figures from what the shot measures and the rules allow."""
        self.add(kind.begun(self.measured()), f"Add {called(kind)}")

    def add(self, step: Step, act: str, shot: int | None = None) -> None:
        """Add a step where its kind belongs, for a shot or the one in view; under *source* it is every shot's."""
        self._push(rungs.added(self.work, self.shot if shot is None else shot, (step,)), act)

    def add_all(self, steps: Treatment, act: str) -> None:
        """Add steps, each under its heading, beside those that are there."""
        self._push(rungs.added(self.work, self.shot, steps), act)

    def measured(self) -> Measured:
        """What the shot in view measures, for steps to begin with."""
        survey = self._survey
        return Measured(*luma_extremes(survey, self._known.shots[self._place.shot]), survey.rules.limits, survey.source)

    def replace_step(self, place: int, step: Step, gesture: str | None = None) -> None:
        """Put another step in a place of the ladder in view, wherever it is shared; acts of one gesture are undone together."""
        owner, here, _ = self.work.rungs(self.shot)[place]
        own = gesture and f"{gesture} of {owner}.{here}"
        self._push(rungs.replaced(self.work, self.shot, place, step), f"Change {called(step)}", own)

    def bypass_step(self, place: int, *, bypassed: bool) -> None:
        """Take a step of the ladder in view out of force, or bring it back."""
        self.replace_step(place, replace(self.treatment[place], on=not bypassed))

    def bypass_heading(self, heading: Heading) -> None:
        """Take the steps under a heading of the ladder in view out of force, or bring them back."""
        on = not rungs.in_force(self.work, self.shot, heading)
        self._push(rungs.bypassed(self.work, self.shot, heading, on=on), f"{'Restore' if on else 'Bypass'} {heading}")

    def reset_heading(self, heading: Heading) -> None:
        """Remove the steps under a heading of the ladder in view."""
        self._push(rungs.emptied(self.work, self.shot, heading), f"Reset {heading}")

    def bypass_shot(self) -> None:
        """Take all steps of the shot in view out of force, or bring them back; what it shares stays."""
        bypass = acts(self.own)
        act = "Bypass the shot's steps" if bypass else "Restore the shot's steps"
        self.set_treatment(self.shot, tuple(replace(step, on=not bypass) for step in self.own), act)

    def remove_step(self, place: int) -> None:
        """Remove a step from the ladder in view."""
        owner, _, step = self.work.rungs(self.shot)[place]
        whose = "" if owner == OWN else f" from {self.work.shared[owner].whose}"
        self._push(rungs.removed(self.work, self.shot, place), f"Remove {called(step)}{whose}")

    def reset_step(self, place: int) -> None:
        """Give a step the neutral figures of its kind."""
        step = self.treatment[place]
        self.replace_step(place, type(step)(on=step.on, heading=step.heading, reach=step.reach))

    def reset_shot(self) -> None:
        """Leave the shot in view with nothing of its own."""
        if self.own:
            self.set_treatment(self.shot, (), f"Reset shot {self.shot + 1}")

    def accept(self, proposals: list[Proposal]) -> None:
        """Take over proposed treatments, shot by shot, so that each can be undone by itself."""
        before = self.work
        given = [(each.shot, self._own_of(each.shot, each.treatment), each.reasons) for each in proposals]
        if given:
            told = [f"Legalise shot {shot + 1}" for shot, _, _ in given]
            self._history.push_all(lambda count: before.all_treated(given[:count]), told)
            self.changed.tell()

    def accept_as_one(self, proposals: Mapping[int, Proposal], act: str) -> None:
        """Take over proposals for shots, by their numbers, as one act."""
        given = [(shot, self._own_of(shot, each.treatment), each.reasons) for shot, each in proposals.items()]
        self._push(self.work.all_treated(given), act)

    def add_to(self, shot: int, steps: Treatment, act: str, reasons: tuple[str, ...]) -> None:
        """Add steps to those that a shot has for itself, each where its kind belongs, as one act."""
        own = self.work.treatments.get(shot, ())
        for step in steps:
            own = with_step(own, own_step(step))
        self._push(self.work.treated(shot, own, (*self.work.reasons.get(shot, ()), *reasons)), act)

    def _own_of(self, shot: int, ladder: Treatment) -> Treatment:
        """What of a ladder a shot does not share already."""
        shared = [step for each in self.work.shared if each.reaches(shot) for step in each.steps]
        own = []
        for step in ladder:
            if step in shared:
                shared.remove(step)
            else:
                own.append(step)
        return tuple(own)

    # What comes late ---------------------------------------------------------------------------------------------------

    def ask(self, numbers: Sequence[int], rung: int | None = None) -> Asked:
        """The state that something is asked of, about some shots, or about a rung of the only one."""
        return Asked(tuple(self._known.shots), {number: self.work.ladder(number) for number in numbers}, rung)

    def settle(self, asked: Asked) -> Settled:
        """What has become of the shots that something was asked about."""
        return settled(asked, self._known.shots, self.work)

    def settle_step(self, asked: Asked, made: Callable[[Step], Step], act: str, *, behind: bool = False) -> str:
        """Give the step that was asked about what came of it, on its shot, whatever is in view and was done beside it since.

        ``behind``: it was looked at behind the steps before it. Returns why nothing was done, empty where it was.

        Raises
        ------
        SettingsError : it can't be so
        """
        now = rung_now(asked, self._known.shots, self.work, behind=behind)
        if isinstance(now, str):
            return now
        self._push(rungs.replaced(self.work, *now, made(asked.step)), act)
        return ""

    # Dividing ---------------------------------------------------------------------------------------------------------

    def split_shot(self) -> None:
        """Let a shot begin at the frame in view; both parts keep the treatment.

        Raises
        ------
        SettingsError : one begins there already
        """
        if self._place.frame == self._known.shots[self._place.shot].first:
            raise SettingsError("A shot begins at this frame already; go to where it is to be split.")
        self._divide(self.work.cuts.part(self._place.frame), f"Split shot {self.shot + 1}")

    def join_shot(self) -> None:
        """Make the shot in view one with the shot before it; it keeps the treatment of the longer, the other is kept aside.

        Raises
        ------
        SettingsError : there is none before it
        """
        if self._place.shot == 0:
            raise SettingsError("There is no shot before the first to join it to.")
        self._divide(
            self.work.cuts.join(self._known.shots[self._place.shot].first),
            f"Join shots {self.shot} and {self.shot + 1}",
        )

    def _divide(self, cuts: Cuts, act: str) -> None:
        self._push(replace(carried(self.work, self._known.shots, self._shots_by(cuts)), cuts=cuts), act)

    def divide_by(self, starts: Sequence[int], act: str) -> None:
        """Let shots begin at just these frames, whatever was found; each takes over what most of it had."""
        self._divide(Cuts.listed(starts, self.found), act)

    def give_aside(self) -> None:
        """Give the shot in view what was kept aside of frames nearest to it, and keep what it has aside instead."""
        work, shot = self.work, self._known.shots[self._place.shot]
        if work.aside:
            nearest = min(work.aside, key=lambda kept: (kept.made_for == shot, abs(kept.made_for.first - shot.first)))
            rest = [kept for kept in work.aside if kept is not nearest]
            if self.own:
                rest.append(Aside(shot, self.own))
            self._push(replace(work.treated(self.shot, nearest.treatment), aside=tuple(rest)), "Give what was kept aside")

    def waive(self, waiver: Waiver) -> None:
        """Let a finding, all of a rule, or whatever is found in a run of frames pass by a person's word."""
        self._push(replace(self.work, waivers=(*self.work.waivers, waiver)), f"Waive {waiver.told}")

    def unwaive(self, waiver: Waiver) -> None:
        """Take a waiver back."""
        kept = tuple(each for each in self.work.waivers if each != waiver)
        self._push(replace(self.work, waivers=kept), f"Take back the waiver of {waiver.told}")

    def undo(self) -> None:
        """Take back the last act."""
        self._history.undo()
        self._work_changed()

    def redo(self) -> None:
        """Bring back the act last undone."""
        self._history.redo()
        self._work_changed()

    # Areas ------------------------------------------------------------------------------------------------------------

    @property
    def areas(self) -> tuple[Area, ...]:
        """The areas, where they stand in the shot in view."""
        return tuple(followed.in_shot(self.shot) for followed in self._history.state.areas)
