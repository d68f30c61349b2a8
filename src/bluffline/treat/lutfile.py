"""LUT and CDL files: .cube read and written here, CLF and CDL by OpenColorIO."""

import contextlib
import io
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import SettingsError
from bluffline.intake import read_bounded, read_text
from bluffline.treat.kinds.cdl import Cdl
from bluffline.treat.kinds.lut import LARGEST, Lut
from bluffline.treat.step import Step

ENDINGS = (".cube", ".clf", ".cdl")
_BY_LIBRARY = (".clf", ".spi1d", ".spi3d", ".csp", ".3dl")  # what OpenColorIO reads, shapers, input ranges and all
READ_ENDINGS = (*ENDINGS, *_BY_LIBRARY[1:], ".cc", ".ccc")
_CDLS = (".cdl", ".cc", ".ccc")
_REFERENCE = re.compile(rb"""<\s*(?:\w+:)?Reference\b[^>]*?path\s*=\s*["']([^"']*)""", re.IGNORECASE)
_RESAMPLED = 65
_NAMED = 8  # corrections that are named in a sentence
_SHOWN = 40  # characters of a wrong word that are shown


def lut_text(lut: Lut) -> str:
    """A LUT as the text of a .cube file."""
    assert lut.table is not None, "what is read or baked has a table"
    kind = "LUT_3D_SIZE" if lut.is_cube else "LUT_1D_SIZE"
    rows = np.transpose(lut.table, (2, 1, 0, 3)).reshape(-1, 3) if lut.is_cube else lut.table  # red runs fastest
    head = [f'TITLE "{lut.name}"', f"{kind} {lut.size}"]
    head += [f"{key}{f' {end:.6f}' * 3}" for key, end in (("DOMAIN_MIN", lut.low), ("DOMAIN_MAX", lut.high))]
    return "\n".join([*head, *("{:.6f} {:.6f} {:.6f}".format(*row) for row in rows.tolist())]) + "\n"


def step_text_for(step: Lut | Cdl, ending: str) -> str:
    """A step as the text of a file with that ending.

    Raises
    ------
    SettingsError : such a file can't hold the step
    """
    if ending == ".cube" and isinstance(step, Lut):
        return lut_text(step)
    if ending == ".clf":
        return clf_text([step])
    if ending == ".cdl" and isinstance(step, Cdl):
        return _cdl_text(step)
    raise SettingsError(f"A {step.title} can't be written as {ending or 'a file without an ending'}; it may be {_ways(step)}.")


def _ways(step: Lut | Cdl) -> str:
    return ".cube or .clf" if isinstance(step, Lut) else ".cdl or .clf"


def corrections(path: Path) -> list[str]:
    """What the colour corrections that a CDL file holds are called, or numbered, in its order; none in other files.

    Raises
    ------
    SettingsError : it can't be read
    """
    if path.suffix.lower() not in _CDLS:
        return []
    _bounded(path)
    with _translated(path):
        found = _ocio().CDLTransform.CreateGroupFromFile(str(path))
        return [each.getID() or f"correction {number}" for number, each in enumerate(found, 1)]


def read_step(path: Path, correction: str | None = None) -> Step:
    """The step that a .cube, .clf, .cdl, .cc or .ccc file holds.

    Parameters
    ----------
    correction : which one, of a file that holds several; see `corrections`

    Raises
    ------
    SettingsError : with the line where one can be named
    """
    ending = path.suffix.lower()
    if ending == ".cube":
        return _read_cube(path)
    if ending in _CDLS:
        return _read_cdl(path, correction)
    if ending in _BY_LIBRARY:
        if (other := _REFERENCE.search(_bounded(path))) is not None:
            raise SettingsError(f"{path} names another file, {other[1].decode(errors='replace')}: have both written as one.")
        return _read_by_library(path)
    raise SettingsError(f"{path} is not a LUT that can be read: choose {', '.join(READ_ENDINGS)}.")


