"""All shots at once: shown, set side by side, grouped, given steps, brought to one of them."""

from functools import partial

from PyQt6.QtWidgets import QWidget

from bluffline.errors import SettingsError
from bluffline.measure.areas import Area
from bluffline.propose.suggesting import Wanted
from bluffline.rules.aims import usable_aims
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor
from bluffline.treat.step import Heading
from bluffline.ui.actions.proposing import Proposing
from bluffline.ui.dialogs.layout import show_until_closed
from bluffline.ui.dialogs.overview import ShotsDialog
from bluffline.ui.dialogs.side_by_side import SideBySideDialog
from bluffline.view.overview import ShotCard, overview
from bluffline.view.side_by_side import Side, side_by_side


class Overseeing:
    """Opens the shots overview and does what is asked there."""

    def __init__(self, session: Session, jobs: Jobs, beside: Jobs, proposing: Proposing, window: QWidget) -> None:
        self._session, self._jobs, self._beside, self._proposing, self._window = session, jobs, beside, proposing, window

    def show(self, *, all_picked: bool = False) -> None:
        """Make a card of every shot and show them all; what is done there is done to those that are picked."""
        session = self._session
        survey, shots, findings, treatments = (
            session.survey,
            list(session.shots),
            list(session.findings),
            session.document.treatments,
        )
        if survey is None or not session.surveyed:
            return

        followed, names = session.document.work.areas, usable_aims().names

        def faces(shot: int) -> list[Area]:
            return [each.in_shot(shot) for each in followed if shot in each.shots and names.says_face(each.area.name)]

        def job(monitor: Monitor) -> list[ShotCard]:
            return overview(
                survey, shots, findings, treatments, lambda done: monitor.at("Shots", done, len(shots), "shots"), faces
            )

        self._jobs.start(Kind.SHOTS, job, partial(self._show_cards, all_picked))

    def _show_cards(self, all_picked: bool, cards: list[ShotCard]) -> None:
        assert self._session.programme is not None
        dialog = ShotsDialog(cards, self._session.programme, self._session.place.shot, usable_aims(), self._window)
        dialog.chosen.connect(self._session.place.go_to)
        dialog.grouped.connect(partial(self._grouped, dialog))
        dialog.given.connect(partial(self._given, dialog))
        dialog.brought.connect(self._proposing.match_shots)
        dialog.proposed.connect(partial(self._proposed, dialog))
        dialog.compared.connect(self.compare)
        if all_picked:
            dialog.pick_all()
        self.dialog = dialog
        show_until_closed(dialog)

    def compare(self, shots: list[int]) -> None:
        """Show some shots side by side."""
        survey, all_shots, treatments = self._session.survey, list(self._session.shots), self._session.document.treatments
        if survey is None:
            return

        def job(monitor: Monitor) -> list[Side]:
            return side_by_side(
                survey, all_shots, shots, treatments, lambda done: monitor.at("Side by side", done, len(shots), "shots")
            )

        self._beside.start(Kind.SHOTS, job, self._show_sides)

    def _show_sides(self, sides: list[Side]) -> None:
        assert self._session.programme is not None
        self.sides = SideBySideDialog(sides, self._session.programme, self._window)
        show_until_closed(self.sides)

    def _grouped(self, dialog: ShotsDialog, name: str, shots: list[int], given: bool) -> None:
        """Make shots a group, or give it the steps that the shot in view has for itself as well."""
        document, shot = self._session.document, self._session.place.shot
        ladder = document.treatment
        places = [n for n, step in enumerate(ladder) if step.place is Heading.SHOT] if given else []
        if given and not places:
            dialog.told.setText(f"Shot {shot + 1} has no steps of its own under Shot that could be given")
            return
        try:
            document.set_group(name, shots, places)
        except SettingsError as error:
            dialog.told.setText(str(error))
            return
        count = f"{len(shots)} shot{'s' if len(shots) > 1 else ''}"
        words = f"; {len(places)} steps of shot {shot + 1} are the group's now" if given else ""
        dialog.told.setText(f"Group {name}: {count}{words} (Ctrl+Z on the desk takes it back)")

    def _proposed(self, dialog: ShotsDialog, shots: list[int], wanted: Wanted) -> None:
        self._proposing.propose(wanted, shots=shots)
        dialog.told.setText(f"Looking at {len(shots)} shot{'s' * (len(shots) > 1)}: the desk says what is proposed for them")

    def _given(self, dialog: ShotsDialog, shots: list[int]) -> None:
        """Give copies of the steps of the shot in view to others."""
        document, shot = self._session.document, self._session.place.shot
        others = [number for number in shots if number != shot]
        if document.treatment and others:
            document.paste(others, document.own, f"Give steps to {len(others)} shots")
            dialog.told.setText(f"{len(document.own)} steps of shot {shot + 1} are given to {len(others)} shots")
        else:
            dialog.told.setText(f"Shot {shot + 1} has no steps, or no other shot is picked: nothing was given")
