"""Rule files: limits and tolerances in TOML."""

import hashlib
import math
from collections.abc import Iterable
from importlib import resources
from pathlib import Path
from typing import Any

from bluffline.errors import RulesError, SettingsError
from bluffline.intake import parse_toml, read_text
from bluffline.measure.counted import Limits
from bluffline.rules.catalogue import RULES
from bluffline.rules.rule import Rule
from bluffline.rules.rules import FILTERS, GAP, RuleArea, Rules
from bluffline.signal.colorimetry import GAMUTS

SHIPPED = ("r103", "strict", "delivery", "pq", "hlg")
_KEYS = {
    "": {"title", "limits", "tolerance", "filter", "area"},
    "limits": {"luma", "rgb", "gamut", "reserved"},
    "tolerance": {"area", "frames", "gap"},
    "filter": {"kind"},
    "area": {"name", "box", "use", "luma"},
}
_WIDEST = (-50.0, 150.0)
_LEAVE_OUT = "leave out"
_LONGEST_GAP = 60.0
_RESERVED = ("forbidden", "allowed")


def load_rules(name_or_path: str | Path) -> Rules:
    """Rules shipped under a name, or read from any file.

    Raises
    ------
    RulesError : no such rules, or the file names the line or key that can't be used.
    """
    text = str(name_or_path)
    if text in SHIPPED:
        return parse_rules(_shipped_text(text), text)
    path = Path(text)
    try:
        return parse_rules(read_text(path), path.stem, path.parent)
    except FileNotFoundError as error:
        raise RulesError(f"There are no rules named {text}; choose {', '.join(SHIPPED)} or give a rule file.") from error
    except OSError as error:
        raise RulesError(f"The rule file {text} can't be read: {error.strerror}.") from error
    except UnicodeDecodeError as error:
        raise RulesError(f"The rule file {text} can't be read as text.") from error


def _shipped_text(name: str) -> str:
    return resources.files("bluffline.rules").joinpath("shipped", f"{name}.toml").read_text("utf-8")


def _checksum(text: str) -> str:
    return hashlib.sha256(text.encode("utf-8")).hexdigest()


def parse_rules(text: str, name: str, folder: Path = Path()) -> Rules:
    """Rules from the text of a rule file; the format is in ``docs/rules.md``. Files it names are sought from ``folder``.

    Raises
    ------
    RulesError : the text is not TOML, or a key is unknown, missing, or out of bounds.
    """
    checksum = _checksum(text)
    try:
        table = parse_toml(text)
    except ValueError as error:
        raise RulesError(f"The rules {name} are not valid TOML: {str(error)[:200]}.") from error
    rules = {rule.key: rule for rule in RULES if rule.section is not None}
    _refuse_unknown(table, "", name, rules)
    limits = _section(table, "limits", name)
    tolerance = _section(table, "tolerance", name)
    frames = tolerance.get("frames", 1)
    if not isinstance(frames, int) or isinstance(frames, bool) or frames < 1:
        raise RulesError(f"The rules {name}: tolerance.frames must be a whole number from 1, not {frames!r}.")
    title = table.get("title", name)
    if not isinstance(title, str) or not title.strip():
        raise RulesError(f"The rules {name}: title must be a text, not {title!r}.")
    return Rules(
        name=name,
        title=title,
        limits=Limits(_pair(limits, "luma", name), _pair(limits, "rgb", name)),
        area=_percent(tolerance, "area", 0.0, f"The rules {name}: tolerance"),
        frames=frames,
        gamut=_gamut(limits, name),
        areas=_areas(table, name),
        reserved=_choice(limits, "reserved", _RESERVED, f"The rules {name}: limits") == _RESERVED[0],
        low_pass=_choice(_section(table, "filter", name), "kind", FILTERS, f"The rules {name}: filter") == FILTERS[1],
        gap=_gap(tolerance, name),
        sections=tuple(_asked(rules[key], table[key], f"The rules {name}: {key}", folder) for key in table if key in rules),
        checksum=checksum,
        shipped=next((known for known in SHIPPED if _checksum(_shipped_text(known)) == checksum), ""),
        text=text,
    )


def _asked(rule: Rule, section: Any, where: str, folder: Path) -> Any:
    """What a file asks of a rule in its section."""
    if not isinstance(section, dict):
        raise RulesError(f"{where} must be a table, written [{rule.key}].")
    try:
        return rule.read(section, where, folder)
    except SettingsError as error:
        raise RulesError(str(error)) from error


