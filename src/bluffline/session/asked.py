"""What a result was asked of, and how it stands to what has been done since: `Document.settle` is the one place for that."""

from collections.abc import Mapping
from dataclasses import dataclass

from bluffline.rules.shots import Shot
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
