"""What a treatment does to a grey ramp: its transfer line, read off the treated ramp itself."""

from dataclasses import replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from bluffline.signal.format import Model, SignalFormat
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.ladder import Treatment, tone_curve
from bluffline.treat.reach import EVERYWHERE

MID_GREY = 40.9  # percent: 18 % reflectance by the BT.709 camera curve [BT709]


def transfer_line(treatment: Treatment, source: SignalFormat) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A ramp of every code through a treatment, where it reaches.

    Returns
    -------
    two (2**depth,) float64 : luma before and after, in percent
    """
    top = 1 << source.bit_depth
    ramp = replace(source, width=top, height=2)
    dtype = np.uint8 if source.bit_depth == 8 else np.uint16
    codes = np.broadcast_to(np.arange(top, dtype=dtype), (2, top)).copy()
    columns, rows = ramp.chroma_size
    chroma = codes if source.model is Model.RGB else np.full((rows, columns), source.levels.zero, dtype)
    reached = tuple(replace(step, reach=EVERYWHERE) for step in treatment)
    treated = FrameTreatment(reached, ramp).apply((codes, chroma, chroma))[0][0, :top]
    levels = source.levels
    before, after = ((plane.astype(np.float64) - levels.black) / levels.swing * 100 for plane in (codes[0], treated))
    return before, after


@lru_cache(maxsize=256)
def largest_gap(treatment: Treatment, source: SignalFormat) -> float:
    """How many codes lie at most between what a treatment makes of two neighbouring codes of grey, from black to white.

    More than one leaves codes out: what was a slope falls into bands, and the histogram into a comb.
    """
    levels = source.levels
    percents = (np.arange(levels.black, levels.black + levels.swing + 1) - levels.black) / levels.swing * 100
    made, _ = tone_curve(tuple(replace(step, reach=EVERYWHERE) for step in treatment), percents, source)
    inside = np.clip(made, 0, 100)
    return float(np.abs(np.diff(inside)).max()) / 100 * levels.swing


def level_after(treatment: Treatment, source: SignalFormat, percent: float) -> float:
    """What a treatment makes of one grey level, in percent."""
    before, after = transfer_line(treatment, source)
    return float(np.interp(percent, before, after))
