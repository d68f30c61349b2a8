"""The order of fields, seen in made pictures that move."""

import numpy as np
import pytest

from bluffline.measure.fields import FieldOrder
from clips import signal


def moving(time):
    """(96, 160) luma codes of a soft pattern that moves with time, in fields."""
    y, x = np.mgrid[0:96, 0:160]
    return (500 + 300 * np.sin((x - 6 * time) / 9) * np.cos((y - 2 * time) / 14)).astype(np.uint16)


def woven(frame, top_first):
    picture = np.empty((96, 160), np.uint16)
    times = (0, 1) if top_first else (1, 0)
    for field in (0, 1):
        picture[field::2] = moving(2 * frame + times[field])[field::2]
    return picture


@pytest.mark.parametrize("top_first", [True, False])
def test_the_order_of_fields_is_seen(top_first):
    order = FieldOrder(signal(160, 96))
    for frame in range(40):
        order.add(woven(frame, top_first), first=frame % 2 == 0)
    assert order.top_first is top_first


def test_whole_frames_still_pictures_cuts_and_gaps_tell_nothing():
    whole, still, cut = (FieldOrder(signal(160, 96)) for _ in range(3))
    rng = np.random.default_rng(1)
    for frame in range(40):
        whole.add(moving(2 * frame), first=frame % 2 == 0)
        still.add(woven(3, True), first=frame % 2 == 0)
        cut.add(rng.integers(64, 940, (96, 160)).astype(np.uint16) if frame % 5 else None, first=frame % 2 == 0)
    assert whole.top_first is still.top_first is cut.top_first is None