def _choice(table: dict[str, Any], key: str, choices: tuple[str, ...], where: str) -> str:
    """One of several words; the first where the key is left out."""
    value = table.get(key, choices[0])
    if value not in choices:
        raise RulesError(f"{where}.{key} must be one of {', '.join(choices)}, not {value!r}.")
    return str(value)


def _gap(tolerance: dict[str, Any], name: str) -> float:
    gap = tolerance.get("gap", GAP)
    if not _number(gap) or not 0 <= gap <= _LONGEST_GAP:
        raise RulesError(f"The rules {name}: tolerance.gap must be a number from 0 to {_LONGEST_GAP:g} seconds, not {gap!r}.")
    return float(gap)


def _gamut(limits: dict[str, Any], name: str) -> str | None:
    gamut = limits.get("gamut")
    if gamut is not None and not (isinstance(gamut, str) and gamut in GAMUTS):
        raise RulesError(f"The rules {name}: limits.gamut must be one of {', '.join(GAMUTS)}, not {gamut!r}.")
    return gamut


def _areas(table: dict[str, Any], name: str) -> tuple[RuleArea, ...]:
    listed = table.get("area", [])
    if not isinstance(listed, list) or not all(isinstance(entry, dict) for entry in listed):
        raise RulesError(f"The rules {name}: areas are written [[area]], one table each.")
    return tuple(_area(entry, f"area {number}", name) for number, entry in enumerate(listed, 1))


def _area(entry: dict[str, Any], usual: str, name: str) -> RuleArea:
    _refuse_unknown(entry, "area", name)
    title, box = entry.get("name", usual), entry.get("box")
    if not isinstance(title, str) or not title.strip():
        raise RulesError(f"The rules {name}: an area's name must be a text, not {title!r}.")
    if not (isinstance(box, list) and len(box) == 4 and all(_number(value) for value in box)):
        raise RulesError(f"The rules {name}: {title}: box must be left, top, width and height, in percent of the picture.")
    left, top, wide, high = (float(value) for value in box)
    if min(left, top) < 0 or min(wide, high) <= 0 or max(left + wide, top + high) > 100:
        raise RulesError(f"The rules {name}: {title}: box must lie inside the picture (0 to 100 percent), not {box}.")
    if ("use" in entry) == ("luma" in entry):
        raise RulesError(f'The rules {name}: {title} needs either use = "{_LEAVE_OUT}" or luma = [low, high].')
    if "use" in entry and entry["use"] != _LEAVE_OUT:
        raise RulesError(f'The rules {name}: {title}: use can only be "{_LEAVE_OUT}", not {entry["use"]!r}.')
    luma = _pair(entry, "luma", name, title) if "luma" in entry else None
    return RuleArea(title, (left, top, wide, high), luma)


def _section(table: dict[str, Any], key: str, name: str) -> dict[str, Any]:
    section = table.get(key, {})
    if not isinstance(section, dict):
        raise RulesError(f"The rules {name}: {key} must be a table, written [{key}].")
    _refuse_unknown(section, key, name)
    return section


def _refuse_unknown(table: dict[str, Any], section: str, name: str, more: Iterable[str] = ()) -> None:
    for key in table.keys() - _KEYS[section] - set(more):
        known = ", ".join(sorted({*_KEYS[section], *more}))
        raise RulesError(f"The rules {name}: {f'{section}.' if section else ''}{key} is not known here; known are {known}.")


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)


def _pair(limits: dict[str, Any], key: str, name: str, section: str = "limits") -> tuple[float, float]:
    pair = limits.get(key)
    if not (isinstance(pair, list) and len(pair) == 2 and all(_number(value) for value in pair)):
        raise RulesError(f"The rules {name}: {section}.{key} must be two numbers, low and high, in percent.")
    low, high = float(pair[0]), float(pair[1])
    if not _WIDEST[0] <= low < high <= _WIDEST[1]:
        raise RulesError(f"The rules {name}: {section}.{key} must run upwards between −50 and 150 percent, not {pair}.")
    return low, high


def _percent(table: dict[str, Any], key: str, default: float, where: str) -> float:
    value = table.get(key, default)
    if not _number(value) or not 0.0 <= value <= 100.0:
        raise RulesError(f"{where}.{key} must be a number from 0 to 100 percent, not {value!r}.")
    return float(value)
