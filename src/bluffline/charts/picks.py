"""Balance and the three-point fit from areas that the operator drew over neutral things."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from bluffline.charts.reference import Reference, load_reference
from bluffline.charts.sample import Samples, at_the_end
from bluffline.errors import ChartError
from bluffline.measure.areas import Area
from bluffline.measure.frame_signal import FrameSignal
from bluffline.signal.colorimetry import camera_light, rgb_to_xyz
from bluffline.signal.format import Planes, SignalFormat
from bluffline.treat.kinds.balance import Balance

_DARKEST = 0.002  # light under which a pixel says nothing of colour


def neutral_pick(planes: Planes, source: SignalFormat, areas: Sequence[Area], *, linear: bool = True) -> tuple[Balance, str]:
    """The gains that make the mean of some areas neutral at its own luma, and what there is to tell of it.

    Each area counts by its pixels. Clipped pixels are refused: they are left out, and it is told how many.

    Parameters
    ----------
    linear : whether the gains work on light; on coded values else

    Raises
    ------
    ChartError : no area, or nothing but clipped or black pixels
    """
    signal, clipped = _pixels(planes, source, areas)
    kept = signal[~clipped]
    values = camera_light(kept, source.transfer) if linear else kept
    mean = values.mean(axis=0) if len(kept) else np.zeros(3)
    if mean.min() <= _DARKEST:
        raise ChartError("The areas can't be balanced: every pixel in them is clipped or black.")
    weights = rgb_to_xyz(source.primaries)[1] if linear else np.array(source.matrix.luma_weights)
    red, green, blue = (float(gain) for gain in mean @ weights / mean)
    lost = clipped.mean() * 100
    told = f"; {lost:.1f} % of the pixels are clipped and were left out" if lost > 0 else ""
    gains = " · ".join(f"{name} ×{gain:.3f}" for name, gain in zip("RGB", (red, green, blue), strict=True))
    return Balance((red, green, blue), linear), f"{gains}{told}"


def sample_cards(planes: Planes, source: SignalFormat, areas: Sequence[Area]) -> tuple[Samples, Reference]:
    """Samples of a white, a grey and a black card (in any order) under three areas, and their reference.

    Raises
    ------
    ChartError : there are not three areas, or one holds no pixel
    """
    if len(areas) != 3:
        raise ChartError(f"Three-point needs three areas, over a white, a grey and a black card; there are {len(areas)}.")
    reference = load_reference("cards-3")
    found = []
    for area in areas:
        signal, clipped = _pixels(planes, source, [area])
        kept = signal if clipped.all() else signal[~clipped]
        noise = float(signal.std(axis=0).mean() * 100)
        found.append((camera_light(kept, source.transfer).mean(axis=0), noise, float(clipped.mean())))
    found.sort(key=lambda card: -card[0].sum())  # as the reference has them, light to dark
    light, spread, lost = (np.array([card[n] for card in found]) for n in range(3))
    return Samples(light, spread, lost, np.zeros((3, 2)), np.full((3, 2), 0.5)), reference


def _pixels(planes: Planes, source: SignalFormat, areas: Sequence[Area]) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """R′G′B′ (N, 3), 0 … 1, of the pixels of all areas, one after the other; and which are clipped (N,)."""
    if not areas:
        raise ChartError("Draw an area over something that ought to be neutral first.")
    frame = FrameSignal(planes, source)
    codes, clipped = [], []
    for area in areas:
        rows, columns = np.nonzero(area.mask(source.width, source.height))
        if not len(rows):
            raise ChartError(f"The area {area.name} holds no pixel of the picture.")
        taken = np.stack([plane[rows, columns] for plane in frame.rgb], axis=1).astype(np.float64) - frame.room
        codes.append(taken)
        clipped.append(at_the_end(frame, taken, (columns, rows)))
    levels = source.levels
    return (np.concatenate(codes) - levels.black) / levels.swing, np.concatenate(clipped)
