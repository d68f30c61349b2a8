"""Bars check: recognises colour bars, reads each, and says what single error explains where they lie."""

import itertools
import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from bluffline.figures import figure
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.region import Region
from bluffline.signal.format import Model, SignalFormat
from bluffline.signal.levels import Levels, Range
from bluffline.signal.matrix import Matrix, rgb_to_ycbcr, standard

_NAMES = ("white", "yellow", "cyan", "green", "magenta", "red", "blue", "black")
_HUES = ((1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1), (0, 0, 0))
_MIDDLE = 0.5  # share of a bar's width that is read, about its middle
_ROWS = (0.15, 0.5)  # share of the picture's height that is read
_FLAT = 2.0  # percent of spread that a bar may have
_GAINS = (0.4, 1.6)  # of luma and chroma, beyond which it is not bars that are looked at
_ALIKE = 0.3  # percent by which what two explanations leave may differ for the signal to be either
_FIT = 4.0  # percent of error that what is left after gain, setup, saturation and hue may have
# What each percent of gain, setup and saturation and each degree of hue counts against an explanation: a wrong tag that
# leaves none of them is the simpler one.
_SIMPLICITY = 0.2
_GOOD_LUMA, _GOOD_CHROMA, _GOOD_HUE = 1.0, 2.5, 1.5  # percent, percent, degrees


@dataclass(frozen=True, slots=True)
class Pattern:
    """Bars of one kind: where each begins across the picture (shares), and each one's R′G′B′."""

    title: str
    edges: tuple[float, ...]
    names: tuple[str, ...]
    colours: tuple[tuple[float, float, float], ...]


def _eight(title: str, white: float, colour: float) -> Pattern:
    levels = (white, *(colour,) * 7)
    colours = tuple((r * v, g * v, b * v) for (r, g, b), v in zip(_HUES, levels, strict=True))
    return Pattern(title, tuple(n / 8 for n in range(9)), _NAMES, colours)


