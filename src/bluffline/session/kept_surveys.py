"""Surveys that were made before: kept by what was measured, of what, and how; whoever asks for the same has it at once."""

import hashlib
import io
import json
import os
import zipfile
from contextlib import suppress
from dataclasses import fields
from functools import cache
from pathlib import Path

import av
import numpy as np

import bluffline
from bluffline.errors import WriteError
from bluffline.measure.region import Region
from bluffline.media.programme import Programme
from bluffline.prove.survey import Survey, find_region
from bluffline.report.files import save_bytes
from bluffline.rules.rulefile import Rules
from bluffline.session.faults import fault_of
from bluffline.signal.format import SignalFormat

MOST_BYTES = 1 << 30
_MEASURING = ("signal/*.py", "media/*.py", "measure/*.py", "prove/survey.py")  # a change there may change what is measured
_PACKING = 1  # of zlib: quick to write; columns pack well at any


class SurveyStore:
    """Keeps surveys in a folder of the user's cache, up to a size; those that were not asked for longest go first.

    Nothing here is needed: what can't be read or written is measured anew.
    """

    def __init__(self, folder: Path | None = None, most_bytes: int = MOST_BYTES) -> None:
        self.folder = folder or default_folder()
        self._most = most_bytes

    def region(self, programme: Programme, mark: str) -> Region:
        """The active picture of a programme: as it was found before, else it is found now.

        Parameters
        ----------
        mark : what the programme is known by

        Raises
        ------
        MediaError : as for `find_region`
        """
        path = self.folder / f"{_key(mark, programme.picture, programme.format)}.region"
        with suppress(OSError, ValueError, TypeError):
            numbers = json.loads(path.read_text("utf-8"))
            if len(numbers) == 4 and all(type(number) is int for number in numbers):
                self._used(path)
                return Region(*numbers)
        region = find_region(programme, programme.format)
        self._write(path, json.dumps([region.x, region.y, region.width, region.height]).encode())
        return region

    def fill(self, survey: Survey, mark: str) -> bool:
        """Give an empty survey what was measured before for one like it; whether there was any."""
        if len(survey.table):
            return False
        path = self._path(survey, mark)
        try:
            with np.load(path, allow_pickle=False) as kept:
                facts = json.loads(bytes(kept["facts"]).decode())
                survey.table.fill({name: kept[name] for name in kept.files if name != "facts"})
        except FileNotFoundError:
            return False
        except (OSError, ValueError, KeyError, TypeError, zipfile.BadZipFile) as error:
            fault_of(error, "Reading a kept survey")
            path.unlink(missing_ok=True)
            return False
        survey.read[:] = [str(facts["read"])] if facts["read"] else []
        if survey.fields is not None:
            survey.fields.top, survey.fields.bottom, survey.fields.neither = (int(votes) for votes in facts["fields"])
        self._used(path)
        return True

    def keep(self, survey: Survey, mark: str) -> None:
        """Keep a survey that has measured every frame, unless its programme is no longer what it was."""
        table, order = survey.table, survey.fields
        if len(table) != survey.programme.frame_count or survey.exact or survey.programme.changed:
            return
        facts = {
            "read": survey.read[0] if survey.read else "",
            "fields": [order.top, order.bottom, order.neither] if order is not None else [0, 0, 0],
        }
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED, compresslevel=_PACKING) as archive:
            columns = {name: table.column(name) for name in table.names}
            for name, column in {"facts": np.frombuffer(json.dumps(facts).encode(), np.uint8), **columns}.items():
                with archive.open(f"{name}.npy", "w", force_zip64=True) as member:
                    np.lib.format.write_array(member, np.ascontiguousarray(column), allow_pickle=False)
        self._write(self._path(survey, mark), packed.getvalue())

    def _path(self, survey: Survey, mark: str) -> Path:
        programme, region = survey.programme, survey.region
        return self.folder / f"{_key(mark, programme.picture, survey.source, region, survey.rules)}.survey"

    def _used(self, path: Path) -> None:
        with suppress(OSError):
            os.utime(path)

    def _write(self, path: Path, data: bytes) -> None:
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            save_bytes(path, data)
            self._make_room()
        except (OSError, WriteError) as error:
            fault_of(error, "Keeping a survey")

    def _make_room(self) -> None:
        facts = {path: path.stat() for path in self.folder.iterdir()}
        size = sum(fact.st_size for fact in facts.values())
        for path in sorted(facts, key=lambda path: facts[path].st_mtime_ns)[:-1]:
            if size <= self._most:
                break
            path.unlink(missing_ok=True)
            size -= facts[path].st_size


def default_folder() -> Path:
    """Where surveys are kept, by the XDG base directory specification."""
    home = os.environ.get("XDG_CACHE_HOME")
    return (Path(home) if home else Path.home() / ".cache") / "bluffline" / "surveys"


def _key(mark: str, picture: int, source: SignalFormat, region: Region | None = None, rules: Rules | None = None) -> str:
    """What tells surveys apart: of what, how it is read, what of it is looked at, by what limits, and by which program."""
    read = [
        (field.name, sorted(value) if isinstance(value := getattr(source, field.name), frozenset) else str(value))
        for field in fields(source)
    ]
    asked = None
    if rules is not None:
        asked = (rules.limits, rules.low_pass, rules.gamut, rules.areas)
    text = repr((mark, picture, read, region, asked, _program()))
    return hashlib.sha256(text.encode()).hexdigest()


@cache
def _program() -> str:
    """What measures: the libraries that decode, and the text of our own code."""
    digest = hashlib.sha256(repr(sorted(av.library_versions.items())).encode())
    root = Path(bluffline.__file__).parent
    for path in sorted(path for pattern in _MEASURING for path in root.glob(pattern)):
        digest.update(path.read_bytes())
    return digest.hexdigest()
