import numpy as np
import pytest

from bluffline.signal.convert import convert, upsample_columns
from bluffline.signal.format import Model
from bluffline.signal.levels import Range
from bluffline.signal.siting import ColumnTaps, RowTaps, SiteShares, Siting
from clips import signal, to_planes


def test_cosited_columns_keep_even_pixels_and_average_odd_ones():
    source = signal(8, 2)
    wide = upsample_columns(np.array([[10, 20, 40, 40]], np.uint16), source)
    assert wide.tolist() == [[10, 15, 20, 30, 40, 40, 40, 40]]


@pytest.mark.parametrize("siting", list(Siting))
@pytest.mark.parametrize("interlaced", [False, True])
def test_row_taps_reproduce_a_straight_ramp(siting, interlaced):
    """Chroma that rises evenly down the picture is the same straight line again at the luma rows, by its siting."""
    height = 32
    taps = RowTaps.of(height, True, siting, interlaced)
    offset = {"top": 0.0, "bottom": 1.0}.get(siting.split("-")[0], 0.5)
    rows = np.arange(height // 2)
    if interlaced:
        field, inside = rows % 2, rows // 2
        shift = np.where(field == 0, offset / 2, offset * 1.5) if offset == 0.5 else offset
        place = 2 * (2 * inside + shift) + field  # in frame lines
    else:
        place = 2 * rows + offset
    ramp = place.astype(float)
    again = ramp[taps.first] * (1 - taps.weight) + ramp[taps.second] * taps.weight
    assert np.allclose(again[4:-4], np.arange(height)[4:-4])
    if interlaced:
        assert (taps.first % 2 == np.arange(height) % 2).all(), "fields never mix"


@pytest.mark.parametrize("siting", list(Siting))
@pytest.mark.parametrize("interlaced", [False, True])
def test_no_row_reads_or_feeds_a_site_that_is_not_there_and_shares_add_up(siting, interlaced):
    """Of 486 lines in fields one field has a chroma row less than half of its lines round up to."""
    for height in (*range(1, 27), 486, 487):
        there = (height + 1) // 2
        taps, shares = RowTaps.of(height, True, siting, interlaced), SiteShares.of(height, True, siting, interlaced)
        for sites in (taps.first, taps.second, shares.sites[shares.rows > 0]):
            assert sites.min() >= 0 and sites.max() < there, height
        sums = np.bincount(shares.sites.ravel(), shares.rows.ravel(), there)
        assert np.allclose(sums, 1), height


def test_centre_siting_weighs_three_to_one():
    assert ColumnTaps.of(Siting.CENTRE) == ColumnTaps(0.25, 0.75, 0.75, 0.25)


def test_same_samples_are_the_very_planes():
    source = signal()
    planes = to_planes(np.full((48, 64, 3), 0.3), source)
    assert convert(planes, source, source) is planes


@pytest.mark.parametrize(
    ("before", "after"), [((8, "420"), (10, "422")), ((12, "444"), (10, "422")), ((10, "422"), (8, "420"))]
)
def test_depth_and_sampling_change_keeps_flat_colour(before, after):
    source, target = signal(depth=before[0], sampling=before[1]), signal(depth=after[0], sampling=after[1])
    colour = np.broadcast_to([0.5, 0.3, 0.2], (48, 64, 3))
    for made, wanted in zip(convert(to_planes(colour, source), source, target), to_planes(colour, target), strict=True):
        assert made.shape == wanted.shape and made.dtype == wanted.dtype
        assert np.abs(made.astype(int) - wanted).max() <= max(1, 2 ** (target.bit_depth - source.bit_depth))


def test_going_up_in_depth_loses_nothing():
    source, target = signal(depth=8), signal(depth=10)
    luma = np.arange(256, dtype=np.uint8).reshape(4, 64).repeat(12, 0)
    chroma = np.full((48, 32), 90, np.uint8)
    assert (convert((luma, chroma, chroma), source, target)[0] == luma.astype(int) * 4).all()


def test_rgb_becomes_ycbcr_by_the_files_matrix():
    source = signal(depth=10, sampling="444", model=Model.RGB)
    target = signal(depth=10, sampling="422")
    rgb = np.broadcast_to([0.75, 0.75, 0.0], (48, 64, 3))
    luma, cb, cr = convert(to_planes(rgb, source), source, target)
    assert (luma[0, 0], cb[0, 0], cr[0, 0]) == (674, 176, 543)
    assert signal(signal_range=Range.FULL).sampling == "4:2:2"


def test_dither_keeps_the_mean_of_slopes_and_every_code_that_there_is():
    deep, few = signal(256, 128, depth=12, sampling="444"), signal(256, 128, depth=8, sampling="444")
    slope = np.linspace(1600, 1616, 256)[None].repeat(128, axis=0).astype(np.uint16)
    flat = np.full((128, 256), 2048, np.uint16)
    luma, cb, _ = convert((slope, flat, flat), deep, few, dither=True)
    assert (cb == 128).all(), "a code that there is stays"
    blocks = luma.reshape(4, 32, 8, 32).mean(axis=(1, 3))
    wanted = (slope / 16).reshape(4, 32, 8, 32).mean(axis=(1, 3))
    assert np.abs(blocks - wanted).max() < 0.03 and np.abs(luma - slope / 16).max() < 1
    plain = convert((slope, flat, flat), deep, few)[0]
    assert np.abs(plain.reshape(4, 32, 8, 32).mean(axis=(1, 3)) - wanted).max() > 0.2, "without it there is a band"
    up = convert((luma, cb, cb), few, deep, dither=True)
    assert np.array_equal(up[0], luma.astype(np.uint16) * 16), "nothing is spread on the way up"