_SIDE, _BAR = 1 / 8, 3 / 28
PATTERNS = (
    _eight("EBU 100/0/75/0", 1.0, 0.75),
    _eight("EBU 100/0/100/0", 1.0, 1.0),
    _eight("75/0/75/0", 0.75, 0.75),
    Pattern(
        "RP 219", tuple(_SIDE + n * _BAR for n in range(8)), _NAMES[:7],
        tuple((0.75 * r, 0.75 * g, 0.75 * b) for r, g, b in _HUES[:7]),
    ),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Bar:
    """One bar. Luma in percent; chroma −0.5 … 0.5 as (Cb, Cr); ``chroma_gain`` and ``hue_error`` are None without colour."""

    name: str
    target_luma: float
    luma: float
    target_chroma: tuple[float, float]
    chroma: tuple[float, float]

    @property
    def luma_error(self) -> float:
        """Percent above the target."""
        return self.luma - self.target_luma

    @property
    def chroma_gain(self) -> float | None:
        """Measured over target amplitude of chroma."""
        target = math.hypot(*self.target_chroma)
        return math.hypot(*self.chroma) / target if target > 0.01 else None

    @property
    def hue_error(self) -> float | None:
        """Degrees anticlockwise from the target."""
        if self.chroma_gain is None or self.chroma_gain < 0.01:
            return None
        turned = math.atan2(self.chroma[1], self.chroma[0]) - math.atan2(self.target_chroma[1], self.target_chroma[0])
        return (math.degrees(turned) + 180) % 360 - 180


@dataclass(frozen=True, slots=True)
class BarsReading:
    """Bars as found in a frame.

    ``made_matrix`` and ``made_range``: what they were made as, by the best fit; ``gain``: of luma, 1 where right; ``setup``:
    percent added to luma; ``saturation``: gain of chroma, 1 where right; ``hue``: degrees; together they are what single error
    explains the bars, given the matrix and range that they were made as. ``residual``: percent that it leaves unexplained.
    ``others``: bars of other kinds that explain them as well, and at what gain.
    """

    pattern: str
    bars: tuple[Bar, ...]
    made_matrix: Matrix
    made_range: Range
    gain: float
    setup: float
    saturation: float
    hue: float
    residual: float
    source: SignalFormat
    others: tuple[str, ...] = ()

    @property
    def bent(self) -> bool:
        """Whether so much gain is needed to explain them that they are none."""
        return not (_GAINS[0] < self.gain < _GAINS[1] and _GAINS[0] < self.saturation < _GAINS[1])

    @property
    def right(self) -> bool:
        """Whether every bar sits where it should as the file is tagged."""
        return all(
            abs(bar.luma_error) <= _GOOD_LUMA
            and (bar.chroma_gain is None or abs(bar.chroma_gain - 1) * 100 <= _GOOD_CHROMA)
            and (bar.hue_error is None or abs(bar.hue_error) <= _GOOD_HUE)
            for bar in self.bars
        )

    @property
    def verdict(self) -> str:
        """What is wrong, in a sentence."""
        if self.right:
            return f"The {self.pattern} bars sit where they should."
        causes = []
        if self.made_matrix is not self.source.matrix:
            causes.append(f"decoded as {standard(self.source.matrix)}, made as {standard(self.made_matrix)}")
        if self.made_range is not self.source.range:
            causes.append(f"decoded as {self.source.range} range, made as {self.made_range}")
        figures = (
            (abs(self.gain - 1) * 100 > _GOOD_LUMA, f"luma gain {figure(self.gain, '.3f')}"),
            (abs(self.setup) > _GOOD_LUMA, f"setup {figure(self.setup, '+.1f')} %"),
            (abs(self.saturation - 1) * 100 > _GOOD_CHROMA, f"chroma gain {figure(self.saturation, '.3f')}"),
            (abs(self.hue) > _GOOD_HUE, f"hue {figure(self.hue, '+.1f')}°"),
        )
        causes += [words for wrong, words in figures if wrong]
        told = f"The {self.pattern} bars are off: {', '.join(causes) or 'no single error explains them'}."
        return f"{told} They may be {' or '.join(self.others)} as well." if self.others else told


def read_bars(frame: FrameSignal, region: Region) -> BarsReading | None:
    """Colour bars in the active picture of a frame, or None where none are recognised."""
    readings = [_read_as(frame, region, pattern) for pattern in PATTERNS]
    found = sorted((each for each in readings if each is not None), key=lambda pair: pair[0])
    if not found:
        return None
    best = found[0][1]  # what explains them best is what they are, or they are none: no other is taken in its place
    if best.residual > _FIT or best.bent:
        return None
    others = (other for _, other in found[1:] if other.residual < best.residual + _ALIKE and not other.bent)
    return replace(best, others=tuple(f"{other.pattern} at luma gain {figure(other.gain, '.3f')}" for other in others))


def _sample(frame: FrameSignal, region: Region, left: float, right: float) -> tuple[NDArray[np.float64], float]:
    """Mean Y′, Cb, Cr codes of a bar's middle, and the spread of its luma in codes."""
    middle, half = (left + right) / 2, (right - left) * _MIDDLE / 2
    x0, x1 = (region.x + round(region.width * share) for share in (middle - half, middle + half))
    y0, y1 = (region.y + round(region.height * share) for share in _ROWS)
    across, down = frame.source.halved if frame.source.model is Model.YCBCR else (False, False)
    luma = frame.ycbcr[0][y0:y1, x0 : max(x1, x0 + 1)]
    sites = [
        plane[y0 >> down : max(y1 >> down, (y0 >> down) + 1), x0 >> across : max(x1 >> across, (x0 >> across) + 1)]
        for plane in frame.ycbcr[1:]
    ]
    return np.array([luma.mean(), *(plane.mean() for plane in sites)]), float(luma.std())


def _read_as(frame: FrameSignal, region: Region, pattern: Pattern) -> tuple[float, BarsReading] | None:
    source = frame.source
    levels = source.levels
    sampled = [_sample(frame, region, a, b) for a, b in itertools.pairwise(pattern.edges)]
    if max(spread for _, spread in sampled) / levels.swing * 100 > _FLAT:
        return None
    codes = np.array([mean for mean, _ in sampled])
    best: tuple[float, BarsReading] | None = None
    for matrix, made_range in itertools.product(Matrix, Range):
        cost, fitted = _explain(codes, pattern, matrix, made_range, source)
        if best is None or cost < best[0]:
            best = cost, fitted
    if best is None:
        return None
    return best


def _signal(codes: NDArray[np.float64], levels: Levels) -> tuple[NDArray[np.float64], NDArray[np.complex128]]:
    """Codes to luma in percent and chroma as complex numbers, Cb + i·Cr."""
    chroma = (codes[:, 1:] - levels.zero) / levels.span
    return (codes[:, 0] - levels.black) / levels.swing * 100, chroma[:, 0] + 1j * chroma[:, 1]


def _explain(
    codes: NDArray[np.float64], pattern: Pattern, matrix: Matrix, made_range: Range, source: SignalFormat
) -> tuple[float, BarsReading]:
    """The gain, setup, saturation and hue that bring bars made as given to what was read; the better, the lower the cost."""
    ideal = rgb_to_ycbcr(np.array(pattern.colours), matrix)
    luma, chroma = _signal(codes, Levels.of(source.bit_depth, made_range))
    wanted, wanted_chroma = ideal[:, 0] * 100, ideal[:, 1] + 1j * ideal[:, 2]
    gain, setup = np.polyfit(wanted, luma, 1)
    factor = complex((wanted_chroma.conj() @ chroma) / (wanted_chroma.conj() @ wanted_chroma))
    left = np.concatenate([luma - gain * wanted - setup, np.abs(chroma - factor * wanted_chroma) * 100])
    residual = float(np.sqrt((left**2).mean()))
    saturation, hue = abs(factor), math.degrees(math.atan2(factor.imag, factor.real))
    simple = abs(gain - 1) * 100 + abs(setup) + abs(saturation - 1) * 100 + abs(hue)
    tagged = rgb_to_ycbcr(np.array(pattern.colours), source.matrix)
    shown, shown_chroma = _signal(codes, source.levels)
    bars = tuple(
        Bar(name, float(t[0] * 100), float(y), (float(t[1]), float(t[2])), (float(c.real), float(c.imag)))
        for name, t, y, c in zip(pattern.names, tagged, shown, shown_chroma, strict=True)
    )
    wrong_tags = (matrix is not source.matrix) + (made_range is not source.range)
    cost = residual + _SIMPLICITY * float(simple) + 0.1 * wrong_tags
    return cost, BarsReading(
        pattern.title, bars, matrix, made_range, float(gain), float(setup), saturation, hue, residual, source
    )
