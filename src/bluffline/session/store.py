"""The document: what the operator has done to a programme, kept between sittings in one SQLite file.

A programme is known by what is in it, so that its work follows it when it is moved or renamed; when the file is another, its
old work does not come back. Treatments are kept with the shots that they were made for, and carried to those it has now.
"""

import json
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from types import MappingProxyType
from typing import Any

from bluffline.declared import made
from bluffline.errors import SettingsError
from bluffline.folders import UserFolder
from bluffline.measure.areas import Area
from bluffline.rules.shots import Shot
from bluffline.session.faults import fault_of
from bluffline.session.fingerprint import fingerprint
from bluffline.session.hold import Hold
from bluffline.session.work import Aside, Cuts, FollowedArea, Shared, Work, own_step
from bluffline.treat.step import Heading
from bluffline.treat.stored import step_to, steps_from

VERSION = 4
_SCHEMA = """
create table if not exists work (
    programme text primary key, identity text not null, shots text not null, work text not null, changed text not null
)
"""
# What brings a file of each version to the next. From 1: work says nothing of what was kept aside, and why, which is nothing;
# from 2: it says nothing of shots that were divided by hand, of which there were none; from 3: nothing is
# shared, and steps are brought up when read.
_MIGRATIONS: dict[int, Callable[[sqlite3.Connection], None]] = {
    0: lambda _: None,
    1: lambda _: None,
    2: lambda _: None,
    3: lambda _: None,
}

Kept = tuple[Work, list[Shot]]


class DocumentStore:
    """Keeps and gives back the work on programmes.

    A file that is damaged, or comes from a later version, is put aside under another name and never written to. ``told``: a
    sentence of it; empty where there is nothing to say.
    """

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or UserFolder.WORK.path / "work.sqlite"
        self.told = ""

    def keep(self, programme: Path, shots: Sequence[Shot], work: Work, mark: str = "") -> bool:
        """Keep the work on a programme, in place of what was kept before; whether it could be.

        Parameters
        ----------
        shots : those that the work's numbers mean, before they are divided by hand
        mark : what the programme was known by when it was opened; it may have been moved since
        """
        try:
            row = str(programme.resolve()), mark or fingerprint(programme), shots_text(shots), work_text(work)
            with self._open() as store:
                store.execute("insert or replace into work values (?, ?, ?, ?, datetime('now'))", row)
        except (sqlite3.Error, OSError) as error:
            self.told = f"The work could not be kept: {error}."
            return False
        return True

    def hold(self, mark: str) -> Hold:
        """The right to work on a programme, which one desk at a time has.

        Raises
        ------
        SettingsError : another has it
        """
        return Hold(self.path.parent / "held", mark)

    def recall(self, programme: Path) -> Kept | None:
        """The work kept on a programme, and the shots that its numbers mean; None where there is none."""
        try:
            path, identity = str(programme.resolve()), fingerprint(programme)
            with self._open() as store:
                row = store.execute(
                    "select shots, work from work where identity = ? or (programme = ? and identity = ?) "
                    "order by programme = ? desc, changed desc",
                    (identity, path, _identity_of_version_1(programme), path),
                ).fetchone()
        except (sqlite3.Error, OSError) as error:
            self.told = f"Earlier work could not be read: {error}."
            return None
        if row is None:
            return None
        try:
            return work_from(json.loads(row[1])), shots_from(row[0])
        except Exception as error:  # noqa: BLE001 (whatever is wrong with what is kept, it is put aside and told)
            fault_of(error, "Reading earlier work")
            self._put_aside("damaged")
            return None

    @contextmanager
    def _open(self) -> Iterator[sqlite3.Connection]:
        """The store in one transaction; a file that can't be one makes way first."""
        self.path.parent.mkdir(parents=True, exist_ok=True)
        try:
            store = self._connect()
        except sqlite3.DatabaseError as error:
            if isinstance(error, sqlite3.OperationalError):
                raise  # the disk or another program is in the way, not the file
            self._put_aside("damaged")
            store = self._connect()
        with closing(store), store:
            yield store

    def _connect(self) -> sqlite3.Connection:
        store = sqlite3.connect(self.path)
        try:
            version = store.execute("pragma user_version").fetchone()[0]
            if version > VERSION:
                store.close()
                self._put_aside("later")
                return self._connect()
            store.execute("pragma journal_mode = wal")
            with store:
                store.execute(_SCHEMA)
                for step in range(version, VERSION):
                    _MIGRATIONS[step](store)
                store.execute(f"pragma user_version = {VERSION}")
            store.execute("select count(*) from work where length(work) < 0").fetchone()
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


def _identity_of_version_1(programme: Path) -> str:
    facts = programme.stat()
    return f"{facts.st_size} {facts.st_mtime_ns}"


def shots_text(shots: Sequence[Shot]) -> str:
    """Shots as they are kept."""
    return " ".join(f"{shot.first}-{shot.last}" for shot in shots)


def shots_from(text: str) -> list[Shot]:
    """Shots that were kept.

    Raises
    ------
    ValueError, SettingsError : these are none
    """
    shots = [Shot(*map(int, part.split("-"))) for part in text.split()]
    if any(shot.last < shot.first or shot.first < 0 for shot in shots):
        raise SettingsError("A shot ends before it begins.")
    return shots


def work_text(work: Work) -> str:
    """Work as it is kept: JSON."""
    return json.dumps(_as_data(work))


def _as_data(work: Work) -> dict[str, Any]:
    return {
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
    }


def work_from(data: dict[str, Any]) -> Work:
    """Work that was kept; whatever is wrong with it is raised as it comes."""
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
    return Work(MappingProxyType(treatments), areas, aside, MappingProxyType(reasons), cuts, shared)
