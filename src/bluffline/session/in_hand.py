"""Steps in hand: copies, for whichever shot they are put to, in this programme or the next."""

from bluffline.rules.shots import Shot
from bluffline.session.work import own_step
from bluffline.treat.ladder import Treatment, shifted


class StepsInHand:
    """What was copied last; places that are followed count from the beginning of the shot, as on the shelf."""

    def __init__(self) -> None:
        self._steps: Treatment = ()

    def __bool__(self) -> bool:
        return bool(self._steps)

    def take(self, steps: Treatment, shot: Shot) -> None:
        """Take copies of steps of a shot in hand; of one that it shares with others, a copy that is a shot's own."""
        self._steps = shifted(tuple(map(own_step, steps)), -shot.first)

    def for_shot(self, shot: Shot) -> Treatment:
        """Copies for a shot."""
        return shifted(self._steps, shot.first)
