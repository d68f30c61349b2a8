"""The document: what the operator has done to a programme, kept between sittings in one SQLite file.

A programme is known by what is in it, so that its work follows it when it is moved or renamed; when the file is another, its
old work does not come back. Treatments are kept with the shots that they were made for, and carried to those it has now.
"""

import json
import os
import sqlite3
from collections.abc import Callable, Sequence
from contextlib import closing, suppress
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from types import MappingProxyType
from typing import Any, TypeVar

from bluffline.declared import made
from bluffline.errors import SettingsError
from bluffline.folders import UserFolder
from bluffline.measure.areas import Area
from bluffline.media.opening import shown
from bluffline.rules.shots import Shot
from bluffline.rules.waivers import waiver_from, waiver_to
from bluffline.session.faults import fault_of
from bluffline.session.fingerprint import fingerprint_before_5
from bluffline.session.hold import Hold
from bluffline.session.likeness import Looks, looks_from, looks_text
from bluffline.session.work import Aside, Cuts, FollowedArea, Shared, Work, own_step
from bluffline.treat.ladder import shifted
from bluffline.treat.step import Heading
from bluffline.treat.stored import step_to, steps_from

VERSION = 5
MOST_FRAMES = 1 << 31  # of a programme
# Up to version 4 there was one table, `work`, keyed by paths: what it holds is found while files keep their time of change.
_SCHEMA = (
    """
    create table if not exists kept (
        content text primary key, name blob not null, shots text not null, work text not null, changed text not null,
        looks text not null
    ) without rowid
    """,
    "create index if not exists kept_name on kept (name)",
    """
    create table if not exists aside (
        content text not null, name blob not null, shots text not null, work text not null, changed text not null,
        looks text not null
    )
    """,
)

_BEFORE = "select shots, work, looks from kept where name = ? and content <> ? and looks <> '' order by changed desc"
_LIST = "select content, name, changed, length(work) from kept order by changed"
_PLACES = "frames of the programme"  # where areas are followed
_KEEP = """
insert into kept values (?, ?, ?, ?, strftime('%Y-%m-%d %H:%M:%f', 'now'), ?) on conflict (content) do update set
    name = excluded.name, shots = excluded.shots, work = excluded.work, changed = excluded.changed,
    looks = case excluded.looks when '' then looks else excluded.looks end
"""

Kept = tuple[Work, list[Shot]]
Found = TypeVar("Found")


@dataclass(frozen=True, slots=True)
class Known:
    """A programme that there may be work on: what it holds, see `fingerprint`, and what it is called."""

    content: str
    path: Path

    @property
    def name(self) -> bytes:
        """Its place as bytes, since names need not be text."""
        return os.fsencode(self.path.absolute())


@dataclass(frozen=True, slots=True)
class Earlier:
    """Work that is kept on a programme: where that was, when it was last changed, and the bytes that the work takes."""

    known: Known
    changed: str
    size: int