def _bounded(path: Path) -> bytes:
    try:
        return read_bounded(path)
    except OSError as error:
        raise SettingsError(f"{path} can't be read: {error.strerror}.") from error


def _read_cdl(path: Path, correction: str | None) -> Cdl:
    named = corrections(path)
    if correction is None and len(named) > 1:
        raise SettingsError(f"{path} holds {len(named)} corrections; say which one: {', '.join(named[:_NAMED])}.")
    if correction is not None and correction not in named:
        raise SettingsError(f"{path} holds no correction {correction}; it holds {', '.join(named[:_NAMED])}.")
    with _translated(path):
        found = list(_ocio().CDLTransform.CreateGroupFromFile(str(path)))
    return _cdl_step(found[0 if correction is None else named.index(correction)])


@dataclass
class _Cube:
    """A .cube file as far as it has been read; room for its table is made as soon as its size is known."""

    name: str
    dimensions: int = 0
    size: int = 0
    low: float = 0.0
    high: float = 1.0
    rows: NDArray[np.float32] = field(default_factory=lambda: np.zeros((0, 3), np.float32))
    count: int = 0

    def take(self, words: list[str], line: str) -> None:
        """Take a line.

        Raises
        ------
        SettingsError : what it says can't be used, in words that follow its number
        ValueError, IndexError : a number was expected
        """
        key = words[0].upper()
        if key == "TITLE":
            self.name = line.split(None, 1)[1].strip().strip('"') if len(words) > 1 else self.name
        elif key in ("LUT_1D_SIZE", "LUT_3D_SIZE"):
            if self.size:
                raise SettingsError("it has two sizes: a table behind another can't be used.")
            if self.count:
                raise SettingsError("its size stands behind entries of the table.")
            self.dimensions, self.size = int(key[4]), int(words[1])
            if not 2 <= self.size <= LARGEST[self.dimensions]:
                raise SettingsError(f"a size of {self.size} is not between 2 and {LARGEST[self.dimensions]}.")
            self.rows = np.zeros((self.size**self.dimensions, 3), np.float32)
        elif key in ("DOMAIN_MIN", "DOMAIN_MAX"):
            values = {float(word) for word in words[1:]}
            if len(values) != 1:
                raise SettingsError("domains that differ between components can't be used.")
            self.low, self.high = (values.pop(), self.high) if key == "DOMAIN_MIN" else (self.low, values.pop())
        elif len(words) == 3:
            row = [float(word) for word in words]
            if self.count < len(self.rows):
                self.rows[self.count] = row
            self.count += 1
        else:
            raise SettingsError(f"{words[0][:_SHOWN]} is not known in a .cube file.")


def _read_cube(path: Path) -> Lut:
    cube = _Cube(path.stem)
    try:
        text = read_text(path)
    except OSError as error:
        raise SettingsError(f"{path} can't be read: {error.strerror}.") from error
    except UnicodeDecodeError as error:
        raise SettingsError(f"{path} is not a text file.") from error
    for number, line in enumerate(io.StringIO(text), 1):
        words = line.split("#", 1)[0].split()
        try:
            if words:
                cube.take(words, line)
        except SettingsError as error:
            raise SettingsError(f"{path}, line {number}: {error}") from error
        except (ValueError, IndexError) as error:
            raise SettingsError(f"{path}, line {number}: a number was expected.") from error
    if not cube.size or cube.count != len(cube.rows):
        raise SettingsError(f"{path} announces {len(cube.rows)} entries and holds {cube.count}.")
    if not cube.low < cube.high:
        raise SettingsError(f"{path}: its domain from {cube.low:g} to {cube.high:g} has no extent.")
    table, size = cube.rows, cube.size
    if cube.dimensions == 3:
        table = np.ascontiguousarray(np.transpose(table.reshape(size, size, size, 3), (2, 1, 0, 3)))
    return Lut(cube.name, cube.low, cube.high, table)


