"""LUT and CDL files: .cube read and written here, CLF and CDL by OpenColorIO."""

import contextlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from bluffline.errors import SettingsError
from bluffline.intake import read_bounded, read_text
from bluffline.treat.colour import Cdl, ColourStep, Lut

ENDINGS = (".cube", ".clf", ".cdl")
_LARGEST = {1: 65536, 3: 129}
_RESAMPLED = 65


def lut_text(lut: Lut) -> str:
    """A LUT as the text of a .cube file."""
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
        return _clf_text(step)
    if ending == ".cdl" and isinstance(step, Cdl):
        return _cdl_text(step)
    raise SettingsError(f"A {step.title} can't be written as {ending or 'a file without an ending'}; it may be {_ways(step)}.")


def _ways(step: Lut | Cdl) -> str:
    return ".cube or .clf" if isinstance(step, Lut) else ".cdl or .clf"


def read_step(path: Path) -> ColourStep:
    """The step that a .cube, .clf, .cdl, .cc or .ccc file holds.

    Raises
    ------
    SettingsError : with the line where one can be named
    """
    ending = path.suffix.lower()
    try:
        if ending == ".cube":
            return _read_cube(path)
        read_bounded(path)
    except OSError as error:
        raise SettingsError(f"{path} can't be read: {error.strerror}.") from error
    except UnicodeDecodeError as error:
        raise SettingsError(f"{path} is not a text file.") from error
    if ending in (".cdl", ".cc", ".ccc"):
        with _translated(path):
            found = _ocio().CDLTransform.CreateFromFile(str(path), "")
            slope, offset, power = (tuple(map(float, get())) for get in (found.getSlope, found.getOffset, found.getPower))
            return Cdl(slope, offset, power, float(found.getSat()))  # type: ignore[arg-type]
    if ending == ".clf":
        return _read_clf(path)
    raise SettingsError(f"{path} is not a LUT that can be read: choose .cube, .clf or .cdl.")


def _read_cube(path: Path) -> Lut:
    name, size, dimensions, low, high = path.stem, 0, 0, 0.0, 1.0
    rows: list[list[float]] = []
    for number, line in enumerate(read_text(path).splitlines(), 1):
        words = line.split("#", 1)[0].split()
        if not words:
            continue
        key = words[0].upper()
        try:
            if key == "TITLE":
                name = line.split(None, 1)[1].strip().strip('"') if len(words) > 1 else name
            elif key in ("LUT_1D_SIZE", "LUT_3D_SIZE"):
                dimensions, size = int(key[4]), int(words[1])
                if not 2 <= size <= _LARGEST[dimensions]:
                    raise SettingsError(f"{path}, line {number}: a size of {size} is not between 2 and {_LARGEST[dimensions]}.")
            elif key in ("DOMAIN_MIN", "DOMAIN_MAX"):
                values = {float(word) for word in words[1:]}
                if len(values) != 1:
                    raise SettingsError(f"{path}, line {number}: domains that differ between components can't be used.")
                low, high = (values.pop(), high) if key == "DOMAIN_MIN" else (low, values.pop())
            elif len(words) == 3:
                rows.append([float(word) for word in words])
            else:
                raise SettingsError(f"{path}, line {number}: {words[0]} is not known in a .cube file.")
        except (ValueError, IndexError) as error:
            raise SettingsError(f"{path}, line {number}: a number was expected.") from error
    if not size or len(rows) != size**dimensions:
        raise SettingsError(f"{path} announces {size**dimensions if size else 0} entries and holds {len(rows)}.")
    table = np.array(rows, np.float32)
    if dimensions == 3:
        table = np.ascontiguousarray(np.transpose(table.reshape(size, size, size, 3), (2, 1, 0, 3)))
    return Lut(name, low, high, table)


def _read_clf(path: Path) -> Lut:
    """A chain of CLF operators, read off over its own range: curves where it has no cross-talk, else a cube."""
    ocio = _ocio()
    with _translated(path):
        config = ocio.Config.CreateRaw()
        chain = config.getProcessor(ocio.FileTransform(str(path), interpolation=ocio.INTERP_TETRAHEDRAL))
        process = chain.getDefaultCPUProcessor()
    low, high = _range_of(chain)
    curves = not chain.hasChannelCrosstalk()
    count = 4096 if curves else _RESAMPLED
    axis = np.linspace(low, high, count)
    grid = np.repeat(axis[:, None], 3, axis=1) if curves else np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    colours = np.ascontiguousarray(grid.reshape(-1, 3), np.float32)
    process.applyRGB(colours)
    return Lut(path.stem, low, high, colours.reshape(grid.shape))


def _range_of(chain: Any) -> tuple[float, float]:
    """The range of R′G′B′ that a chain was made for, as its first range operator says; else 0 … 1."""
    for transform in chain.createGroupTransform():
        if isinstance(transform, _ocio().RangeTransform) and transform.hasMinInValue() and transform.hasMaxInValue():
            return float(transform.getMinInValue()), float(transform.getMaxInValue())
    return 0.0, 1.0


def _clf_text(step: Lut | Cdl) -> str:
    ocio = _ocio()
    group = ocio.GroupTransform()
    if isinstance(step, Cdl):
        group.appendTransform(_cdl(step))
    else:
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

    return PyOpenColorIO
