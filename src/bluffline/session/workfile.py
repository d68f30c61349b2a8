"""The work on a programme as one file of its own, to lie beside it and be carried to another machine: an SQLite database."""

import json
import os
import sqlite3
from contextlib import closing
from dataclasses import dataclass, fields
from fractions import Fraction
from pathlib import Path
from time import monotonic
from typing import Any

from bluffline.declared import made
from bluffline.errors import SettingsError
from bluffline.intake import read_bounded
from bluffline.media.opening import Opening, rate_from, shown
from bluffline.media.programme import Programme
from bluffline.report.files import save_bytes
from bluffline.rules.rulefile import parse_rules
from bluffline.rules.rules import Rules
from bluffline.rules.shots import Shot
from bluffline.session.fingerprint import fingerprint
from bluffline.session.store import shots_from, shots_text, work_from, work_text
from bluffline.session.work import Work
from bluffline.signal.format import NO_OVERRIDES, Overrides

ENDING = ".bluffline"
VERSION = 6  # of work files; up to 5 they said nothing of how the programme is read, nor by which rules it was judged
_APPLICATION = 0x426C7566  # "Bluf", by which other programs tell the file
_MOST_TEXT = 64 << 20  # bytes of what one value may hold
_MOST_OBJECTS = 3
_MOST_TRACKS = 10_000
_LONGEST = 10.0  # seconds that reading may take
_SCHEMA = """
create table work (
    name text not null, place text not null, content text not null, rate text not null, track integer not null,
    shots text not null, work text not null, facts text not null
)
"""
_SELECT = "select name, place, content, rate, track, shots, work, facts from work"
_SELECT_5 = "select name, place, content, rate, track, shots, work from work"


@dataclass(frozen=True)
class WorkFile:
    """What a work file holds.

    ``programme``: where its programme is; ``same``: whether that is still what it was made for. ``overrides``: the operator's
    word on it; ``rules``: those that it was judged by, None where that is not known.
    """

    programme: Path
    rate: Fraction | None
    track: int
    shots: list[Shot]
    work: Work
    same: bool
    overrides: Overrides = NO_OVERRIDES
    rules: Rules | None = None


def save_work(path: Path, programme: Programme, found: list[Shot], work: Work, rules: Rules | None = None) -> None:
    """Write the work on a programme, whole or not at all; how it is read, and the rules that judge it, go with it.

    Parameters
    ----------
    found : the shots that the work's numbers mean, before they are divided by hand

    Raises
    ------
    WriteError : the disk refuses
    OSError : the programme can't be read any more
    """
    rate = str(programme.frame_rate) if programme.opening.numbered else ""
    content = fingerprint(programme.opening.files)
    row = (
        _stored(programme.path.name), _stored(str(programme.path.resolve())), content, rate, programme.picture,
        shots_text(found), work_text(work), _facts_text(programme.overrides, rules),
    )  # fmt: skip
    with closing(sqlite3.connect(":memory:")) as store:
        store.execute(_SCHEMA)
        store.execute("insert into work values (?, ?, ?, ?, ?, ?, ?, ?)", row)
        store.execute(f"pragma application_id = {_APPLICATION}")
        store.execute(f"pragma user_version = {VERSION}")
        store.commit()
        save_bytes(path, store.serialize())


def read_work(path: Path, programme: Path | None = None) -> WorkFile:
    """Read a work file, and find its programme: the one named, else beside it, or where it was when the file was written.

    Raises
    ------
    SettingsError : it is none, is damaged, comes from a later version, or its programme is in neither place
    """
    try:
        data = read_bounded(path)
    except OSError as error:
        raise SettingsError(f"{shown(path)} can't be read: {error.strerror}.") from error
    try:
        version, row = _unpacked(data)
    except (sqlite3.Error, ValueError, TypeError) as error:
        raise SettingsError(f"{shown(path)} is no work file, or it is damaged.") from error
    if version > VERSION:
        raise SettingsError(f"{shown(path)} comes from a later version of Bluffline.")
    try:
        name, place, content, rate, track, shots, work, facts = row
        name, place = _path(name), _path(place)
        looked = (path.parent / name.name, place) if programme is None else (programme,)
        told = rate_from(rate) if rate else None
        on = shots_from(shots)
        what = _track(track), on, work_from(json.loads(work), on)
        overrides, rules = _facts_from(json.loads(facts), path.parent)
    except Exception as error:  # whatever is wrong with what it holds
        raise SettingsError(f"{shown(path)} is damaged: what it holds can't be work.") from error
    try:
        found = next((each for each in looked if _is_there(each)), None)
    except (OSError, ValueError) as error:  # a name too long, or one that holds what no name can
        raise SettingsError(f"{shown(path)} is damaged: what it holds can't be work.") from error
    if found is None:
        raise SettingsError(f"{shown(path)} is work on {shown(name)}, which is neither beside it nor at {shown(place)}.")
    return WorkFile(found, told, *what, fingerprint(Opening.of(found, told).files) == content, overrides, rules)


