"""A line, a column or a pixel that has no chroma site of its own is counted with those it is coloured by."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.gauges.catalogue import gauge_named
from bluffline.measure.areas import Selection
from bluffline.measure.frame_signal import FrameSignal
from bluffline.treat.frame_treatment import greyed
from clips import signal

SIZE = 32, 24


@pytest.mark.parametrize("sampling", ["420", "422"])
@pytest.mark.parametrize("box", [(5, 0, 6, 24), (0, 7, 32, 8), (5, 7, 6, 8), (4, 6, 5, 7), (5, 7, 6, 24)])
def test_no_selection_of_pixels_is_without_sites(sampling, box):
    source = signal(*SIZE, sampling=sampling)
    sites = Selection.box(source, *box).at_sites(source)
    down = 2 if sampling == "420" else 1
    rows = [row for row in range(len(sites.starts) - 1) if sites.starts[row + 1] > sites.starts[row]]
    assert sites.count > 0
    alone = box[3] - box[1] == 1
    assert rows[0] == (box[1] // down if alone else -(-box[1] // down)) and all(run[0] == box[0] // 2 for run in sites.runs)


@pytest.mark.parametrize("sampling", ["420", "422", "444"])
def test_larger_selections_keep_to_sites_of_their_own(sampling):
    source = signal(*SIZE, sampling=sampling)
    sites = Selection.box(source, 3, 5, 10, 12).at_sites(source)
    first = {"420": (2, 3), "422": (2, 5), "444": (3, 5)}[sampling]
    rows = np.flatnonzero(np.diff(sites.starts))
    assert (int(sites.runs[0, 0]), int(rows[0])) == first


def test_rows_of_fields_keep_to_chroma_of_their_own():
    source = replace(signal(*SIZE, sampling="420"), interlaced=True)
    assert source.sites_of_rows[:8].tolist() == [0, 1, 0, 1, 2, 3, 2, 3]
    assert source.rows_of_sites[:4].tolist() == [0, 1, 4, 5]
    assert replace(source, interlaced=False).sites_of_rows[:6].tolist() == [0, 0, 1, 1, 2, 2]
    for row, site in ((0, 0), (1, 1), (2, 0), (3, 1), (6, 2), (7, 3)):
        sites = Selection.box(source, 0, row, SIZE[0], row + 1).at_sites(source)
        assert np.flatnonzero(np.diff(sites.starts)).tolist() == [site]


def test_the_coloured_waveform_takes_each_field_with_its_own_colour():
    source = replace(signal(*SIZE, depth=8, sampling="420"), interlaced=True)
    luma = np.zeros((SIZE[1], SIZE[0]), np.uint8)
    luma[0::2], luma[1::2] = 100, 180
    cb = np.zeros((SIZE[1] // 2, SIZE[0] // 2), np.uint8)
    cb[0::2], cb[1::2] = 90, 170
    frame, kind = FrameSignal((luma, cb, cb), source), gauge_named("waveform", "coloured")
    trace = kind.count(frame, Selection.whole(source), SIZE[0], None)
    step = trace.step
    assert np.allclose(trace.chroma[0][:, 100 // step], 90) and np.allclose(trace.chroma[0][:, 180 // step], 170)
    upper = np.repeat((np.arange(SIZE[1]) % 2 == 0).astype(float)[:, None], SIZE[0], axis=1)
    grey = greyed((luma, cb, cb), upper, source)
    assert (grey[1][0::2] == 90).all() and (grey[1][1::2] == source.levels.zero).all(), "the lower field alone is grey"
