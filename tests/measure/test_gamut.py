from dataclasses import replace

import numpy as np
import pytest

from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.gamut import gamut_area, mark_gamut
from bluffline.signal.matrix import Matrix
from clips import signal, to_planes

WIDE = replace(signal(depth=12, sampling="444", matrix=Matrix.BT2020), primaries="bt2020")


def frame(rgb, source=WIDE):
    return FrameSignal(to_planes(np.broadcast_to(np.array(rgb, float), (48, 64, 3)), source), source)


@pytest.mark.parametrize(
    ("rgb", "outside"),
    [
        ((0.5, 0.5, 0.5), ()),
        ((0, 1, 0), ("bt709", "p3", "bt601")),
        ((0.75, 0.6, 0.55), ()),
        ((0.9, 0.1, 0.1), ("bt709", "bt601")),
    ],
)
def test_colours_of_a_wide_container_against_each_smaller_gamut(rgb, outside):
    whole = Selection.whole(WIDE)
    found = {gamut for gamut in ("bt601", "bt709", "p3", "bt2020") if gamut_area(frame(rgb), whole, gamut) > 0}
    assert set(outside) <= found and "bt2020" not in found
    if not outside:
        assert not found


def test_a_gamut_holds_its_own_colours_in_spite_of_rounding():
    for depth in (8, 10, 12):
        source = signal(depth=depth, sampling="444")
        rgb = np.random.default_rng(depth).uniform(0, 1, (48, 64, 3))
        assert gamut_area(FrameSignal(to_planes(rgb, source), source), Selection.whole(source), "bt709") == 0


def test_only_selected_pixels_are_marked_and_counted():
    made = frame((0, 1, 0))
    marks = np.zeros((48, 64), np.uint8)
    assert mark_gamut(made, Selection.box(WIDE, 10, 10, 20, 20), "bt709", 16, marks) == 100
    assert np.count_nonzero(marks) == 100 and (marks[10:20, 10:20] == 16).all()
