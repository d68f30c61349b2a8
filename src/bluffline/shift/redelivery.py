"""A file that comes again: what came before under its name, and what has become of what was found in it."""

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Generic, NamedTuple, TypeVar

from bluffline.media.opening import shown
from bluffline.rules.severity import Severity
from bluffline.session.likeness import alike, looks_from
from bluffline.shift.one_file import Told

# What is put behind a name when it is delivered anew. A bare number is none: it tells one episode from another.
_ANEW = re.compile(r"[\s._-]*\(\d+\)$|[\s._-]+(?:(?:v|ver|version|rev|take)[\s._-]*\d+|new|fixed|fix|final|corrected)$")
_Found = TypeVar("_Found")
Delivery = tuple[Path, str]  # a file and the SHA-256 of what it held


class Broken(NamedTuple, Generic[_Found]):
    """A finding, by what tells it from others: its shot and the rule that is broken."""

    shot: int
    rule: str
    found: _Found


@dataclass(frozen=True)
class Became(Generic[_Found]):
    """What became of findings: those that their shot has no more, that it still has, that are new, and whose shots are gone."""

    answered: list[_Found] = field(default_factory=list)
    still: list[_Found] = field(default_factory=list)
    new: list[_Found] = field(default_factory=list)
    gone: list[_Found] = field(default_factory=list)


def what_became(before: Sequence[Broken[_Found]], now: Sequence[Broken[_Found]], pairs: Mapping[int, int]) -> Became[_Found]:
    """Hold findings of one delivery against those of the next. ``pairs``: the shots of the one before, by the numbers now."""
    became: Became[_Found] = Became()
    broke = {(each.shot, each.rule) for each in before}
    breaks = {(pairs[each.shot], each.rule) for each in now if each.shot in pairs}
    there = set(pairs.values())
    for shot, rule, found in before:
        if shot not in there:
            became.gone.append(found)
        elif (shot, rule) not in breaks:
            became.answered.append(found)
    for shot, rule, found in now:
        (became.still if (pairs.get(shot), rule) in broke else became.new).append(found)
    return became


@dataclass(frozen=True)
class CameBefore:
    """What came before a file, and what of it is still so.

    ``name``: of the file as it was called then; ``at``: when it was measured, in ISO 8601; ``must_fix``: findings that it had;
    ``answered``, ``still``, ``new``, ``gone``: how many that must be fixed became what, see `Became`; ``skyline``, ``limits``:
    see `Told`.
    """

    name: str
    at: str
    must_fix: int
    answered: int
    still: int
    new: int
    gone: int
    skyline: bytes = field(default=b"", repr=False)
    limits: tuple[float, float, float, float] = (0.0, 100.0, 0.0, 100.0)

    def __str__(self) -> str:
        told = f"{self.name}, {self.at[:16].replace('T', ' ')} UTC: {self.must_fix or 'nothing'} must fix"
        gone = self.gone, "gone with their shots"
        counts = ((self.answered, "answered"), (self.still, "still there"), (self.new, "new"), gone)
        return "; ".join(filter(None, (told, ", ".join(f"{count} {words}" for count, words in counts if count))))


def name_root(path: Path) -> str:
    """A file's name without its ending and what tells that it comes anew; harbour-v2.mov and harbour-v3.mxf share it."""
    name = path.stem.casefold()
    while (shorter := _ANEW.sub("", name)) not in ("", name):
        name = shorter
    return name


def came_before(name: str, before: Told, now: Told) -> CameBefore | None:
    """What an earlier delivery was, and what became of its findings; None where no shot of it is there."""
    pairs = alike(looks_from(before.looks), looks_from(now.looks))
    if not pairs:
        return None
    became = what_became(list(_must_fix(before)), list(_must_fix(now)), pairs)
    return CameBefore(
        name, before.at, before.count(Severity.MUST_FIX),
        len(became.answered), len(became.still), len(became.new), len(became.gone), before.skyline, before.limits,
    )  # fmt: skip


def deliveries(known: Mapping[Delivery, Told]) -> dict[Delivery, CameBefore | None]:
    """What came before each of the files that share a root: by the number in their names, then by when they were measured."""
    order = sorted(known, key=lambda each: (_number_in(each[0]), known[each].at))
    found: dict[Delivery, CameBefore | None] = {}
    for place, each in enumerate(order):
        others = (other for other in reversed(order[:place]) if other[1] != each[1])
        sooner = (came_before(shown(other[0].name), known[other], known[each]) for other in others)
        found[each] = next(filter(None, sooner), None)
    return found


def _number_in(path: Path) -> int:
    """The number that a name gives a delivery; 0 where it gives none."""
    found = _ANEW.search(path.stem.casefold())
    digits = re.sub(r"\D", "", found[0]) if found else ""
    return int(digits[:9]) if digits else 0


def _must_fix(told: Told) -> Iterator[Broken[Any]]:
    for each in told.checked.get("findings", ()):
        if each["severity"] == Severity.MUST_FIX and "waived" not in each:
            yield Broken(each["shot"], each["rule"], each)