def _read_by_library(path: Path) -> Step:
    """A chain of operators, read off over its own range: curves where it has no cross-talk, else a cube."""
    ocio = _ocio()
    with _translated(path):
        config = ocio.Config.CreateRaw()
        chain = config.getProcessor(ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL))
        process = chain.getDefaultCPUProcessor()
    if (alone := _alone_cdl(chain)) is not None:
        return alone
    low, high = _range_of(chain)
    curves = not chain.hasChannelCrosstalk()
    count = 4096 if curves else _RESAMPLED
    axis = np.linspace(low, high, count)
    grid = np.repeat(axis[:, None], 3, axis=1) if curves else np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    colours = np.ascontiguousarray(grid.reshape(-1, 3), np.float32)
    process.applyRGB(colours)
    return Lut(path.stem, low, high, colours.reshape(grid.shape))


def _alone_cdl(chain: Any) -> Cdl | None:
    """The correction that a chain is, if it is one and nothing else: a table would hold it less well."""
    parts = list(chain.createGroupTransform())
    if len(parts) != 1 or not isinstance(parts[0], _ocio().CDLTransform):
        return None
    return _cdl_step(parts[0])


def _cdl_step(found: Any) -> Cdl:
    slope, offset, power = (tuple(map(float, get())) for get in (found.getSlope, found.getOffset, found.getPower))
    return Cdl(slope, offset, power, float(found.getSat()))  # type: ignore[arg-type]


def _range_of(chain: Any) -> tuple[float, float]:
    """The range of R′G′B′ that a chain was made for, as its first range operator says; else 0 … 1."""
    for transform in chain.createGroupTransform():
        if isinstance(transform, _ocio().RangeTransform) and transform.hasMinInValue() and transform.hasMaxInValue():
            return float(transform.getMinInValue()), float(transform.getMaxInValue())
    return 0.0, 1.0


def clf_text(steps: Sequence[Lut | Cdl]) -> str:
    """LUTs and CDLs, one after the other, as the text of a .clf file."""
    ocio = _ocio()
    group = ocio.GroupTransform()
    for step in steps:
        if isinstance(step, Cdl):
            group.appendTransform(_cdl(step))
            continue
        ends = {"minInValue": step.low, "maxInValue": step.high, "minOutValue": 0.0, "maxOutValue": 1.0}
        group.appendTransform(ocio.RangeTransform(**ends))
        table = np.ascontiguousarray(step.table, np.float32)
        lut = ocio.Lut3DTransform(step.size) if step.is_cube else ocio.Lut1DTransform(step.size, False)
        lut.setData(table.ravel())
        if step.is_cube:
            lut.setInterpolation(ocio.INTERP_TETRAHEDRAL)
        group.appendTransform(lut)
    return str(group.write("Academy/ASC Common LUT Format", ocio.Config.CreateRaw()))


def _cdl_text(step: Cdl) -> str:
    ocio = _ocio()
    group = ocio.GroupTransform([_cdl(step)])
    return str(group.write("ColorDecisionList", ocio.Config.CreateRaw()))


def _cdl(step: Cdl) -> Any:
    ocio = _ocio()
    made = ocio.CDLTransform(slope=list(step.slope), offset=list(step.offset), power=list(step.power), sat=step.saturation)
    made.setStyle(ocio.CDL_NO_CLAMP)
    return made


@contextlib.contextmanager
def _translated(path: Path) -> Iterator[None]:
    try:
        yield
    except _ocio().Exception as error:
        raise SettingsError(f"{path} can't be used: {str(error).splitlines()[0]}.") from error


def _ocio() -> Any:
    """OpenColorIO, loaded when it is first needed: it takes a tenth of a second, and the desk seldom needs it."""
    import PyOpenColorIO  # noqa: PLC0415

    PyOpenColorIO.SetLoggingLevel(PyOpenColorIO.LOGGING_LEVEL_NONE)  # what is wrong with a file is told in a sentence of ours
    return PyOpenColorIO
