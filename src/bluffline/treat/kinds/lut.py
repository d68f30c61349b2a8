"""LUT: a table of colours from a file."""

import hashlib
from dataclasses import dataclass, field
from typing import Annotated
from weakref import WeakValueDictionary

import numpy as np
from numpy.typing import NDArray

from bluffline.errors import require
from bluffline.figures import figure
from bluffline.treat.code_kernels import Code
from bluffline.treat.operations import Operation
from bluffline.treat.step import Float, Signal, Step, Told

# Tables in use, by their content: the same one is held once, however many shots have it.
LARGEST = {1: 65536, 3: 129}  # entries along a side, of curves and of a cube
_HELD: WeakValueDictionary[str, NDArray[np.float32]] = WeakValueDictionary()


@dataclass(frozen=True)
class Lut(Step):
    """A table of colours: (size, 3) for a curve each, or (size, size, size, 3) indexed by red, green and blue.

    ``low`` … ``high``: the range of R′G′B′ over which its entries are spread; signals beyond it are held at its
    ends. ``digest`` tells tables apart.
    """

    kind = "lut"
    title = "LUT"
    by_hand = False
    calibrates = True
    name: Annotated[str, Told("Name")] = ""
    low: Annotated[float, Told("Low end")] = 0.0
    high: Annotated[float, Told("High end")] = 1.0
    table: Annotated[NDArray[np.float32] | None, Told("Table")] = field(default=None, repr=False, compare=False)
    digest: str = field(default="", init=False, repr=False)

    def __post_init__(self) -> None:
        super().__post_init__()
        require(self.low < self.high, "LUT: its range must run upwards.")
        if self.table is None:
            return
        shape = self.table.shape
        sound = shape[-1] == 3 and min(shape[:-1]) >= 2 and len(shape) in (2, 4) and len(set(shape[:-1])) == 1
        require(sound, "LUT: a table (size, 3) or (size, size, size, 3) is needed.")
        require(bool(np.isfinite(self.table).all()), "LUT: the table holds something that is not a number.")
        table = np.ascontiguousarray(self.table, np.float32)
        digest = hashlib.sha256(repr(shape).encode() + table.tobytes()).hexdigest()
        object.__setattr__(self, "table", _HELD.setdefault(digest, table))
        object.__setattr__(self, "digest", digest)

    @property
    def size(self) -> int:
        """Entries along one axis."""
        return 0 if self.table is None else int(self.table.shape[0])

    @property
    def is_cube(self) -> bool:
        """Whether it has three dimensions."""
        return self.table is not None and self.table.ndim == 4

    def apply(self, rgb: Float, signal: Signal) -> NDArray[np.float64]:
        """Linear between the entries of a curve, tetrahedral in a cube."""
        if self.table is None:
            return np.asarray(rgb, np.float64)
        place = np.clip((np.asarray(rgb, np.float64) - self.low) / (self.high - self.low), 0, 1) * (self.size - 1)
        if not self.is_cube:
            entries = np.arange(self.size)
            return np.stack([np.interp(place[..., n], entries, self.table[:, n]) for n in range(3)], axis=-1)
        return tetrahedral(self.table, place)

    def operations(self, signal: Signal) -> tuple[Operation, ...]:
        if self.table is None:
            return ()
        per_unit = (self.size - 1) / (self.high - self.low)
        if self.is_cube:
            return (Operation(Code.CUBE, (self.low, per_unit, float(self.size)), self.table),)
        return (Operation(Code.TABLE, (self.low, per_unit), np.ascontiguousarray(self.table.T)),)

    @property
    def text(self) -> str:
        shape = f"{self.size}³ cube" if self.is_cube else f"3 curves of {self.size}"
        return f"{self.name}, {shape}, {figure(self.low * 100, '.0f')} … {figure(self.high * 100, '.0f')} %"


def tetrahedral(table: NDArray[np.float32], place: NDArray[np.float64]) -> NDArray[np.float64]:
    """(..., 3) entries of a (size, size, size, 3) cube at (..., 3) places between 0 and size − 1.

    Each cell of the cube is cut into six tetrahedra about its grey diagonal, so greys need only the greys of the table.
    """
    size = table.shape[0]
    base = np.minimum(place.astype(np.intp), size - 2)
    rest = place - base
    order = np.argsort(-rest, axis=-1, kind="stable")
    flat = table.reshape(-1, 3)
    strides = np.array([size * size, size, 1])
    index = base @ strides
    ordered = np.take_along_axis(rest, order, axis=-1)
    result = flat[index] * (1 - ordered[..., :1])
    for n in range(3):
        index = index + strides[order[..., n]]
        below = ordered[..., n + 1 : n + 2] if n < 2 else 0.0
        result = result + flat[index] * (ordered[..., n : n + 1] - below)
    return np.asarray(result, np.float64)
