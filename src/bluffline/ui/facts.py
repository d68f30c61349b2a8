"""What the cards of the desk say at their heads: the place and its levels, the limits, how much is left."""

from collections.abc import Mapping

from PyQt6.QtCore import QTimer

from bluffline.figures import figure
from bluffline.session.session import Session
from bluffline.treat.ladder import acts
from bluffline.ui.gauges.measuring import Measuring
from bluffline.ui.header import Header
from bluffline.ui.picture.viewer import Viewer
from bluffline.ui.style.card import Card
from bluffline.ui.style.pages import Page
from bluffline.ui.style.style import percent
from bluffline.view.looking import Field


class Facts:
    """Tells them anew when asked: each method what a change of one kind touches."""

    def __init__(
        self, session: Session, viewer: Viewer, measuring: Measuring, header: Header, skyline: Card, picture: Card,
        heads: Mapping[str, Page],
    ) -> None:  # fmt: skip
        self._session, self._viewer, self._measuring, self._header = session, viewer, measuring, header
        self._skyline, self._picture, self._heads = skyline, picture, heads
        self._added: dict[int, int] = {}  # findings that coding adds, as they were told of
        self._left = QTimer(heads["Findings"])  # thousands of shots are counted after what the hand did is drawn
        self._left.setSingleShot(True)
        self._left.timeout.connect(self._tell_left)

    def tell_survey(self) -> None:
        """Within which limits the programme is looked at, and how much is left."""
        if self._session.survey is None:
            self._skyline.set_facts("")
            self._heads["Findings"].set_facts("")
            return
        limits = self._session.rules.limits
        self._skyline.set_facts(
            f"luma pale, R′G′B′ behind it · limits: luma {percent(limits.luma[0], 0)} … {percent(limits.luma[1], 0)} dashed, "
            f"R′G′B′ {percent(limits.rgb[0], 0)} … {percent(limits.rgb[1], 0)} dotted · outside hatched"
        )
        self.tell_left()

    def tell_left(self) -> None:
        """How much of what must be fixed is left, as far as it is known; in a moment, once for all that changes until then."""
        self._left.start()

    def stop(self) -> None:
        """Tell no more."""
        self._left.stop()

    def _tell_left(self) -> None:
        session = self._session
        if session.survey is None:
            return
        left, count = session.left_count, session.must_fix_count
        treated = any(acts(steps) for steps in session.document.treatments.values())
        self._heads["Findings"].set_facts(f"{left} left of {count}" if treated else f"{count} must fix")
        if (added := session.added_by_coding()) != self._added:
            self._added = added
            if added and session.codec is not None:
                shots = f"shot{'s' * (len(added) > 1)} {', '.join(str(shot + 1) for shot in added)}"
                more = f"{sum(added.values())} more to fix"
                self._header.say(f"Written as {session.codec.title}, {shots} would have {more}, which coding adds")
        self._header.count_left(left if session.surveyed else None)

    def tell_place(self) -> None:
        """Where one is, what is measured there, and what is done to it."""
        session, viewer = self._session, self._viewer
        if session.programme is None:
            return
        place = f"{session.programme.label(session.place.frame)} · frame {session.place.frame}{self._transition}"
        preview = viewer.preview
        measure = preview.measure if preview is not None and preview.frame == session.place.frame else None
        treated = bool(session.document.treatment) and not viewer.held_source
        reached = "not measured yet"
        if measure is not None:
            levels = session.source.levels
            luma = _between(levels.percent(measure.y_min), levels.percent(measure.y_max))
            reached = f"luma {luma} · R′G′B′ {_between(measure.rgb_min, measure.rgb_max)}"
            place += f" · {reached}"
        look = viewer.look.state
        place += f" · {look.field} shown" if session.source.interlaced and look.field is not Field.BOTH else ""
        place += f" · {look.zoom}:1" if look.zoom else ""
        self._picture.set_facts(place)
        self._heads["Treatment"].set_facts("" if session.document.treatment else "untreated")
        self._heads["Areas"].set_facts("" if session.document.areas else "none is drawn: R draws one")
        for gauge_card in viewer.cards:
            gauge_card.set_facts(self._measuring.facts_of(gauge_card.gauge.instrument, treated=treated))
            gauge_card.speak(reached)
        self._picture.speak(place)
        where = f"shot {session.place.shot + 1} of {len(session.shots)}" if session.shots else "not surveyed yet"
        self._skyline.speak(
            f"frame {session.place.frame} of {session.programme.frame_count}, {where}, {session.must_fix_count} must fix"
        )

    @property
    def _transition(self) -> str:
        """By what shots come and go in the frame in view, and how much there is of the one that comes."""
        place, shots = self._session.place, self._session.shots
        if place.shot >= len(shots):
            return ""
        shot = shots[place.shot]
        for each, comes in ((shot.opens, place.shot), (shot.closes, place.shot + 1)):
            if each is not None and place.frame in each:
                mixed = f", {figure(100 * each.share(place.frame), '.0f')} % shot {comes + 1}" if each.kind.mixes else ""
                return f" · {each.kind}{mixed}"
        return ""


def _between(low: float, high: float) -> str:
    return f"{figure(low, '.1f')} … {figure(high, '.1f')} %"
