"""Sampling a filmed chart: each patch's mean light with what makes it doubtful, over the steady frames of a shot."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.charts.frame import ChartFrame, project, shoelace
from bluffline.charts.reference import Layout
from bluffline.errors import ChartError
from bluffline.measure.frame_signal import FrameSignal
from bluffline.signal.colorimetry import camera_light
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.signal.levels import Range

_SHARE = 0.6  # of a patch's width and height: its edges catch light and lose focus
_LEAST_PIXELS, _ENOUGH_PIXELS = 16, 800  # of a patch; of larger ones every second, third … column and row is taken
_OUTLYING = 3.5  # robust standard deviations beyond which a pixel is dust or glare
_PILED, _FLAT = 0.25, 0.6  # shares of a patch's pixels, piled up at its extreme or at one code, from which it was cut off
_GRAIN, _RANGE = 1.0, 5  # codes of spread from which a chart has noise to cut, and between a patch's ends to see it cut
CLIPPED = 0.02  # share of clipped pixels from which a patch is not to be trusted
_NOISY, _GRADIENT = 3.0, 0.12
_UNEVEN = 0.02
_DARK = 0.005  # light of R, G or B below which a patch says nothing of the light on it


@dataclass(frozen=True, eq=False)
class Samples:
    """What the patches of a chart measure, N of them.

    ``light``: (N, 3) mean scene light R, G, B, 1 being reference white; ``spread``: (N,) standard deviation of R′G′B′ within
    the patch, percent; ``clipped``: (N,) share of pixels with a clipped component, 0 … 1; ``slope``: (N, 2) relative change
    of luminance from the left edge of the chart to its right, and from top to bottom, as seen within the patch alone;
    ``place``: (N, 2) of patch centres in the chart's unit square; ``frames``: how many were averaged; ``evened``: the light
    gradient (2,) that has been taken out, or None.
    """

    light: NDArray[np.float64]
    spread: NDArray[np.float64]
    clipped: NDArray[np.float64]
    slope: NDArray[np.float64]
    place: NDArray[np.float64]
    frames: int = 1
    evened: tuple[float, float] | None = None

    def warnings(self, layout: Layout) -> list[tuple[str, ...]]:
        """For each patch what makes it doubtful."""
        within = np.abs(self.slope / (layout.columns, layout.rows)).max(axis=1)
        doubts = {"clipped": self.clipped > CLIPPED, "noisy": self.spread > _NOISY, "light gradient": within > _GRADIENT}
        return [tuple(word for word, holds in doubts.items() if holds[n]) for n in range(len(self.light))]

    def gradient(self) -> tuple[float, float]:
        """How the light changes over the chart, from left to right and from top to bottom: natural logarithms.

        Each patch tells by its own slope, neutral or not, so that its brightness, which a tone curve may have changed, plays
        no part. The mean of the middle half of them counts: a single patch is too small to tell much.
        """
        usable = self.slope[(self.clipped <= CLIPPED) & (self.light.min(axis=1) > _DARK)]
        if not len(usable):
            return 0.0, 0.0
        cut = len(usable) // 4
        across, down = np.sort(usable, axis=0)[cut : len(usable) - cut].mean(axis=0)
        return float(across), float(down)

    def evened_out(self) -> "Samples":
        """The samples as even light would have given them, the middle of the chart being unchanged."""
        gradient = self.gradient()
        gain = np.exp(-(self.place - 0.5) @ np.array(gradient))
        return replace(self, light=self.light * gain[:, None], evened=gradient)


def is_uneven(gradient: tuple[float, float]) -> bool:
    """Whether a gradient of light over the chart is worth compensating."""
    return max(map(abs, gradient)) > _UNEVEN


def sample_frame(planes: Planes, source: SignalFormat, frame: ChartFrame, layout: Layout) -> Samples:
    """Every patch of one frame.

    Raises
    ------
    ChartError : the chart frame leaves the picture, or its patches have too few pixels
    """
    signal = FrameSignal(planes, source)
    quads = frame.cells(layout, _SHARE)
    if quads.min() < 0 or (quads > (source.width, source.height)).any():
        raise ChartError("The chart frame reaches beyond the picture.")
    to_chart = np.linalg.inv(frame.homography())
    patches = [_sample(signal, quad, to_chart) for quad in quads]
    light, spread, piled, flat, hard, slope, place = (np.array(column) for column in zip(*patches, strict=True))
    cut = (piled > _PILED) | ((flat > _FLAT) & (np.median(spread) > _GRAIN))
    clipped = np.maximum(np.where(cut, np.maximum(piled, flat), 0.0), hard)
    return Samples(light, spread / source.levels.swing * 100, clipped, slope, place)


def average(each: Sequence[Samples]) -> Samples:
    """The mean of the samples of several frames."""

    def mean(name: str) -> NDArray[np.float64]:
        return np.asarray(np.mean([getattr(samples, name) for samples in each], axis=0))

    return Samples(mean("light"), mean("spread"), mean("clipped"), mean("slope"), mean("place"), frames=len(each))


def _sample(signal: FrameSignal, quad: NDArray[np.float64], to_chart: NDArray[Any]) -> tuple[Any, ...]:
    """Light (3,), spread in codes, shares piled up, at one code and at the end of the codes, slope (2,), place (2,)."""
    source = signal.source
    left, top = np.floor(quad.min(axis=0)).astype(int)
    right, bottom = np.ceil(quad.max(axis=0)).astype(int)
    step = max(int(np.sqrt(abs(shoelace(quad)) / _ENOUGH_PIXELS)), 1)
    x, y = np.meshgrid(np.arange(left, right, step) + 0.5, np.arange(top, bottom, step) + 0.5)
    inside = np.ones(x.shape, bool)
    turn = np.sign(shoelace(quad))
    for (x1, y1), (x2, y2) in zip(quad, np.roll(quad, -1, axis=0), strict=True):
        inside &= turn * ((x2 - x1) * (y - y1) - (y2 - y1) * (x - x1)) >= 0
    if inside.sum() < _LEAST_PIXELS:
        raise ChartError("The chart is too small in the picture: a patch has fewer than 16 pixels.")
    part = (slice(top, bottom, step), slice(left, right, step))
    codes = np.stack([plane[part][inside] for plane in signal.rgb], axis=1).astype(np.float64) - signal.room
    middle = np.median(codes, axis=0)
    deviation = np.abs(codes - middle)
    limit = _OUTLYING * 1.4826 * np.median(deviation, axis=0) + 1.0
    kept = np.asarray((deviation <= limit).all(axis=1))
    if kept.mean() < 0.5:
        kept = np.ones_like(kept)  # it is not dust that makes most of a patch differ: the frame does not lie on one colour
    light = camera_light((codes - source.levels.black) / source.levels.swing, source.transfer)
    place = project(to_chart, np.stack([x[inside], y[inside]], axis=1))
    with_luma = np.column_stack([codes, codes @ source.matrix.luma_weights])  # each of the four may have been clipped alone
    ends = [piled_up(np.rint(column)) for column in with_luma.T]
    piled, flat = max(pile for pile, _ in ends), max(level for _, level in ends)
    hard = float(at_the_end(signal, codes, (x[inside], y[inside])).mean())
    luminance = np.log(np.maximum(light[kept].mean(axis=1), 1e-4))
    terms = np.column_stack([np.ones(kept.sum()), place[kept]])
    slope = np.linalg.lstsq(terms, luminance, rcond=None)[0][1:]
    return light[kept].mean(axis=0), float(codes[kept].std(axis=0).mean()), piled, flat, hard, slope, place.mean(axis=0)


def piled_up(codes: NDArray[np.float64]) -> tuple[float, float]:
    """How much more of a patch stands at its extreme code than at the one inside, and how much at its fullest, as shares.

    Noise that is cut off on one side piles up there; the extreme of a patch of few codes is no pile-up.
    """
    least, greatest = codes.min(), codes.max()
    fullest = float(np.unique(codes, return_counts=True)[1].max()) / len(codes)
    if greatest - least < _RANGE:
        return 0.0, fullest
    ends = ((codes == end).mean() - (codes == end + inwards).mean() for end, inwards in ((greatest, -1), (least, 1)))
    return float(max(ends)), fullest


def at_the_end(signal: FrameSignal, codes: NDArray[np.float64], pixels: tuple[NDArray[Any], NDArray[Any]]) -> NDArray[np.bool_]:
    """Which pixels, at columns and rows (N,) and with R′G′B′ codes (N, 3), are stored at the first or last code there is."""
    source = signal.source
    unit = 1 << (source.bit_depth - 8)
    low, high = (unit, 255 * unit - 1) if source.range is Range.NARROW else (0, 256 * unit - 1)
    if source.model is Model.RGB:
        return np.asarray(((codes <= low) | (codes >= high)).any(axis=1))
    luma = signal.planes[0][pixels[1].astype(int), pixels[0].astype(int)]
    return np.asarray((luma <= low) | (luma >= high))
