"""Clipped or not, on hundreds of made pictures: clean, under grain, through block coding, and through real codecs."""

from collections import Counter

import numpy as np
import pytest

from bluffline.measure import plateau_kernels
from bluffline.measure.counted import Limits
from bluffline.measure.frame_measure import measure_frame
from bluffline.measure.region import Region
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from clips import make_clip, signal, to_planes
from scenes import HEIGHT, WIDTH, ClipCase, clip_cases

R103 = Limits((-1.0, 103.0), (-5.0, 105.0))
LEAST = 0.5  # percent of the picture, from which the shipped rules tell
NAMES = ("high", "low", "red", "green", "blue")


def flat(measure):
    """The ends and components that are told as clipped, and those told as drawn."""
    found = {name: getattr(measure, f"clip_{name}") for name in NAMES}
    return {name for name, f in found.items() if f.area > LEAST and not f.graphic}


def verdict(case: ClipCase, measure) -> str:
    found = flat(measure)
    if case.clipped is None:
        return "false" if found else "right"
    return "right" if case.clipped in found else "missed"


def test_clipped_pictures_are_found_and_whole_ones_are_not():
    """320 pictures: 19 of 20 of the clipped are found, and at most one whole one in fifty is called so."""
    tally = Counter()
    for case in clip_cases(160, 21):
        source = signal(WIDTH, HEIGHT, case.depth, "444")
        measure = measure_frame(to_planes(case.rgb, source), source, Region.whole(source), R103)
        tally[case.clipped is not None, verdict(case, measure)] += 1
    assert tally[True, "right"] >= 0.95 * 160, tally
    assert tally[False, "false"] <= 0.02 * 160, tally


@pytest.mark.parametrize(
    ("name", "codec", "pixels", "options"),
    [
        ("c.mov", "prores", "yuv422p10le", {"profile": "3"}),
        ("c.mp4", "libx264", "yuv420p", {"crf": "20", "x264-params": "log-level=error"}),
        ("c.mxf", "mpeg2video", "yuv422p", {"b": "30000000", "g": "1"}),
    ],
)
def test_codecs_hide_no_clip_and_make_none(tmp_path, name, codec, pixels, options):
    cases = list(clip_cases(9, 30))
    made = make_clip(
        tmp_path / name, lambda n: cases[n].rgb, len(cases), codec=codec, pixel_format=pixels, options=options, filtered=True
    )
    programme = probe(made)
    with Reader(programme) as reader:
        verdicts = [
            verdict(case, measure_frame(frame.planes, programme.format, Region.whole(programme.format), R103))
            for case, frame in zip(cases, reader.frames(), strict=True)
        ]
    wrong = [(case.kind, case.clipped, word) for case, word in zip(cases, verdicts, strict=True) if word != "right"]
    assert not any(word == "false" for _, _, word in wrong)
    assert not {what for _, what, _ in wrong} & {"high", "low"}, "luma's are all found"
    assert len(wrong) <= 2, "chroma that is coded coarsely may hide a component's"


def test_kernels_compiled_and_plain_agree():
    plane = np.random.default_rng(2).integers(880, 941, (30, 90)).astype(np.uint16)
    plane[5:20, 20:70] = 940
    sums = [np.zeros(1024 * 8, np.int64) for _ in range(2)]
    steps, apart = ([np.zeros(size, np.int64) for _ in range(2)] for size in ((3, 64), 64))
    plateau_kernels.count_tones(plane, 900, 1023, sums[0], steps[0], apart[0])
    plateau_kernels.count_tones.py_func(plane, 900, 1023, sums[1], steps[1], apart[1])
    assert np.array_equal(*sums) and np.array_equal(*steps) and np.array_equal(*apart) and sums[0].sum() > 60
    counts = np.bincount(plane.ravel(), minlength=1024)
    ends = (0.0005, 44.0, 26, 1, 11, 0.001, 0.03)
    assert plateau_kernels.fullest_tone(counts, *ends) == plateau_kernels.fullest_tone.py_func(counts, *ends)
    assert plateau_kernels.fullest_tone(counts, *ends)[0] >= 939
    arguments = (plane, 938, 942, 940.0, 35.0)
    assert plateau_kernels.edges_of(*arguments) == plateau_kernels.edges_of.py_func(*arguments)


def test_the_component_that_is_clipped_is_named():
    """A flat red beside luma that goes on: lossless, in a picture whose own extreme is not red's."""
    red = next(case for case in clip_cases(8, 2) if case.clipped == "red")
    for depth, sampling in ((8, "420"), (10, "422"), (12, "444")):
        source = signal(WIDTH, HEIGHT, depth, sampling)
        found = flat(measure_frame(to_planes(red.rgb, source, filtered=True), source, Region.whole(source), R103))
        assert "red" in found and not found & {"high", "green", "blue"}, (depth, sampling, found)
