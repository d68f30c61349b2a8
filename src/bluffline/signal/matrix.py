"""Y′CbCr matrices of the standards, exact and unclamped."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.floating[Any]]


class Matrix(StrEnum):
    """Matrix coefficients, named as H.273 names them."""

    BT601 = "bt601"
    BT709 = "bt709"
    BT2020 = "bt2020"

    @property
    def weights(self) -> tuple[float, float]:
        """Kr and Kb [BT601, BT709, BT2020]."""
        return {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}[self.value]

    @property
    def luma_weights(self) -> tuple[float, float, float]:
        """What R′, G′ and B′ weigh in luma: Kr, Kg, Kb."""
        kr, kb = self.weights
        return kr, 1 - kr - kb, kb


_PRINTED = {"srgb": "sRGB", "pq": "PQ", "hlg": "HLG", "p3": "P3", "p3-d65": "P3 D65", "p3-dci": "P3 DCI"}


def standard(name: str) -> str:
    """The name of a standard as it is printed: bt709 is BT.709, hlg is HLG; other words as they are."""
    return _PRINTED.get(name, name.replace("bt", "BT."))


@dataclass(frozen=True, slots=True)
class ChromaGains:
    """What Cr and Cb (−0.5 … 0.5) add to Y′ to make R′, G′ and B′."""

    red_cr: float
    green_cb: float
    green_cr: float
    blue_cb: float

    @classmethod
    def of(cls, matrix: Matrix) -> "ChromaGains":
        """Gains solved from the definition Cb = (B′−Y′)/(2(1−Kb)), Cr = (R′−Y′)/(2(1−Kr))."""
        kr, kg, kb = matrix.luma_weights
        return cls(2 * (1 - kr), -2 * (1 - kb) * kb / kg, -2 * (1 - kr) * kr / kg, 2 * (1 - kb))


def rgb_to_ycbcr(rgb: Float, matrix: Matrix) -> Float:
    """R′G′B′ to Y′CbCr.

    Parameters
    ----------
    rgb : (..., 3) float, 0 = black, 1 = white, unclamped

    Returns
    -------
    (..., 3) float: Y′ 0 … 1, Cb and Cr −0.5 … 0.5
    """
    kr, kg, kb = matrix.luma_weights
    red, green, blue = rgb[..., 0], rgb[..., 1], rgb[..., 2]
    luma = kr * red + kg * green + kb * blue
    return np.stack([luma, (blue - luma) / (2 * (1 - kb)), (red - luma) / (2 * (1 - kr))], axis=-1)


def ycbcr_to_rgb(ycbcr: Float, matrix: Matrix) -> Float:
    """The inverse of `rgb_to_ycbcr`, with the same shapes and units."""
    gains = ChromaGains.of(matrix)
    luma, cb, cr = ycbcr[..., 0], ycbcr[..., 1], ycbcr[..., 2]
    return np.stack(
        [luma + gains.red_cr * cr, luma + gains.green_cb * cb + gains.green_cr * cr, luma + gains.blue_cb * cb], axis=-1
    )
