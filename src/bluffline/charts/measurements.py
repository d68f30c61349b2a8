"""Measurement files of chart makers: CGATS.17 text and CSV, as X, Y, Z under a stated white."""

import csv
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from importlib import resources
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import ChartError
from bluffline.intake import read_text
from bluffline.signal.colorimetry import WHITES, lab_to_xyz

_LAB, _XYZ = ("LAB_L", "LAB_A", "LAB_B"), ("XYZ_X", "XYZ_Y", "XYZ_Z")
_PLAIN = {"L": "LAB_L", "A": "LAB_A", "B": "LAB_B", "L*": "LAB_L", "A*": "LAB_A", "B*": "LAB_B",
          "X": "XYZ_X", "Y": "XYZ_Y", "Z": "XYZ_Z", "NAME": "SAMPLE_NAME", "ID": "SAMPLE_ID"}  # fmt: skip
_SPECTRAL = re.compile(r"^(?:SPECTRAL_)?(?:NM|R_)?_?(\d{3})(?:NM)?$")
_WHITE = re.compile(r"\b(D50|D55|D65|A|C)\b", re.IGNORECASE)
_WHITE_KEYS = ("ILLUMINATION_NAME", "ILLUMINANT", "WEIGHTING_FUNCTION", "MEASUREMENT_SOURCE", "WHITE")
_LEAST_BANDS = 16
_MOST_CHROMA, _MOST_XYZ = 300, 200  # further out than any surface or lamp that a camera sees
_FIELD = re.compile(r'"[^"]*"|\S+')


@dataclass(frozen=True, eq=False)
class Measurements:
    """``xyz``: (N, 3) float64, Y of ``white`` being 1; ``white``: a name in `colorimetry.WHITES`."""

    title: str
    names: tuple[str, ...]
    xyz: NDArray[np.float64]
    white: str


@dataclass(frozen=True, slots=True)
class _Row:
    line: int
    cells: Sequence[str]


def read_measurements(path: Path) -> Measurements:
    """Read CGATS.17 text, or CSV with a header of the same field names (or plain ``name, L, a, b`` or ``X, Y, Z``).

    Colours may be Lab, XYZ (0 … 100) or spectral reflectances (0 … 1), in this order of preference. They are for D50 unless
    the file names another illuminant: by a CGATS keyword, or in CSV by a line ``# white: D65``.

    Raises
    ------
    ChartError : with line and field where one can be named
    """
    try:
        text = read_text(path)
    except OSError as error:
        raise ChartError(f"{path} can't be read: {error.strerror}.") from error
    except UnicodeDecodeError as error:
        raise ChartError(f"{path} is not a text file.") from error
    lines = text.splitlines()
    comma = path.suffix.lower() == ".csv" or (lines and "BEGIN_DATA" not in text and "," in text)
    title, white, fields, rows = _read_csv(path, lines) if comma else _read_cgats(path, lines)
    if not rows:
        raise ChartError(f"{path} holds no patches.")
    fields = [_PLAIN.get(field.upper(), field.upper()) for field in fields]
    for row in rows:
        if len(row.cells) != len(fields):
            raise ChartError(f"{path}, line {row.line}: {len(row.cells)} fields where {len(fields)} are announced.")
    label = next((fields.index(name) for name in ("SAMPLE_NAME", "SAMPLE_ID") if name in fields), None)
    names = tuple(row.cells[label].strip() if label is not None else str(n + 1) for n, row in enumerate(rows))
    seen: set[str] = set()
    double = next((name for name in names if name in seen or seen.add(name)), None)  # type: ignore[func-returns-value]
    if double is not None:
        raise ChartError(f"{path}: two patches are called {double}.")
    return Measurements(title or path.stem, names, _colours(path, fields, rows, white), white)


def _colours(path: Path, fields: list[str], rows: list[_Row], white: str) -> NDArray[np.float64]:
    if all(name in fields for name in _LAB):
        lab = _numbers(path, fields, rows, _LAB)
        _require_range(path, rows, lab[:, 0], 0, 110, "LAB_L")
        _require_range(path, rows, np.abs(lab[:, 1:]).max(axis=1), 0, _MOST_CHROMA, "LAB_A, LAB_B")
        return lab_to_xyz(lab, np.array(WHITES[white]))
    if all(name in fields for name in _XYZ):
        xyz = _numbers(path, fields, rows, _XYZ)
        _require_range(path, rows, xyz[:, 1], 0, 120, "XYZ_Y")
        _require_range(path, rows, np.abs(xyz).max(axis=1), 0, _MOST_XYZ, "XYZ_X, XYZ_Z")
        return xyz / 100
    bands = {int(match[1]): field for field in fields if (match := _SPECTRAL.match(field))}
    if len(bands) < _LEAST_BANDS:
        raise ChartError(f"{path} has neither LAB_L LAB_A LAB_B, nor XYZ_X XYZ_Y XYZ_Z, nor a spectrum.")
    lengths = sorted(bands)
    reflectance = _numbers(path, fields, rows, [bands[length] for length in lengths])
    _require_range(path, rows, np.abs(reflectance).max(axis=1), 0, 2, "spectrum (0 … 1)")
    return integrate(np.array(lengths, np.float64), reflectance, white)


