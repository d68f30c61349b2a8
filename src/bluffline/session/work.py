"""The operator's work on a programme: treatments and areas; the state that undo goes back through."""

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import NamedTuple, TypeVar

from bluffline.measure.areas import Area
from bluffline.rules.finding import Waiver
from bluffline.rules.shots import Shot, shot_at
from bluffline.treat.ladder import Treatment
from bluffline.treat.step import Heading, Step

Treatments = Mapping[int, Treatment]
Told = TypeVar("Told")


@dataclass(frozen=True)
class FollowedArea:
    """An area, and where it stands in shots that it has been moved in by itself."""

    area: Area
    shots: Mapping[int, Area] = field(default_factory=lambda: MappingProxyType({}))

    def in_shot(self, shot: int) -> Area:
        """Where it stands in a shot."""
        return self.shots.get(shot, self.area)

    def moved(self, across: float, down: float, shot: int | None) -> "FollowedArea":
        """The same elsewhere: in one shot, or wherever it has not been moved by itself."""
        if shot is None:
            return replace(self, area=self.area.moved(across, down))
        return replace(self, shots=MappingProxyType({**self.shots, shot: self.in_shot(shot).moved(across, down)}))

    def renamed(self, name: str) -> "FollowedArea":
        """The same under another name."""
        return FollowedArea(
            replace(self.area, name=name), MappingProxyType({n: replace(area, name=name) for n, area in self.shots.items()})
        )


@dataclass(frozen=True)
class Aside:
    """A treatment that fits no shot any more, and the frames that it was made for."""

    made_for: Shot
    treatment: Treatment


@dataclass(frozen=True)
class Shared:
    """Steps that several shots have: those of a named group, or all under *source* and *over all*.

    ``shots``: the numbers of a group's; of no meaning under the other headings, which are every shot's.
    """

    heading: Heading
    steps: Treatment = ()
    name: str = ""
    shots: frozenset[int] = frozenset()

    @property
    def whose(self) -> str:
        """Which shots have them, in words."""
        return f"group {self.name}" if self.heading is Heading.GROUP else "every shot"

    def reaches(self, shot: int) -> bool:
        """Whether a shot has them."""
        return self.heading is not Heading.GROUP or shot in self.shots


@dataclass(frozen=True)
class Cuts:
    """Where the operator divides shots otherwise than they were found: frames that shots begin at, or don't."""

    parted: frozenset[int] = frozenset()
    joined: frozenset[int] = frozenset()

    @classmethod
    def listed(cls, starts: Sequence[int], found: Sequence[Shot]) -> "Cuts":
        """What makes shots begin just at these frames; where one lies in a transition that was found, by that."""
        met = [(shot.opens.first, shot.opens.last, shot.first) for shot in found if shot.opens is not None]
        meant = {next((home for first, last, home in met if first <= start <= last + 1), start) for start in starts}
        firsts = {shot.first for shot in found} - {0}
        return cls(frozenset(meant - firsts), frozenset(firsts - meant))

    def of(self, found: Sequence[Shot]) -> list[Shot]:
        """The shots that were found, divided by hand as well."""
        if not found or not (self.parted or self.joined):
            return list(found)
        count = found[-1].last + 1
        parted = {frame for frame in self.parted if 0 < frame < count}
        starts = sorted(({shot.first for shot in found} - self.joined | parted) | {0})
        firsts, lasts = {shot.first: shot for shot in found}, {shot.last: shot for shot in found}
        shots = []
        for first, after in zip(starts, [*starts[1:], count], strict=True):
            one, other = firsts.get(first), lasts.get(after - 1)
            if one is None or one is not other:  # most shots are what they were
                one = Shot(first, after - 1, None if one is None else one.opens, None if other is None else other.closes)
            shots.append(one)
        return shots

    def part(self, frame: int) -> "Cuts":
        """The same with a shot that begins at a frame."""
        return Cuts(self.parted | {frame}, self.joined - {frame})

    def join(self, frame: int) -> "Cuts":
        """The same without a shot that begins at a frame."""
        return Cuts(self.parted - {frame}, self.joined | {frame})


class Rung(NamedTuple):
    """A rung of a shot's ladder: whose its step is (`OWN` or a place in ``Work.shared``), its place there, and the step."""

    owner: int
    place: int
    step: Step


