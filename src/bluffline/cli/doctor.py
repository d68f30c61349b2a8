"""The command that says whether everything is there that the program needs, and how to get what is not."""

import argparse
import ctypes
import os
import re
import shutil
import sys
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from importlib import metadata

import av

from bluffline.folders import UserFolder
from bluffline.media.codecs import CODECS
from bluffline.media.opening import shown
from bluffline.report.keys import Keys

DESK = {
    "libEGL.so.1": "libegl1", "libGL.so.1": "libgl1", "libxkbcommon.so.0": "libxkbcommon0",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0", "libxcb-cursor.so.0": "libxcb-cursor0", "libxcb-icccm.so.4": "libxcb-icccm4",
    "libxcb-image.so.0": "libxcb-image0", "libxcb-keysyms.so.1": "libxcb-keysyms1", "libxcb-randr.so.0": "libxcb-randr0",
    "libxcb-render-util.so.0": "libxcb-render-util0", "libxcb-shape.so.0": "libxcb-shape0", "libxcb-xkb.so.1": "libxcb-xkb1",
    "libxcb-xfixes.so.0": "libxcb-xfixes0", "libX11-xcb.so.1": "libx11-xcb1", "libdbus-1.so.3": "libdbus-1-3",
    "libfontconfig.so.1": "libfontconfig1", "libglib-2.0.so.0": "libglib2.0-0",
}  # fmt: skip
PRINTING = {
    "libpango-1.0.so.0": "libpango-1.0-0", "libpangoft2-1.0.so.0": "libpangoft2-1.0-0",
    "libharfbuzz-subset.so.0": "libharfbuzz-subset0",
}  # fmt: skip
_PYTHON = 3, 11
_ROOM = 1 << 30  # bytes that a disk should have left
_WELL, _LACKING = 0, 1


@dataclass(frozen=True, slots=True)
class Looked:
    """Something that was looked at, whether it is as it should be, and what was seen; ``needed``: whether it has to be."""

    about: str
    well: bool
    told: str
    needed: bool = True


def add_command(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Declare the command."""
    doctor = commands.add_parser("doctor", help="say whether all is there that is needed, and how to get what is not")
    doctor.set_defaults(run=_doctor)


def _doctor(_: argparse.Namespace) -> int:
    lacking = False
    for each in looked_at():
        mark = " " if each.well else "!" if each.needed else "·"
        print(f"{mark} {each.about}: {each.told}")
        lacking |= each.needed and not each.well
    print("Something that is needed is missing: see what begins with !." if lacking else "All that is needed is there.")
    return _LACKING if lacking else _WELL


def looked_at() -> Iterator[Looked]:
    """Look at everything that the program stands on, one after the other."""
    python = f"{sys.version.split()[0]} at {sys.executable}"
    yield Looked("Python", sys.version_info >= _PYTHON, f"{python}; 3.11 or later is needed")
    yield from _packages()
    yield _libraries("libraries of the desk", DESK)
    yield _libraries("libraries for printing", PRINTING, needed=False)
    shows = os.environ.get("WAYLAND_DISPLAY") or os.environ.get("DISPLAY")
    yield Looked("screen", bool(shows), shows or "none: commands work, the desk can't be opened", needed=False)
    yield from _codecs()
    for folder in UserFolder:
        yield _folder(folder)
    own = Keys().mine
    signs = f"{own.name} signs certificates: {own.fingerprint}" if own is not None else "made when it is first needed"
    yield Looked("key", well=True, told=signs)
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 1e9
    yield Looked("machine", well=True, told=f"{os.cpu_count()} cores, {memory:.0f} GB of memory")


def _packages() -> Iterator[Looked]:
    """The packages that it was installed with."""
    missing, found = [], 0
    for asked in metadata.requires("bluffline") or ():
        if "extra ==" in asked:
            continue
        name = re.split(r"[<>=!~\[; ]", asked, maxsplit=1)[0]
        with suppress(metadata.PackageNotFoundError):
            metadata.version(name)
            found += 1
            continue
        missing.append(asked)
    told = f"pip install {' '.join(map(repr, missing))}" if missing else f"{found}, all that it asks for"
    yield Looked("packages", not missing, told)


def _libraries(about: str, wanted: dict[str, str], *, needed: bool = True) -> Looked:
    missing = []
    for library, package in wanted.items():
        try:
            ctypes.CDLL(library)
        except OSError:
            missing.append(package)
    told = f"sudo apt-get install {' '.join(missing)}" if missing else f"{len(wanted)}, all that are used"
    return Looked(about, not missing, told, needed)


def _codecs() -> Iterator[Looked]:
    """What can be written with the FFmpeg that PyAV brings."""
    missing = []
    for codec in CODECS.values():
        try:
            av.codec.Codec(codec.encoder, "w")
        except ValueError:
            missing.append(codec.title)
    libraries = f"libavcodec {'.'.join(map(str, av.library_versions['libavcodec']))}"
    told = f"not in this {libraries}: {', '.join(missing)}" if missing else f"all {len(CODECS)} can be written, by {libraries}"
    yield Looked("codecs", not missing, told)


def _folder(folder: UserFolder) -> Looked:
    """Whether one of the user's folders can be written to, and has room."""
    about = f"folder of {folder.name.lower().replace('_', ' ')}"
    there = next(path for path in (folder.path, *folder.path.parents) if path.exists())
    if not os.access(there, os.W_OK):
        return Looked(about, well=False, told=f"{shown(there)} can't be written to by this user")
    free = shutil.disk_usage(there).free
    told = f"{shown(folder.path)}, {free / 1e9:.0f} GB free"
    return Looked(about, free > _ROOM, told if free > _ROOM else f"{told}: make room", needed=False)
