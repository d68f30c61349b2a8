"""Short work for the shot in view, whose result goes to that shot."""

from collections.abc import Callable
from typing import TypeVar

from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor

Found = TypeVar("Found")


class ForShot:
    """Runs it beside what else runs; ``say`` tells the operator what comes to nothing."""

    def __init__(self, session: Session, beside: Jobs, say: Callable[[str], None]) -> None:
        self._session, self._beside, self._say = session, beside, say

    def start(
        self, kind: Kind, job: Callable[[Monitor], Found], give: Callable[[int, Found], None], *, whole: bool = False
    ) -> None:
        """Work for the shot in view; what comes of it is given to that shot, beside what was done to it since.

        ``whole``: it is in place of the whole ladder, which has to be as it was.
        """
        document = self._session.document
        asked = document.ask([self._session.place.shot])

        def then(found: Found) -> None:
            settled = document.settle(asked)
            now = (settled.same if whole else settled.there).get(asked.number)
            if now is None:
                what = "is no more" if settled.gone else "has changed meanwhile"
                self._say(f"{kind} comes to nothing: the shot that it was for {what}")
            else:
                give(now, found)

        self._beside.start(kind, job, then)
