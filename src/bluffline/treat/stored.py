"""Steps and treatments as data: in the document, in certificates, and in treatment files of their own."""

import base64
import json
import zlib
from collections.abc import Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from bluffline.errors import BlufflineError, SettingsError
from bluffline.signal.matrix import Matrix
from bluffline.treat.colour import Lut
from bluffline.treat.steps import STEP_ORDER, RemapMode, Step, Treatment

SCHEMA = "bluffline.treatment/1"
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
    KeyError, TypeError, ValueError, SettingsError : it can't be one
    """
    fields = {name: _as_tuples(value) for name, value in data.items()}
    kind = _KINDS[fields.pop("kind")]
    if "mode" in fields:
        fields["mode"] = RemapMode(fields["mode"])
    if "matrix" in fields:
        fields["matrix"] = Matrix(fields["matrix"])
    if "table" in fields:
        codes = np.frombuffer(zlib.decompress(base64.b64decode(fields["table"])), "<f4")
        fields["table"] = codes.reshape(fields.pop("shape")).astype(np.float32)
    return kind(**fields)


def _as_tuples(value: Any) -> Any:
    return tuple(_as_tuples(part) for part in value) if isinstance(value, list) else value


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
        data = json.loads(path.read_text(encoding="utf-8"))
        if data["schema"] != SCHEMA:
            raise SettingsError(f"{path} is of another version: {data['schema']} where {SCHEMA} was expected.")
        return str(data["title"]), tuple(step_from(step) for step in data["steps"])
    except OSError as error:
        raise SettingsError(f"{path} can't be read: {error.strerror}.") from error
    except BlufflineError:
        raise
    except (ValueError, KeyError, TypeError, AttributeError, zlib.error) as error:
        raise SettingsError(f"{path} is not a treatment.") from error