class DocumentStore:
    """Keeps and gives back the work on programmes, each by what it holds.

    What can't be read of one programme is put aside alone. A file that is no store, or comes from a later version, is put aside
    under another name and never written to. ``told``: a sentence of it; empty where there is nothing to say.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or UserFolder.WORK.path / "work.sqlite"
        self.told = ""

    def keep(self, known: Known, shots: Sequence[Shot], work: Work, looks: Looks | None = None) -> bool:
        """Keep the work on a programme, in place of what was kept before; whether it could be.

        What could not be read again is not kept: what was kept before stays.

        Parameters
        ----------
        shots : those that the work's numbers mean, before they are divided by hand
        looks : of the shots as they are divided, see `likeness`; where None those stay that were kept before
        """
        try:
            seen = "" if looks is None else looks_text(looks)
            row = known.content, known.name, shots_text(shots), work_text(work), seen
            self._within(lambda store: store.execute(_KEEP, row))
        except (sqlite3.Error, OSError, SettingsError) as error:
            self.told = f"The work could not be kept: {str(error).rstrip('.')}."
            return False
        return True

    def hold(self, content: str) -> Hold:
        """The right to work on a programme, which one desk at a time has.

        Raises
        ------
        SettingsError : another has it
        """
        return Hold(self.path.parent / "held", content)

    def recall(self, known: Known) -> Kept | None:
        """The work kept on a programme, and the shots that its numbers mean; None where there is none."""

        def read(store: sqlite3.Connection) -> tuple[str, str] | None:
            row: tuple[str, str] | None = store.execute(
                "select shots, work from kept where content = ?", (known.content,)
            ).fetchone()
            return row or _before_5(store, known.path)

        try:
            row = self._within(read)
        except (sqlite3.Error, OSError) as error:
            self.told = f"Earlier work could not be read: {error}."
            return None
        if row is None:
            return None
        try:
            shots = shots_from(row[0])
            return work_from(json.loads(row[1]), shots), shots
        except Exception as error:  # noqa: BLE001 (whatever is wrong with what is kept, it is put aside and told)
            fault_of(error, "Reading earlier work")
            self._put_row_aside(known)
            return None

    def changed(self, content: str) -> str:
        """When the work that is kept on a programme was last changed; empty where there is none, or it can't be read."""
        try:
            row = self._within(lambda store: store.execute("select changed from kept where content = ?", (content,)).fetchone())
        except (sqlite3.Error, OSError):
            return ""
        return "" if row is None else str(row[0])

    def delivered_before(self, known: Known) -> tuple[Work, list[Shot], Looks] | None:
        """The latest work on another delivery of this name, its shots and their looks; None where there is none."""
        try:
            row = self._within(lambda store: store.execute(_BEFORE, (known.name, known.content)).fetchone())
            if row is None:
                return None
            found, looks = shots_from(row[0]), looks_from(row[2])
            work = work_from(json.loads(row[1]), found)
        except Exception as error:  # noqa: BLE001 (it was not asked for: what can't be read is not offered)
            fault_of(error, "Looking for work on an earlier delivery")
            return None
        shots = work.cuts.of(found)
        return (work, shots, looks) if len(shots) == len(looks) and work != Work() else None

    def listed(self) -> list[Earlier]:
        """All that is kept, the oldest first; where it can't be read, nothing."""
        try:
            rows = self._within(lambda store: store.execute(_LIST).fetchall())
        except (sqlite3.Error, OSError) as error:
            self.told = f"Earlier work could not be read: {error}."
            return []
        return [Earlier(Known(content, Path(os.fsdecode(name))), changed, size) for content, name, changed, size in rows]

    def clear(self, contents: Sequence[str]) -> None:
        """Forget the work on some programmes.

        Raises
        ------
        SettingsError : the disk refuses
        """
        try:
            self._within(lambda store: store.executemany("delete from kept where content = ?", [(each,) for each in contents]))
        except (sqlite3.Error, OSError) as error:
            raise SettingsError(f"The work could not be forgotten: {error}.") from error

    def _put_row_aside(self, known: Known) -> None:
        """Move the work on one programme to where nothing reads it; all other work stays as it is."""

        def move(store: sqlite3.Connection) -> None:
            store.execute("insert into aside select * from kept where content = ?", (known.content,))
            store.execute("delete from kept where content = ?", (known.content,))

        with suppress(sqlite3.Error, OSError):
            self._within(move)
        self.told = f"Earlier work on {shown(known.path.name)} can't be read: it is damaged. It is put aside in {self.path}."

    def _within(self, act: Callable[[sqlite3.Connection], Found]) -> Found:
        """Do something in one transaction; a file that can't be a store makes way first."""
        self.path.parent.mkdir(parents=True, exist_ok=True)
        for again in (False, True):
            try:
                with closing(self._connect()) as store, store:
                    return act(store)
            except sqlite3.DatabaseError as error:
                if again or isinstance(error, sqlite3.OperationalError):
                    raise  # the disk or another program is in the way, not the file
                self._put_aside("damaged")
        raise AssertionError("the second time returns or raises")

    def _connect(self) -> sqlite3.Connection:
        store = sqlite3.connect(self.path)
        try:
            version = store.execute("pragma user_version").fetchone()[0]
            if version > VERSION:
                store.close()
                self._put_aside("later")
                return self._connect()
            store.execute("pragma journal_mode = wal")
            if version < VERSION:
                with store:
                    for statement in _SCHEMA:
                        store.execute(statement)
                    store.execute(f"pragma user_version = {VERSION}")
        except BaseException:
            store.close()
            raise
        return store

    def _put_aside(self, why: str) -> None:
        """Give the file, and what belongs to it, another name; nothing is lost."""
        now = datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")
        aside = self.path.with_name(f"{self.path.name}.{why}-{now}")
        for ending in ("-wal", "-shm", ""):
            beside = self.path.with_name(self.path.name + ending)
            if beside.exists():
                beside.replace(aside.with_name(aside.name + ending))
        reason = "it is damaged" if why == "damaged" else "it comes from a later version"
        self.told = f"The file that earlier work is kept in can't be used: {reason}. It is put aside as {aside}."


