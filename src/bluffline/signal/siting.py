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


@dataclass(frozen=True, slots=True)
class SiteShares:
    """What luma columns and rows weigh in the chroma sites that stand for them; a site's shares add up to 1.

    ``columns``: of column 2k − 1, 2k and 2k + 1 in site k; ``sites``: (2, H) int64, the two chroma rows that a luma row feeds;
    ``rows``: (2, H) float32, its shares in them.
    """

    columns: tuple[float, float, float]
    sites: NDArray[np.int64]
    rows: NDArray[np.float32]

    @classmethod
    def of(cls, height: int, halved: bool, siting: Siting, interlaced: bool) -> "SiteShares":
        """Triangles about each site; with ``interlaced`` each field is taken within itself; edges are held."""
        columns = (0.0, 0.5, 0.5) if siting.between_columns else (0.25, 0.5, 0.25)
        rows = np.arange(height, dtype=np.int64)
        if not halved:
            return cls(columns, np.stack([rows, rows]), np.stack([np.ones(height), np.zeros(height)]).astype(np.float32))
        sites, shares = np.zeros((2, height), np.int64), np.zeros((2, height), np.float32)
        fields = 2 if interlaced else 1
        for field in range(fields):
            last = (height - 1 - field) // fields
            below = siting.below if not interlaced or siting.below != 0.5 else (0.25, 0.75)[field]
            for site in range(((height + 1) // 2 - 1 - field) // fields + 1):  # of 486 lines one field has a site less
                for row in range(2 * site - 1, 2 * site + 3):
                    away = abs(row - 2 * site - below)
                    share = 0.5 * max(0.0, 1 - away / 2) if below.is_integer() else max(0.0, 1 - away)
                    if share:
                        _give(sites, shares, min(max(row, 0), last) * fields + field, site * fields + field, share)
        return cls(columns, sites, shares)


def _give(sites: NDArray[np.int64], shares: NDArray[np.float32], row: int, site: int, share: float) -> None:
    """Let a row feed a site as well."""
    place = 0 if shares[0, row] == 0 or sites[0, row] == site else 1
    sites[place, row] = site
    shares[place, row] += share


def _neighbours(
    row: NDArray[np.int64], offset: float | NDArray[np.float64], chroma_rows: int, step: int, field: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]:
    place = (row - offset) / 2
    low = np.floor(place).astype(np.int64)
    last = np.maximum((chroma_rows - 1 - field) // step, 0)
    first = np.clip(low, 0, last) * step + field
    second = np.clip(low + 1, 0, last) * step + field
    return np.minimum(first, chroma_rows - 1), np.minimum(second, chroma_rows - 1), (place - low).astype(np.float32)
