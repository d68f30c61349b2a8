"""Aims: the levels and colours that proposals bring a shot to, from a TOML file that an operator can edit."""

import tomllib
from dataclasses import dataclass, replace
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Annotated, Any

from bluffline.declared import Between, made
from bluffline.errors import RulesError, SettingsError, require
from bluffline.folders import UserFolder
from bluffline.intake import read_text

_FILE = "aims.toml"
Percent = Annotated[float, Between(-10, 120)]


@dataclass(frozen=True, slots=True)
class Levels:
    """Levels in percent; those of two figures may lie anywhere between them.

    Raises
    ------
    SettingsError : a range that runs downwards
    """

    black: Annotated[float, Between(0, 20)]
    highlights: tuple[Percent, Percent]
    white_text: Percent
    middle: tuple[Percent, Percent]
    face: tuple[Percent, Percent]

    def __post_init__(self) -> None:
        for name in ("highlights", "middle", "face"):
            low, high = getattr(self, name)
            require(low <= high, f"levels: {name} must run upwards.")
        require(self.highlights[0] >= self.black + 20, "levels: highlights must lie at least 20 % above black.")


@dataclass(frozen=True, slots=True)
class Colour:
    """Where skin lies on the vectorscope and how far beside it, in degrees; the chroma of a picture in percent."""

    skin: Annotated[float, Between(-360, 360)]
    skin_off: Annotated[float, Between(0, 90)]
    chroma: tuple[Annotated[float, Between(0, 70)], Annotated[float, Between(0, 70)]]

    def __post_init__(self) -> None:
        require(self.chroma[0] <= self.chroma[1], "colour: chroma must run upwards.")


@dataclass(frozen=True, slots=True)
class Leeway:
    """How far beyond the aims (percent) a level or chroma is bearable."""

    black: Annotated[float, Between(0, 50)] = 6.0
    highlights: Annotated[float, Between(0, 100)] = 15.0
    middle: Annotated[float, Between(0, 100)] = 12.0
    chroma: Annotated[float, Between(0, 70)] = 8.0


@dataclass(frozen=True, slots=True)
class Names:
    """What areas are called that are taken for what they say, in small letters."""

    face: tuple[str, ...] = ()
    neutral: tuple[str, ...] = ()
    text: tuple[str, ...] = ()

    def says_face(self, name: str) -> bool:
        """Whether an area of this name holds a face."""
        return name.strip().lower() in self.face

    def tell(self, name: str) -> bool:
        """Whether an area of this name is taken for what it says."""
        return name.strip().lower() in (*self.face, *self.neutral, *self.text)


@dataclass(frozen=True, slots=True)
class Aims:
    """Aims as a file has them."""

    title: str
    levels: Levels
    colour: Colour
    names: Names = Names()
    leeway: Leeway = Leeway()

    @property
    def eased(self) -> "Aims":
        """The same with their leeway: what is wrong is brought as far as that, since nobody knows what it was meant to be."""
        levels, away = self.levels, self.leeway
        low, high = self.colour.chroma
        eased = replace(
            levels,
            black=levels.black + away.black,
            highlights=(max(levels.highlights[0] - away.highlights, levels.black + away.black + 20), levels.highlights[1]),
            middle=(levels.middle[0] - away.middle, levels.middle[1] + away.middle),
            face=(levels.face[0] - away.middle, levels.face[1] + away.middle),
        )
        return replace(self, levels=eased, colour=replace(self.colour, chroma=(max(low - away.chroma, 0), high + away.chroma)))


def load_aims(path: Path | None = None) -> Aims:
    """Aims from a file; else the operator's own in the settings folder, else those that are shipped.

    Raises
    ------
    RulesError : the file can't be read, or the key in it that can't be used
    """
    own = UserFolder.SETTINGS.path / _FILE
    chosen = path if path is not None else own if own.exists() else None
    if chosen is None:
        return shipped_aims()
    try:
        return _parsed(read_text(chosen), chosen.name)
    except OSError as error:
        raise RulesError(f"The aims {chosen} can't be read: {error.strerror}.") from error
    except UnicodeDecodeError as error:
        raise RulesError(f"The aims {chosen} can't be read as text.") from error


def usable_aims() -> Aims:
    """The operator's own aims if they can be read, else those that are shipped."""
    try:
        return load_aims()
    except RulesError:
        return shipped_aims()


@cache
def shipped_aims() -> Aims:
    """The aims that are shipped."""
    return _parsed(resources.files("bluffline.rules").joinpath("shipped", _FILE).read_text("utf-8"), _FILE)


def _parsed(text: str, name: str) -> Aims:
    try:
        data: dict[str, Any] = tomllib.loads(text)
        return made(Aims, data, name)
    except tomllib.TOMLDecodeError as error:
        raise RulesError(f"{name}: {error}.") from error
    except SettingsError as error:
        raise RulesError(str(error)) from error
