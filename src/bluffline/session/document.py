"""The document: what the operator has done to a programme, kept between sittings in one SQLite file.

A programme is known by its path, size and time of change; when the file is another, its old work does not come back.
"""

import json
import os
import sqlite3
from collections.abc import Sequence
from contextlib import closing
from dataclasses import asdict
from pathlib import Path
from types import MappingProxyType
from typing import Any

from bluffline.errors import SettingsError
from bluffline.measure.areas import Area, Shape
from bluffline.rules.shots import Shot
from bluffline.session.work import FollowedArea, Work
from bluffline.treat.stored import step_from, step_to

_VERSION = 1
_SCHEMA = """
create table if not exists work (
    programme text primary key, identity text not null, shots text not null, work text not null, changed text not null
)
"""


class DocumentStore:
    """Keeps and gives back the work on programmes. A store that can't be opened keeps nothing and breaks nothing."""

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or default_path()

    def keep(self, programme: Path, shots: Sequence[Shot], work: Work) -> bool:
        """Keep the work on a programme, in place of what was kept before; whether it could be."""
        try:
            identity = _identity(programme)
            with closing(self._open()) as store, store:
                store.execute(
                    "insert or replace into work values (?, ?, ?, ?, datetime('now'))",
                    (str(programme.resolve()), identity, _shots_text(shots), json.dumps(_as_data(work))),
                )
        except (sqlite3.Error, OSError):
            return False
        return True

    def recall(self, programme: Path, shots: Sequence[Shot]) -> Work | None:
        """The work kept on a programme; its treatments only where the shots are still the same; None where there is none."""
        try:
            identity = _identity(programme)
            with closing(self._open()) as store:
                row = store.execute(
                    "select shots, work from work where programme = ? and identity = ?", (str(programme.resolve()), identity)
                ).fetchone()
            if row is None:
                return None
            work = _from_data(json.loads(row[1]))
        except (sqlite3.Error, OSError, ValueError, KeyError, TypeError, SettingsError):
            return None
        return work if row[0] == _shots_text(shots) else Work(areas=work.areas)

    def _open(self) -> sqlite3.Connection:
        self.path.parent.mkdir(parents=True, exist_ok=True)
        store = sqlite3.connect(self.path)
        version = store.execute("pragma user_version").fetchone()[0]
        if version > _VERSION:
            store.close()
            raise sqlite3.DatabaseError("kept by a later version")
        store.execute(_SCHEMA)
        store.execute(f"pragma user_version = {_VERSION}")
        return store


def default_path() -> Path:
    """Where the work is kept, by the XDG base directory specification."""
    home = os.environ.get("XDG_DATA_HOME")
    return (Path(home) if home else Path.home() / ".local" / "share") / "bluffline" / "work.sqlite"


def _identity(programme: Path) -> str:
    facts = programme.stat()
    return f"{facts.st_size} {facts.st_mtime_ns}"


def _shots_text(shots: Sequence[Shot]) -> str:
    return " ".join(f"{shot.first}-{shot.last}" for shot in shots)


def _as_data(work: Work) -> dict[str, Any]:
    return {
        "treatments": {str(shot): [step_to(step) for step in steps] for shot, steps in work.treatments.items()},
        "areas": [
            {"area": asdict(followed.area), "shots": {str(shot): asdict(area) for shot, area in followed.shots.items()}}
            for followed in work.areas
        ],
    }


def _from_data(data: dict[str, Any]) -> Work:
    treatments = {int(shot): tuple(step_from(step) for step in steps) for shot, steps in data["treatments"].items()}
    areas = tuple(
        FollowedArea(_area(entry["area"]), MappingProxyType({int(shot): _area(area) for shot, area in entry["shots"].items()}))
        for entry in data["areas"]
    )
    return Work(MappingProxyType(treatments), areas)


def _area(data: dict[str, Any]) -> Area:
    return Area(str(data["name"]), Shape(data["shape"]), tuple((float(x), float(y)) for x, y in data["points"]))
