"""What is known about a picture's samples."""

from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property
from typing import Any

from numpy.typing import NDArray

from bluffline.signal.levels import Levels, Range
from bluffline.signal.matrix import Matrix
from bluffline.signal.siting import ColumnTaps, RowTaps, SiteShares, Siting

# Native planes of a picture: three (rows, stride) uint8 or uint16 arrays, Y′, Cb, Cr or R′, G′, B′ by the format.
Planes = tuple[NDArray[Any], NDArray[Any], NDArray[Any]]


class Model(StrEnum):
    """What the three planes hold."""

    YCBCR = "Y′CbCr"
    RGB = "R′G′B′"


@dataclass(frozen=True)
class SignalFormat:
    """Everything needed to turn native codes into a signal; nothing here is guessed from a dtype.

    ``assumed`` names the fields that the file left unspecified and that were filled in by rule.
    ``halved`` tells whether chroma has half the luma columns and half the luma rows.
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

    def overridden(self, *, signal_range: Range | None = None, matrix: Matrix | None = None) -> "SignalFormat":
        """The same format with the operator's word in place of the tag or assumption."""
        assumed = self.assumed - ({"range"} if signal_range else set()) - ({"matrix"} if matrix else set())
        return replace(self, range=signal_range or self.range, matrix=matrix or self.matrix, assumed=assumed)
