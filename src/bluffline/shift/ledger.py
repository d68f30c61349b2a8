"""What was done to files, kept between runs in one SQLite file: a kill costs the run in hand and nothing else."""

import hashlib
import json
import os
import sqlite3
from collections.abc import Callable, Mapping, Sequence
from contextlib import closing, suppress
from dataclasses import asdict, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, TypeVar

from bluffline import __version__
from bluffline.errors import SettingsError
from bluffline.folders import UserFolder
from bluffline.media.opening import Identity, Opening, shown
from bluffline.session.hold import Hold
from bluffline.shift.one_file import Asked, Told
from bluffline.shift.states import State

_VERSION = 2
_TAKEN = "Another desk has the files in hand; two would do everything twice, so close it there."
_WAIT = 30.0  # seconds for another process to be done with the file
_SCHEMA = (
    """
    create table if not exists done (
        asked text primary key, path blob not null, identity text not null, told text not null
    ) without rowid
    """,
    """
    create table if not exists hand (
        path blob primary key, profile text not null, state text not null, since text not null, by text not null,
        on_air text not null, identity text not null, asked_for text not null, told text not null
    ) without rowid
    """,
    """
    create table if not exists came (
        path blob, sha256 text, root text not null, told text not null, looks text not null, first text not null,
        primary key (path, sha256)
    ) without rowid
    """,
    "create index if not exists came_as on came (root)",
    "create table if not exists air (name text primary key, time text not null) without rowid",
)
_PUT = "insert or replace into done values (?, ?, ?, ?)"
_GET = "select identity, told from done where asked = ?"
_OURS = "select 1 from done where asked = ?"
_PUT_IN_HAND = "insert or replace into hand values (?, ?, ?, ?, ?, ?, ?, ?, ?)"
_IN_HAND = "select path, profile, state, since, by, on_air, identity, asked_for, told from hand"
_PUT_CAME = (
    "insert into came values (?, ?, ?, ?, ?, ?)"
    " on conflict do update set root = excluded.root, told = excluded.told, looks = excluded.looks"
)
_KEPT = " kept "
_Found = TypeVar("_Found")


class Ledger:
    """Keeps what came of files by what was asked of them, as long as they and what was written of them stay as they were."""

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or UserFolder.WORK.path / "shift.sqlite"

    def hold(self) -> Hold:
        """Have the files in hand for oneself, until it is released.

        Raises
        ------
        SettingsError : another desk has them
        """
        return Hold(self.path.parent / "held", "shift", _TAKEN)

    def take_up(self, asked: Asked, *, again: bool = False) -> Asked | None:
        """Note that something is begun; what it left before, be it half, may then be replaced by what it leaves now.

        None where somebody else's files stand in its way. ``again``: those may be replaced as well.

        Raises
        ------
        SettingsError : the disk refuses
        """
        key = _key(asked)
        ours = self.within(lambda store: store.execute(_OURS, (key,)).fetchone()) is not None
        if not ours and not again and any(path.exists() for path in asked.outputs):
            return None
        row = key, bytes(asked.path.absolute()), "", ""
        self.within(lambda store: store.execute(_PUT, row))
        return replace(asked, force=ours or again)

    def put(self, asked: Asked, identity: str, told: Told) -> None:
        """Keep what came of a file. ``identity``: what the file was when it was taken up, see `identity_of`.

        Raises
        ------
        SettingsError : the disk refuses
        """
        row = _key(asked), bytes(asked.path.absolute()), identity, _text_of(told)
        self.within(lambda store: store.execute(_PUT, row))

    def known(self, asked: Asked) -> Told | None:
        """What came of the same before, where neither the file nor what was left of it has changed or gone; else None.

        Raises
        ------
        SettingsError : the disk refuses
        """
        row = self.within(lambda store: store.execute(_GET, (_key(asked),)).fetchone())
        if row is None or not row[1] or row[0] != identity_of(asked):
            return None
        try:
            told = _told_from(row[1])
        except (ValueError, TypeError, KeyError):
            return None
        return told if all(Path(each).exists() for each in told.written) else None

    def within(self, act: Callable[[sqlite3.Connection], _Found]) -> _Found:
        """Do something in one transaction, on a connection of its own.

        Raises
        ------
        SettingsError : the disk refuses, or the file is none of ours
        """
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            with closing(sqlite3.connect(self.path, timeout=_WAIT)) as store, store:
                version = store.execute("pragma user_version").fetchone()[0]
                if version > _VERSION:
                    raise SettingsError(f"{shown(self.path)} comes from a later version of Bluffline.")
                if version < _VERSION:
                    store.execute("pragma journal_mode = wal")
                    for statement in _SCHEMA:
                        store.execute(statement)
                    store.execute(f"pragma user_version = {_VERSION}")
                return act(store)
        except (sqlite3.Error, OSError) as error:
            raise SettingsError(f"The list of what was done, {shown(self.path)}, can't be used: {error}.") from error

    def put_in_hand(self, files: Sequence[tuple[tuple[object, ...], Told | None]]) -> None:
        """Keep what is known of files in hand, a row as `_IN_HAND` names its columns each, and what came of it.

        Raises
        ------
        SettingsError : the disk refuses
        """
        rows = [(*row, "" if told is None else _text_of(told)) for row, told in files]
        self.within(lambda store: store.executemany(_PUT_IN_HAND, rows))

    def put_measured(self, path: Path, root: str, told: Told) -> None:
        """Keep what was measured of a file, for when it comes again under a name of the same root.

        Raises
        ------
        SettingsError : the disk refuses
        """
        first = datetime.now(UTC).isoformat()  # finer than a second: what comes in one is held against each other in its order
        row = bytes(path), sha256_of(told), root, _text_of(told), told.looks, first
        self.within(lambda store: store.execute(_PUT_CAME, row))

    def measured(self, root: str) -> list[tuple[Path, Told]]:
        """What was measured of files whose names have a root, and when first; what can't be read is left out.

        Raises
        ------
        SettingsError : the disk refuses
        """
        asked = "select path, told, looks, first from came where root = ?"
        found = []
        for path, told, looks, first in self.within(lambda store: store.execute(asked, (root,)).fetchall()):
            with suppress(ValueError, TypeError, KeyError):
                found.append((Path(os.fsdecode(path)), replace(_told_from(told), looks=looks, at=first)))
        return found

    def put_times(self, times: Mapping[str, str]) -> None:
        """Keep times on air by names, in place of those that were kept before.

        Raises
        ------
        SettingsError : the disk refuses
        """

        def put(store: sqlite3.Connection) -> None:
            store.execute("delete from air")
            store.executemany("insert into air values (?, ?)", list(times.items()))

        self.within(put)

    def times(self) -> dict[str, str]:
        """The times on air that are kept, by names.

        Raises
        ------
        SettingsError : the disk refuses
        """
        return dict(self.within(lambda store: store.execute("select name, time from air").fetchall()))

    def in_hand(self) -> list[tuple[tuple[Any, ...], Told | None]]:
        """The rows of all files in hand, and what came of each; one that can't be read is left out.

        Raises
        ------
        SettingsError : the disk refuses
        """
        found = []
        for *row, told in self.within(lambda store: store.execute(_IN_HAND).fetchall()):
            row[0] = os.fsdecode(row[0])
            with suppress(ValueError, TypeError, KeyError):
                found.append((tuple(row), _told_from(told) if told else None))
        return found


