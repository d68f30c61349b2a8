"""Sharpen: an unsharp mask on luma that makes no illegal edges."""

from dataclasses import dataclass
from math import ceil
from typing import Annotated, Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bluffline.treat.step import NeighbourStep, Number

_EDGE = cv2.BORDER_REPLICATE


@dataclass(frozen=True)
class Sharpen(NeighbourStep):
    """What luma has over a blur of itself, added once more; chroma is left as it is.

    ``amount`` percent of the difference from a Gaussian blur of σ ``radius`` pixels, less ``threshold`` percent of luma, so
    that noise and flat parts stay as they are. What comes out lies within the least and greatest luma of the pixels no further
    than ``radius``, with ``overshoot`` percent of their range beyond them. Fields of interlaced pictures are sharpened apart.
    """

    kind = "sharpen"
    title = "Sharpen"
    work = 80
    amount: Annotated[float, Number("Amount", "%", 0, 500, 5, 1)] = 0.0
    radius: Annotated[float, Number("Radius σ", "px", 0.3, 20, 0.1, 0.02)] = 1.0
    threshold: Annotated[float, Number("Threshold", "%", 0, 20, 0.1, 0.02)] = 0.5
    overshoot: Annotated[float, Number("Overshoot", "%", 0, 100, 1, 0.2)] = 10.0

    @property
    def acts(self) -> bool:
        return self.amount > 0

    @property
    def overshoot_share(self) -> float:
        return self.overshoot / 100 if self.acts else 0.0

    def added(self, luma: NDArray[Any], shrunk: int) -> NDArray[Any]:
        sigma = self.radius / shrunk
        size = 2 * ceil(4 * sigma) + 1
        apart = luma - cv2.GaussianBlur(luma, (size, size), sigma, borderType=_EDGE)
        room = self.threshold / 100
        wanted = luma + (apart - np.clip(apart, -room, room)) * (self.amount / 100)
        around = np.ones((2 * ceil(sigma) + 1,) * 2, np.uint8)
        least, greatest = cv2.erode(luma, around, borderType=_EDGE), cv2.dilate(luma, around, borderType=_EDGE)
        beyond = (greatest - least) * (self.overshoot / 100)
        return np.asarray(np.clip(wanted, least - beyond, greatest + beyond) - luma)

    @property
    def text(self) -> str:
        if not self.acts:
            return "neutral"
        return f"{self.amount:.0f} % at σ {self.radius:.1f} px, over {self.threshold:.1f} %, overshoot {self.overshoot:.0f} %"
