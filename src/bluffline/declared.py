"""Values from files, checked by the declarations of what they are to be, so that nothing of another kind gets in."""

from collections.abc import Mapping
from dataclasses import MISSING, dataclass, fields, is_dataclass
from enum import Enum
from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from types import ModuleType, UnionType
from typing import Annotated, Any, TypeVar, get_args, get_origin, get_type_hints

from bluffline.errors import SettingsError, require

MOST_ENTRIES = 1 << 20
SHOWN = 40  # characters of a wrong value that are shown
_MOST = 1e6  # what no figure of anything comes near to
_LONGEST = 10_000  # characters of a text
_NAMES: dict[Any, str] = {bool: "true or false", str: "a text", int: "a whole number"}
Made = TypeVar("Made")


@dataclass(frozen=True, slots=True)
class Between:
    """A number from ``low`` to ``high``: a bound in an annotation."""

    low: float
    high: float
    unit: str = ""

    def __str__(self) -> str:
        return f"between {self.low:g} and {self.high:g} {self.unit}".rstrip()

    def __contains__(self, value: float) -> bool:
        return self.low <= value <= self.high


@dataclass(frozen=True, slots=True)
class OneOf:
    """One of some values: a bound in an annotation."""

    values: tuple[Any, ...]

    def __str__(self) -> str:
        return f"one of {', '.join(map(str, self.values))}"

    def __contains__(self, value: object) -> bool:
        return value in self.values


def made(kind: type[Made], data: Any, where: str) -> Made:
    """A dataclass from plain data: a mapping of its fields, or a list of them in their order.

    Raises
    ------
    SettingsError : a field is unknown, missing, or not what it is declared to be; the sentence names ``where`` and the field
    """
    known = {field.name: field for field in fields(kind)}  # type: ignore[arg-type]
    if isinstance(data, list | tuple):
        require(len(data) <= len(known), f"{where} must be a list of {len(known)} at most.")
        data = dict(zip(known, data, strict=False))
    require(isinstance(data, Mapping), f"{where} must be an object.")
    hints = _hints(kind)  # type: ignore[arg-type]
    values = {}
    for name, value in data.items():
        require(name in known, f"{where} has no figure {str(name)[:SHOWN]!r}; it has {', '.join(known)}.")
        values[name] = checked(value, hints[name], f"{where}: {name}")
    required = [name for name, field in known.items() if field.default is MISSING and field.default_factory is MISSING]
    if missing := [name for name in required if name not in values]:
        raise SettingsError(f"{where} lacks {', '.join(missing)}.")
    try:
        return kind(**values)
    except ValueError as error:
        raise SettingsError(f"{where}: {error}.") from error


@cache  # work on thousands of shots is thousands of steps of few kinds
def _hints(kind: type) -> dict[str, Any]:
    return get_type_hints(kind, include_extras=True)


def checked(value: Any, hint: Any, where: str) -> Any:
    """A value as the declaration of its field asks for it.

    Raises
    ------
    SettingsError : it is of another type, not finite or out of bounds
    """
    origin, arguments = get_origin(hint), get_args(hint)
    if origin is Annotated:
        found = checked(value, arguments[0], where)
        for bound in arguments[1:]:
            require(found in bound, f"{where} must be {bound}, not {str(value)[:SHOWN]}.")
        return found
    if origin is tuple:
        require(isinstance(value, list | tuple), f"{where} must be a list.")
        hints = [arguments[0]] * len(value) if arguments[-1] is Ellipsis else list(arguments)
        fits = len(hints) == len(value) <= MOST_ENTRIES
        require(fits, f"{where} must be a list of {len(hints)}, and of {MOST_ENTRIES} at most.")
        return tuple(checked(part, each, where) for part, each in zip(value, hints, strict=True))
    if origin is UnionType:
        return None if value is None else checked(value, arguments[0], where)
    if is_dataclass(hint):
        return made(hint, value, where)  # type: ignore[arg-type]
    return _plain(value, hint, where)


def _plain(value: Any, hint: Any, where: str) -> Any:
    if hint is float:
        number = isinstance(value, int | float) and not isinstance(value, bool)
        require(number and abs(value) <= _MOST, f"{where} must be a number, not {str(value)[:SHOWN]}.")
        return float(value)
    if isinstance(hint, type) and issubclass(hint, Enum):
        known = value in list(hint)
        require(known, f"{where} must be one of {', '.join(map(str, hint))}, not {str(value)[:SHOWN]}.")
        return hint(value)
    whole = isinstance(value, hint) and not (hint is int and isinstance(value, bool))
    require(whole, f"{where} must be {_NAMES.get(hint, hint.__name__)}, not {str(value)[:SHOWN]}.")
    require(not isinstance(value, str) or len(value) <= _LONGEST, f"{where} must be a shorter text.")
    return value


def declared_in(package: ModuleType, base: type[Made], mark: str) -> set[type[Made]]:
    """The classes of a base that the modules of a package declare: those that have ``mark`` of their own."""
    modules = [import_module(f"{package.__name__}.{module.name}") for module in iter_modules(package.__path__)]
    every = [one for module in modules for one in vars(module).values()]
    return {one for one in every if isinstance(one, type) and issubclass(one, base) and mark in vars(one)}
