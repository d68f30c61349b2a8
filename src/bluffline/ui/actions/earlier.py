"""The work on an earlier delivery of a name: looked for among the shots of this one, and offered while nothing is done here."""

from collections.abc import Callable

from bluffline.rules.shots import Shot
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.likeness import Looks, alike, brought_over, same_pictures
from bluffline.session.session import Session
from bluffline.session.work import Work
from bluffline.survey.monitor import Monitor

Before = tuple[Work, list[Shot], Looks]


class EarlierWork:
    """Offers once the survey is complete; ``show`` shows what is offered beside the programme's name, nothing where empty."""

    def __init__(self, session: Session, beside: Jobs, say: Callable[[str], None], show: Callable[[str], None]) -> None:
        self._session, self._beside, self._say, self._show = session, beside, say, show
        self._before: Before | None = None
        self._brought: tuple[Work, str] | None = None  # to the shots of this delivery, and what is told of it
        self._asked_again = 0
        session.document.changed.connect(self._refresh)

    def begin(self, before: Before | None) -> None:
        """Another programme is under control; ``before``: the work on an earlier delivery of its name."""
        self._before, self._brought = before, None
        self._refresh()

    @property
    def offered(self) -> Work | None:
        """What can be taken up; it waits while there is work here, and is there again once that is undone."""
        return self._brought[0] if self._brought is not None and self._session.document.work == Work() else None

    def _refresh(self) -> None:
        self._show(self._brought[1] if self._brought is not None and self.offered is not None else "")

    def look_for(self) -> None:
        """Look for the shots of the delivery before among those of this one, now that all are known."""
        session, before = self._session, self._before
        if before is None or session.document.work != Work():
            return
        self._before = None
        work, shots, looks = before
        looks_now, own = session.looks(), list(session.shots)

        def compare(_: Monitor) -> tuple[dict[int, int], Looks]:
            now = looks_now()
            assert now is not None, "the survey is complete"
            return alike(looks, now), now

        def offer(found: tuple[dict[int, int], Looks]) -> None:
            pairs, now = found
            self._asked_again = 0
            if pairs and own == session.shots and session.document.work == Work():
                same = same_pictures(looks, now, pairs)
                self._brought = brought_over(work, shots, own, pairs, same), f"Earlier delivery: work on {len(pairs)} shots …"
                self._asked_again = len(work.waivers) - len(self._brought[0].waivers)
                self._refresh()
                self._say(
                    f"There is work on another delivery of this name, and {len(pairs)} of its {len(shots)} shots are here: "
                    "“Take up the work on the delivery before” brings it to them"
                )

        self._beside.start(Kind.BEFORE, compare, offer)

    def take(self) -> None:
        """Take up what is offered."""
        work = self.offered
        if work is not None:
            self._session.document.take_over(work)
            aside = f"; {len(work.aside)} kept aside" if work.aside else ""
            if asked := self._asked_again:
                aside += f"; {asked} waiver{'s' * (asked > 1)} to be given again, since the pictures are others there"
            self._say(f"Taken up: the work on {len(work.treatments)} shots of the delivery before{aside} (Ctrl+Z)")
