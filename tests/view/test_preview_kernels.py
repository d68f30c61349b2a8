"""The loops of the screen picture, compiled and as plain Python, against NumPy."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.measure.counted import Limits
from bluffline.measure.region import Region
from bluffline.signal.colorimetry import gamut_matrix, rgb_to_xyz, to_light
from bluffline.signal.matrix import ChromaGains, Matrix, rgb_to_ycbcr, ycbcr_to_rgb
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.view import preview_kernels as kernels
from bluffline.view.preview import View, screen_picture
from bluffline.view.tone_mapping import tables
from clips import signal, to_planes

BOTH = pytest.mark.parametrize("how", [lambda kernel: kernel, lambda kernel: kernel.py_func], ids=["compiled", "plain"])
WHITE, BLACK, GREY = 0xFFFFFFFF, 0xFF000000, 0xFF808080
LUMA, RGB, HIGH, LOW = (np.uint8(bits) for bits in (3, 12, 5, 10))


def covered(count, step):
    places = np.arange(count) * step
    return np.stack([places, places + step]).astype(np.uint32)


@BOTH
@pytest.mark.parametrize("matrix", list(Matrix))
def test_pixels_have_the_colour_of_their_signal(how, matrix):
    rng = np.random.default_rng(1)
    coded = np.stack([rng.uniform(-0.1, 1.1, (6, 9)), *rng.uniform(-0.5, 0.5, (2, 6, 9))]).astype(np.float32)
    gains = ChromaGains.of(matrix)
    four = tuple(np.float32(v) for v in (gains.red_cr, gains.green_cb, gains.green_cr, gains.blue_cb))
    image = np.empty((6, 9), np.uint32)
    how(kernels.paint)(*coded, four, image)
    expected = np.clip(ycbcr_to_rgb(np.moveaxis(coded, 0, -1).astype(float), matrix), 0, 1) * 255
    seen = image.view(np.uint8).reshape(6, 9, 4)
    assert np.abs(seen[..., 2::-1] - expected).max() <= 1 and (seen[..., 3] == 255).all()


@BOTH
def test_marks_of_all_the_pixels_covered_are_seen(how):
    marks = np.zeros((12, 20), np.uint8)
    marks[4, 7], marks[5, 6], marks[11, 19] = 1, 4, 2
    out = np.full((4, 10), 99, np.uint8)
    how(kernels.gather_marks)(marks, covered(10, 2), covered(4, 3), out)
    expected = np.bitwise_or.reduce(marks.reshape(4, 3, 10, 2), axis=(1, 3))
    assert np.array_equal(out, expected) and out[1, 3] == 5


@BOTH
def test_hatching_leans_one_way_over_and_the_other_way_under(how):
    image = np.full((18, 18), GREY, np.uint32)
    marks = np.zeros((18, 18), np.uint8)
    marks[:, :9], marks[:9, 9:] = 1, 2  # luma over, luma under, nothing
    how(kernels.hatch)(image, marks, LUMA, RGB, HIGH, LOW)
    assert (image[9:, 9:] == GREY).all()
    over, under = image[:, :9] == WHITE, image[:9, 9:] == WHITE
    assert over.any() and np.array_equal(over[1:, :-1], over[:-1, 1:]), "rising strokes"
    assert under.any() and np.array_equal(under[1:, 1:], under[:-1, :-1]), "falling strokes"
    assert (image[:, :9] == BLACK).any(), "a dark edge beside each"


@BOTH
def test_strokes_for_luma_are_broader_than_those_for_rgb(how):
    shares = []
    for bit in (1, 4, 5):
        image = np.full((36, 36), GREY, np.uint32)
        how(kernels.hatch)(image, np.full((36, 36), bit, np.uint8), LUMA, RGB, HIGH, LOW)
        shares.append(float((image == WHITE).mean()))
    assert shares[0] == shares[2] > shares[1] > 0


@BOTH
def test_zones_follow_their_edges(how):
    image = np.empty((1, 4), np.uint32)
    inks = np.array([[1, 11], [2, 22], [3, 33]], np.uint32)
    levels = np.array([[-0.2, 0.1, 0.5, 2]], np.float32)
    how(kernels.paint_zones)(levels, np.array([0.1, 0.5], np.float32), inks, np.zeros(3, np.uint8), image)
    assert image.tolist() == [[1, 2, 3, 3]]


@BOTH
@pytest.mark.parametrize("transfer", ["pq", "hlg"])
def test_hdr_is_brought_to_the_light_of_the_screen(how, transfer):
    source = replace(signal(9, 6, sampling="444", matrix=Matrix.BT2020), transfer=transfer, primaries="bt2020")
    rng = np.random.default_rng(2)
    rgb = rng.uniform(0, 1, (6, 9, 3))
    coded = np.moveaxis(rgb_to_ycbcr(rgb, Matrix.BT2020), -1, 0).astype(np.float32)
    gains = ChromaGains.of(Matrix.BT2020)
    four = tuple(np.float32(v) for v in (gains.red_cr, gains.green_cb, gains.green_cr, gains.blue_cb))
    image = np.empty((6, 9), np.uint32)
    how(kernels.paint_hdr)(*coded, four, *tables(source), image)
    light = to_light(rgb, transfer)
    if transfer == "hlg":
        light = light * 1000 / 203 * (light @ rgb_to_xyz("bt2020")[1])[..., None] ** 0.2
    screen = np.maximum(light @ gamut_matrix(source, "bt709").T, 0)
    most = screen.max(axis=-1, keepdims=True)
    expected = 255 * np.minimum(screen * (1 + most / (1000 / 203) ** 2) / (1 + most), 1) ** (1 / 2.4)
    seen = image.view(np.uint8).reshape(6, 9, 4)
    assert np.abs(seen[..., 2::-1] - expected).max() <= 1.5 and (seen[..., 3] == 255).all()


@pytest.mark.parametrize(("transfer", "white", "peak"), [("pq", 0.5806, 0.7518), ("hlg", 0.75, 1.0)])
def test_reference_white_leaves_room_for_what_is_brighter(transfer, white, peak):
    source = replace(signal(16, 8, matrix=Matrix.BT2020), transfer=transfer, primaries="bt2020")
    shown = []
    for grey in (white, peak):
        planes = to_planes(np.full((8, 16, 3), grey), source)
        view = View(source, Region.whole(source), Limits((-1, 109), (-5, 109)), FrameTreatment((), source), (16, 8))
        picture = screen_picture(planes, view)
        assert picture.mapped and not screen_picture(planes, replace(view, zones=True)).mapped
        assert len(np.unique(picture.image)) == 1
        shown.append(int(picture.image[0, 0] & 0xFF))
        sdr = replace(source, transfer="bt709")
        assert not screen_picture(planes, replace(view, source=sdr)).mapped
    assert 190 <= shown[0] <= 198 and shown[1] >= 254
