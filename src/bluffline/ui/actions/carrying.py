"""Carrying steps on to other shots, which are asked for: a chart's fit, or steps of the shot in view."""

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QWidget

from bluffline.session.session import Session
from bluffline.treat.ladder import Treatment
from bluffline.ui.dialogs.carry_on import CarryOnDialog
from bluffline.ui.dialogs.layout import show_until_closed


class Carrying:
    """Copies steps from shot to shot, or asks which go where, and gives them to the shots that are there still."""

    def __init__(self, session: Session, say: Callable[[str], None], window: QWidget) -> None:
        self._session, self._say, self._window = session, say, window

    def copy(self) -> None:
        """Take in hand the step on the bench, or, where none is there, the steps that the shot in view has for itself."""
        session, document, rung = self._session, self._session.document, self._session.place.rung
        on_bench = rung is not None and rung < len(document.treatment)
        steps = (document.treatment[rung],) if on_bench and rung is not None else document.own
        if not steps:
            self._say(f"Shot {session.place.shot + 1} has no steps of its own that could be copied")
            return
        session.in_hand.take(steps, session.shots[session.place.shot])
        self._say(f"Copied from shot {session.place.shot + 1}: {session.in_hand.words}")

    def put(self) -> None:
        """Add what is in hand to the shot in view, each step where it belongs, beside those that are there."""
        session, shot = self._session, self._session.place.shot
        session.document.add_all(session.in_hand.for_shot(session.shots[shot]), f"Paste {session.in_hand.words}")
        self._say(f"Pasted to shot {shot + 1}: {session.in_hand.words}")

    def carry_fit(self, steps: Treatment, found: Sequence[int]) -> None:
        """Ask which shots get a chart's fit; ``found``: those under the chart's light."""
        count = len(found)
        words = "Only the chart's own shot is marked: no other looks to be under the same light."
        if count > 1:
            words = f"{count} shots are marked: they look to be under the chart's light."
        words += " The shots' own other steps follow after the fit."
        self._ask(
            "Give the fit to other shots", words, steps, found,
            lambda shots: self._session.document.calibrate(shots, self.dialog.steps, "Chart fit"),
        )  # fmt: skip

    def paste(self) -> None:
        """Ask which steps of the shot in view go to which other shots."""
        session = self._session
        if not session.document.treatment or session.programme is None:
            return
        words = f"From shot {session.place.shot + 1}. "
        words += "A step takes the place of one of its kind; others are added where they belong."
        own = session.shots[session.place.shot]

        def give(shots: list[int]) -> None:
            others = [number for number in shots if session.shots[number] != own]
            session.document.paste(others, self.dialog.steps, "Give steps")

        self._ask("Give steps to other shots", words, session.document.treatment, (), give)

    def _ask(
        self, title: str, words: str, steps: Treatment, found: Sequence[int], give: Callable[[list[int]], None]
    ) -> None:
        session = self._session
        assert session.programme is not None, "there are shots to choose"
        self.dialog = CarryOnDialog(title, words, steps, session.shots, found, session.programme, self._window)
        asked = session.document.ask(range(len(session.shots)))

        def accepted() -> None:
            there = session.document.settle(asked).there
            give([there[number] for number in self.dialog.shots if number in there])

        self.dialog.accepted.connect(accepted)
        show_until_closed(self.dialog)