def beside(programme: Path) -> Path | None:
    """The work file that lies beside a programme; None where there is none."""
    usual = programme.with_suffix(ENDING)
    return usual if usual.is_file() else None


def _facts_text(overrides: Overrides, rules: Rules | None) -> str:
    """How a programme is read and judged, as JSON."""
    judged = None if rules is None or not rules.text else {"name": rules.name, "text": rules.text}
    said = {each.name: value for each in fields(overrides) if (value := getattr(overrides, each.name)) is not None}
    return json.dumps({"overrides": {name: str(value) for name, value in said.items()}, "rules": judged})


def _facts_from(facts: dict[str, Any], folder: Path) -> tuple[Overrides, Rules | None]:
    """What `_facts_text` made text of; files that the rules name are sought in a folder."""
    said = made(Overrides, facts["overrides"], "what was said of the programme")
    judged = facts["rules"]
    return said, None if judged is None else parse_rules(str(judged["text"]), str(judged["name"]), folder)


def _stored(name: str) -> str | bytes:
    """A name as text, or where it is none as the bytes that it is."""
    try:
        name.encode()
    except UnicodeEncodeError:
        return os.fsencode(name)
    return name


def _path(stored: str | bytes) -> Path:
    if "\0" in (name := os.fsdecode(stored)):
        raise ValueError("no name")
    return Path(name)


def _track(number: int) -> int:
    if not 0 <= int(number) < _MOST_TRACKS:
        raise ValueError("no track")
    return int(number)


def _unpacked(data: bytes) -> tuple[int, tuple[Any, ...]]:
    """The version of a work file, and the one row that it holds; (…) where it is of a later version."""
    with closing(sqlite3.connect(":memory:")) as store:
        store.deserialize(data)
        _confine(store)
        application, version = (store.execute(f"pragma {name}").fetchone()[0] for name in ("application_id", "user_version"))
        if application != _APPLICATION:
            raise ValueError("it has another mark")
        if version > VERSION:
            return version, ()
        # Nothing but one plain table is looked into: a view or a trigger is a program of whoever made the file.
        listed = store.execute("select type, name, coalesce(sql, '') from sqlite_master").fetchmany(_MOST_OBJECTS)
        if [(kind, name) for kind, name, _ in listed] != [("table", "work")] or "virtual" in listed[0][2].lower():
            raise ValueError("it holds other things than a table")
        (row,) = store.execute(_SELECT if version == VERSION else _SELECT_5).fetchmany(2)
        row = row if version == VERSION else (*row, _facts_text(NO_OVERRIDES, None))
        if any(isinstance(each, str | bytes) and len(each) > _MOST_TEXT for each in row):
            raise ValueError("it holds too much")
    return version, row


def _confine(store: sqlite3.Connection) -> None:
    """Bound what a file of somebody else's can have the library do."""
    store.execute("pragma trusted_schema = off")
    store.execute("pragma cell_size_check = on")
    store.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, _MOST_TEXT)
    ends = monotonic() + _LONGEST
    store.set_progress_handler(lambda: int(monotonic() > ends), 10_000)


def _is_there(programme: Path) -> bool:
    if programme.exists():
        return programme.is_file() or programme.is_dir()  # no pipe, no device
    return "%" in programme.name and programme.parent.is_dir()
