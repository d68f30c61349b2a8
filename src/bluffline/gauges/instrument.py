"""What an instrument declares: what a gauge counts with it, its span, graticule, trace, places and back, what is pulled on it.

The desk's board and its menus, the second window, what is kept of the setup, the command line and the tests over all of them
follow from the declaration. Places run from 0, 0 at the top left of a gauge's field to 1, 1 at its bottom right.
"""

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from bluffline.gauges.graticule import Graticule, Line, Point, Scale, Word
from bluffline.gauges.painting import Image, Painting
from bluffline.gauges.scale import Span, Unit
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.reading import Reading
from bluffline.signal.format import SignalFormat

Box = tuple[float, float, float, float]


@dataclass(frozen=True, eq=False)
class Heard:
    """What is heard with each frame, (N,): ``momentary``, ``short_term`` in LUFS, ``peak`` in dBTP; NaN where that is nothing.

    ``asked``: what the rules ask of it, by its name, in the same units.
    """

    columns: Mapping[str, NDArray[np.float64]]
    asked: Mapping[str, float]


@dataclass(frozen=True, eq=False)
class Moment:
    """The frame in view among those around it: its number, and frames a second.

    ``levels``: of frames from ``first`` on, (N,) each in percent: y_min, y_max, rgb_min, rgb_max and, of the
    source, y_mean; NaN where a frame could not be measured. ``heard``: of the same frames, where sound was measured.
    """

    frame: int
    rate: float
    first: int
    levels: Mapping[str, NDArray[np.float64]]
    heard: Heard | None = None


@dataclass(frozen=True, eq=False)
class Trace:
    """Counts of one frame for one gauge.

    ``counts``: (planes, columns, bins) int32. On gauges of level a bin holds the codes from ``first`` + b·``step`` on;
    columns share the picture's width evenly. For a histogram there is one column a plane and one bin a code. On gauges of
    colour columns and bins are Cb and Cr, x and y or u′ and v′, ``step`` each, from ``first`` on.
    ``measured``: pixels (or chroma sites) looked at; ``beyond``: those of them that are not in the counts. ``chroma``:
    (2, columns, bins) mean Cb and Cr codes of each cell, for the waveform in the picture's own colours.
    """

    gauge: "Instrument"
    counts: NDArray[np.int32]
    first: float
    step: float
    measured: int
    beyond: int = 0
    chroma: NDArray[np.float32] | None = None

    @cached_property
    def edges(self) -> NDArray[np.float64]:
        """(bins + 1,) where the bins begin and end."""
        return self.first + self.step * np.arange(self.counts.shape[2] + 1)


@dataclass(frozen=True, slots=True)
class Seen:
    """What a gauge may tell beside its name.

    ``words``: whether it reads the source or what is treated; ``proxy``: at half size; ``roomy``: whether there is room for
    more than these few words. ``luma``: see `Scale`; ``gamut`` and ``gamut_area``: what is asked for, and the percent of pixels
    outside it; ``combing``: percent; ``heard``: whether sound was measured.
    """

    unit: Unit
    words: str
    proxy: bool
    roomy: bool
    luma: float
    gamut: str | None = None
    gamut_area: float | None = None
    combing: float | None = None
    heard: bool = False

    def told(self, *words: str) -> str:
        """Words, and that the gauge reads half the size, where it does."""
        return " · ".join(filter(None, (*words, "half size" if self.proxy else "")))


