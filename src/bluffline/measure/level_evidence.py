"""What a frame's luma says of the range that it was made in, whatever its tag.

Narrow range has its black and white at codes of its own, inside all codes. A picture that was made in it piles up there, or
stops; what lies beyond is overshoot beside edges, thin and little. A picture that was made in full range knows nothing of those
codes: it runs on across them, over whole parts of the picture, and stops at the ends of its own, in every colour: a narrow
picture that was graded beyond black and white stops anywhere.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from bluffline.measure import survey_kernels as kernels
from bluffline.measure.counted import rgb_arithmetic
from bluffline.signal.format import Model, Planes, SignalFormat
from bluffline.signal.levels import Levels, Range

_CLEAR = 0.015  # of the narrow swing: nearer to black or white, noise and rounding stray
_BAND = 0.06  # of the narrow swing: how far codes are looked at on either side of black and white
_SPIKES = 0.0015, 0.006  # of the narrow swing: half the widths of a pile-up, as it was made and as coding leaves it
_FLAT = 0.006  # of the narrow swing: how far from its code a flat tone strays in coding
_LEAST = 1e-4  # of the picture: less is no pile-up, and a band that holds less counts as so full
_STEP = 6  # every how many rows and columns are looked at for edges
_EVERY = 4  # every how many columns and rows are read as full range
_NEAR, _ROUNDING = 0.0015, 0.65  # of the full swing, and codes: how near to an end counts as there
_BEYOND = 1.25  # of that: further is beyond
_COLOURED = 0.03  # of the chroma range: less is as good as grey, which storage may have cut off
_EDGE = 0.2  # of the narrow swing: a change within six pixels that can make overshoot


@dataclass(frozen=True, slots=True)
class LevelEvidence:
    """Shares of the picture, 0 … 1.

    ``under``, ``over``: beyond narrow black and white, and beside no edge that could make it overshoot.
    ``shade``: beyond black, but for one flat tone; ``dark``: in a band within black.
    ``black``, ``white``: how many times fuller the pile-up at black and white is than the band within.
    ``foot``, ``head``: right within black and white; ``below``, ``above``: as far beyond them, clear of them.
    ``black_met``, ``white_met``: read as full range, the shares of pixels of some colour whose least component is 0 and whose
    greatest is 100 %; ``black_passed``, ``white_passed``: the shares that lie beyond, as none does that was made so.
    """

    under: float = 0.0
    over: float = 0.0
    shade: float = 0.0
    dark: float = 0.0
    black: float = 0.0
    white: float = 0.0
    foot: float = 0.0
    head: float = 0.0
    below: float = 0.0
    above: float = 0.0
    black_met: float = 0.0
    black_passed: float = 0.0
    white_met: float = 0.0
    white_passed: float = 0.0


NO_EVIDENCE = LevelEvidence(dark=-1.0)  # of a frame that was not looked at


def level_evidence(
    planes: Planes, histogram: NDArray[np.int64], source: SignalFormat, parts: Sequence[tuple[int, int, int, int]]
) -> LevelEvidence:
    """Look at a frame.

    Parameters
    ----------
    planes : native planes of ``source``; of R′G′B′ the first is looked at alone
    histogram : (2**bit_depth,) pixel counts of the parts
    parts : left, right, top, bottom of the rectangles that make up the active picture
    """
    luma = planes[0]
    levels = Levels.of(source.bit_depth, Range.NARROW)
    pixels = max(int(histogram.sum()), 1)
    held = np.concatenate([[0], np.cumsum(histogram)])
    top = len(histogram) - 1

    def code(share: float) -> int:
        return round(levels.black + share * levels.swing)

    def between(first: int, last: int) -> int:
        return int(held[min(last, top) + 1] - held[max(first, 0)])

    low, high = code(-_CLEAR), code(1 + _CLEAR)
    beyond = between(0, low - 1)
    flattest, near = (int(np.argmax(histogram[:low])) if beyond else 0), max(round(_FLAT * levels.swing), 1)
    shade = beyond - between(flattest - near, min(flattest + near, low - 1))
    under = over = 0
    if shade:
        right = between(flattest + near + 1, low - 1) >= shade / 2
        codes = (flattest + near + 1, low) if right else (0, flattest - near)
        under = sum(kernels.count_free(luma, *part, *codes, 0, code(_EDGE), _STEP) for part in parts) * _STEP**2
    if between(high + 1, top):
        over = sum(kernels.count_free(luma, *part, high + 1, top + 1, code(1 - _EDGE), top, _STEP) for part in parts) * _STEP**2

    def piled(at: int, inwards: int) -> float:
        """How many times fuller codes about ``at`` are than the band within."""
        best = 0.0
        for share in _SPIKES:
            half = max(round(share * levels.swing), 0 if share == _SPIKES[0] else 1)
            pile = between(at - half, at + half)
            ends = sorted((at + inwards * (half + 1), at + inwards * round(_BAND * levels.swing)))
            width = ends[1] - ends[0] + 1
            usual = max(between(*ends) / width, _LEAST * pixels / width)
            best = max(best, pile / (2 * half + 1) / usual if pile > _LEAST * pixels else 0.0)
        return best

    return LevelEvidence(
        under=under / pixels,
        over=over / pixels,
        shade=shade / pixels,
        dark=between(code(0), code(_BAND)) / pixels,
        black=piled(code(0), 1),
        white=piled(code(1), -1),
        foot=between(code(0), code(_CLEAR)) / pixels,
        head=between(code(1 - _CLEAR), code(1)) / pixels,
        below=min(between(code(-3 * _CLEAR), low - 1), shade) / pixels,
        above=between(high + 1, code(1 + 3 * _CLEAR)) / pixels,
        **(_ends_of_full(planes, source, parts) if source.model is Model.YCBCR else {}),
    )


def _ends_of_full(planes: Planes, source: SignalFormat, parts: Sequence[tuple[int, int, int, int]]) -> dict[str, float]:
    """How R′G′B′ meets its ends where the picture is read as full range, at every fourth column and row."""
    *_, codes, gains = rgb_arithmetic(replace(source, range=Range.FULL))
    near = _NEAR + _ROUNDING / (1 << source.bit_depth)
    across, down = (1 + halved for halved in source.halved)
    bounds = np.float32(near), np.float32(_BEYOND * near), np.float32(_COLOURED)
    found = [kernels.ends_of_full(*planes, part, _EVERY, (across, down), codes, gains, *bounds) for part in parts]
    *met, looked = np.sum(found, axis=0).tolist()
    names = ("black_met", "black_passed", "white_met", "white_passed")
    return {name: count / max(looked, 1) for name, count in zip(names, met, strict=True)}