def _text_of(told: Told) -> str:
    """What came of a file, as JSON, without what its shots look like."""
    return json.dumps(asdict(told) | {"skyline": told.skyline.hex(), "looks": ""})


def _told_from(text: str) -> Told:
    """What `_text_of` made text of; whatever is wrong with it is raised as it comes."""
    data = json.loads(text)
    lists = {name: tuple(data[name]) for name in ("limits", "written")}
    lists["pictures"] = tuple((str(rule), int(frame), str(picture)) for rule, frame, picture in data.get("pictures", ()))
    return Told(**data | lists | {"state": State(data["state"]), "skyline": bytes.fromhex(data["skyline"])})


def sha256_of(told: Told | None) -> str:
    """The checksum of the file that something came of; empty where it is not known."""
    return str(told.checked.get("file", {}).get("sha256", "")) if told is not None else ""


def identity_of(asked: Asked) -> str:
    """What a file, and the work that is taken up with it, are now, so that a change is noticed."""
    try:
        files = Opening.of(asked.path).files
    except Exception:  # noqa: BLE001 (what is no programme is told as it is done)
        files = (asked.path,)
    work = (asked.work or asked.path.with_suffix(".bluffline"),) if asked.work or asked.find_work else ()
    return f"{Identity.of((*files, *work)).stats!r}{_KEPT}{asked.kept}"


def files_in(identity: str) -> str:
    """The part of an identity that is of the files alone, whatever work is kept on them."""
    return identity.partition(_KEPT)[0]


def kept_in(identity: str) -> str:
    """The part of an identity that tells when the work that is kept on the files was last changed."""
    return identity.partition(_KEPT)[2]


def _key(asked: Asked) -> str:
    """What tells one thing asked from another: of which file, by which rules to the letter, by which version."""
    rules = ""
    try:
        rules = asked.profile.judged_by().checksum
    except Exception:  # noqa: BLE001 (told as it is done)
        rules = "none"
    plain = asdict(replace(asked, path=asked.path.absolute(), content="", kept="", force=False))
    return hashlib.sha256(f"{plain!r} {rules} {__version__}".encode("utf-8", "surrogateescape")).hexdigest()
