"""Where the step on the bench acts: areas that were drawn, and a key."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from bluffline.errors import SettingsError
from bluffline.measure.areas import Area, Shape
from bluffline.propose.follow import Followed, follow_area
from bluffline.session.asked import Asked
from bluffline.session.jobs import Jobs, Kind
from bluffline.session.session import Session
from bluffline.survey.monitor import Monitor
from bluffline.treat.reach import PLACED, Key, Pose, Reach, ReachArea, area_in_samples
from bluffline.treat.step import Step, called
from bluffline.view.looking import LookingModel, Tool

FEATHERS = (0.0, 2.0, 5.0, 10.0, 20.0)  # percent of the picture's height
_USUAL_FEATHER = 5.0
Point = tuple[float, float]


class Reaching:
    """Gives the step on the bench another reach; ``say`` tells what can't be done."""

    def __init__(self, session: Session, look: LookingModel, beside: Jobs, say: Callable[[str], None]) -> None:
        self._session, self._look, self._beside, self._say = session, look, beside, say

    @property
    def step(self) -> Step | None:
        """The step on the bench."""
        rung, ladder = self._session.place.rung, self._session.document.treatment
        return ladder[rung] if rung is not None and rung < len(ladder) else None

    def give(self, reach: Reach, gesture: str | None = None) -> None:
        """Give it a reach."""
        step, rung = self.step, self._session.place.rung
        if step is not None and rung is not None:
            self._session.document.replace_step(rung, replace(step, reach=reach), gesture=gesture)

    # Areas of its own -------------------------------------------------------------------------------------------------

    def draw(self, tool: Tool) -> None:
        """Take a tool to draw an area of it."""
        self._look.change(tool=tool, for_reach=True)

    def drawn(self, shape: Shape, points: list[Point]) -> None:
        """Add what was drawn to its areas."""
        step = self.step
        if step is None:
            return
        source = self._session.source
        feather = step.reach.areas[0].feather if step.reach.areas else _USUAL_FEATHER
        try:
            made = _in_percent(Area("reach", shape, tuple(points)), source.width, source.height, feather)
        except SettingsError as error:
            self._say(str(error))
            return
        self.give(replace(step.reach, areas=(*step.reach.areas, made)))

    def move(self, number: int, across: float, down: float, gesture: str) -> None:
        """Move one of its areas by so many samples: all along the shot, or from here on where it is followed."""
        source = self._session.source
        shift = across / source.width * 100, down / source.height * 100
        self._change(lambda area: _moved(area, self._frame, *shift), number, gesture)

    def nudge(self, across: float, down: float) -> None:
        """Move its areas by so many percent of the picture."""
        self._change(lambda area: _moved(area, self._frame, across, down))

    def turn(self, larger: float, degrees: float) -> None:
        """Scale and turn its areas where they stand on the frame in view; they are followed from then on."""
        self._change(lambda area: _placed(area, self._frame, larger=larger, turn=degrees), gesture="reach.turn")

    def place_here(self) -> None:
        """Hold its areas where they are on the frame in view, so that they can be moved elsewhere on another."""
        self._change(lambda area: _placed(area, self._frame))

    def stay(self) -> None:
        """Let its areas stand still again, where they stand on the frame in view."""
        size = self._session.source.width, self._session.source.height
        self._change(lambda area: _in_percent(area_in_samples(area.at(self._frame), *size), *size, area.feather))

    def follow(self) -> None:
        """Have its areas followed along the shot, from the frame in view."""
        session, step, rung = self._session, self.step, self._session.place.rung
        programme, source, frame = session.programme, session.source, session.place.frame
        if step is None or rung is None or programme is None or not step.reach.areas:
            self._say("Draw an area for the step first: it is what is followed")
            return
        number = session.place.shot
        shot, areas, asked = session.shots[number], step.reach.areas, session.document.ask([number], rung)

        def run(monitor: Monitor) -> list[Followed]:
            return [follow_area(programme, source, shot, area, frame, monitor) for area in areas]

        self._say(f"Following {len(areas)} area{'s' if len(areas) > 1 else ''} along shot {number + 1} …")
        self._beside.start(Kind.FOLLOW, run, partial(self._followed, asked))

    def _followed(self, asked: Asked, found: list[Followed]) -> None:
        """Take the places of areas that were followed, on the step that it was asked for."""
        reach = replace(asked.step.reach, areas=tuple(each.area for each in found))
        why = self._session.document.settle_step(asked, lambda step: replace(step, reach=reach), f"Follow {called(asked.step)}")
        if why:
            self._say(f"What was followed is left out: {why}")
            return
        lost = sorted({frame for each in found for frame in each.lost})
        programme = self._session.programme
        assert programme is not None
        at = " and ".join(programme.label(frame) for frame in lost)
        self._say(f"Hold is lost at {at}: place it by hand there" if lost else "Followed to both ends of the shot")

    @property
    def _frame(self) -> int:
        """The frame in view."""
        return self._session.place.frame

    def _change(self, change: Callable[[ReachArea], ReachArea], number: int | None = None, gesture: str | None = None) -> None:
        step = self.step
        if step is not None and step.reach.areas:
            areas = tuple(change(area) if number in (None, n) else area for n, area in enumerate(step.reach.areas))
            self.give(replace(step.reach, areas=areas), gesture)

    # What is drawn for all, and keys --------------------------------------------------------------------------------

    def everywhere(self) -> None:
        """Let it act everywhere."""
        self.give(Reach())

    def areas(self, names: tuple[str, ...], *, inside: bool) -> None:
        """Let it act inside areas that are drawn, or everywhere but there."""
        step = self.step
        if step is None:
            return
        source = self._session.source
        feather = step.reach.areas[0].feather if step.reach.areas else _USUAL_FEATHER
        chosen = [area for area in self._session.document.areas if area.name in names]
        parts = tuple(_in_percent(area, source.width, source.height, feather) for area in chosen)
        self.give(replace(step.reach, areas=parts, inside=inside))

    def feather(self, percent: float) -> None:
        """Let the border of its areas be so soft."""
        if self.step is not None:
            reach = self.step.reach
            self.give(replace(reach, areas=tuple(replace(area, feather=percent) for area in reach.areas)))

    def change_key(self, **figures: object) -> None:
        """Change some of its key."""
        if self.step is not None and self.step.reach.key is not None:
            self.give(replace(self.step.reach, key=replace(self.step.reach.key, **figures)))  # type: ignore[arg-type]

    def no_key(self) -> None:
        """Let colours not matter."""
        if self.step is not None:
            self.give(replace(self.step.reach, key=None))

    def give_key(self, key: Key) -> None:
        """Give the step a key."""
        if self.step is not None:
            self.give(replace(self.step.reach, key=key))


