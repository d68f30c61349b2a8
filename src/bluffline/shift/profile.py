"""Profiles: what a kind of delivery is judged by and written as, in a TOML file each, chosen by name, folder or hand."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase
from pathlib import Path

from bluffline.declared import made
from bluffline.errors import BlufflineError, RulesError, SettingsError, require
from bluffline.folders import UserFolder
from bluffline.intake import parse_toml, read_text
from bluffline.media.codecs import CODECS, ENDINGS, codec_for
from bluffline.rules.rulefile import SHIPPED, load_rules
from bluffline.rules.rules import Rules
from bluffline.signal.format import NO_OVERRIDES, Overrides

_ENDING = ".toml"
_STEM = "{name}"


@dataclass(frozen=True, slots=True)
class Profile:
    """What a kind of delivery is judged by, how it is read, and how it is written.

    ``rules``: a shipped name, or a rule file, sought from the profile's own folder; ``files``: patterns of the names or paths
    that it is for; ``read``: the operator's word on how they are read; ``codec``, ``container``: what is written, the usual
    ones where empty; ``named``: the written file's name, in which {name} is the source's; ``deliver``: the folder, or the
    address of the gateway, that it goes to.
    """

    name: str = "plain"
    rules: str = SHIPPED[0]
    files: tuple[str, ...] = ()
    read: Overrides = NO_OVERRIDES
    codec: str = ""
    container: str = ".mov"
    named: str = f"{_STEM}-legal"
    deliver: str = ""

    def __post_init__(self) -> None:
        require(self.codec in ("", *CODECS), f"The profile {self.name}: codec must be one of {', '.join(CODECS)}.")
        require(self.container in ENDINGS, f"The profile {self.name}: container must be one of {', '.join(ENDINGS)}.")
        plain = _STEM in self.named and "/" not in self.named and "\0" not in self.named
        require(plain, f"The profile {self.name}: named must be a file's name with {_STEM} in it, as {_STEM}-legal.")
        codec_for(Path(f"x{self.container}"), self.codec or None)

    def is_for(self, path: Path) -> bool:
        """Whether it is chosen for a file by its name or where it lies."""
        return any(fnmatchcase(str(path) if "/" in pattern else path.name, pattern) for pattern in self.files)

    def judged_by(self) -> Rules:
        """The rules.

        Raises
        ------
        RulesError : there are none, or they can't be used
        """
        return load_rules(self.rules)

    def target(self, source: Path, folder: Path) -> Path:
        """What is written of a file into a folder."""
        return folder / f"{self.named.replace(_STEM, source.stem)}{self.container}"


PLAIN = Profile()


def load_profile(name_or_path: str) -> Profile:
    """A profile by its name among the user's own, or from a file.

    Raises
    ------
    SettingsError : there is none, or something in it can't be used
    """
    own = UserFolder.SETTINGS.path / "profiles" / f"{name_or_path}{_ENDING}"
    path = Path(name_or_path) if name_or_path.endswith(_ENDING) else own
    if name_or_path == PLAIN.name and not own.exists():
        return PLAIN
    try:
        data = parse_toml(read_text(path))
    except FileNotFoundError as error:
        names = ", ".join([PLAIN.name, *sorted(file.stem for file in own.parent.glob(f"*{_ENDING}"))])
        raise SettingsError(f"There is no profile named {name_or_path}; choose {names}, or give a file.") from error
    except OSError as error:
        raise SettingsError(f"The profile {path} can't be read: {error.strerror}.") from error
    except ValueError as error:
        raise SettingsError(f"The profile {path} is not valid TOML: {str(error)[:200]}.") from error
    profile = made(Profile, {"name": path.stem, **data}, f"The profile {path}")
    rules = profile.rules if profile.rules in SHIPPED else str(path.parent.absolute() / profile.rules)
    return made_with(profile, rules)


def made_with(profile: Profile, rules: str) -> Profile:
    """The same under other rules.

    Raises
    ------
    SettingsError : those can't be used
    """
    found = replace(profile, rules=rules)
    try:
        found.judged_by()
    except RulesError as error:
        raise SettingsError(f"The profile {profile.name}: {error}") from error
    return found


def own_profiles() -> tuple[list[Profile], list[str]]:
    """The user's own profiles by name, and a sentence for each file that can't be used."""
    found, wrong = [], []
    for path in sorted((UserFolder.SETTINGS.path / "profiles").glob(f"*{_ENDING}")):
        try:
            found.append(load_profile(str(path)))
        except BlufflineError as error:
            wrong.append(str(error))
    return found, wrong


def chosen_for(path: Path, profiles: Sequence[Profile]) -> Profile:
    """The first profile that is for a file, else the plain one."""
    return next((profile for profile in profiles if profile.is_for(path)), PLAIN)
