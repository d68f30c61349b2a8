"""Steps and treatments as data: in the document, in certificates, and in treatment files of their own."""

import base64
import json
import math
import zlib
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import MOST_ENTRIES, SHOWN, made
from bluffline.errors import SettingsError, require
from bluffline.intake import read_text
from bluffline.treat.colour import Lut
from bluffline.treat.steps import STEP_ORDER, Step, Treatment

SCHEMA = "bluffline.treatment/1"
_MOST_STEPS = 1000
_MOST_CODES = 3 * 256**3
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
        raise SettingsError(f"There is no step of the kind {data['kind'][:SHOWN]!r}.")
    values = {name: value for name, value in data.items() if name != "kind"}
    if kind is Lut:
        return _lut(values)
    return made(kind, values, kind.__name__)


def _lut(values: dict[str, Any]) -> Lut:
    """A LUT; its table is no plain value."""
    table = _table(values.pop("table", None), values.pop("shape", None))
    plain = made(_LutFigures, values, "Lut")
    return Lut(plain.name, plain.low, plain.high, table, plain.bypassed)


@dataclass(frozen=True)
class _LutFigures:
    """What is stored of a LUT beside its table."""

    name: str
    low: float
    high: float
    bypassed: bool = False


def _table(packed: Any, shape: Any) -> NDArray[np.float32]:
    """A LUT's table; no more of it is unpacked than its shape tells."""
    sizes = [size for size in shape if isinstance(size, int) and 2 <= size <= MOST_ENTRIES] if isinstance(shape, list) else []
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
        raise SettingsError(f"{path} is of another version: {str(data['schema'])[:SHOWN]} where {SCHEMA} was expected.")
    title, steps = data.get("title"), data.get("steps")
    require(isinstance(title, str) and isinstance(steps, list), f"{path} is not a treatment: a title and steps are needed.")
    require(len(steps) <= _MOST_STEPS, f"{path} has more than {_MOST_STEPS} steps.")
    try:
        return title, tuple(step_from(step) for step in steps)
    except SettingsError as error:
        raise SettingsError(f"{path}: {error}") from error


def _no_number(text: str) -> None:
    raise ValueError(f"{text} is no number")
