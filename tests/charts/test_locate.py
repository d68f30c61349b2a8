"""Charts are found where they are, under what operators meet; and a wrong place is never called sure."""

import numpy as np
import pytest

from bluffline.charts.frame import SURE
from bluffline.charts.locate import find_chart, follow
from bluffline.charts.reference import load_reference
from bluffline.charts.sample import sample_frame
from bluffline.charts.shot import ChartShot
from bluffline.demo import demo_clip
from bluffline.demo.line_up import CHART_CORNERS
from bluffline.errors import ChartError
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.report.chart import doubts
from clips import signal, to_planes
from filmed import Filming, film

IN_CHART_SHOT = 75
OFF = 0.15  # of a patch: from there on a chart frame is in the wrong place


def missed(frame, corners):
    """The farthest corner's distance from where it is, in luma samples."""
    return float(np.hypot(*(np.array(frame.corners) - corners).T).max())


def patch_size(corners, layout):
    across, down = np.hypot(*(corners[1] - corners[0])), np.hypot(*(corners[3] - corners[0]))
    return min(across / layout.columns, down / layout.rows)


@pytest.mark.parametrize(("name", "filmed", "found"), [("glaze-24", 40, 0.95), ("grey-11", 20, 0.85), ("cards-3", 20, 0.85)])
def test_charts_are_found_however_they_are_filmed(name, filmed, found):
    reference = load_reference(name)
    hits = 0
    for seed in range(filmed):
        planes, source, corners = film(reference, Filming.drawn(seed))
        try:
            frame = find_chart(planes, source, reference)
        except ChartError:
            continue
        right = missed(frame, corners) < max(3.0, OFF * patch_size(corners, reference.layout))
        assert right or frame.confidence < SURE, f"sure of a wrong place, filming {seed}"
        hits += right
    assert hits >= found * filmed


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("roll", [0, 90, 180, 250])
def test_turned_and_mirrored_charts_are_found(roll, mirrored):
    reference = load_reference("glaze-24")
    planes, source, corners = film(reference, Filming(roll=roll, tilt=(8, -14)), mirrored=mirrored)
    frame = find_chart(planes, source, reference)
    assert missed(frame, corners) < 2
    assert frame.mirrored is mirrored
    assert frame.confidence > SURE


def test_the_demo_chart_is_found_within_two_pixels_of_its_true_corners():
    programme = probe(demo_clip())
    with Reader(programme) as reader:
        planes = reader.frame(IN_CHART_SHOT).planes
    frame = find_chart(planes, programme.format, load_reference("glaze-24"))
    drift = np.mean(np.array(frame.corners) - CHART_CORNERS, axis=0)
    assert np.abs(drift).max() < 3.5, "the picture moves by up to 3 pixels"
    assert missed(frame, CHART_CORNERS + drift) < 2
    assert frame.confidence > SURE


def test_the_demo_cards_are_found_and_never_called_sure():
    programme = probe(demo_clip())
    with Reader(programme) as reader:
        planes = reader.frame(150).planes
    frame = find_chart(planes, programme.format, load_reference("cards-3"))
    (left, top), _, (right, bottom), _ = frame.corners
    assert (left, top, right, bottom) == pytest.approx((196, 201, 1096, 563), abs=8)
    assert frame.confidence < SURE


@pytest.mark.parametrize("places", [1, 2, 3])
def test_more_than_one_chart_is_told(places):
    reference = load_reference("glaze-24")
    filmed = [film(reference, Filming(roll=90 * n, size=0.8 - 0.1 * n, seed=n)) for n in range(places)]
    planes = tuple(np.hstack([planes[c] for planes, *_ in filmed]) for c in range(3))
    source = signal(960 * places, 540)
    frame = find_chart(planes, source, reference)
    assert frame.others == places - 1 and frame.confidence > SURE
    told = doubts(ChartShot(0, frame, sample_frame(planes, source, frame, reference.layout)))
    assert len(told) == (places > 1) and (places == 1 or f"{places} charts like it" in told[0])
    assert missed(frame, filmed[0][2]) < 3, "the largest is measured"


def test_a_picture_without_a_chart_is_a_sentence():
    rng = np.random.default_rng(1)
    source = signal(320, 180)
    planes = to_planes(np.clip(rng.normal(0.4, 0.1, (180, 320, 3)), 0, 1), source)
    with pytest.raises(ChartError, match="place its four corners by hand"):
        find_chart(planes, source, load_reference("glaze-24"))


def test_a_chart_is_followed_from_frame_to_frame():
    reference = load_reference("glaze-24")
    planes, source, _ = film(reference, Filming(noise=0.01))
    frame = find_chart(planes, source, reference)
    moved = tuple(np.roll(plane, (4, 6 // (2 if n else 1)), axis=(0, 1)) for n, plane in enumerate(planes))
    (across, down), likeness = follow(planes, moved, source, frame)
    assert (across, down) == pytest.approx((6, 4), abs=0.3)
    assert likeness > 0.3
    _, other = follow(planes, film(reference, Filming(roll=60, seed=9))[0], source, frame)
    assert other < likeness / 3
