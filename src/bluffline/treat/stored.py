"""Steps and treatments as data: in the document, in certificates, and in treatment files of their own."""

import base64
import json
import math
import zlib
from collections.abc import Mapping
from dataclasses import MISSING, asdict
from dataclasses import fields as dataclass_fields
from enum import Enum
from pathlib import Path
from types import UnionType
from typing import Any, get_args, get_origin, get_type_hints

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError, require
from bluffline.intake import read_text
from bluffline.treat.colour import Lut
from bluffline.treat.steps import STEP_ORDER, Step, Treatment

SCHEMA = "bluffline.treatment/1"
_MOST_STEPS, _MOST_ENTRIES = 1000, 4096
_MOST_CODES = 3 * 256**3
_MOST = 1e6  # what no figure of any step comes near to
_SHOWN = 40  # characters of a wrong value that are shown
_NAMES: dict[Any, str] = {bool: "true or false", str: "a text", int: "a whole number"}
_KINDS: dict[str, type[Step]] = {kind.__name__: kind for kind in STEP_ORDER}


def step_fields(step: Step) -> dict[str, Any]:
    """A step's parameters as JSON holds them; a LUT's table as zlib-packed little-endian float32 in base64."""
    if isinstance(step, Lut):
        packed = base64.b64encode(zlib.compress(step.table.astype("<f4").tobytes())).decode("ascii")
        plain = {"name": step.name, "low": step.low, "high": step.high, "bypassed": step.bypassed}
        return plain | {"shape": list(step.table.shape), "table": packed}
    return asdict(step)


def step_to(step: Step) -> dict[str, Any]:
    """A step as JSON holds it."""
    return {"kind": type(step).__name__} | step_fields(step)


def step_from(data: Mapping[str, Any]) -> Step:
    """The step that `step_to` made ``data`` of.

    Raises
    ------
    SettingsError : it can't be one; the sentence names the step and the key
    """
    require(isinstance(data, Mapping) and isinstance(data.get("kind"), str), "A step must be an object with a kind.")
    kind = _KINDS.get(data["kind"])
    if kind is None:
        raise SettingsError(f"There is no step of the kind {data['kind'][:_SHOWN]!r}.")
    values = {name: value for name, value in data.items() if name != "kind"}
    if kind is Lut:
        values["table"] = _table(values.get("table"), values.pop("shape", None))
    hints = get_type_hints(kind)
    known = {field.name: field for field in dataclass_fields(kind)}
    for name, value in values.items():
        require(name in known, f"{kind.__name__} has no figure {name[:_SHOWN]!r}.")
        if name != "table":
            values[name] = _checked(value, hints[name], f"{kind.__name__}: {name}")
    required = [name for name, field in known.items() if field.default is MISSING and field.default_factory is MISSING]
    if missing := [name for name in required if name not in values]:
        raise SettingsError(f"{kind.__name__} lacks {', '.join(missing)}.")
    return kind(**values)


def _checked(value: Any, hint: Any, where: str) -> Any:
    """A value as the declaration of its field asks for it.

    Raises
    ------
    SettingsError : it is of another type, not finite or out of all bounds
    """
    arguments = get_args(hint)
    if get_origin(hint) is tuple:
        require(isinstance(value, list | tuple), f"{where} must be a list.")
        hints = [arguments[0]] * len(value) if arguments[-1] is Ellipsis else list(arguments)
        fits = len(hints) == len(value) <= _MOST_ENTRIES
        require(fits, f"{where} must be a list of {len(hints)}, and of {_MOST_ENTRIES} at most.")
        return tuple(_checked(part, each, where) for part, each in zip(value, hints, strict=True))
    if get_origin(hint) is UnionType:
        return None if value is None else _checked(value, arguments[0], where)
    if hint is float:
        number = isinstance(value, int | float) and not isinstance(value, bool)
        require(number and abs(value) <= _MOST, f"{where} must be a number, not {str(value)[:_SHOWN]}.")
        return float(value)
    if isinstance(hint, type) and issubclass(hint, Enum):
        require(value in list(hint), f"{where} must be one of {', '.join(map(str, hint))}, not {str(value)[:_SHOWN]}.")
        return hint(value)
    whole = isinstance(value, hint) and not (hint is int and isinstance(value, bool))
    require(whole, f"{where} must be {_NAMES.get(hint, hint.__name__)}, not {str(value)[:_SHOWN]}.")
    return value


def _table(packed: Any, shape: Any) -> NDArray[np.float32]:
    """A LUT's table; no more of it is unpacked than its shape tells."""
    sizes = [size for size in shape if isinstance(size, int) and 2 <= size <= _MOST_ENTRIES] if isinstance(shape, list) else []
    count = math.prod(sizes)
    sound = isinstance(packed, str) and sizes and sizes == shape and count <= _MOST_CODES
    require(bool(sound), "Lut: a table needs its shape, and no more than 256 entries a side.")
    try:
        unpacking = zlib.decompressobj()
        codes = unpacking.decompress(base64.b64decode(packed, validate=True), 4 * count + 1)
        require(len(codes) == 4 * count, "Lut: the table is not of the shape that is told.")
        return np.frombuffer(codes, "<f4").reshape(sizes).astype(np.float32)
    except (zlib.error, ValueError) as error:
        raise SettingsError("Lut: the table is damaged.") from error


def treatment_text(title: str, treatment: Treatment) -> str:
    """A treatment as the text of a file."""
    data = {"schema": SCHEMA, "title": title, "steps": [step_to(step) for step in treatment]}
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"


def load_treatment(path: Path) -> tuple[str, Treatment]:
    """Title and steps of a treatment file.

    Raises
    ------
    SettingsError : it can't be read or is no treatment
    """
    try:
        text = read_text(path)
    except OSError as error:
        raise SettingsError(f"{path} can't be read: {error.strerror}.") from error
    except UnicodeDecodeError as error:
        raise SettingsError(f"{path} is not a treatment: it is no text.") from error
    try:
        data = json.loads(text, parse_constant=_no_number)
    except (ValueError, RecursionError) as error:
        raise SettingsError(f"{path} is not a treatment: {str(error)[:80]}.") from error
    require(isinstance(data, dict) and "schema" in data, f"{path} is not a treatment.")
    if data["schema"] != SCHEMA:
        raise SettingsError(f"{path} is of another version: {str(data['schema'])[:_SHOWN]} where {SCHEMA} was expected.")
    title, steps = data.get("title"), data.get("steps")
    require(isinstance(title, str) and isinstance(steps, list), f"{path} is not a treatment: a title and steps are needed.")
    require(len(steps) <= _MOST_STEPS, f"{path} has more than {_MOST_STEPS} steps.")
    try:
        return title, tuple(step_from(step) for step in steps)
    except SettingsError as error:
        raise SettingsError(f"{path}: {error}") from error


def _no_number(text: str) -> None:
    raise ValueError(f"{text} is no number")
