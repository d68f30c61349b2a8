"""What commands read and write: the programme with its options, and targets that are refused before any work begins."""

import argparse
import os
import sys
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

from bluffline.errors import MediaError, SettingsError, WriteError
from bluffline.media.codecs import CODECS, ENDINGS
from bluffline.media.cut_lists import CUT_LISTS, read_cuts
from bluffline.media.opening import PICTURES, rate_from, shown
from bluffline.media.probe import probe
from bluffline.media.programme import Programme
from bluffline.media.target import certificate_paths, refuse_long_name
from bluffline.prove.pictures import KeepUnreadable
from bluffline.session.workfile import ENDING, WorkFile, beside, read_work
from bluffline.shift.gathering import PROGRAMMES
from bluffline.shift.profile import Profile, load_profile
from bluffline.signal.colorimetry import PRIMARIES, TRANSFERS
from bluffline.signal.format import NO_OVERRIDES, Overrides, Scan
from bluffline.signal.levels import Range
from bluffline.signal.matrix import Matrix
from bluffline.signal.siting import Siting

_BESIDE = Path(ENDING)  # stands for the one that lies beside the programme
_FACTS = {
    "range": Range, "matrix": Matrix, "primaries": (*PRIMARIES, "p3-dci"), "transfer": TRANSFERS, "fields": Scan,
    "chroma-location": Siting,
}  # fmt: skip


def add_source(parser: argparse.ArgumentParser, *, several: bool = False) -> None:
    """Declare the programme, or ``several``, and how it is opened."""
    words = "a file, numbered pictures (shot_%%04d.dpx), or their folder"
    if several:
        parser.add_argument("files", type=Path, nargs="+", metavar="FILE", help=f"{words}, or a folder of files")
    else:
        parser.add_argument("file", type=Path, metavar="FILE", help=words)
    parser.add_argument("--rate", metavar="FRAMES", help="a second, of numbered pictures; default: 25")
    parser.add_argument("--track", type=int, metavar="N", help="the video track to take; default: the first")
    add_facts(parser)


def add_facts(parser: argparse.ArgumentParser) -> None:
    """Declare the operator's word against what files say of themselves."""
    for name, choices in _FACTS.items():
        parser.add_argument(f"--{name}", choices=[str(each) for each in choices], help="whatever its tag says")


def add_work(parser: "argparse._ActionsContainer") -> None:
    """Declare the work file that holds what was done to the programme on the desk."""
    words = f"what was done to it on the desk: its shots, groups, areas, facts, rules; alone, the {ENDING} file beside it"
    parser.add_argument("--work", type=Path, nargs="?", const=_BESIDE, metavar=f"WORK{ENDING}", help=words)


def add_profile(parser: argparse.ArgumentParser) -> None:
    """Declare the profile of a delivery."""
    words = "a kind of delivery: its rules, how its files are read, its codec; what is said beside it counts more"
    parser.add_argument("--profile", metavar="NAME|PATH", help=words)


def profile_of(options: argparse.Namespace) -> Profile | None:
    """The profile that a command was given.

    Raises
    ------
    SettingsError : there is none of that name, or it can't be used
    """
    name = getattr(options, "profile", None)
    return load_profile(name) if name is not None else None


def add_waivers(parser: argparse.ArgumentParser) -> None:
    """Declare what findings are to pass."""
    parser.add_argument("--waivers", type=Path, metavar="WAIVERS.toml", help="findings that somebody's word lets pass")


def add_cuts(parser: argparse.ArgumentParser) -> None:
    """Declare where shots begin."""
    parser.add_argument("--cuts", type=Path, metavar="LIST", help=f"shots begin where it says: {' or '.join(CUT_LISTS)}")


def cuts_of(options: argparse.Namespace, programme: Programme) -> Sequence[int] | None:
    """The frames that shots begin at by the list that a command was given, if it was; what of it is left out is told.

    Raises
    ------
    SettingsError : it can't be read, or is about something else
    """
    if options.cuts is None:
        return None
    listed = read_cuts(options.cuts, programme)
    print(f"bluffline: {shown(options.cuts)}: {listed.told}.", file=sys.stderr)
    return listed.starts


def work_of(options: argparse.Namespace, programme: Path) -> WorkFile | None:
    """The work that a command was told to take up.

    Raises
    ------
    SettingsError : it can't be used, there is none beside the programme, or it is on another file
    """
    if options.work is None:
        return None
    named = beside(programme) if options.work == _BESIDE else options.work
    if named is None:
        raise SettingsError(f"There is no {shown(programme.with_suffix(ENDING).name)} beside {shown(programme)}.")
    if named.suffix != ENDING:
        told = f"--work takes a {ENDING} file, not {shown(named)}"
        raise SettingsError(f"{told}; written last, it takes the one beside the programme.")
    work = read_work(named, programme)
    if not work.same:
        raise SettingsError(f"{shown(named)} is work on another file than {shown(programme)}.")
    return work


