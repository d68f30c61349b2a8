"""Steps as version 1 of treatments held them, brought to version 2.

There a step carried what it had to know of its programme's signal, its chroma gain, transfer characteristic and matrix; that is
left out, since it comes in when a ladder is compiled.
"""

from collections.abc import Mapping
from typing import Any

from bluffline.declared import SHOWN
from bluffline.errors import SettingsError, require

SCHEMA_BEFORE = "bluffline.treatment/1"
_KINDS = {  # what a kind was called, what it is called now, and the keys that are gone
    "Balance": ("balance", ()),
    "NeutralScale": ("neutral-scale", ()),
    "Straighten": ("straighten", ()),
    "ColourMatrix": ("matrix", ("light",)),
    "RootPolynomial": ("root-polynomial", ("light",)),
    "HueNudge": ("hue-nudge", ("matrix",)),
    "Cdl": ("cdl", ()),
    "Lut": ("lut", ()),
    "LevelRemap": ("level-remap", ("chroma_gain",)),
    "SoftCeiling": ("soft-ceiling", ()),
    "SoftFloor": ("soft-floor", ()),
    "ChromaRein": ("chroma-rein", ()),
}


def brought_up(data: Any, where: str) -> dict[str, Any]:
    """A step of version 1 as one of version 2.

    Raises
    ------
    SettingsError : it is none
    """
    require(isinstance(data, Mapping) and isinstance(data.get("kind"), str), f"{where} must be an object with a kind.")
    if data["kind"] not in _KINDS:
        raise SettingsError(f"{where}: there is no step of the kind {data['kind'][:SHOWN]!r}.")
    kind, gone = _KINDS[data["kind"]]
    values = {key: value for key, value in data.items() if key not in ("kind", "bypassed", *gone)}
    if kind == "balance":
        values["light"] = values.get("light") is not None
    if kind == "lut" and "shape" in values:
        values["table"] = {"shape": values.pop("shape"), "packed": values.pop("table", None)}
    bypassed = data.get("bypassed", False)
    require(isinstance(bypassed, bool), f"{where}: bypassed must be true or false.")
    return {"kind": kind, "on": not bypassed, "values": values}