def integrate(lengths: NDArray[np.float64], reflectance: NDArray[np.float64], white: str) -> NDArray[np.float64]:
    """Spectra to X, Y, Z of the CIE 1931 observer under an illuminant [CIE15].

    Parameters
    ----------
    lengths : (K,) nanometres, rising; ends are held beyond
    reflectance : (N, K) 0 … 1

    Returns
    -------
    (N, 3) float64, Y of the illuminant itself being 1
    """
    table = _observer()
    light = table[white]
    weights = np.stack([table[name] * light for name in "xyz"], axis=1)
    spectra = np.stack([np.interp(table["nm"], lengths, row) for row in reflectance])
    return np.asarray(spectra @ weights / weights[:, 1].sum())


@cache
def _observer() -> dict[str, NDArray[np.float64]]:
    text = resources.files("bluffline.charts").joinpath("data", "observer.csv").read_text(encoding="utf-8")
    rows = list(csv.reader(text.splitlines()[1:]))
    values = np.array(rows[1:], np.float64).T
    return dict(zip(rows[0], values, strict=True))


def _read_cgats(path: Path, lines: list[str]) -> tuple[str, str, list[str], list[_Row]]:
    title, white, fields, rows = "", "D50", [], []
    announced: int | None = None
    numbered = iter(enumerate(lines, 1))
    for number, line in numbered:
        if line.count('"') % 2:
            raise ChartError(f"{path}, line {number}: a quote is opened and not closed.")
        words = _FIELD.findall(line)
        key = words[0].upper() if words else ""
        value = " ".join(words[1:]).replace('"', "")
        if key == "DESCRIPTOR":
            title = value
        elif key in _WHITE_KEYS and (named := _WHITE.search(value)):
            white = named[1].upper()
        elif key == "NUMBER_OF_SETS":
            announced = _whole(path, number, value)
        elif key == "BEGIN_DATA_FORMAT":
            fields = [word for _, inside in _until(path, numbered, "END_DATA_FORMAT") for word in _FIELD.findall(inside)]
        elif key == "BEGIN_DATA":
            rows = [
                _Row(n, [word.strip('"') for word in _FIELD.findall(inside)])
                for n, inside in _until(path, numbered, "END_DATA")
                if inside.strip() and not inside.lstrip().startswith("#")
            ]
    if not fields:
        raise ChartError(f"{path} has no BEGIN_DATA_FORMAT: it is not a CGATS.17 file.")
    if announced is not None and announced != len(rows):
        raise ChartError(f"{path} announces {announced} sets of data and holds {len(rows)}.")
    return title, white, fields, rows


def _until(path: Path, numbered: Iterator[tuple[int, str]], end: str) -> Iterator[tuple[int, str]]:
    for number, line in numbered:
        if line.strip().upper() == end:
            return
        yield number, line
    raise ChartError(f"{path} ends before {end}.")


def _read_csv(path: Path, lines: list[str]) -> tuple[str, str, list[str], list[_Row]]:
    title, white = "", "D50"
    kept = []
    for number, line in enumerate(lines, 1):
        if line.startswith("#"):
            key, _, value = line[1:].partition(":")
            if key.strip().lower() == "white" and (named := _WHITE.search(value)):
                white = named[1].upper()
            elif key.strip().lower() == "title":
                title = value.strip()
        elif line.strip(" ,"):
            kept.append((number, line))
    if not kept:
        return title, white, [], []
    for number, line in kept:
        if line.count('"') % 2:
            raise ChartError(f"{path}, line {number}: a quote is opened and not closed.")
    header, *rest = [cells for _, line in kept for cells in csv.reader([line])]
    return title, white, [cell.strip() for cell in header], [_Row(kept[n + 1][0], cells) for n, cells in enumerate(rest)]


def _numbers(path: Path, fields: list[str], rows: list[_Row], wanted: Sequence[str]) -> NDArray[np.float64]:
    values = np.zeros((len(rows), len(wanted)))
    places = [fields.index(name) for name in wanted]
    for n, row in enumerate(rows):
        for k, (name, place) in enumerate(zip(wanted, places, strict=True)):
            cell = row.cells[place]
            try:
                values[n, k] = float(cell)
            except ValueError as error:
                raise ChartError(f"{path}, line {row.line}, field {name}: “{cell}” is not a number.") from error
            if not np.isfinite(values[n, k]):
                raise ChartError(f"{path}, line {row.line}, field {name}: “{cell}” is not a number.")
    return values


def _require_range(path: Path, rows: list[_Row], values: NDArray[np.float64], low: float, high: float, name: str) -> None:
    for row, value in zip(rows, values, strict=True):
        if not low <= value <= high:
            raise ChartError(f"{path}, line {row.line}, field {name}: {value:g} does not lie between {low:g} and {high:g}.")


def _whole(path: Path, line: int, text: str) -> int:
    try:
        return int(text)
    except ValueError as error:
        raise ChartError(f"{path}, line {line}, field NUMBER_OF_SETS: “{text}” is not a whole number.") from error