NO_CUTS = Cuts()
OWN = -1
_ORDER = {heading: place for place, heading in enumerate(Heading)}


def own_step(step: Step) -> Step:
    """A step as it stands among a shot's own, which are under *shot* and *limits*."""
    return step if step.place in (Heading.SHOT, Heading.LIMITS) else replace(step, heading=Heading.SHOT)


@dataclass(frozen=True)
class Work:
    """Treatments by shot number with their reasons, areas in the order they were drawn, and what fits no shot any more.

    ``treatments``: each shot's own steps; ``shared``: what it has in common with others, which `ladder` brings together;
    ``cuts``: how shots are divided by hand; numbers are of the shots that this leaves. ``waivers``: what findings are to pass.
    """

    treatments: Treatments = field(default_factory=lambda: MappingProxyType({}))
    areas: tuple[FollowedArea, ...] = ()
    aside: tuple[Aside, ...] = ()
    reasons: Mapping[int, tuple[str, ...]] = field(default_factory=lambda: MappingProxyType({}))
    cuts: Cuts = NO_CUTS
    shared: tuple[Shared, ...] = ()
    waivers: tuple[Waiver, ...] = ()

    def rungs(self, shot: int) -> list[Rung]:
        """A shot's ladder in its order."""
        own = [Rung(OWN, place, step) for place, step in enumerate(self.treatments.get(shot, ()))]
        common = [
            Rung(owner, place, step)
            for owner, shared in enumerate(self.shared)
            if shared.reaches(shot)
            for place, step in enumerate(shared.steps)
        ]
        return sorted([*own, *common], key=lambda rung: _ORDER[rung.step.place])

    def ladder(self, shot: int) -> Treatment:
        """All steps of a shot, in the order in which they act."""
        return tuple(rung.step for rung in self.rungs(shot))

    def ladders(self, count: int, before: "Work | None" = None, known: Treatments | None = None) -> dict[int, Treatment]:
        """The ladder of each of so many shots that has one; ``known``: those of a state before, of which most are the same."""
        known = known or {}
        own = before.treatments if before is not None and before.shared == self.shared else None
        every = any(shared.steps and shared.heading is not Heading.GROUP for shared in self.shared)
        grouped = {shot for shared in self.shared if shared.steps for shot in shared.shots}
        some = range(count) if every else sorted(number for number in {*self.treatments, *grouped} if number < count)

        def ladder_of(number: int) -> Treatment:
            same = own is not None and number in known and own.get(number) is self.treatments.get(number)
            return known[number] if same else self.ladder(number)

        return {number: ladder for number in some if (ladder := ladder_of(number))}

    def treated(self, shot: int, treatment: Treatment, reasons: tuple[str, ...] = ()) -> "Work":
        """The same with other steps of a shot's own, none where there are none; reasons go with the treatment they explain."""
        return self.all_treated([(shot, treatment, reasons)])

    def changed(self, shot: int, steps: Treatment) -> "Work":
        """The same with a shot's own steps changed: its reasons hold as long as the figures that they explain do."""

        def plain(treatment: Treatment) -> list[Step]:
            return [replace(step, on=True, heading=None) for step in treatment]

        before, after = plain(self.treatments.get(shot, ())), plain(steps)
        same = len(before) == len(after) and all(step in before for step in after)
        return self.treated(shot, steps, self.reasons.get(shot, ()) if same else ())

    def all_treated(self, given: Sequence[tuple[int, Treatment, tuple[str, ...]]]) -> "Work":
        """The same with other steps of several shots' own: their numbers, steps and reasons."""
        treatments, told = dict(self.treatments), dict(self.reasons)
        for shot, treatment, reasons in given:
            treatments.pop(shot, None)
            told.pop(shot, None)
            if treatment:
                treatments[shot] = tuple(map(own_step, treatment))
            if treatment and reasons:
                told[shot] = reasons
        return replace(self, treatments=MappingProxyType(treatments), reasons=MappingProxyType(told))


