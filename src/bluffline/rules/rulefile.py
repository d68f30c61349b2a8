"""Rule files: limits and tolerances in TOML."""

import hashlib
import math
from dataclasses import dataclass
from importlib import resources
from pathlib import Path
from typing import Any

from bluffline.errors import RulesError
from bluffline.intake import parse_toml, read_text
from bluffline.measure.counted import Limits
from bluffline.measure.region import Region
from bluffline.rules.severity import Severity
from bluffline.signal.colorimetry import GAMUTS

SHIPPED = ("r103", "strict")
_KEYS = {
    "": {"title", "limits", "tolerance", "filter", "clipping", "combing", "area", "chart", "tags"},
    "limits": {"luma", "rgb", "gamut", "reserved"},
    "tolerance": {"area", "frames", "gap"},
    "filter": {"kind"},
    "clipping": {"area"},
    "combing": {"share"},
    "tags": {"severity"},
    "chart": {"reference", "mean", "worst"},
    "area": {"name", "box", "use", "luma"},
}
_WIDEST = (-50.0, 150.0)
_CLIP_AREA = 0.5
_COMBING = 5.0
_LEAVE_OUT = "leave out"
_GAP, _LONGEST_GAP = 1.0, 60.0
_RESERVED = ("forbidden", "allowed")
FILTERS = ("none", "low-pass")


@dataclass(frozen=True, slots=True)
class RuleArea:
    """A part of the picture with rules of its own.

    ``box``: left, top, width and height in percent of the picture; ``luma``: its own limits, in percent, or None where
    nothing inside it counts against any limit.
    """

    name: str
    box: tuple[float, float, float, float]
    luma: tuple[float, float] | None

    def region(self, width: int, height: int) -> Region:
        """The pixels of a picture of that size; edges are even, so that chroma sites fall inside."""
        left, top, wide, high = self.box
        x, y = (2 * round(share / 200 * size) for share, size in ((left, width), (top, height)))
        right, bottom = (2 * round(share / 200 * size) for share, size in ((left + wide, width), (top + high, height)))
        return Region(x, y, max(min(right, width) - x, 2), max(min(bottom, height) - y, 2))


@dataclass(frozen=True, slots=True)
class RuleChart:
    """How far a filmed chart may be from its reference, CIEDE2000; ``reference``: a shipped one's name, or a path."""

    reference: str
    mean: float
    worst: float


@dataclass(frozen=True, slots=True)
class Rules:
    """The delivery rules in force. Areas are percent of the active picture; ``combing`` is percent of the codes in use.

    ``gamut``: one of `colorimetry.GAMUTS` that colours have to stay in, or None. ``reserved``: whether codes that a serial link
    reserves are forbidden. ``low_pass``: whether luma and R′G′B′ are judged after that filter. ``gap``: seconds that two runs
    may lie apart and still be one finding. ``tags``: how grave it is where a programme's tags change. ``checksum``: SHA-256 of
    the file's text; ``shipped``: the name of the shipped rules that it is to the letter, or empty.
    """

    name: str
    title: str
    limits: Limits
    area: float
    frames: int
    clip_area: float = _CLIP_AREA
    gamut: str | None = None
    combing: float = _COMBING
    areas: tuple[RuleArea, ...] = ()
    chart: RuleChart | None = None
    reserved: bool = True
    low_pass: bool = False
    gap: float = _GAP
    tags: Severity = Severity.MUST_FIX
    checksum: str = ""
    shipped: str = ""

    @property
    def filter(self) -> str:
        """What luma and R′G′B′ are filtered by before they are judged, in the word of the rule file."""
        return FILTERS[self.low_pass]

    @property
    def left_out(self) -> tuple[RuleArea, ...]:
        """The areas that count against no limit."""
        return tuple(area for area in self.areas if area.luma is None)

    @property
    def limited(self) -> tuple[RuleArea, ...]:
        """The areas that have limits of their own."""
        return tuple(area for area in self.areas if area.luma is not None)

    def outside(self, area: float) -> bool:
        """Whether an area outside the limits is more than is tolerated."""
        return area > self.area


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
    _refuse_unknown(table, "", name)
    limits = _section(table, "limits", name)
    tolerance = _section(table, "tolerance", name)
    clipping = _section(table, "clipping", name)
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
        clip_area=_percent(clipping, "area", _CLIP_AREA, f"The rules {name}: clipping"),
        gamut=_gamut(limits, name),
        combing=_percent(_section(table, "combing", name), "share", _COMBING, f"The rules {name}: combing"),
        areas=_areas(table, name),
        chart=_chart(table, name, folder),
        reserved=_choice(limits, "reserved", _RESERVED, f"The rules {name}: limits") == _RESERVED[0],
        low_pass=_choice(_section(table, "filter", name), "kind", FILTERS, f"The rules {name}: filter") == FILTERS[1],
        gap=_gap(tolerance, name),
        tags=Severity(_choice(_section(table, "tags", name), "severity", tuple(Severity), f"The rules {name}: tags")),
        checksum=checksum,
        shipped=next((known for known in SHIPPED if _checksum(_shipped_text(known)) == checksum), ""),
    )


def _choice(table: dict[str, Any], key: str, choices: tuple[str, ...], where: str) -> str:
    """One of several words; the first where the key is left out."""
    value = table.get(key, choices[0])
    if value not in choices:
        raise RulesError(f"{where}.{key} must be one of {', '.join(choices)}, not {value!r}.")
    return str(value)


def _gap(tolerance: dict[str, Any], name: str) -> float:
    gap = tolerance.get("gap", _GAP)
    if not _number(gap) or not 0 <= gap <= _LONGEST_GAP:
        raise RulesError(f"The rules {name}: tolerance.gap must be a number from 0 to {_LONGEST_GAP:g} seconds, not {gap!r}.")
    return float(gap)


def _chart(table: dict[str, Any], name: str, folder: Path) -> RuleChart | None:
    if "chart" not in table:
        return None
    section = _section(table, "chart", name)
    reference = section.get("reference")
    if not isinstance(reference, str) or not reference.strip():
        raise RulesError(f"The rules {name}: chart.reference must name a chart reference.")
    if "mean" not in section and "worst" not in section:
        raise RulesError(f"The rules {name}: chart needs mean or worst, the greatest ΔE2000 that is allowed.")
    mean, worst = (section.get(key, math.inf) for key in ("mean", "worst"))
    if not all(key not in section or (_number(section[key]) and section[key] > 0) for key in ("mean", "worst")):
        raise RulesError(f"The rules {name}: chart.mean and chart.worst must be numbers above 0, in ΔE2000.")
    beside = folder / reference
    return RuleChart(str(beside) if beside.is_file() else reference, float(mean), float(worst))


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


def _refuse_unknown(table: dict[str, Any], section: str, name: str) -> None:
    for key in table.keys() - _KEYS[section]:
        known = ", ".join(sorted(_KEYS[section]))
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
