"""How the picture is looked at: zoom, comparison, zone map, fields, isolation, tools. Changes nothing that is measured."""

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from bluffline.measure.region import Region
from bluffline.session.event import Event
from bluffline.view.preview import PinnedFrame

ZOOMS = (0, 1, 4)  # 0: the whole picture; else screen pixels for each pixel of it


class Compare(StrEnum):
    """How two pictures are put beside each other."""

    WIPE = "wipe"
    SIDE = "side by side"
    FLIP = "flip"


class Tool(StrEnum):
    """What dragging on the picture does."""

    LOOK = "look"
    RECTANGLE = "rectangle"
    ELLIPSE = "ellipse"
    POLYGON = "polygon"
    PATH = "path"
    KEY = "key"
    COLOUR = "colour"


class Field(StrEnum):
    """Which lines of an interlaced picture are shown."""

    BOTH = "both fields"
    FIRST = "first field"
    SECOND = "second field"


class Isolate(StrEnum):
    """What the waveforms are restricted to."""

    NOTHING = "nothing"
    COLUMN = "the column under the pointer"
    LINE = "the line under the pointer"


@dataclass(frozen=True)
class Looking:
    """How it is looked at.

    ``centre``: the pixel in the middle of a zoomed picture; ``angle``: of the wipe, degrees anticlockwise from upright;
    ``safe``: whether safe areas are shown; ``reach``: whether that of the step on the bench is; ``for_reach``: whether what is
    drawn next is to be part of it; ``until``: whether the ladder is shown no further than the rung on the bench.
    """

    zoom: int = 0
    centre: tuple[float, float] = (0.0, 0.0)
    compare: Compare = Compare.WIPE
    wipe: float = 0.5
    angle: float = 0.0
    flipped: bool = False
    hatching: bool = True
    zones: bool = False
    safe: bool = False
    field: Field = Field.BOTH
    isolate: Isolate = Isolate.NOTHING
    reach: bool = False
    tool: Tool = Tool.LOOK
    for_reach: bool = False
    until: bool = False
    pinned: PinnedFrame | None = None

    def window(self, width: int, height: int, room: tuple[int, int]) -> Region | None:
        """The part of a picture that a zoomed view of ``room`` screen pixels shows; None for all of it."""
        if not self.zoom:
            return None
        wide, high = (max(min(-(-pixels // self.zoom), size), 2) for pixels, size in zip(room, (width, height), strict=True))
        x = round(min(max(self.centre[0] - wide / 2, 0), width - wide))
        y = round(min(max(self.centre[1] - high / 2, 0), height - high))
        return Region(x, y, wide, high)


class LookingModel:
    """The way of looking in force, and the event that tells of its changes."""

    def __init__(self) -> None:
        self.state = Looking()
        self.changed = Event()

    def change(self, **fields: Any) -> None:
        """Change some of it."""
        self.state = replace(self.state, **fields)
        self.changed.tell()

    def next_of(self, name: str) -> None:
        """The next member of one of the enumerations."""
        value = getattr(self.state, name)
        kind: type[StrEnum] = type(value)
        members = list(kind)
        self.change(**{name: members[(members.index(value) + 1) % len(members)]})

    def toggle(self, name: str) -> None:
        """Turn a switch over."""
        self.change(**{name: not getattr(self.state, name)})

    def zoom_by(self, steps: int, centre: tuple[float, float]) -> None:
        """Zoom in or out about a pixel."""
        place = min(max(ZOOMS.index(self.state.zoom) + steps, 0), len(ZOOMS) - 1)
        if ZOOMS[place] != self.state.zoom:
            self.change(zoom=ZOOMS[place], centre=centre)
