"""Steps in hand: copies, for whichever shot they are put to, in this programme or the next."""

from bluffline.rules.shots import Shot
from bluffline.session.work import own_step
from bluffline.treat.ladder import Treatment, shifted

_FEW = 3  # steps that are called by their names


class StepsInHand:
    """What was copied last; places that are followed count from the beginning of the shot, as on the shelf."""

    def __init__(self) -> None:
        self._steps: Treatment = ()

    def __bool__(self) -> bool:
        return bool(self._steps)

    @property
    def words(self) -> str:
        """What they are, in a few words."""
        few = len(self._steps) <= _FEW
        return ", ".join(step.title.lower() for step in self._steps) if few else f"{len(self._steps)} steps"

    def take(self, steps: Treatment, shot: Shot) -> None:
        """Take copies of steps of a shot in hand; of one that it shares with others, a copy that is a shot's own."""
        self._steps = shifted(tuple(map(own_step, steps)), -shot.first)

    def for_shot(self, shot: Shot) -> Treatment:
        """Copies for a shot."""
        return shifted(self._steps, shot.first)
