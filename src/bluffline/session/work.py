"""The operator's work on a programme: treatments and areas; the state that undo goes back through."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from bluffline.measure.areas import Area
from bluffline.treat.steps import Treatment

Treatments = Mapping[int, Treatment]


@dataclass(frozen=True)
class FollowedArea:
    """An area, and where it stands in shots that it has been moved in by itself."""

    area: Area
    shots: Mapping[int, Area] = field(default_factory=lambda: MappingProxyType({}))

    def in_shot(self, shot: int) -> Area:
        """Where it stands in a shot."""
        return self.shots.get(shot, self.area)

    def moved(self, across: float, down: float, shot: int | None) -> "FollowedArea":
        """The same elsewhere: in one shot, or wherever it has not been moved by itself."""
        if shot is None:
            return replace(self, area=self.area.moved(across, down))
        return replace(self, shots=MappingProxyType({**self.shots, shot: self.in_shot(shot).moved(across, down)}))

    def renamed(self, name: str) -> "FollowedArea":
        """The same under another name."""
        return FollowedArea(
            replace(self.area, name=name), MappingProxyType({n: replace(area, name=name) for n, area in self.shots.items()})
        )


@dataclass(frozen=True)
class Work:
    """Treatments by shot number, and areas in the order they were drawn."""

    treatments: Treatments = field(default_factory=lambda: MappingProxyType({}))
    areas: tuple[FollowedArea, ...] = ()
