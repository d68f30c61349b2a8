"""How much of a frame a smaller gamut can't show."""

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import scope_kernels as kernels
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.signal.colorimetry import gamut_matrix

# Light under 0 that coding noise and rounding make of colours on the gamut's very edge; 1 is white.
_SLACK = 0.005


def mark_gamut(frame: FrameSignal, selection: Selection, gamut: str, bit: int, marks: NDArray[np.uint8]) -> float:
    """Or ``bit`` into the marks, (H, W), of selected pixels outside a gamut; the percentage of them that is."""
    count = kernels.mark_outside_gamut(
        *frame.rgb, frame.source.width, selection.starts, selection.runs, frame.light,
        gamut_matrix(frame.source, gamut).astype(np.float32), np.float32(_SLACK), np.uint8(bit), marks,
    )  # fmt: skip
    return 100.0 * int(count) / max(selection.count, 1)


def gamut_area(frame: FrameSignal, selection: Selection, gamut: str) -> float:
    """Percent of the selected pixels whose light lies outside a gamut named in `colorimetry.GAMUTS`."""
    source = frame.source
    return mark_gamut(frame, selection, gamut, 1, np.zeros((source.height, source.width), np.uint8))
