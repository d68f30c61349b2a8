"""What a step is: a kind declares its figures once, as annotated fields, and everything else follows from the declaration."""

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, field, fields, replace
from enum import StrEnum
from functools import cache
from itertools import pairwise
from typing import Annotated, Any, ClassVar, Protocol, Self, get_args, get_origin, get_type_hints

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.measure.counted import Limits
from bluffline.measure.region import Region
from bluffline.signal.format import SignalFormat
from bluffline.signal.matrix import Matrix
from bluffline.treat.hands import Grip, Picked
from bluffline.treat.operations import Operation
from bluffline.treat.reach import EVERYWHERE, Reach

Float = NDArray[np.floating[Any]]
Points = tuple[tuple[float, float], ...]
Channels = tuple[float, float, float, float]  # master, R′, G′, B′
LEAST_APART, MOST_POINTS = 0.1, 64  # of the points of a curve along it, and how many it has


_SHOWN = 120  # characters of a refused value that are shown


class Heading(StrEnum):
    """Where on the ladder a step stands; they act in this order."""

    SOURCE = "source"
    SHOT = "shot"
    GROUP = "group"
    OVER_ALL = "over all"
    LIMITS = "limits"


@dataclass(frozen=True, slots=True)
class Number:
    """A figure, or several alike: what it is called, its unit, its bounds, and how far arrows and arrows with Shift move it.

    ``parts``: what several are called one by one.
    """

    label: str
    unit: str
    least: float
    greatest: float
    nudge: float = 0.5
    finer: float = 0.1
    parts: tuple[str, ...] = ()

    def __contains__(self, value: float | Sequence[float]) -> bool:
        parts = (value,) if isinstance(value, int | float | np.number) else value
        return all(self.least <= part <= self.greatest for part in parts)

    def __str__(self) -> str:
        return f"between {self.least:g} and {self.greatest:g}"


@dataclass(frozen=True, slots=True)
class Choice:
    """One of some words, which may only be known while the program runs: what it is called, and what there is to choose.

    ``stored``: its key in stored form, where that is not its name.
    """

    label: str
    among: Callable[[], tuple[str, ...]]
    stored: str = ""

    def __contains__(self, value: object) -> bool:
        return value in self.among()

    def __str__(self) -> str:
        return "one that is known here"


@dataclass(frozen=True, slots=True)
class Curve:
    """Points of a curve, from left to right: what it is called, what runs along it, what stands up it.

    ``least``: how many points there are at least; ``round``: it goes on at its start where it ends, as hues do.
    """

    label: str
    along: Number
    up: Number
    least: int = 2
    round: bool = False

    def tidied(self, points: Points) -> Points:
        """Points from left to right; of a round curve those that say the same of one place, as 0° and 360° do, only once."""
        ordered = tuple(sorted(points))
        if self.round and len(ordered) > 1:
            (first, value), (last, other) = ordered[0], ordered[-1]
            if value == other and abs(first + 360 - last) < LEAST_APART:
                return ordered[:-1]
        return ordered

    @staticmethod
    def with_point(points: Points, along: float, up: float) -> Points:
        """Points with one more, in place of one that stands there."""
        kept = [point for point in points if abs(point[0] - along) >= LEAST_APART]
        return tuple(sorted([*kept, (round(along, 1), round(up, 3))]))

    def __contains__(self, points: Points) -> bool:
        x, y = [point[0] for point in points], [point[1] for point in points]
        least = LEAST_APART - 1e-9  # as far as sums of decimals are one
        apart = all(b - a >= least for a, b in pairwise(x))
        once = not self.round or len(x) < 2 or x[0] + 360 - x[-1] >= least
        return self.least <= len(x) <= MOST_POINTS and apart and once and x in self.along and y in self.up

    def __str__(self) -> str:
        many = f"{self.least} to {MOST_POINTS} points from left to right, {LEAST_APART:g} {self.along.unit} apart at least"
        return f"{many}, {self.along.label} {self.along} and {self.up.label} {self.up}"


@dataclass(frozen=True, slots=True)
class Told:
    """A figure that is chosen, switched, or comes from elsewhere: what it is called."""

    label: str

    def __contains__(self, value: object) -> bool:
        return True


@dataclass(frozen=True, slots=True)
class Drawn(Told):
    """A figure that has an editor of its own to draw it with; ``editor``: which, see `bluffline.ui.ladder.editors`."""

    editor: str


@dataclass(frozen=True, slots=True)
class Figure:
    """A declared figure: its name, its declaration, its neutral value."""

    key: str
    declared: Number | Choice | Curve | Told
    neutral: Any

    @property
    def stored(self) -> str:
        """Its key in stored form."""
        return self.declared.stored or self.key if isinstance(self.declared, Choice) else self.key


