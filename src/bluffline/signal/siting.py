"""Where chroma samples stand between luma samples, and the interpolation that follows from it."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray


class Siting(StrEnum):
    """Chroma sample position relative to luma (H.273 chroma sample location types 0 to 5)."""

    LEFT = "left"
    CENTRE = "centre"
    TOP_LEFT = "top-left"
    TOP = "top"
    BOTTOM_LEFT = "bottom-left"
    BOTTOM = "bottom"

    @property
    def between_columns(self) -> bool:
        """Whether a site of halved columns stands half-way between two luma samples, not on the first."""
        return self in (Siting.CENTRE, Siting.TOP, Siting.BOTTOM)

    @property
    def below(self) -> float:
        """How far a site of halved rows stands below the first of its two luma rows, in rows."""
        return {"left": 0.5, "centre": 0.5, "top-left": 0.0, "top": 0.0, "bottom-left": 1.0, "bottom": 1.0}[self.value]


@dataclass(frozen=True, slots=True)
class ColumnTaps:
    """Weights that bring a chroma row to luma columns.

    Luma column 2k reads ``even_before``·c[k−1] + ``even``·c[k]; column 2k+1 reads ``odd``·c[k] + ``odd_after``·c[k+1].
    """

    even_before: float
    even: float
    odd: float
    odd_after: float

    @classmethod
    def of(cls, siting: Siting) -> "ColumnTaps":
        """Taps for horizontally halved chroma."""
        return cls(0.25, 0.75, 0.75, 0.25) if siting.between_columns else cls(0.0, 1.0, 0.5, 0.5)


@dataclass(frozen=True, slots=True)
class RowTaps:
    """For each luma row the two chroma rows it reads and the weight of the second.

    ``first``, ``second``: (H,) int64 chroma row numbers; ``weight``: (H,) float32, 0 … 1.
    """

    first: NDArray[np.int64]
    second: NDArray[np.int64]
    weight: NDArray[np.float32]

    @classmethod
    def of(cls, height: int, halved: bool, siting: Siting, interlaced: bool) -> "RowTaps":
        """Taps for ``height`` luma rows; with ``interlaced`` each field is interpolated within itself."""
        rows = np.arange(height, dtype=np.int64)
        if not halved:
            return cls(rows, rows, np.zeros(height, np.float32))
        chroma_rows = (height + 1) // 2
        offset = siting.below
        if not interlaced:
            return cls(*_neighbours(rows, offset, chroma_rows, 1, np.zeros_like(rows)))
        field = rows % 2
        # A field's chroma lies a quarter of a field row above (top) or below (bottom) the frame's half-way place.
        shift = np.where(field == 0, offset / 2, offset * 1.5) if offset == 0.5 else np.full(height, offset)
        return cls(*_neighbours(rows // 2, shift, chroma_rows, 2, field))


def _neighbours(
    row: NDArray[np.int64], offset: float | NDArray[np.float64], chroma_rows: int, step: int, field: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
    place = (row - offset) / 2
    low = np.floor(place).astype(np.int64)
    last = np.maximum((chroma_rows - 1 - field) // step, 0)
    first = np.clip(low, 0, last) * step + field
    second = np.clip(low + 1, 0, last) * step + field
    return np.minimum(first, chroma_rows - 1), np.minimum(second, chroma_rows - 1), (place - low).astype(np.float32)
