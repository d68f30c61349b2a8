"""The areas that the operator draws: added, moved in one shot or in all, named, removed; every act to be undone."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from types import MappingProxyType

from bluffline.measure.areas import Area, Shape
from bluffline.session.work import FollowedArea, Work


class DrawnAreas:
    """Acts on the areas of the work; ``push`` takes another state of it, what was done, and the gesture that it is part of.

    ``shot``: the shot in view, by the work's numbers.
    """

    def __init__(
        self, work: Callable[[], Work], shot: Callable[[], int], push: Callable[[Work, str, str | None], None]
    ) -> None:
        self._work, self._shot, self._push = work, shot, push

    def add(self, shape: Shape, points: Sequence[tuple[float, float]]) -> None:
        """Draw another area, named by the next free number.

        Raises
        ------
        SettingsError : too few points for the shape.
        """
        names = {followed.area.name for followed in self._work().areas}
        name = next(f"area {n}" for n in range(1, len(names) + 2) if f"area {n}" not in names)
        added = FollowedArea(Area(name, shape, tuple((float(x), float(y)) for x, y in points)))
        self._push_areas((*self._work().areas, added), f"Draw {name}")

    def mark(self, name: str, shape: Shape, points: Sequence[tuple[float, float]]) -> None:
        """Draw the area of a name as it stands in the shot in view; one that there is stays elsewhere as it is.

        Raises
        ------
        SettingsError : too few points for the shape.
        """
        area = Area(name, shape, tuple((float(x), float(y)) for x, y in points))
        areas = list(self._work().areas)
        number = next((n for n, followed in enumerate(areas) if followed.area.name == name), len(areas))
        marked = areas[number] if number < len(areas) else FollowedArea(area)
        areas[number:] = [replace(marked, shots=MappingProxyType({**marked.shots, self._shot(): area})), *areas[number + 1 :]]
        self._push_areas(tuple(areas), f"Mark {name}")

    def move(self, number: int, across: float, down: float, *, only_here: bool = False, gesture: str | None = None) -> None:
        """Move an area, in the shot in view alone or wherever it has no place of its own."""
        followed = self._work().areas[number]
        alone = only_here or self._shot() in followed.shots
        moved = followed.moved(across, down, self._shot() if alone else None)
        self._set_area(number, moved, f"Move {followed.area.name}", gesture)

    def rename(self, number: int, name: str, *, here: bool = False) -> None:
        """Give an area another name; ``here``: it tells what the shot in view holds, and so has a place of its own in it."""
        followed = self._work().areas[number]
        named = followed.renamed(name)
        named = named.moved(0, 0, self._shot()) if here else named
        self._set_area(number, named, f"Rename {followed.area.name}")

    def remove(self, number: int) -> None:
        """Remove an area."""
        areas = list(self._work().areas)
        removed = areas.pop(number)
        self._push_areas(tuple(areas), f"Remove {removed.area.name}")

    def _set_area(self, number: int, area: FollowedArea, act: str, gesture: str | None = None) -> None:
        areas = list(self._work().areas)
        areas[number] = area
        self._push_areas(tuple(areas), act, gesture)

    def _push_areas(self, areas: tuple[FollowedArea, ...], act: str, gesture: str | None = None) -> None:
        self._push(replace(self._work(), areas=areas), act, gesture)
