"""A line, a column or a pixel that has no chroma site of its own is counted with those it is coloured by."""

import numpy as np
import pytest

from bluffline.measure.areas import Selection
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
