"""Balancing the shot in view: by what areas hold, by cards, by a light's temperature."""

from collections.abc import Callable
from typing import TypeVar

from PyQt6.QtWidgets import QWidget

from bluffline.charts.fit import ChartFit, fit_chart
from bluffline.charts.picks import neutral_pick, sample_cards
from bluffline.errors import BlufflineError, MediaError
from bluffline.figures import figure
from bluffline.media.reader import Reader
from bluffline.session.jobs import Kind
from bluffline.session.session import Session
from bluffline.signal.format import Planes
from bluffline.signal.white import gains_for_light
from bluffline.survey.monitor import Monitor
from bluffline.treat.kinds.balance import Balance
from bluffline.ui.actions.for_shot import ForShot
from bluffline.ui.dialogs.layout import show_until_closed
from bluffline.ui.dialogs.light import LightDialog

Found = TypeVar("Found")


class Balancing:
    """Acts on the session; ``say`` tells the operator what was done or can't be."""

    def __init__(self, session: Session, for_shot: ForShot, say: Callable[[str], None], window: QWidget) -> None:
        self._session, self._for_shot, self._say, self._window = session, for_shot, say, window
        self._lights = 0

    def neutral_pick(self, *, linear: bool = True) -> None:
        """Balance the shot in view by what the areas hold, in light or on coded values."""
        source, areas = self._session.source, self._session.document.areas

        def give(shot: int, found: tuple[Balance, str]) -> None:
            step, told = found
            self._session.document.paste([shot], (step,), "Neutral pick")
            self._say(f"Neutral pick: {told}")

        self._pick(lambda planes: neutral_pick(planes, source, areas, linear=linear), give)

    def balance_by_light(self) -> None:
        """Ask for a light's temperature and tint, balancing the shot in view by them as they are turned."""
        self.light = LightDialog(self._window)
        self._lights += 1
        self.light.changed.connect(self.set_light)
        show_until_closed(self.light)

    def set_light(self, kelvin: float, tint: float) -> None:
        """Balance the shot in view for a light; turns of one dialog are undone together."""
        session = self._session
        try:
            step = Balance(gains_for_light(kelvin, tint, session.source.primaries))
        except BlufflineError as error:
            self._say(str(error))
            return
        session.document.paste([session.place.shot], (step,), f"Balance for {kelvin:.0f} K", f"light.{self._lights}")
        self._say(f"Balance for {kelvin:.0f} K, tint {figure(tint, '+.0f')}: {step.text}")

    def three_point(self) -> None:
        """Calibrate the shot in view by white, grey and black cards under three areas."""
        source, areas = self._session.source, self._session.document.areas

        def fit_cards(planes: Planes) -> ChartFit:
            samples, reference = sample_cards(planes, source, areas)
            return fit_chart(samples, reference, source)

        def give(shot: int, fit: ChartFit) -> None:
            self._session.document.calibrate([shot], fit.steps, "Three-point")
            self._say(f"Three-point: mean ΔE2000 of the cards from {fit.stages[0].mean:.1f} to {fit.result.mean:.2f}")

        self._pick(fit_cards, give)

    def _pick(self, make: Callable[[Planes], Found], give: Callable[[int, Found], None]) -> None:
        """Find something in the frame in view, untreated, and give it to its shot, whatever is in view by then."""
        session = self._session
        programme, frame = session.programme, session.place.frame
        if programme is None:
            return

        def job(_: Monitor) -> Found:
            with Reader(programme) as reader:
                planes = reader.planes(frame)
                if planes is None:
                    raise MediaError(f"Frame {frame} can't be decoded.")
                return make(planes)

        self._for_shot.start(Kind.PICK, job, give)