def _before_5(store: sqlite3.Connection, programme: Path) -> tuple[str, str] | None:
    """Work that was kept by versions up to 4: by size and time of change in the first, in the others by places as well."""
    there = store.execute("select count(*) from sqlite_master where name = 'work'").fetchone()[0]
    if not there or not programme.is_file():
        return None
    facts, place = programme.stat(), str(programme.resolve()).encode(errors="replace").decode()
    first = f"{facts.st_size} {facts.st_mtime_ns}"
    row: tuple[str, str] | None = store.execute(
        "select shots, work from work where identity = ? or (programme = ? and identity = ?) order by changed desc",
        (fingerprint_before_5(programme), place, first),
    ).fetchone()
    return row


def shots_text(shots: Sequence[Shot]) -> str:
    """Shots as they are kept."""
    return " ".join(f"{shot.first}-{shot.last}" for shot in shots)


def shots_from(text: str) -> list[Shot]:
    """Shots that were kept.

    Raises
    ------
    ValueError, SettingsError : these are none
    """
    ends = (part.split("-") for part in text.split())
    shots = [Shot(int(first), int(last)) for first, last in ends]
    if any(not 0 <= shot.first <= shot.last < MOST_FRAMES for shot in shots):
        raise SettingsError("A shot ends before it begins, or where no programme does.")
    return shots


def work_text(work: Work) -> str:
    """Work as it is kept: JSON.

    Raises
    ------
    SettingsError : it could not be read again
    """
    text = json.dumps(_as_data(work))
    work_from(json.loads(text), ())
    return text


def _as_data(work: Work) -> dict[str, Any]:
    return {
        "places": _PLACES,
        "treatments": {str(shot): [step_to(step) for step in steps] for shot, steps in work.treatments.items()},
        "reasons": {str(shot): list(told) for shot, told in work.reasons.items()},
        "areas": [
            {"area": asdict(followed.area), "shots": {str(shot): asdict(area) for shot, area in followed.shots.items()}}
            for followed in work.areas
        ],
        "aside": [
            {"first": kept.made_for.first, "last": kept.made_for.last, "steps": [step_to(step) for step in kept.treatment]}
            for kept in work.aside
        ],
        "shared": [
            {
                "heading": str(each.heading),
                "name": each.name,
                "shots": sorted(each.shots),
                "steps": [step_to(step) for step in each.steps],
            }
            for each in work.shared
        ],
        "cuts": {"parted": sorted(work.cuts.parted), "joined": sorted(work.cuts.joined)},
        "waivers": [waiver_to(waiver) for waiver in work.waivers],
    }


def work_from(data: dict[str, Any], found: Sequence[Shot]) -> Work:
    """Work that was kept, done on some shots as they were found; whatever is wrong with it is raised as it comes."""
    treatments = {int(shot): tuple(map(own_step, steps_from(steps))) for shot, steps in data["treatments"].items()}
    areas = tuple(
        FollowedArea(
            made(Area, entry["area"], "area"),
            MappingProxyType({int(shot): made(Area, area, "area") for shot, area in entry["shots"].items()}),
        )
        for entry in data["areas"]
    )
    aside = tuple(
        Aside(Shot(int(kept["first"]), int(kept["last"])), steps_from(kept["steps"])) for kept in data.get("aside", [])
    )
    reasons = {int(shot): tuple(map(str, told)) for shot, told in data.get("reasons", {}).items()}
    cuts = Cuts(*(frozenset(map(int, data.get("cuts", {}).get(name, ()))) for name in ("parted", "joined")))
    shared = tuple(
        Shared(Heading(each["heading"]), steps_from(each["steps"]), str(each["name"]), frozenset(map(int, each["shots"])))
        for each in data.get("shared", [])
    )
    waivers = tuple(waiver_from(each, "a waiver") for each in data.get("waivers", []))
    work = Work(MappingProxyType(treatments), areas, aside, MappingProxyType(reasons), cuts, shared, waivers)
    return work if data.get("places") == _PLACES else _placed_in_programme(work, cuts.of(found))


def _placed_in_programme(work: Work, shots: Sequence[Shot]) -> Work:
    """Work from before version 5, in which areas were followed by frames of their shots."""
    treatments = {n: shifted(steps, shots[n].first) if n < len(shots) else steps for n, steps in work.treatments.items()}
    aside = tuple(replace(kept, treatment=shifted(kept.treatment, kept.made_for.first)) for kept in work.aside)
    return replace(work, treatments=MappingProxyType(treatments), aside=aside)
