"""Flat tops and flat bottoms: where a picture's detail ends in one tone, in luma or in one component.

What a camera clips keeps its flat top however far a later operator has pulled it down, so the search is made at the frame's own
extreme, not at a fixed level. Grain and coding that came after spread it, but no further there than anywhere. So a top is flat
where tones differ from place to place by no more than they do from pixel to pixel; that tells it from the faintest gradient and
from a highlight that was rolled off. And light rises towards what was clipped: what begins at hard edges, where all of a change
happens at once, was drawn, and nothing was lost there.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import plateau_kernels as kernels
from bluffline.measure import survey_kernels
from bluffline.measure.counted import rgb_arithmetic
from bluffline.measure.region import Region
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.signal.levels import Levels

_ROWS, _SITE_ROWS = 72, 54  # lines of a picture, and of its components, that tell of its flat parts as much as all
_STRAY = 0.0005  # share of the picture that may lie beyond a plateau: ringing of the codec
_LEAST_SHARE = 0.001
_LEAST_CONTRAST = 5.0  # percent between the extremes: below, the frame is one flat tone
_SEARCHED = 3.0  # percent below the extreme in which the fullest tone is sought
_TONE = 0.15  # percent on either side that count as one tone
_ZONE = 1.2  # percent about the fullest tone in which tones are compared
_ALIKE = 0.13  # percent that the middle half of the tones may differ by …
_ALIKE_NOISE = 0.9  # … or so many times the deviation from pixel to pixel …
_ALIKE_UNREST = 2.2  # … or that of tones from those a little way off, which coding sets apart …
_ALIKE_CODES = 0.6  # … or so many codes, by which rounding may set them apart
_PILE_UP = 3.0  # how much fuller the plateau must be than as much of the range just within the zone
_BEYOND = 0.03  # of what is in the zone, the share that may lie beyond it
_GRAINLESS = 0.75  # percent: what is noisier is no plateau
_JUMP = 4.0  # percent that a drawn edge jumps at the least
_DRAWN_NOISE = 0.5, 1.2  # percent, and codes: what is drawn has no grain
_NOMINAL = 103.0  # percent, with its coding noise
_THIN = 0.04  # mean width of lettering, as a share of the picture's
_STROKE = 0.1  # mean width of a stroke, as a share of the picture's
_STRAIGHT = 0.4  # share of the drawn edges that stand in straight lines
_DRAWN = 0.7  # share of the edges that are drawn, from which a plateau is graphics


@dataclass(frozen=True, slots=True)
class Plateau:
    """A flat extreme of a frame: its level and area in percent; ``graphic`` where it looks drawn, not filmed."""

    level: float
    area: float
    graphic: bool


NO_PLATEAU = Plateau(0.0, 0.0, False)
NOT_LOOKED = Plateau(0.0, -1.0, False)  # where components were not looked at


def row_step(height: int, rows: int = _ROWS) -> int:
    """Every how many lines a picture is looked at where so many of them tell as much as all."""
    return max(height // rows, 1)


def find_plateau(
    parts: Sequence[NDArray[Any]], histogram: NDArray[np.int64], swing: float, black: float, *, top: bool
) -> Plateau:
    """The flat top (or bottom) of one plane, or `NO_PLATEAU`.

    Parameters
    ----------
    parts : (rows, columns) codes of the rectangles that make up the active picture, or of some of their rows
    histogram : (bins,) counts of the whole of it
    swing, black : codes from 0 to 100 %, and the code of 0 %
    """
    percent, end = swing / 100, len(histogram) - 1
    zone, searched, tone = max(round(_ZONE * percent), 1), round(_SEARCHED * percent), round(_TONE * percent)
    middle, pixels = kernels.fullest_tone(
        histogram if top else histogram[::-1], _STRAY, _LEAST_CONTRAST * percent, searched, tone, zone, _LEAST_SHARE, _BEYOND
    )
    if middle < 0:
        return NO_PLATEAU
    middle = middle if top else end - middle
    low, high = max(middle - zone, 0), min(middle + zone, end)
    tones, noise, unrest, spans = _tones(parts, low, high, end + 1)
    if spans * kernels.SPAN < _LEAST_SHARE * sum(part.size for part in parts) / 2 or noise > _GRAINLESS * percent:
        return NO_PLATEAU
    lower, level, upper = (float(np.searchsorted(tones, share * spans)) / kernels.SPAN for share in (0.25, 0.5, 0.75))
    if upper - lower > max(_ALIKE * percent, _ALIKE_NOISE * noise, _ALIKE_UNREST * unrest, _ALIKE_CODES):
        return NO_PLATEAU
    half = max(2.5 * noise, 2.5 * unrest, _ALIKE * percent, 0.6)
    near, far = int(np.floor(level - half)), int(np.ceil(level + half))
    area = int(histogram[max(near, 0) : far + 1].sum())
    width = far - near + 1
    within = histogram[max(near - 2 * width, 0) : max(near - width, 0)] if top else histogram[far + width : far + 2 * width]
    if area < max(_LEAST_SHARE * pixels, _PILE_UP * float(within.sum())):
        return NO_PLATEAU
    above = (level - black) / percent
    graphic = _drawn(parts, near, far, level, max(_JUMP * percent, 4 * noise), lines=above <= _NOMINAL)
    if graphic and noise > max(_DRAWN_NOISE[0] * percent, _DRAWN_NOISE[1]):
        return NO_PLATEAU  # a card or a wall: it has grain, and ends where it ends
    return Plateau(above, 100.0 * area / pixels, bool(graphic))


def _tones(parts: Sequence[NDArray[Any]], low: int, high: int, bins: int) -> tuple[NDArray[np.int64], float, float, int]:
    """Tones in a zone, each the sum of `kernels.SPAN` pixels.

    Returns
    -------
    their cumulative counts; the deviation from pixel to pixel, and of tones from those a little way off, in codes; their number
    """
    sums, apart = np.zeros(bins * kernels.SPAN, np.int64), np.zeros(64 * kernels.SPAN, np.int64)
    steps = np.zeros((kernels.SPAN - 1, 64), np.int64)
    for part in parts:
        kernels.count_tones(part, low, high, sums, steps, apart)
    cumulative = np.cumsum(sums)
    return cumulative, _deviation(steps.sum(axis=0)), _deviation(apart) / kernels.SPAN, int(cumulative[-1])


def _deviation(differences: NDArray[np.int64]) -> float:
    """σ of normal noise whose differences were counted by size: their median, told between counts, is 0.954 σ."""
    counts = np.cumsum(differences)
    if counts[-1] == 0:
        return 0.0
    place = int(np.searchsorted(counts, counts[-1] / 2))
    if place == 0:
        return 0.0
    return float(place - 0.5 + (counts[-1] / 2 - counts[place - 1]) / max(int(differences[place]), 1)) / 0.954


def _drawn(parts: Sequence[NDArray[Any]], low: int, high: int, level: float, jump: float, *, lines: bool) -> bool:
    """Whether a plateau looks drawn: its edges are, and it is made of strokes, or of all but those, or ends in straight lines.

    Over nominal white only thin strokes are a sign (not ``lines``): what is wide there is a camera's window or sky, not a paint
    box's panel. Without an edge, light falls off too slowly to see it within a row.
    """
    found = np.sum([kernels.edges_of(part, low, high, level, jump) for part in parts], axis=0)
    edges, drawn, straight, runs, within, gaps, between = (int(value) for value in found)
    wide = max(part.shape[1] for part in parts)
    if drawn <= _DRAWN * edges:
        return False
    if not lines:
        return bool(within < _THIN * wide * runs)
    strokes = within < _STROKE * wide * runs or (gaps > 0 and between < _STROKE * wide * gaps)
    return bool(strokes or straight > _STRAIGHT * drawn)


def find_luma_plateaus(
    luma: NDArray[Any], histogram: NDArray[np.int64], levels: Levels, parts: Sequence[Region]
) -> tuple[Plateau, Plateau]:
    """The flat top and the flat bottom of luma in parts of a picture; ``histogram`` is of all of them."""
    step = row_step(max(part.edges[3] for part in parts) - min(part.edges[2] for part in parts))
    looked = [luma[top:bottom:step, left:right] for left, right, top, bottom in (part.edges for part in parts)]
    high, low = (find_plateau(looked, histogram, levels.swing, levels.black, top=top) for top in (True, False))
    return high, low


def find_component_plateaus(planes: Planes, source: SignalFormat, parts: Sequence[Region]) -> tuple[Plateau, ...]:
    """The flat tops of R′, G′ and B′ in parts of a picture, at some rows of chroma sites.

    Parameters
    ----------
    planes : native planes
    """
    levels = source.levels
    if source.model is Model.RGB:
        step = row_step(source.height)
        ways = [[plane[: source.height : step, : source.width] for plane in planes]]
        room, across, down = 0, 1, step
    else:
        columns, rows = source.chroma_size
        step, room = row_step(rows, _SITE_ROWS), 1 << (source.bit_depth - 1)
        across, down = (2 if halved else 1 for halved in source.halved)
        _, _, _, (_, _, zero, _), gains = rgb_arithmetic(source)
        kind = np.uint16 if source.bit_depth < 16 else np.uint32
        out = np.empty((2, 3, -(-rows // step), columns), kind)
        codes = zero, np.float32(levels.swing / levels.span)
        between = across > 1 and source.siting.between_columns
        kernels.site_components(*planes, (columns, rows), across, down, between, step, codes, gains, room, out)
        ways = [list(way) for way in (out if across > 1 else out[:1])]
        down *= step
    bins = (1 << source.bit_depth) + 2 * room
    edges = [part.edges for part in parts]
    boxes = [(left // across, -(-right // across), -(-top // down), -(-bottom // down)) for left, right, top, bottom in edges]

    def plateau(plane: NDArray[Any]) -> Plateau:
        looked = [plane[top:bottom, left:right] for left, right, top, bottom in boxes]
        histogram = sum(survey_kernels.count_codes(part, 0, part.shape[1], 0, part.shape[0], bins) for part in looked)
        return find_plateau(looked, histogram, levels.swing, levels.black + room, top=True)

    # Nobody tells how chroma was filtered; a component that was clipped is flat in one of the two ways.
    return tuple(max((plateau(way[n]) for way in ways), key=lambda found: found.area) for n in range(3))
