"""Compiles the loops that a first programme would wait for: ``python -m bluffline.view.warm``, once at set-up.

With ``--first`` those alone that the first picture of the demo waits for.
"""

import sys
from dataclasses import replace

import numpy as np

from bluffline.demo import demo_clip
from bluffline.gauges.catalogue import every_gauge, gauge_named
from bluffline.gauges.painting import TraceStyle
from bluffline.gauges.trace_kernels import silhouette
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.rules.rulefile import load_rules
from bluffline.session.around import Around
from bluffline.signal.format import Planes, SignalFormat
from bluffline.survey.survey import find_region
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.view.preview import GaugeView, PinnedFrame, View, make_preview

_GAUGES = tuple(GaugeView(gauge, (64, 64)) for gauge in every_gauge())
_FIRST = tuple(GaugeView(gauge_named(name), (64, 64)) for name in ("waveform", "vectorscope"))
_SKY = 300  # of the demo's frames one with clipped highlights, so that their shape is looked at


def first_picture() -> None:
    """Show the first frame of the demo as the desk does when it opens it."""
    programme, rules = probe(demo_clip()), load_rules("r103")
    find_region(programme)
    with Reader(programme) as reader:
        planes, source = reader.planes(0), programme.format
        untreated = FrameTreatment((), source)
        make_preview(0, planes, View(source, Region.whole(source), rules.limits, untreated, (320, 180), _FIRST, rules))


def warm_up() -> None:
    """Show one frame of the demo in every way, as it is stored and as an 8-bit file would store it; and a skyline."""
    programme = probe(demo_clip())
    with Reader(programme) as reader:
        planes = reader.planes(_SKY)
        assert planes is not None, "the demo can be decoded"
        _show(planes, programme.format)
        luma, cb, cr = ((plane >> 2).astype(np.uint8) for plane in planes)
        for plane in (luma, cb, cr):
            plane.setflags(write=False)  # as the decoder's memory is: compiled loops tell the two apart
        _show((luma, cb, cr), replace(programme.format, bit_depth=8))
    silhouette(np.zeros((4, 2)), np.zeros((4, 2)), np.zeros(2), np.zeros(4), np.zeros((2, 2), np.uint8))


def _show(planes: Planes, source: SignalFormat) -> None:
    rules = load_rules("r103")
    steps = SoftCeiling(100, 109, 90), ChromaRein(*rules.limits.rgb)
    view = View(
        source, Region.whole(source), rules.limits, FrameTreatment(steps, source), (320, 180), _GAUGES, rules, TraceStyle(),
        pinned=PinnedFrame("", planes, source), around=Around(25.0, source, SurveyTable(0)),
    )  # fmt: skip
    make_preview(0, planes, view)


if __name__ == "__main__":
    first_picture()
    if "--first" not in sys.argv:
        warm_up()
