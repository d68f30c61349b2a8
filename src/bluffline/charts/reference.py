"""A chart as it ought to be: the colours of its patches under the programme's white, and how they lie."""

from dataclasses import dataclass
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.charts.measurements import read_measurements
from bluffline.errors import ChartError
from bluffline.intake import parse_toml, read_text
from bluffline.signal.colorimetry import WHITES, adapt, camera_signal, rgb_to_xyz, xyz_to_lab
from bluffline.signal.format import SignalFormat

SHIPPED = ("glaze-24", "grey-11", "cards-3")
_KEYS = {"rows", "columns", "neutral", "gap", "skin"}
_GREY = 6.0  # CIE C*ab up to which a patch of a chart without a layout counts as neutral


@dataclass(frozen=True, slots=True)
class Layout:
    """Where patches lie: ``rows`` × ``columns`` cells read row by row from the upper left.

    ``neutral`` and ``skin``: numbers of patches; ``gap``: the share of a cell's width and height that is not patch.
    """

    rows: int
    columns: int
    neutral: tuple[int, ...]
    gap: tuple[float, float] = (0.0, 0.0)
    skin: tuple[int, ...] = ()


@dataclass(frozen=True, eq=False)
class Reference:
    """``xyz``: (N, 3) float64 under D65, Y of white being 1."""

    title: str
    names: tuple[str, ...]
    xyz: NDArray[np.float64]
    layout: Layout

    @property
    def lab(self) -> NDArray[np.float64]:
        """(N, 3) CIE L*, a*, b* under D65."""
        return xyz_to_lab(self.xyz)

    def light(self, primaries: str) -> NDArray[np.float64]:
        """(N, 3) linear R, G, B of a programme with those primaries; outside 0 … 1 where it can't hold the colour."""
        return np.asarray(self.xyz @ np.linalg.inv(rgb_to_xyz(primaries)).T)

    def signal(self, source: SignalFormat) -> NDArray[np.float64]:
        """(N, 3) R′G′B′ of the programme, 0 … 1, unclamped."""
        return camera_signal(self.light(source.primaries), source.transfer)

    def in_gamut(self, primaries: str) -> NDArray[np.bool_]:
        """(N,) whether a programme with those primaries can hold the patch."""
        return np.asarray((self.light(primaries) > -1e-4).all(axis=1))


def load_reference(name_or_path: str | Path, layout: str | Path | None = None) -> Reference:
    """A shipped chart by name, or a measurement file with the layout beside it (same name, ``.toml``) or given.

    Raises
    ------
    ChartError : a file is missing, can't be used, or the two don't belong together
    """
    with resources.as_file(resources.files("bluffline.charts") / "data") as shipped:
        path = shipped / f"{name_or_path}.txt" if str(name_or_path) in SHIPPED else Path(name_or_path)
        beside = Path(layout) if layout is not None else path.with_suffix(".toml")
        if not path.exists():
            known = ", ".join(SHIPPED)
            raise ChartError(f"There is no chart reference {name_or_path}: neither a file nor one of {known}.")
        measured = read_measurements(path)
        xyz = adapt(measured.xyz, np.array(WHITES[measured.white]))
        if not beside.exists() and layout is None:
            raise ChartError(f"{path} has no layout beside it: {beside.name} must give its rows and columns.")
        return Reference(measured.title, measured.names, xyz, _read_layout(beside, measured.names, xyz))


def _read_layout(path: Path, names: tuple[str, ...], xyz: NDArray[np.float64]) -> Layout:
    try:
        data = parse_toml(read_text(path))
    except OSError as error:
        raise ChartError(f"{path} can't be read: {error.strerror}.") from error
    except ValueError as error:
        raise ChartError(f"{path} is not a layout: {str(error)[:200]}.") from error
    unknown = next((key for key in data if key not in _KEYS), None)
    if unknown is not None:
        raise ChartError(f"{path}: a layout has no “{unknown}”; it knows {', '.join(sorted(_KEYS))}.")
    rows, columns = (_count(path, data, key) for key in ("rows", "columns"))
    if rows * columns != len(names):
        raise ChartError(f"{path}: {rows} rows of {columns} are {rows * columns} patches, and the reference has {len(names)}.")
    gap = data.get("gap", [0.0, 0.0])
    if not (isinstance(gap, list) and len(gap) == 2 and all(type(g) in (int, float) and 0 <= g <= 0.8 for g in gap)):
        raise ChartError(f"{path}: gap must be two shares of a cell, each between 0 and 0.8.")
    neutral = data.get("neutral")
    if neutral == "all":
        chosen = tuple(range(len(names)))
    elif neutral is None:
        chosen = tuple(int(n) for n in np.flatnonzero(np.hypot(*xyz_to_lab(xyz)[:, 1:].T) < _GREY))
    else:
        chosen = _numbers(path, names, neutral, "neutral")
    return Layout(rows, columns, chosen, (float(gap[0]), float(gap[1])), _numbers(path, names, data.get("skin", []), "skin"))


def _count(path: Path, data: dict[str, Any], key: str) -> int:
    value = data.get(key)
    if not isinstance(value, int) or isinstance(value, bool) or not 1 <= value <= 100:
        raise ChartError(f"{path}: {key} must be a whole number between 1 and 100.")
    return value


def _numbers(path: Path, names: tuple[str, ...], wanted: object, key: str) -> tuple[int, ...]:
    if not isinstance(wanted, list):
        raise ChartError(f"{path}: {key} must be a list of patch names.")
    for name in wanted:
        if name not in names:
            raise ChartError(f"{path}: {key} names a patch “{name}” that the reference does not have.")
    return tuple(names.index(name) for name in wanted)
