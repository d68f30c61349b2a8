"""What a result was asked of, and how it stands to what has been done since: `Document.settle` is the one place for that."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from bluffline.rules.shots import Shot
from bluffline.session.work import Work
from bluffline.treat.ladder import Treatment
from bluffline.treat.step import Step


@dataclass(frozen=True, eq=False)
class Asked:
    """The state that something is looked for in.

    ``shots``: those that numbers meant then; ``ladders``: what the shots in question had, by their numbers; ``rung``: the place
    of a step on the ladder of the only one, where a step is in question.
    """

    shots: tuple[Shot, ...]
    ladders: Mapping[int, Treatment]
    rung: int | None = None

    @property
    def number(self) -> int:
        """Of the only shot in question."""
        (number,) = self.ladders
        return number

    @property
    def step(self) -> Step:
        """The step in question."""
        assert self.rung is not None, "a step is in question"
        return self.ladders[self.number][self.rung]


@dataclass(frozen=True, slots=True)
class Settled:
    """What those shots are by now, by the numbers that they had: as they were, with other steps since, or no more."""

    same: Mapping[int, int]
    changed: Mapping[int, int]
    gone: tuple[int, ...]

    @property
    def there(self) -> dict[int, int]:
        """All that are there still."""
        return {**self.same, **self.changed}


def settled(asked: Asked, shots: Sequence[Shot], work: Work) -> Settled:
    """What has become of the shots that something was asked about, by the shots and the work of now."""
    now = {shot: number for number, shot in enumerate(shots)}
    there = {number: now[asked.shots[number]] for number in asked.ladders if asked.shots[number] in now}
    same = {number: other for number, other in there.items() if work.ladder(other) == asked.ladders[number]}
    changed = {number: other for number, other in there.items() if number not in same}
    return Settled(same, changed, tuple(number for number in asked.ladders if number not in there))


def rung_now(asked: Asked, shots: Sequence[Shot], work: Work, *, behind: bool) -> tuple[int, int] | str:
    """The shot and the place on its ladder that the step has by now which was asked about; a string says why it has none.

    ``behind``: it was looked at behind the steps before it, which have to be what they were.
    """
    there = settled(asked, shots, work).there
    if asked.number not in there:
        return "its shot is no more"
    shot, before = there[asked.number], asked.ladders[asked.number]
    ladder = work.ladder(shot)
    places = [place for place, step in enumerate(ladder) if step == asked.step]
    if ladder != before and len(places) != 1:
        return "the step can't be told from others like it any more" if places else "the step has changed meanwhile"
    place = asked.rung if ladder == before else places[0]
    assert place is not None, "a step is in question"
    if behind and ladder[:place] != before[: asked.rung]:
        return "the steps before it have changed meanwhile"
    return shot, place