def add_target(parser: argparse.ArgumentParser) -> None:
    """Declare the file that is written, and how."""
    parser.add_argument("out", type=Path, metavar="OUT", help=f"the file to write: {', '.join(ENDINGS)}")
    usual = "default: the source's own where its frames can go over as they are coded, else the usual one for OUT's ending"
    parser.add_argument("--codec", choices=tuple(CODECS), help=usual)
    parser.add_argument("--drop-tracks", action="store_true", help="leave out tracks that OUT can't carry, and say so")
    kept = [str(way) for way in KeepUnreadable]
    parser.add_argument("--keep-unreadable", choices=kept, help="write frames that can't be read: the last good one, or black")


def add_force(parser: argparse.ArgumentParser) -> None:
    """Declare that files may be replaced."""
    parser.add_argument("--force", action="store_true", help="replace files that are there already")


def programmes_in(named: Path) -> list[Path]:
    """What is meant by a name: itself; or the files of a folder that does not hold numbered pictures, by their endings.

    Raises
    ------
    MediaError : it is a folder without either
    """
    if not named.is_dir() or any(file.suffix.lower() in PICTURES for file in named.iterdir()):
        return [named]
    found = sorted(file for file in named.iterdir() if file.suffix.lower() in PROGRAMMES and not file.name.startswith("."))
    if not found:
        raise MediaError(f"{shown(named)} is a folder with no programme in it.")
    return found


def open_source(options: argparse.Namespace, path: Path | None = None, work: WorkFile | None = None) -> Programme:
    """The programme that a command was given, or one of several, read as its profile says, the work on it, the command itself.

    Raises
    ------
    MediaError, SettingsError : it can't be read, or not so
    """
    rate = None if options.rate is None else frame_rate(options.rate)
    track, profile = options.track, profile_of(options)
    said = profile.read if profile is not None else NO_OVERRIDES
    if work is not None:
        rate, track, said = rate or work.rate, work.track if track is None else track, said.joined(work.overrides)
    said = said.joined(overrides(options))
    return probe(path or options.file, rate=rate, track=track).read_as(said)


def overrides(options: argparse.Namespace) -> Overrides:
    """The operator's word against what the file says of itself."""
    return Overrides(
        None if options.range is None else Range(options.range),
        None if options.matrix is None else Matrix(options.matrix),
        options.primaries,
        options.transfer,
        None if options.fields is None else Scan(options.fields),
        None if options.chroma_location is None else Siting(options.chroma_location),
    )


def frame_rate(text: str) -> Fraction:
    """A rate as 25 or 30000/1001.

    Raises
    ------
    SettingsError : it is none
    """
    try:
        return rate_from(text)
    except ValueError as error:
        told = "--rate must lie between 1 and 240 frames a second, as 25 or 30000/1001"
        raise SettingsError(f"{told}, not {text}.") from error


def keep_unreadable(options: argparse.Namespace) -> KeepUnreadable | None:
    """What the command was told to write for frames that can't be read."""
    return None if options.keep_unreadable is None else KeepUnreadable(options.keep_unreadable)


class Targets:
    """The files that a command is to write, each refused at once where it can't be or may not be.

    Parameters
    ----------
    sources : files that the command reads, which are never written to
    force : whether files that are there may be replaced by others of their kind
    """

    def __init__(self, sources: Sequence[Path], *, force: bool) -> None:
        self._sources, self._force = list(sources), force
        self._taken: list[Path] = []

    def add_certificate(self, source: Path) -> None:
        """Take the certificate of a file that is not written anew.

        Raises
        ------
        WriteError : there is one already, or its folder can't be written to
        """
        if not os.access(source.parent, os.W_OK):
            raise WriteError(f"The certificate can't be written: this user may not write to {shown(source.parent)}.")
        if (there := [shown(path) for path in certificate_paths(source) if path.exists()]) and not self._force:
            raise WriteError(f"{there[0]} is there already; --force replaces it.")

    def add(self, path: Path | None, endings: Sequence[str], *, certified: bool = False) -> None:
        """Take a target, if there is one; ``endings`` are those of its kind.

        Raises
        ------
        WriteError : it is a source, a file of another kind, there already, or can't be written
        """
        if path is None or str(path) == "-":
            return
        name = shown(path)
        if path.is_dir():
            raise WriteError(f"{name} can't be written: it is a folder.")
        if not path.parent.is_dir():
            raise WriteError(f"{name} can't be written: there is no folder {shown(path.parent)}.")
        if not os.access(path.parent, os.W_OK):
            raise WriteError(f"{name} can't be written: this user may not write to its folder.")
        if path.absolute() in self._taken:
            raise WriteError(f"{name} is named twice; choose another name for one of them.")
        self._taken.append(path.absolute())
        if certified:
            refuse_long_name(path)
        if path.exists():
            if any(source.exists() and path.samefile(source) for source in self._sources):
                raise WriteError(f"{name} is the source itself, which is never written to; choose another name.")
            if path.suffix.lower() not in endings:
                raise WriteError(f"{name} is there and is no {' or '.join(endings)} file; choose another name.")
        beside = certificate_paths(path) if certified else []
        there = [shown(each) for each in (path, *beside) if each.exists()]
        if there and not self._force:
            raise WriteError(f"{there[0]} is there already; --force replaces it.")
