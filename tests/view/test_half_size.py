"""What is worked on at half the size while something moves, and what of a frame with fields it is."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.measure.region import Region
from bluffline.rules.rulefile import load_rules
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.tone import Tone
from bluffline.view.preview import View, half_size, make_preview
from clips import signal, to_planes

STEPS = (Tone(saturation=0.9),)


@pytest.mark.parametrize("sampling", ["420", "422"])
@pytest.mark.parametrize("height", [48, 46, 47])
@pytest.mark.parametrize("field", [0, 1])
def test_a_single_field_at_half_size_is_that_field_and_is_not_divided_again(sampling, height, field):
    source = replace(signal(64, height, sampling=sampling), interlaced=True)
    planes = to_planes(np.full((height, 64, 3), 0.25), source)
    planes[0][1::2] = source.levels.code(0.75)  # the lower field is light
    for plane in planes[1:]:
        plane[1::2] += 40 if sampling == "420" else 0
    view = View(
        source, Region.whole(source), load_rules("r103").limits, FrameTreatment(STEPS, source), (32, 24),
        line_field=field, proxy=FrameTreatment(STEPS, half_size(source)),
    )  # fmt: skip
    moving = make_preview(0, planes, view)
    still = make_preview(0, planes, replace(view, proxy=None))
    assert moving.proxy and not still.proxy
    for picture in ("original", "treated"):
        seen, meant = (getattr(each, picture).image for each in (moving, still))
        channels = [np.stack([image >> shift & 255 for shift in (0, 8, 16)]).astype(int) for image in (seen, meant)]
        assert len(np.unique(seen)) == 1, "one field alone"
        assert np.abs(channels[0] - channels[1])[:, 4:-4].max() <= 2