@dataclass(frozen=True)
class Instrument(ABC):
    """An instrument in one of its modes. A module of `bluffline.gauges.each` holds it, and that is all there is to know of it.

    Attributes
    ----------
    name : in files and on the command line; ``modes``: what each is called, by what stands there
    place : in menus
    square : whether its field is; ``sideways``: whether levels run across; ``across``: whether its columns are the picture's
    hears : whether it shows sound
    by_gamut : whether it marks colours outside the gamut asked for
    margins : pixels left, above, right and below that its words need beside the field

    Raises
    ------
    ValueError : it has no such mode
    """

    mode: str = ""

    name: ClassVar[str]
    modes: ClassVar[Mapping[str, str]]
    place: ClassVar[int] = 50
    square: ClassVar[bool] = False
    sideways: ClassVar[bool] = False
    across: ClassVar[bool] = False
    hears: ClassVar[bool] = False
    by_gamut: ClassVar[bool] = False
    margins: ClassVar[tuple[int, int, int, int]] = (6, 6, 6, 6)

    def __post_init__(self) -> None:
        if not self.mode:
            object.__setattr__(self, "mode", next(iter(self.modes)))
        if self.mode not in self.modes:
            raise ValueError(f"a {self.name} has no mode {self.mode}; it has {', '.join(self.modes)}")

    def __str__(self) -> str:
        return f"{self.name} {self.mode}"

    @property
    def title(self) -> str:
        """What a gauge with it is called."""
        return f"{self.name.capitalize()}, {self.modes[self.mode]}"

    @property
    def components(self) -> tuple[str, ...]:
        """What the planes of its counts are."""
        return ("pixels",)

    @property
    def around(self) -> float:
        """Seconds of the programme that it shows; 0 where it shows the frame in view alone."""
        return 0.0

    # What it counts ------------------------------------------------------------------------------------------------

    @abstractmethod
    def count(self, frame: FrameSignal, selection: Selection, columns: int, moment: Moment | None) -> Trace:
        """The counts of a frame.

        Parameters
        ----------
        selection : the pixels to count
        columns : that the field is wide
        moment : where ``around`` asks for one
        """

    def table(self, trace: Trace) -> Iterator[tuple[object, ...]]:
        """The counts as rows of a table, the first one its head: those that are not zero."""
        yield "component", "column", "code", "count"
        for n, component in enumerate(self.components):
            for column, level in zip(*np.nonzero(trace.counts[n]), strict=True):
                yield component, int(column), int(trace.first + level * trace.step), trace.counts[n, column, level]

    # How it looks --------------------------------------------------------------------------------------------------

    @property
    def span(self) -> Span | None:
        """The levels that it has room for, where it shows levels."""
        return None

    @abstractmethod
    def marks(self, scale: Scale) -> Iterator[Line | Word]:
        """The lines and words of its graticule."""

    def graticule(self, scale: Scale) -> Graticule:
        """Its graticule."""
        parts = list(self.marks(scale))
        return Graticule(
            tuple(part for part in parts if isinstance(part, Line)), tuple(part for part in parts if isinstance(part, Word))
        )

    @abstractmethod
    def paint(self, trace: Trace, image: Image, by: Painting, other: Trace | None = None) -> None:
        """Paint a trace on an empty field; ``other``: counts of the same gauge to lay over it in outline."""

    def facts(self, seen: Seen) -> str:
        """What a gauge with it tells beside its name."""
        return seen.told(str(seen.unit), seen.words if seen.roomy else "")

    # Places --------------------------------------------------------------------------------------------------------

    def places(self, source: SignalFormat, reading: Reading, x: float) -> list[Point]:
        """Where what was read stands, one place for each component that it shows; ``x``: the column read, in luma samples."""
        return []

    def place_of(self, source: SignalFormat, rgb: NDArray[np.floating]) -> Point | None:
        """Where R′G′B′ (3,), 0 … 1, stands on a gauge of colour; None on others, and where black has no place."""
        return None

    def pixels(self, frame: FrameSignal, box: Box) -> NDArray[np.bool_] | None:
        """(H, W) the pixels that stand inside a box, left, top, right and bottom; None where it shows no pixels."""
        return None

    def frame_at(self, trace: Trace, place: Point) -> int | None:
        """The frame of the programme that stands at a place of a trace, where it shows several."""
        return None

    # What is pulled on it ------------------------------------------------------------------------------------------

    @property
    def pulled(self) -> tuple[int | None, ...]:
        """The components whose levels can be pulled on it, from the left (None: luma); each has a part of the field."""
        return ()

    @property
    def reach(self) -> float | None:
        """The chroma that it is wide, where a colour can be pulled on it."""
        return None
