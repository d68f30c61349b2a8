"""How what an operator names is opened: a file, or numbered pictures; and one clear sentence where that fails."""

import os
import re
import stat
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

from bluffline.errors import MediaError

USUAL_RATE = Fraction(25)
PICTURES = frozenset({".dpx", ".tif", ".tiff", ".png", ".exr", ".jpg", ".jpeg", ".bmp", ".tga", ".jp2"})
_STILLS = "image2"  # FFmpeg's name for pictures in files of their own
_NUMBER = re.compile(r"%(?:0(\d+))?d")
_NUMBERED = re.compile(r"(.*?)(\d+)(\.[^.]+)")
_SHOWN_GAPS = 5
_ALL = slice(None)


@dataclass(frozen=True, slots=True)
class Identity:
    """What tells that a file is still the one that was opened: for each file its inode, size and time of change (ns)."""

    stats: tuple[tuple[int, int, int], ...]

    @classmethod
    def of(cls, files: tuple[Path, ...]) -> "Identity":
        """The identity of files as they are now; a file that is gone has none."""
        found = []
        for file in files:
            try:
                now = file.stat()
                found.append((now.st_ino, now.st_size, now.st_mtime_ns))
            except OSError:
                found.append((0, 0, 0))
        return cls(tuple(found))

    @classmethod
    def none(cls, count: int) -> "Identity":
        """That of files that are not there."""
        return cls(((0, 0, 0),) * count)


@dataclass(frozen=True, slots=True)
class Opening:
    """What is handed to FFmpeg for a programme: its own name for the file or numbered pictures, and what it must be told.

    ``path`` is what the operator named; ``files`` are all the files that are read.
    """

    path: Path
    name: str
    files: tuple[Path, ...]
    format: str | None = None
    options: tuple[tuple[str, str], ...] = ()

    @property
    def numbered(self) -> bool:
        """Whether it is pictures in files of their own."""
        return self.format == _STILLS

    @property
    def heads(self) -> bool:
        """Whether each of its files has a head of its own that says what decoders don't hand on."""
        return self.numbered and self.files[0].suffix.lower() == ".dpx"

    @classmethod
    def of(cls, path: Path | str, rate: Fraction | None = None) -> "Opening":
        """A file; a pattern such as ``shot_%04d.dpx``; or a folder that holds one run of numbered pictures.

        Raises
        ------
        MediaError : there is nothing there that can be read again and again, or numbers are missing in a run.
        """
        path = Path(path)
        if path.is_dir():
            return _numbered(path, _pattern_in(path), rate)
        if not path.exists():
            if _NUMBER.search(path.name):
                return _numbered(path, path, rate)
            if str(path) == "-":
                raise MediaError(
                    "A programme can't be read from a pipe: it is read more than once, so save it as a file first."
                )
            raise MediaError(f"There is no file {shown(path)}.")
        mode = path.stat().st_mode
        if not stat.S_ISREG(mode):
            kind = "a pipe" if stat.S_ISFIFO(mode) else "a device"
            raise MediaError(f"{shown(path)} is {kind}: a programme is read more than once, so save it as a file first.")
        if path.stat().st_size == 0:
            raise MediaError(f"{shown(path)} is empty (0 bytes).")
        if path.suffix.lower() in PICTURES:
            options = (("framerate", str(rate or USUAL_RATE)), ("pattern_type", "none"))
            return cls(path, plain_name(path), (path,), _STILLS, options)
        if rate is not None:
            raise MediaError(f"{shown(path)} has a rate of its own; --rate is for numbered pictures.")
        return cls(path, plain_name(path), (path,))

    def identity(self, files: slice = _ALL) -> Identity:
        """What its files are now, or some of them."""
        return Identity.of(self.files[files])


def rate_from(text: str) -> Fraction:
    """A rate as 25, 23.976 or 30000/1001, of so few figures that working it out takes no time.

    Raises
    ------
    ValueError : it is none, or not between 1 and 240 frames a second
    """
    if not re.fullmatch(r"\d{1,6}(\.\d{1,6})?|\d{1,6}/[1-9]\d{0,5}", text) or not 1 <= (rate := Fraction(text)) <= 240:
        raise ValueError(f"no rate: {text[:12]}")
    return rate


def plain_name(path: Path) -> str:
    """A path as FFmpeg's libraries take it for a file, whatever it looks like: ``http:`` may be how a name begins."""
    return f"file:{path}"


def shown(path: Path | str) -> str:
    """A path as text that can be printed and stored, also where its bytes are not UTF-8."""
    return os.fsencode(path).decode("utf-8", "replace")


def _pattern_in(folder: Path) -> Path:
    """The pattern of the one run of numbered pictures in a folder."""
    runs: set[str] = set()
    for file in folder.iterdir():
        match = _NUMBERED.fullmatch(file.name)
        if match and match[3].lower() in PICTURES and not file.name.startswith("."):
            runs.add(f"{match[1].replace('%', '%%')}%0{len(match[2])}d{match[3]}")
    if not runs:
        raise MediaError(f"{shown(folder)} is a folder without numbered pictures ({', '.join(sorted(PICTURES))}).")
    if len(runs) > 1:
        raise MediaError(
            f"{shown(folder)} holds several runs of pictures; name one of {', '.join(sorted(runs)[:_SHOWN_GAPS])}."
        )
    return folder / runs.pop()


def _numbered(named: Path, pattern: Path, rate: Fraction | None) -> Opening:
    place = _NUMBER.search(pattern.name)
    assert place is not None
    before, after = (pattern.name[: place.start()].replace("%%", "%"), pattern.name[place.end() :].replace("%%", "%"))
    digits = f"\\d{{{int(place[1])},}}" if place[1] else r"\d+"
    wanted = re.compile(f"{re.escape(before)}({digits}){re.escape(after)}")
    try:
        found = {int(match[1]): file for file in pattern.parent.iterdir() if (match := wanted.fullmatch(file.name))}
    except OSError as error:
        raise MediaError(f"There is no folder {shown(pattern.parent)}.") from error
    if not found:
        raise MediaError(f"There are no pictures named {shown(pattern)}.")
    first, last = min(found), max(found)
    gaps = [number for number in range(first, last + 1) if number not in found]
    if gaps:
        told = ", ".join(map(str, gaps[:_SHOWN_GAPS])) + (" …" if len(gaps) > _SHOWN_GAPS else "")
        raise MediaError(f"{shown(pattern)}: {len(gaps)} of the numbers {first} to {last} are missing ({told}).")
    options = (("framerate", str(rate or USUAL_RATE)), ("start_number", str(first)))
    return Opening(named, plain_name(pattern), tuple(found[number] for number in sorted(found)), _STILLS, options)
