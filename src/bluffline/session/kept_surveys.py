"""Surveys that were made before: kept by what was measured, of what, and how; whoever asks for the same has it at once."""

import hashlib
import io
import json
import os
import zipfile
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import fields
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

import av
import numpy as np
from av.video.stream import VideoStream
from numpy.typing import NDArray

import bluffline
from bluffline.errors import WriteError
from bluffline.folders import UserFolder
from bluffline.measure.region import Region
from bluffline.measure.sound import SoundMeasure
from bluffline.media.index import Others, Walk, frame_index
from bluffline.media.programme import FrameIndex, Programme
from bluffline.media.source_file import SourceFile
from bluffline.report.files import save_bytes
from bluffline.rules.catalogue import RULES
from bluffline.rules.rules import Rules
from bluffline.rules.transitions import Transition, TransitionKind
from bluffline.session.faults import fault_of
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.signal.siting import Siting
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import Survey, find_region

MOST_BYTES = 1 << 30
_MEASURING = (  # a change there may change what is measured
    "signal/*.py", "media/*.py", "measure/*.py", "survey/survey.py", "rules/shots.py", "rules/transitions.py",
)  # fmt: skip
Value = TypeVar("Value")
_PACKING = 1  # of zlib: quick to write; columns pack well at any


class SurveyStore:
    """Keeps surveys in a folder of the user's cache, up to a size; those that were not asked for longest go first.

    Nothing here is needed: what can't be read or written is measured anew.
    """

    def __init__(self, folder: Path | None = None, most_bytes: int = MOST_BYTES) -> None:
        self.folder = folder or UserFolder.MADE_ANEW.path / "surveys"
        self._most = most_bytes

    def walk(self, mark: str, opening: tuple[Fraction | None, int | None], monitor: Monitor) -> Walk:
        """`frame_index` for one programme: what it gave before, since a long file is long to walk.

        ``opening``: the rate and the track that it is opened with.
        """
        path = self.folder / f"{hashlib.sha256(f'{mark} {opening} {_program()}'.encode()).hexdigest()}.index"

        def known(kept: Any) -> tuple[FrameIndex, Others]:
            begins, ends = ({int(n): float(when) for n, when in kept[name]} for name in ("begins", "ends"))
            index = FrameIndex(kept["times"], kept["keys"], kept["key_decode_times"], bool(kept["timed"][0]))
            others = Others(begins, ends, {int(n): [] for n in kept["captions"]})
            for number, begin, end in kept["said"]:
                others.said[int(number)].append((float(begin), float(end)))
            for number, when, count in kept["counts"]:
                others.counts.setdefault(int(number), []).append((float(when), int(count)))
            return index, others

        def walked(source: SourceFile, stream: VideoStream) -> tuple[FrameIndex, Others]:
            if (before := self._read(path, known)) is not None:
                return before
            index, others = frame_index(source, stream, lambda count: monitor.at("Opening", count, count))
            if index.broken:
                return index, others
            columns: dict[str, NDArray[Any]] = {
                "times": index.times,
                "keys": index.keys,
                "key_decode_times": index.key_decode_times,
            }
            for each, heard in (("begins", others.begins), ("ends", others.ends)):
                columns[each] = np.array(list(heard.items()), np.float64).reshape(-1, 2)
            columns["captions"] = np.array(list(others.said), np.int64)
            for each, told in (("said", others.said), ("counts", others.counts)):
                rows = [(number, *row) for number, listed in told.items() for row in listed]
                columns[each] = np.array(rows, np.float64).reshape(-1, 3)
            self._write(path, _packed({"timed": np.array([index.timed]), **columns}))
            return index, others

        return walked

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
        before = self._read(path, lambda kept: [int(number) for number in kept["region"]])
        if before is not None and len(before) == 4:
            return Region(*before)
        region = find_region(programme)
        self._write(path, _packed({"region": np.array([region.x, region.y, region.width, region.height])}))
        return region

    def fill(self, survey: Survey, mark: str) -> bool:
        """Give an empty survey what was measured before for one like it; whether there was any."""
        if len(survey.table):
            return False

        def fill(kept: Any) -> bool | None:
            facts, asked = json.loads(bytes(kept["facts"]).decode()), _beside(survey.rules)
            if any(facts["beside"].get(key) != figures for key, figures in asked.items()):
                return None  # it lacks what these rules have measured beside all else
            read = str(facts["read"])
            formats = [_format_from(each) for each in facts["formats"]]
            joins = [Transition(TransitionKind(kind), int(first), int(last)) for kind, first, last in facts["joins"]]
            if formats[:1] != survey.table.formats or not np.isin(kept["format"], range(len(formats))).all():
                raise ValueError("it was read by another format")
            survey.table.fill({name: kept[name] for name in kept.files if name in survey.table.names})
            survey.table.formats[:] = formats
            survey.joins.take(joins, len(survey.table))
            survey.riding.update(str(each) for each in facts["riding"])
            survey.read[:] = [read] if read else []
            if "sound" in asked and (sounds := facts["sounds"]) is not None:
                survey.sounds[:] = [_sound_from(kept, number, told) for number, told in enumerate(sounds)]
                survey.heard[:] = [True]
            return True

        return self._read(self._path(survey, mark), fill) is not None

    def _read(self, path: Path, use: Callable[[Any], Value]) -> Value | None:
        """What is made of a kept file; None where there is none. One that can't be used goes."""
        try:
            with path.open("rb") as file, np.load(file, allow_pickle=False) as kept:
                made = use(kept)
        except FileNotFoundError:
            return None
        except Exception as error:  # noqa: BLE001 (whatever a damaged one raises, it is measured anew)
            fault_of(error, "Reading what was measured before")
            with suppress(OSError):
                path.unlink()
            return None
        with suppress(OSError):
            os.utime(path)
        return made

    def keep(self, survey: Survey, mark: str) -> None:
        """Keep a survey that has measured every frame, unless its programme is no longer what it was."""
        table = survey.table
        if len(table) != survey.programme.frame_count or survey.exact or survey.programme.changed():
            return
        facts: dict[str, Any] = {
            "read": survey.read[0] if survey.read else "",
            "riding": sorted(survey.riding),
            "formats": [_format_text(each) for each in table.formats],
            "joins": [(each.kind, each.first, each.last) for each in survey.joins.found],
            "beside": _beside(survey.rules),
            "sounds": [_sound_text(each) for each in survey.sounds] if any(survey.heard) else None,
        }
        columns = {name: table.column(name) for name in table.names}
        columns |= {_sounded(n, name): getattr(each, name) for n, each in enumerate(survey.sounds) for name in _HOPS}
        self._write(
            self._path(survey, mark), _packed({"facts": np.frombuffer(json.dumps(facts).encode(), np.uint8), **columns})
        )

    def _path(self, survey: Survey, mark: str) -> Path:
        programme, region = survey.programme, survey.region
        return self.folder / f"{_key(mark, programme.picture, survey.source, region, survey.rules)}.survey"

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


