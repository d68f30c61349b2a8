"""Carrying steps on to other shots, which are asked for: a chart's fit, or steps of the shot in view."""

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QWidget

from bluffline.session.session import Session
from bluffline.treat.ladder import Treatment
from bluffline.ui.dialogs.carry_on import CarryOnDialog
from bluffline.ui.dialogs.layout import show_until_closed


class Carrying:
    """Asks which steps go where, and gives them to the shots that are there still."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session, self._window = session, window

    def carry_fit(self, steps: Treatment, found: Sequence[int]) -> None:
        """Ask which shots get a chart's fit; ``found``: those under the chart's light."""
        count = len(found)
        words = "Only the chart's own shot is marked: no other looks to be under the same light."
        if count > 1:
            words = f"{count} shots are marked: they look to be under the chart's light."
        words += " The shots' own other steps follow after the fit."
        self._ask(
            "Carry the fit on", words, steps, found,
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
            session.document.paste(others, self.dialog.steps, "Paste steps")

        self._ask("Paste steps", words, session.document.treatment, (), give)

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
