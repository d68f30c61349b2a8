"""The loops that draw, compiled and as plain Python, against small pictures worked out by hand."""

import numpy as np
import pytest

from bluffline.gauges import trace_kernels as kernels

BOTH = pytest.mark.parametrize("how", [lambda kernel: kernel, lambda kernel: kernel.py_func], ids=["compiled", "plain"])
BLACK = 0xFF000000


@BOTH
def test_levels_are_gathered_into_rows(how):
    counts = np.array([[1, 2, 3, 4], [5, 0, 0, 6]], np.int32)
    out = np.empty((3, 4), np.float32)
    how(kernels.spread_levels)(counts, np.array([2, 1, 0]), np.array([4, 2, 0]), 0, 2, 4, out)
    assert out.tolist() == [[7, 7, 6, 6], [2, 2, 0, 0], [0, 0, 0, 0]]


@BOTH
def test_cells_are_drawn_upwards_and_the_fullest_counts(how):
    counts = np.zeros((4, 4), np.int32)
    counts[0, 3], counts[3, 0], counts[3, 1] = 5, 2, 9
    out = np.empty((2, 2), np.float32)
    how(kernels.spread_cells)(counts, np.array([0, 2]), np.array([2, 4]), out)
    assert out.tolist() == [[5, 0], [0, 9]]


@BOTH
def test_brightness_follows_the_curve_and_its_end(how):
    amounts = np.array([[0, 1, 2, 900]], np.float32)
    how(kernels.brighten)(amounts, np.array([0, 0.5, 1], np.float32))
    assert amounts.tolist() == [[0, 0.5, 1, 1]]


@BOTH
def test_an_outline_is_the_edge_of_what_is_there(how):
    amounts = np.zeros((6, 6), np.float32)
    amounts[1:5, 1:5] = 3
    edge = how(kernels.outline)(amounts)
    assert edge.sum() == 12 and edge[2:4, 2:4].sum() == 0 and edge[1, 1] == 1


@BOTH
def test_excess_is_hatched_only_where_there_is_a_trace(how):
    rows, cells = np.full((4, 10), 0.5, np.float32), np.full((4, 10), 0.5, np.float32)
    rows[:, 5:] = cells[:, 5:] = 0
    how(kernels.hatch_rows)(rows, np.array([True, False, False, True]))
    assert set(rows[0, :5].tolist()) == {0.0, 1.0} and (rows[1, :5] == 0.5).all() and not rows[:, 5:].any()
    mask = np.zeros((4, 10), bool)
    mask[2] = True
    how(kernels.hatch_cells)(cells, mask)
    assert set(cells[2, :5].tolist()) == {0.0, 1.0} and (cells[3, :5] == 0.5).all()


@BOTH
def test_light_is_added_and_never_overflows(how):
    image = np.full((1, 3), BLACK | 0x101010, np.uint32)
    bright = np.array([[0, 0.5, 1]], np.float32)
    for colour in ((255, 0, 16), (255, 255, 16)):
        how(kernels.lay)(bright, np.array(colour, np.float32), np.float32(16), image)
    assert image[0, 0] == BLACK | 0x101010, "no light, no change"
    red = (image >> 16) & 255
    assert red[0, 2] == 255 and (image & BLACK == BLACK).all()
    how(kernels.lay_coloured)(bright, np.full((1, 3, 3), 200, np.float32), np.float32(16), image)
    assert image[0, 2] == BLACK | 0xC8C8C8


@BOTH
def test_bars_stand_on_their_foot(how):
    out = np.zeros((6, 3), np.float32)
    how(kernels.bars)(np.array([0.0, 0.5, 1.0]), 1, 6, out)
    assert out.sum(axis=0).tolist() == [0, 2, 4] and out[5].tolist() == [0, 1, 1] and not out[0].any()


@BOTH
def test_the_silhouette_hatches_what_is_outside_and_what_treatment_took_away(how):
    before = np.array([[0.0], [110], [0], [120]])
    after = np.array([[0.0], [90], [0], [104]])
    levels, limits = np.arange(125.0, -5, -1), np.array([0.0, 100, -5, 103])
    image = np.zeros((len(levels), 1), np.uint8)
    how(kernels.silhouette)(before, after, levels, limits, image)
    grey = dict(zip(levels.tolist(), image[:, 0].tolist(), strict=True))
    assert grey[50] == 118 + 18 and grey[95] == 66 and grey[122] == 0, "luma, R′G′B′ behind it, nothing"
    assert grey[104] in (20, 245), "still outside"
    assert {grey[level] for level in range(106, 119)} == {0, 92}, "was there before treatment"