def _packed(columns: Mapping[str, NDArray[Any]]) -> bytes:
    """Arrays as a compressed archive that `numpy.load` reads."""
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED, compresslevel=_PACKING) as archive:
        for name, column in columns.items():
            with archive.open(f"{name}.npy", "w", force_zip64=True) as member:
                np.lib.format.write_array(member, np.ascontiguousarray(column), allow_pickle=False)
    return packed.getvalue()


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


def _beside(rules: Rules) -> dict[str, str]:
    """What rules have measured beside all else, each by the key of its rule."""
    return {rule.key: repr(asked) for rule in RULES if (asked := rule.measured(rules)) is not None}


_HOPS = "weighted", "power", "peak", "true_peak", "clipped", "together"


def _sounded(number: int, name: str) -> str:
    """What a figure of a programme sound's hops is kept as."""
    return f"sound.{number}.{name}"


def _sound_text(sound: SoundMeasure) -> dict[str, Any]:
    """A programme sound as plain data, but for its hops."""
    return {each.name: getattr(sound, each.name) for each in fields(sound) if each.name not in _HOPS}


def _sound_from(kept: Mapping[str, NDArray[Any]], number: int, told: dict[str, Any]) -> SoundMeasure:
    """A programme sound from `_sound_text` and its hops."""
    hops = {name: kept[_sounded(number, name)] for name in _HOPS}
    tracks, channels = (tuple(told[name]) for name in ("tracks", "channels"))
    shape = hops["power"].shape
    if shape[1:] != (len(channels),) or any(each.shape not in (shape, shape[:1]) for each in hops.values()):
        raise ValueError("its sound is of another shape")
    return SoundMeasure(tracks, channels, float(told["begins"]), trouble=str(told["trouble"]), **hops)


def _format_text(source: SignalFormat) -> dict[str, Any]:
    """A format as plain data."""
    told = {each.name: getattr(source, each.name) for each in fields(source)}
    return told | {"assumed": sorted(source.assumed), "pixel_shape": str(source.pixel_shape), "halved": list(source.halved)}


def _format_from(kept: dict[str, Any]) -> SignalFormat:
    """A format from `_format_text`."""
    kinds = {"model": Model, "range": Range, "matrix": Matrix, "siting": Siting, "pixel_shape": Fraction}
    made = {name: kinds[name](value) if name in kinds else value for name, value in kept.items()}
    return SignalFormat(**made | {"assumed": frozenset(kept["assumed"]), "halved": tuple(kept["halved"])})


@cache
def _program() -> str:
    """What measures: the libraries that decode, and the text of our own code."""
    digest = hashlib.sha256(repr(sorted(av.library_versions.items())).encode())
    root = Path(bluffline.__file__).parent
    for path in sorted(path for pattern in _MEASURING for path in root.glob(pattern)):
        digest.update(path.read_bytes())
    return digest.hexdigest()