def _moved(area: ReachArea, frame: int, across: float, down: float) -> ReachArea:
    """An area moved by so many percent; where it is followed, at this frame."""
    if area.follow:
        return _placed(area, frame, across, down)
    xs, ys = zip(*area.points, strict=True)
    across, down = (
        min(max(by, PLACED.low - min(values)), PLACED.high - max(values)) for by, values in ((across, xs), (down, ys))
    )
    return replace(area, points=tuple((x + across, y + down) for x, y in area.points))


def _placed(
    area: ReachArea, frame: int, across: float = 0.0, down: float = 0.0, larger: float = 1.0, turn: float = 0.0
) -> ReachArea:
    """An area with a place at a frame: where it stands then, moved, scaled and turned."""
    here = area.at(frame).follow or (Pose(0),)
    place = Pose(frame, here[0].across + across, here[0].down + down, here[0].scale * larger, here[0].turn + turn).bounded
    others = [other for other in area.follow if other.frame != frame]
    return replace(area, follow=tuple(sorted((*others, place), key=lambda each: each.frame)))


def _in_percent(area: Area, width: int, height: int, feather: float) -> ReachArea:
    """An area in percent of the picture, so that it means the same at any size."""
    points = tuple((_held(round(x / width * 100, 3)), _held(round(y / height * 100, 3))) for x, y in area.points)
    return ReachArea(area.shape, points, feather)


def _held(percent: float) -> float:
    """Within what a place can be stored as."""
    return min(max(percent, PLACED.low), PLACED.high)
