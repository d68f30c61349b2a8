"""Steps and treatments as data: in the document, in certificates, and in treatment files of their own."""

import base64
import json
import math
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.declared import MOST_ENTRIES, SHOWN, checked, made
from bluffline.errors import SettingsError, require
from bluffline.intake import read_text
from bluffline.treat.catalogue import KINDS
from bluffline.treat.kinds.bands import Bands
from bluffline.treat.kinds.look import MOST_HELD, Look
from bluffline.treat.kinds.lut import LARGEST, Lut
from bluffline.treat.ladder import Treatment
from bluffline.treat.reach import EVERYWHERE, Key, Reach, ReachArea
from bluffline.treat.step import Heading, Step
from bluffline.treat.stored_before import SCHEMA_BEFORE, brought_up

SCHEMA = "bluffline.treatment/2"
_MOST_STEPS = 1000
_MOST_CODES = 3 * 256**3
_KEYS = {"kind", "on", "heading", "values", "reach"}


def values_of(step: Step) -> dict[str, Any]:
    """A step's figures as JSON holds them; a LUT's table as zlib-packed little-endian float32 in base64, with its shape."""
    values = {one.stored: getattr(step, one.key) for one in step.figures()}
    if isinstance(step, Bands):
        values["bands"] = [asdict(band) for band in step.bands]
    if isinstance(step, Look):
        values["steps"] = [step_to(each) for each in step.steps]
    if isinstance(step, Lut) and step.table is not None:
        packed = base64.b64encode(zlib.compress(step.table.astype("<f4").tobytes())).decode("ascii")
        values["table"] = {"shape": list(step.table.shape), "packed": packed}
    return values


def step_to(step: Step) -> dict[str, Any]:
    """A step as JSON holds it."""
    data: dict[str, Any] = {"kind": step.kind, "on": step.on, "heading": str(step.place), "values": values_of(step)}
    return data if step.reach.everywhere else data | {"reach": asdict(step.reach)}


def step_from(data: Any, where: str = "step") -> Step:
    """The step that `step_to` made ``data`` of; left-out figures are neutral.

    Raises
    ------
    SettingsError : it can't be one; the sentence names the step and the key
    """
    require(isinstance(data, Mapping) and isinstance(data.get("kind"), str), f"{where} must be an object with a kind.")
    if "values" not in data and data["kind"] not in KINDS:
        data = brought_up(data, where)
    kind = KINDS.get(data["kind"])
    if kind is None:
        raise SettingsError(f"{where}: there is no step of the kind {data['kind'][:SHOWN]!r}.")
    where = f"{where} ({kind.kind})"
    unknown = next((key for key in data if key not in _KEYS), None)
    require(unknown is None, f"{where} has no {str(unknown)[:SHOWN]!r}.")
    heading = data.get("heading")
    named = None if heading is None else str(heading).replace("-", " ")
    require(named is None or named in list(Heading), f"{where}: heading must be one of {', '.join(Heading)}.")
    values = data.get("values", {})
    require(isinstance(values, Mapping), f"{where}: values must be an object.")
    on = checked(data.get("on", True), bool, f"{where}: on")
    step = _kind_from(kind, values, where)
    place = None if named is None or named == step.home else Heading(named)
    return replace(step, on=on, heading=place, reach=_reach_from(data.get("reach"), f"{where}: reach"))


def _kind_from(kind: type[Step], values: Mapping[str, Any], where: str) -> Step:
    names = {one.stored: one.key for one in kind.figures()}
    unknown = next((key for key in values if key not in names), None)
    require(unknown is None, f"{where} has no figure {str(unknown)[:SHOWN]!r}.")
    values = {names[key]: value for key, value in values.items()}
    if kind is Lut and values.get("table") is not None:
        plain = made(Lut, {key: value for key, value in values.items() if key != "table"}, where)
        try:
            return replace(plain, table=_table(values["table"], f"{where}: table"))
        except SettingsError as error:
            raise SettingsError(f"{where}: table: {error}") from error
    if kind is Look and values.get("steps"):
        look = made(Look, {**values, "steps": ()}, where)
        return replace(look, steps=_held_in(values["steps"], where))
    try:
        return made(kind, {key: value for key, value in values.items() if value is not None or key != "table"}, where)
    except SettingsError as error:
        named = str(error)
        raise SettingsError(named if named.startswith(where) else f"{where}: {named}") from error


def _held_in(steps: Any, where: str) -> Treatment:
    """The steps of a look."""
    require(isinstance(steps, list) and len(steps) <= MOST_HELD, f"{where}: steps must be a list of {MOST_HELD} at most.")
    nested = any(isinstance(each, Mapping) and each.get("kind") == Look.kind for each in steps)
    require(not nested, f"{where}: a look can't hold another.")
    return tuple(step_from(each, f"{where}: step {n}") for n, each in enumerate(steps, 1))


