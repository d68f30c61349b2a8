"""What is known about a picture's samples."""

from dataclasses import dataclass, fields, replace
from enum import StrEnum
from fractions import Fraction
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.levels import Levels, Range
from bluffline.signal.matrix import Matrix, standard
from bluffline.signal.siting import ColumnTaps, RowTaps, SiteShares, Siting

# Native planes of a picture: three (rows, stride) uint8 or uint16 arrays, Y′, Cb, Cr or R′, G′, B′ by the format.
Planes = tuple[NDArray[Any], NDArray[Any], NDArray[Any]]


class Model(StrEnum):
    """What the three planes hold."""

    YCBCR = "Y′CbCr"
    RGB = "R′G′B′"


def difference(before: "SignalFormat", after: "SignalFormat") -> str:
    """What a format says that another did not, in words."""

    def words(of: SignalFormat) -> dict[str, str]:
        told = {
            "range": f"{of.range} range",
            "matrix": f"matrix {standard(of.matrix)}",
            "primaries": f"primaries {of.primaries}",
            "transfer": f"transfer characteristic {of.transfer}",
            "chroma location": f"chroma {of.siting}",
            "fields": str(of.scan),
            "size": f"{of.width}×{of.height}",
            "sampling": f"{of.sampling} {of.bit_depth}-bit",
            "shape": f"pixels of {of.pixel_shape}",
        }
        return {name: f"nothing of their {name}" if name in of.assumed else word for name, word in told.items()}

    was, now = words(before), words(after)
    changed = [name for name in now if was[name] != now[name]]
    return f"{', '.join(now[name] for name in changed)}; before, {', '.join(was[name] for name in changed)}"


class Scan(StrEnum):
    """How the rows of a picture were taken: at once, or as two fields."""

    PROGRESSIVE = "progressive"
    TOP_FIRST = "top-first"
    BOTTOM_FIRST = "bottom-first"


@dataclass(frozen=True)
class SignalFormat:
    """Everything needed to turn native codes into a signal; nothing here is guessed from a dtype.

    ``assumed`` names the fields that the file left unspecified and that were filled in by rule.
    ``halved`` tells whether chroma has half the luma columns and half the luma rows. ``pixel_shape``: width to height.
    """

    width: int
    height: int
    bit_depth: int
    model: Model
    halved: tuple[bool, bool]
    range: Range
    matrix: Matrix
    primaries: str
    transfer: str
    siting: Siting = Siting.LEFT
    interlaced: bool = False
    top_field_first: bool = True
    assumed: frozenset[str] = frozenset()
    pixel_shape: Fraction = Fraction(1)

    @property
    def scan(self) -> Scan:
        """How its rows were taken."""
        return Scan.PROGRESSIVE if not self.interlaced else Scan.TOP_FIRST if self.top_field_first else Scan.BOTTOM_FIRST

    @cached_property
    def levels(self) -> Levels:
        """Code values of the nominal signal."""
        return Levels.of(self.bit_depth, self.range)

    @cached_property
    def column_taps(self) -> ColumnTaps:
        """Horizontal chroma interpolation."""
        return ColumnTaps.of(self.siting)

    @cached_property
    def row_taps(self) -> RowTaps:
        """Vertical chroma interpolation."""
        return RowTaps.of(self.height, self.halved[1], self.siting, self.interlaced)

    @cached_property
    def site_shares(self) -> SiteShares:
        """What luma sites weigh in the chroma sites that stand for them."""
        return SiteShares.of(self.height, self.halved[1], self.siting, self.interlaced)

    @cached_property
    def sites_of_rows(self) -> NDArray[np.int64]:
        """(H,) the chroma row that each luma row is stored with: of its own field, where fields are apart."""
        rows = np.arange(self.height, dtype=np.int64)
        if not self.halved[1] or self.model is Model.RGB:
            return rows
        own = rows // 4 * 2 + rows % 2 if self.interlaced else rows // 2
        return np.minimum(own, self.chroma_size[1] - 1)

    @cached_property
    def rows_of_sites(self) -> NDArray[np.int64]:
        """(chroma rows,) the first luma row that each chroma row is stored with."""
        return np.unique(self.sites_of_rows, return_index=True)[1]

    @property
    def frame_bytes(self) -> int:
        """Bytes of one frame's planes, without padding."""
        columns, rows = self.chroma_size
        return (self.height * self.width + 2 * rows * columns) * (1 if self.bit_depth <= 8 else 2)

    @property
    def chroma_size(self) -> tuple[int, int]:
        """Columns and rows of the second and third plane."""
        return ((self.width + 1) // 2 if self.halved[0] else self.width), (
            (self.height + 1) // 2 if self.halved[1] else self.height
        )

    @property
    def sampling(self) -> str:
        """The trade name of the chroma sampling, or R′G′B′."""
        if self.model is Model.RGB:
            return "R′G′B′"
        return {(True, True): "4:2:0", (True, False): "4:2:2", (False, True): "4:4:0", (False, False): "4:4:4"}[self.halved]


@dataclass(frozen=True, slots=True)
class Overrides:
    """The operator's word against tags and assumptions; None where there is none.

    ``primaries`` and ``transfer`` as `SignalFormat` names them.
    """

    range: Range | None = None
    matrix: Matrix | None = None
    primaries: str | None = None
    transfer: str | None = None
    fields: Scan | None = None
    chroma_location: Siting | None = None

    @property
    def said(self) -> dict[str, str]:
        """What was said, by the fact's name."""
        named = {field.name.replace("_", " "): getattr(self, field.name) for field in fields(self)}
        return {name: str(value) for name, value in named.items() if value is not None}

    def joined(self, other: "Overrides") -> "Overrides":
        """What either says; the other has the last word."""
        return replace(self, **{each.name: value for each in fields(other) if (value := getattr(other, each.name)) is not None})

    def on(self, told: SignalFormat) -> SignalFormat:
        """A format as the operator wants it read."""
        return replace(
            told,
            range=self.range or told.range,
            matrix=self.matrix or told.matrix,
            primaries=self.primaries or told.primaries,
            transfer=self.transfer or told.transfer,
            siting=self.chroma_location or told.siting,
            interlaced=told.interlaced if self.fields is None else self.fields is not Scan.PROGRESSIVE,
            top_field_first=told.top_field_first if self.fields is None else self.fields is not Scan.BOTTOM_FIRST,
            assumed=told.assumed - set(self.said),
        )


NO_OVERRIDES = Overrides()
