"""Every gauge in each of its modes, and counting with one."""

import numpy as np

from bluffline.gauges.catalogue import every_gauge
from bluffline.gauges.instrument import Heard, Moment
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal

GAUGES = every_gauge()
OF_PIXELS = [gauge for gauge in GAUGES if not gauge.around]
_FRAMES = np.arange(900)
MOMENT = Moment(
    400, 25.0, 100,
    {"y_min": 10 + 0 * _FRAMES, "y_mean": 40 + 0 * _FRAMES, "y_max": 60 + _FRAMES / 20, "rgb_min": -2 + 0 * _FRAMES,
     "rgb_max": 70 + _FRAMES / 20},
    Heard({"momentary": -30 + _FRAMES / 90, "short_term": -28 + _FRAMES / 90, "peak": -12 + _FRAMES / 90}, {"loudness": -23.0}),
)  # fmt: skip


def counted(gauge, planes, source, selection=None, columns=480):
    """What a gauge counts of a frame."""
    return gauge.count(FrameSignal(planes, source), selection or Selection.whole(source), columns, MOMENT)