class Signal(Hashable, Protocol):
    """What steps have to know of a signal; they carry none of it themselves."""

    @property
    def bit_depth(self) -> int: ...
    @property
    def matrix(self) -> Matrix: ...
    @property
    def transfer(self) -> str: ...
    @property
    def primaries(self) -> str: ...


@dataclass(frozen=True, slots=True)
class Measured:
    """What a shot measures, for a step to begin with: least and greatest luma in percent, and the limits it is judged by."""

    low: float
    high: float
    limits: Limits
    source: SignalFormat


@dataclass(frozen=True)
class Step:
    """A rung of the ladder: the figures of its kind, whether it is in force, its heading, its reach.

    A kind is a subclass: its fields are its figures, their defaults neutral. ``heading`` None: where its kind belongs.

    Attributes
    ----------
    picks : whether colours that are picked on the picture set it, see `picked`
    balances : which of its figures, three gains, a colour that is pulled on a vectorscope is solved by; none where empty
    library : whether its figures are kept under names beside the shelf
    transfer : whether the transfer line says anything while it is drawn
    """

    kind: ClassVar[str]
    title: ClassVar[str]
    home: ClassVar[Heading] = Heading.SHOT
    work: ClassVar[int] = 50  # where it comes in the order of the work under its heading: lower ones first
    key: ClassVar[str] = ""  # adds it; few kinds are added so often that they have one
    by_hand: ClassVar[bool] = True  # whether it can be begun by hand; others come from a chart or a file
    calibrates: ClassVar[bool] = False  # whether a chart fit takes its place
    picks: ClassVar[bool] = False
    balances: ClassVar[str] = ""
    library: ClassVar[bool] = False
    transfer: ClassVar[bool] = False
    on: bool = field(default=True, kw_only=True)
    heading: Heading | None = field(default=None, kw_only=True)
    reach: Reach = field(default=EVERYWHERE, kw_only=True)

    def __post_init__(self) -> None:
        """Refuse figures out of their bounds.

        Raises
        ------
        SettingsError : which, and what it may be
        """
        for one in self.figures():
            value = getattr(self, one.key)
            if isinstance(one.declared, Curve):
                value = one.declared.tidied(value)
                object.__setattr__(self, one.key, value)
            if value not in one.declared:
                label = one.declared.label.lower()
                raise SettingsError(f"{self.title}: {label} must be {one.declared}, not {str(value)[:_SHOWN]}.")

    @classmethod
    @cache
    def figures(cls) -> tuple[Figure, ...]:
        """What is declared of it, in order."""
        hints = get_type_hints(cls, include_extras=True)
        own = [one for one in fields(cls) if get_origin(hints[one.name]) is Annotated]
        return tuple(Figure(one.name, get_args(hints[one.name])[1], one.default) for one in own)

    @classmethod
    def begun(cls, shot: Measured) -> Self:
        """A step of the kind for a shot, its figures from what the shot measures."""
        return cls()

    def figured(self, key: str, value: Any) -> Self:
        """The same with another figure; ``gains.1`` is the second of several.

        Raises
        ------
        SettingsError : it can't be so
        """
        name, _, part = key.partition(".")
        if part:
            whole = list(getattr(self, name))
            whole[int(part)] = value
            value = tuple(whole)
        return replace(self, **{name: value})

    # What a hand does to it ----------------------------------------------------------------------------------------

    def settable(self, key: str) -> bool:
        """Whether a figure counts as the step stands."""
        return True

    def chosen(self, key: str, word: str, shot: Measured) -> Self:
        """The same with another word of a choice, and with the figures that follow from it."""
        return self.figured(key, word)

    @classmethod
    def derived(cls) -> tuple[Figure, ...]:
        """Numbers that follow from its figures, and can be set in their place."""
        return ()

    def derived_value(self, key: str, signal: Signal) -> float:
        """One of `derived` as the figures stand."""
        raise NotImplementedError

    def with_derived(self, key: str, value: float, signal: Signal) -> Self:
        """The same with figures that one of `derived` follows from.

        Raises
        ------
        SettingsError : it can't be so
        """
        raise NotImplementedError

    def curve_at(self, key: str, along: Float) -> NDArray[np.float64]:
        """What one of its curves has at places along it."""
        raise NotImplementedError

    def picked(self, colours: Picked) -> Self:
        """The same as colours set it that were picked.

        Raises
        ------
        SettingsError : they say nothing of what is asked
        """
        raise NotImplementedError

    def with_curve_through(self, key: str, along: float) -> Self:
        """The same with a point more on one of its curves, where the curve stands already."""
        up = float(self.curve_at(key, np.array(along)))
        return self.figured(key, Curve.with_point(getattr(self, key), along, up))

    def grips(self, black: float, grey: float, white: float) -> tuple[Grip, ...]:
        """What of it can be pulled on a gauge.

        Parameters
        ----------
        black, grey, white : percent, as they come into the ladder on the frame in view
        """
        return ()

    def gripped(self, grip: Grip, value: float) -> Self:
        """The same with the figure of a grip at a value."""
        return self.figured(grip.field, value)

    @property
    def place(self) -> Heading:
        """The heading that it stands under."""
        return self.heading or self.home

    @property
    def limits(self) -> bool:
        """Whether it belongs to those that nothing may break after them."""
        return self.home is Heading.LIMITS

    @property
    def overshoot_share(self) -> float:
        """By how much of the range about a pixel it may reach beyond it, from what its neighbours are; 0: it looks at none."""
        return 0.0

    @property
    def looks_about(self) -> bool:
        """Whether what it makes of a pixel depends on its neighbours: no table of colours can hold it."""
        return False

    @property
    def text(self) -> str:
        """Its figures in a line."""
        raise NotImplementedError

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        """R′G′B′ (..., 3), 0 black and 1 white, never clamped, to the same, in double precision and without regard to reach.

        This is what the step means; the compiled pass agrees with it.
        """
        raise NotImplementedError

    def apply_to_picture(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        """The same for the pixels (H, W, 3) of a picture, for steps that look at neighbours."""
        return self.apply(rgb, signal)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        """What it compiles to; nothing where its figures are neutral."""
        raise NotImplementedError


@dataclass(frozen=True)
class NeighbourStep(Step):
    """A step that adds to luma what a pixel's neighbours say; chroma is left as it is, and fields are looked at apart."""

    @property
    def acts(self) -> bool:
        """Whether it changes anything."""
        raise NotImplementedError

    def added(self, luma: NDArray[Any], shrunk: int) -> NDArray[Any]:
        """What is added to luma (H, W), 0 … 1, of a picture or a field, so many times smaller than it was."""
        raise NotImplementedError

    @property
    def looks_about(self) -> bool:
        return self.acts

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        """A colour by itself has no neighbours: it is left as it is."""
        return np.asarray(rgb, np.float64)

    def apply_to_picture(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        luma = rgb @ np.array(signal.matrix.luma_weights)
        interlaced = isinstance(signal, SignalFormat) and signal.interlaced
        return np.asarray(rgb + self._fields(luma, interlaced=interlaced, shrunk=1)[..., None])

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        """None by itself: the plan has it worked out before, and added to luma."""
        return ()

    def added_in(self, luma: NDArray[np.float32], region: Region, source: SignalFormat, shrunk: int) -> NDArray[np.float32]:
        """What is added to luma (H, W), 0 … 1, of a picture so many times smaller than it was; nothing beyond a region."""
        added = np.zeros_like(luma)
        left, right, top, bottom = region.edges
        part = np.ascontiguousarray(luma[top:bottom, left:right])
        added[top:bottom, left:right] = self._fields(part, interlaced=source.interlaced, shrunk=shrunk)
        return added

    def _fields(self, luma: NDArray[Any], *, interlaced: bool, shrunk: int) -> NDArray[Any]:
        if not self.acts:
            return np.zeros_like(luma)
        if not interlaced or luma.shape[0] < 2:
            return self.added(luma, shrunk)
        added = np.empty_like(luma)
        for one in (0, 1):
            added[one::2] = self.added(np.ascontiguousarray(luma[one::2]), shrunk)
        return added


@dataclass(frozen=True)
class LumaStep(Step):
    """A step that looks at luma alone: luma goes to luma, chroma is scaled by a gain that follows from luma."""

    def luma(self, percent: Float, signal: Signal) -> tuple[Float, Float]:
        """Luma in percent to luma in percent, and the gain of chroma at each."""
        raise NotImplementedError

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        luma = rgb @ np.array(signal.matrix.luma_weights)
        treated, gain = self.luma(luma * 100, signal)
        return np.asarray((treated / 100)[..., None] + (rgb - luma[..., None]) * gain[..., None], np.float64)

    @property
    def bounds(self) -> tuple[float, float]:
        """Least and greatest luma (percent) that it lets through; infinite where there is none."""
        return -np.inf, np.inf


def called(step: Step | type[Step]) -> str:
    """A step's name within a sentence."""
    return step.title if step.title.isupper() else step.title.lower()
