"""What files are meant by what an operator names: files, numbered pictures, and folders with all that lies in them."""

import os
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from bluffline.media.opening import PICTURES
from bluffline.media.target import certificate_paths

# By these endings a file in a folder is taken for a programme; what is named itself is, whatever it is called.
PROGRAMMES = frozenset(
    {".mov", ".mp4", ".m4v", ".mxf", ".mkv", ".webm", ".ts", ".m2ts", ".mts", ".mpg", ".mpeg", ".m2v", ".vob", ".avi", ".dv"}
    | {".gxf", ".nut", ".y4m", ".h264", ".264", ".h265", ".hevc", ".265", ".wmv", ".asf", ".flv", ".3gp", ".ogv"}
)
_BESIDE = certificate_paths(Path("x"))
_OURS = tuple(path.name.removeprefix("x.") for path in (*_BESIDE, _BESIDE.printed))


@dataclass
class Gathered:
    """Programmes, each with the folder that was named for it (its own where it was named itself), and what was passed over.

    ``beside``: how many other files lie in the folders, by their endings; certificates and work files don't count.
    """

    found: list[tuple[Path, Path]] = field(default_factory=list)
    beside: Counter[str] = field(default_factory=Counter)

    @property
    def paths(self) -> list[Path]:
        """The programmes."""
        return [path for path, _ in self.found]


def gathered(named: Iterable[Path], leave_out: Sequence[Path] = ()) -> Gathered:
    """All that is named, folder by folder in the order of names; what is named twice counts once. Hidden files are not taken.

    A folder of numbered pictures is one programme, unless it holds programmes in files of their own.

    Parameters
    ----------
    leave_out : folders that are not searched where they lie in others: what is written must not come in again
    """
    result, seen, without = Gathered(), set(), {path.absolute() for path in leave_out}
    for path in named:
        for programme in _in(path, result.beside, without) if path.is_dir() else (path,):
            place = os.path.realpath(programme)
            if place not in seen:
                seen.add(place)
                result.found.append((programme, path if path.is_dir() and programme != path else programme.parent))
    return result


def _in(folder: Path, beside: Counter[str], without: set[Path]) -> Iterator[Path]:
    for where, folders, files in os.walk(folder):
        folders[:] = sorted(
            name for name in folders if not name.startswith(".") and Path(where, name).absolute() not in without
        )
        plain = sorted(name for name in files if not name.startswith("."))
        endings = {name: Path(name).suffix.lower() for name in plain}
        programmes = [name for name in plain if endings[name] in PROGRAMMES]
        yield from (Path(where) / name for name in programmes)
        if not programmes and any(endings[name] in PICTURES for name in plain):
            yield Path(where)
        others = (name for name in plain if endings[name] not in PROGRAMMES)
        beside.update(endings[name] for name in others if _counts(name, endings[name], programmes))


def _counts(name: str, ending: str, programmes: list[str]) -> bool:
    """Whether a file that is no programme is told of."""
    return ending != ".bluffline" and not name.endswith(_OURS) and (ending not in PICTURES or bool(programmes))