def _reach_from(data: Any, where: str) -> Reach:
    if data is None:
        return EVERYWHERE
    require(isinstance(data, Mapping), f"{where} must be an object.")
    unknown = next((key for key in data if key not in ("inside", "areas", "key")), None)
    require(unknown is None, f"{where} has no {str(unknown)[:SHOWN]!r}.")
    inside = checked(data.get("inside", True), bool, f"{where}: inside")
    areas = data.get("areas", ())
    require(isinstance(areas, list | tuple) and len(areas) <= MOST_ENTRIES, f"{where}: areas must be a list.")
    key = data.get("key")
    try:
        found = tuple(made(ReachArea, area, f"{where}: area {n}") for n, area in enumerate(areas, 1))
        return Reach(inside, found, None if key is None else made(Key, key, f"{where}: key"))
    except SettingsError as error:
        named = str(error)
        raise SettingsError(named if named.startswith(where) else f"{where}: {named}") from error


def _table(data: Any, where: str) -> NDArray[np.float32]:
    """A LUT's table: packed, or as nested lists; no more of it is unpacked than its shape tells."""
    if isinstance(data, list):
        return _listed(data, where)
    require(
        isinstance(data, Mapping) and data.keys() == {"shape", "packed"},
        f"{where} must be a list, or a shape and a packed text.",
    )
    packed, shape = data["packed"], data["shape"]
    longest = max(LARGEST.values())
    sizes = [size for size in shape if isinstance(size, int) and 2 <= size <= longest] if isinstance(shape, list) else []
    count = math.prod(sizes)
    sound = isinstance(packed, str) and sizes and sizes == shape and count <= _MOST_CODES
    require(bool(sound), f"{where} needs its shape, and no more entries than a LUT has.")
    try:
        unpacking = zlib.decompressobj()
        codes = unpacking.decompress(base64.b64decode(packed, validate=True), 4 * count + 1)
        require(len(codes) == 4 * count, f"{where} is not of the shape that is told.")
        return np.frombuffer(codes, "<f4").reshape(sizes).astype(np.float32)
    except (zlib.error, ValueError) as error:
        raise SettingsError(f"{where} is damaged.") from error


def _listed(data: list[Any], where: str) -> NDArray[np.float32]:
    """A table of nested lists of numbers."""
    try:
        codes = np.array(data)
    except ValueError as error:
        raise SettingsError(f"{where} must have rows of one length.") from error
    number = codes.dtype.kind in "iuf" and codes.ndim in (2, 4) and codes.size <= _MOST_CODES
    require(bool(number) and bool((np.abs(codes) < 1e6).all()), f"{where} must be rows of three numbers.")
    return codes.astype(np.float32)


@dataclass(frozen=True)
class Stock:
    """What a treatment file holds; ``reasons``: why its steps are as they are, as far as that was kept."""

    title: str
    steps: Treatment
    reasons: tuple[str, ...] = ()


def treatment_text(title: str, treatment: Treatment, reasons: Sequence[str] = ()) -> str:
    """A treatment as the text of a file."""
    data: dict[str, Any] = {"schema": SCHEMA, "title": title, "steps": [step_to(step) for step in treatment]}
    if reasons:
        data["reasons"] = list(reasons)
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"


def load_treatment(path: Path) -> tuple[str, Treatment]:
    """Title and steps of a treatment file; see `load_stock`."""
    stock = load_stock(path)
    return stock.title, stock.steps


def load_stock(path: Path) -> Stock:
    """A treatment file, of this version or the one before.

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
    schema = data["schema"]
    if schema not in (SCHEMA, SCHEMA_BEFORE):
        raise SettingsError(f"{path} is of another version: {str(schema)[:SHOWN]} where {SCHEMA} was expected.")
    unknown = next((key for key in data if key not in ("schema", "title", "steps", "reasons")), None)
    require(unknown is None, f"{path} has no {str(unknown)[:SHOWN]!r} to be used in a treatment.")
    title, steps = data.get("title"), data.get("steps")
    require(isinstance(title, str) and isinstance(steps, list), f"{path} is not a treatment: a title and steps are needed.")
    require(len(steps) <= _MOST_STEPS, f"{path} has more than {_MOST_STEPS} steps.")
    try:
        reasons = checked(data.get("reasons", []), tuple[str, ...], "reasons")
        return Stock(title, steps_from(steps, before=schema == SCHEMA_BEFORE), reasons)
    except SettingsError as error:
        raise SettingsError(f"{path}: {error}") from error


def steps_from(data: Sequence[Any], *, before: bool = False) -> Treatment:
    """Steps that `step_to` made data of; ``before``: those of the version before, which act in the order in which they stand.

    Raises
    ------
    SettingsError : which can't be one, and why
    """
    if before or any(isinstance(step, Mapping) and "values" not in step and "bypassed" in step for step in data):
        return _in_their_order([step_from(brought_up(step, f"step {n}"), f"step {n}") for n, step in enumerate(data, 1)])
    return tuple(step_from(step, f"step {n}") for n, step in enumerate(data, 1))


def _in_their_order(steps: Sequence[Step]) -> Treatment:
    """Steps under such headings that they act in the order in which they stand."""
    headings, least, placed = list(Heading), 0, []
    for step in steps:
        own = headings.index(step.place)
        least = max(least, own)
        placed.append(step if own == least else replace(step, heading=headings[least]))
    return tuple(placed)


def _no_number(word: str) -> float:
    raise ValueError(f"{word} is no number")