def rehomed(work: Work, before: Sequence[Shot], homes: Mapping[int, int]) -> Work:
    """Work by other numbers: what each shot has now is what another had. Aside is what groups had that have no shot any more.

    ``homes``: the numbers before, by those of now; ``before``: the shots that those before mean.
    """

    def now(told: Mapping[int, Told]) -> Mapping[int, Told]:
        return MappingProxyType({number: told[home] for number, home in homes.items() if home in told})

    shared, aside = [], []
    for each in work.shared:
        members = frozenset(number for number, home in homes.items() if home in each.shots)
        if members or not each.shots:
            shared.append(replace(each, shots=members))
        elif each.steps:
            aside.append(Aside(before[min(each.shots)], tuple(map(own_step, each.steps))))
    areas = tuple(FollowedArea(followed.area, now(followed.shots)) for followed in work.areas)
    return Work(now(work.treatments), areas, tuple(aside), now(work.reasons), work.cuts, tuple(shared), work.waivers)


def left_behind(work: Work, before: Sequence[Shot], homes: Mapping[int, int]) -> list[Aside]:
    """The treatments of shots that no shot now has for its home."""
    used = set(homes.values())
    return [Aside(before[n], steps) for n, steps in work.treatments.items() if n not in used and n < len(before)]


def carried(work: Work, before: Sequence[Shot], now: Sequence[Shot]) -> Work:
    """Work on some shots, carried to those that the programme has now.

    A shot takes over the treatment of the one that covers most of it, if that is half of it at least. What lands in no shot is
    kept aside, and comes back as soon as there is a shot for it again.
    """
    if not now or list(before) == list(now) or work == Work(cuts=work.cuts, waivers=work.waivers):  # nothing goes by numbers
        return work
    numbers = {shot: number for number, shot in enumerate(before)}  # most are what they were
    found = ((number, numbers[shot] if shot in numbers else _home(shot, before)) for number, shot in enumerate(now))
    homes = {number: home for number, home in found if home is not None}
    moved = rehomed(work, before, homes)
    treatments, lost = dict(moved.treatments), left_behind(work, before, homes)
    aside = [kept for kept in lost if not any(treatments.get(n) == kept.treatment for n in _touched(kept.made_for, now))]
    for kept in work.aside:
        fits = [number for number, shot in enumerate(now) if number not in treatments and _home(shot, [kept.made_for]) == 0]
        treatments.update(dict.fromkeys(fits, kept.treatment))
        aside += [] if fits else [kept]
    return replace(moved, treatments=MappingProxyType(treatments), aside=(*aside, *moved.aside))


def brought_beside(work: Work, made_for: Sequence[Shot], here: Work, found: Sequence[Shot]) -> Work:
    """Work that was brought, carried to the shots of here; what was done here and is not in it is kept beside it.

    ``made_for``: the shots that were found where it was made; ``found``: those that were found here.
    """
    shots = here.cuts.of(found)
    gone = [Aside(shots[n], steps) for n, steps in here.treatments.items() if steps not in work.treatments.values()]
    theirs = [each.steps for each in work.shared]
    gone += [
        Aside(shots[min(each.shots, default=0)], tuple(map(own_step, each.steps)))
        for each in here.shared
        if each.steps and each.steps not in theirs and shots
    ]
    work = carried(work, work.cuts.of(made_for), work.cuts.of(found))
    return replace(
        work,
        aside=(*work.aside, *(kept for kept in (*here.aside, *gone) if kept not in work.aside)),
        areas=(*work.areas, *_unknown(carried(here, shots, work.cuts.of(found)).areas, work.areas)),
        waivers=(*work.waivers, *(waiver for waiver in here.waivers if waiver not in work.waivers)),
    )


def _unknown(areas: Sequence[FollowedArea], others: Sequence[FollowedArea]) -> list[FollowedArea]:
    """Areas that are not among others, under names that those don't have."""
    names, found = {other.area.name for other in others}, []
    for area in areas:
        if area in others:
            continue
        name = area.area.name
        while name in names:
            name += " here"
        names.add(name)
        found.append(area.renamed(name))
    return found


def _touched(shot: Shot, others: Sequence[Shot]) -> range:
    """The numbers of the shots, which follow one another, that have frames of a shot."""
    first = shot_at(others, shot.first)
    first += first < len(others) and others[first].last < shot.first
    return range(first, bisect_right(others, shot.last, key=lambda other: other.first))


def _home(shot: Shot, before: Sequence[Shot]) -> int | None:
    """The number of the shot that covers most of a shot, half of it at least."""
    shared = {n: min(shot.last, before[n].last) - max(shot.first, before[n].first) + 1 for n in _touched(shot, before)}
    home = max(shared, key=lambda n: shared[n], default=None)
    return home if home is not None and 2 * shared[home] >= shot.length else None
