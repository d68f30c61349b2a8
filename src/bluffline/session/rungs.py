"""What acts on the ladder of a shot make of the work, whoever a rung's step belongs to.

Every function takes the work and gives another; ``shot`` is a number of the work's, ``place`` counts on `Work.rungs` of it.
"""

from collections.abc import Sequence
from dataclasses import replace

from bluffline.errors import SettingsError
from bluffline.session.work import OWN, Shared, Work
from bluffline.treat.ladder import Treatment, acts, with_step
from bluffline.treat.step import Heading, Step


def steps_of(work: Work, shot: int, owner: int) -> Treatment:
    """The steps of an owner of rungs."""
    return work.treatments.get(shot, ()) if owner == OWN else work.shared[owner].steps


def with_steps(work: Work, shot: int, owner: int, steps: Treatment) -> Work:
    """With other steps of an owner of rungs."""
    if owner == OWN:
        return work.changed(shot, steps)
    shared = list(work.shared)
    shared[owner] = replace(shared[owner], steps=steps)
    return replace(work, shared=tuple(shared))


def replaced(work: Work, shot: int, place: int, step: Step) -> Work:
    """With another step on a rung, wherever it is shared."""
    rung = work.rungs(shot)[place]
    steps = list(steps_of(work, shot, rung.owner))
    steps[rung.place] = step
    return with_steps(work, shot, rung.owner, tuple(steps))


def removed(work: Work, shot: int, place: int) -> Work:
    """Without a rung."""
    rung = work.rungs(shot)[place]
    steps = steps_of(work, shot, rung.owner)
    return with_steps(work, shot, rung.owner, (*steps[: rung.place], *steps[rung.place + 1 :]))


def added(work: Work, shot: int, steps: Treatment) -> Work:
    """With steps more, each under its heading; reasons hold beside them."""
    for step in steps:
        work, owner = _owner_under(work, shot, step.place, "")
        reasons = work.reasons
        work = replace(with_steps(work, shot, owner, with_step(steps_of(work, shot, owner), step)), reasons=reasons)
    return work


def moved(work: Work, shot: int, place: int, by: int) -> Work:
    """With a rung earlier (−1) or later (+1) among those of its owner under its heading.

    Raises
    ------
    SettingsError : it is the first or the last of them: to have it elsewhere, which other shots would feel, is another act
    """
    rungs = work.rungs(shot)
    rung, beside = rungs[place], place + by
    step = rung.step
    if not (0 <= beside < len(rungs) and rungs[beside].step.place is step.place and rungs[beside].owner == rung.owner):
        end = "first" if by < 0 else "last"
        raise SettingsError(f"{step.title} is the {end} under {step.place}; its menu moves it under another heading.")
    here, there = rung.place, rungs[beside].place
    steps = list(steps_of(work, shot, rung.owner))
    steps[here], steps[there] = steps[there], steps[here]
    return with_steps(work, shot, rung.owner, tuple(steps))


def moved_under(work: Work, shot: int, place: int, heading: Heading, group: str = "") -> Work:
    """With a rung under another heading; under *group*, given to one that the shot is in.

    Raises
    ------
    SettingsError : the shot is in no group, or not in the one that is named
    """
    step = work.rungs(shot)[place].step
    other = replace(step, heading=None if heading is step.home else heading)
    work, target = _owner_under(removed(work, shot, place), shot, heading, group)
    kept = steps_of(work, shot, target)
    ahead = list(Heading).index(heading) > list(Heading).index(step.place)
    return with_steps(work, shot, target, (other, *kept) if ahead and target != OWN else with_step(kept, other))


def bypassed(work: Work, shot: int, heading: Heading, *, on: bool) -> Work:
    """With the steps under a heading in force or out of it."""
    for owner in {rung.owner for rung in work.rungs(shot) if rung.step.place is heading}:
        steps = steps_of(work, shot, owner)
        told = tuple(replace(step, on=on) if step.place is heading else step for step in steps)
        work = with_steps(work, shot, owner, told)
    return work


def in_force(work: Work, shot: int, heading: Heading) -> bool:
    """Whether any step under a heading is."""
    return acts(tuple(rung.step for rung in work.rungs(shot) if rung.step.place is heading))


def emptied(work: Work, shot: int, heading: Heading) -> Work:
    """Without the steps under a heading."""
    for owner in {rung.owner for rung in work.rungs(shot) if rung.step.place is heading}:
        rest = tuple(step for step in steps_of(work, shot, owner) if step.place is not heading)
        work = with_steps(work, shot, owner, rest)
    return work


def grouped(work: Work, shot: int, name: str, shots: Sequence[int], given: Sequence[int] = ()) -> Work:
    """With a named set of shots; an empty set ends the group, and its steps with it.

    ``given``: places of steps that the shot has for itself; they become the group's, and remain its own where it is not one of
    the group.

    Raises
    ------
    SettingsError : it has no name, or what is given is not the shot's own
    """
    if not name.strip():
        raise SettingsError("A group needs a name.")
    found = next((n for n, each in enumerate(work.shared) if each.heading is Heading.GROUP and each.name == name), None)
    steps = work.shared[found].steps if found is not None else ()
    rungs = work.rungs(shot)
    own = [rung for rung in (rungs[place] for place in given) if rung.owner == OWN and rung.step.place is Heading.SHOT]
    if given and not own:
        raise SettingsError("None of these steps is the shot's own: limits and what is shared stay where they are.")
    if own:
        steps = (*steps, *(replace(rung.step, heading=Heading.GROUP) for rung in own))
        taken = {rung.place for rung in own if shot in shots}
        kept = tuple(step for place, step in enumerate(steps_of(work, shot, OWN)) if place not in taken)
        work = work.treated(shot, kept, work.reasons.get(shot, ()))
    shared = [each for n, each in enumerate(work.shared) if n != found]
    if shots:
        shared.insert(len(shared) if found is None else found, Shared(Heading.GROUP, steps, name, frozenset(shots)))
    return replace(work, shared=tuple(shared))


def _owner_under(work: Work, shot: int, heading: Heading, group: str) -> tuple[Work, int]:
    """Whose steps those under a heading are for a shot; room is made where nothing is shared yet."""
    if heading in (Heading.SHOT, Heading.LIMITS):
        return work, OWN
    for number, shared in enumerate(work.shared):
        if shared.heading is heading and shared.reaches(shot) and group in ("", shared.name):
            return work, number
    if heading is Heading.GROUP:
        raise SettingsError("This shot is in no such group; make one first.")
    return replace(work, shared=(*work.shared, Shared(heading))), len(work.shared)
