import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.signal.levels import Levels, Range
from bluffline.signal.matrix import ChromaGains, Matrix, rgb_to_ycbcr, ycbcr_to_rgb

# 75 % bars in BT.709, 10-bit narrow range: Y, Cb, Cr.
BARS = {
    (1, 1, 1): (721, 512, 512), (1, 1, 0): (674, 176, 543), (0, 1, 1): (581, 589, 176), (0, 1, 0): (534, 253, 207),
    (1, 0, 1): (251, 771, 817), (1, 0, 0): (204, 435, 848), (0, 0, 1): (111, 848, 481),
}  # fmt: skip
ROUND_TRIP = 1e-12  # double precision, two 3 × 3 products


@pytest.mark.parametrize(("rgb", "codes"), BARS.items())
def test_bars_land_on_their_published_codes(rgb, codes):
    levels = Levels.of(10, Range.NARROW)
    luma, cb, cr = rgb_to_ycbcr(np.array(rgb) * 0.75, Matrix.BT709)
    assert (
        round(levels.code(luma * 100)),
        round(levels.zero + cb * levels.span),
        round(levels.zero + cr * levels.span),
    ) == codes


@pytest.mark.parametrize(
    ("depth", "kind", "expected"),
    [(8, Range.NARROW, (16, 235, 128, 224)), (10, Range.NARROW, (64, 940, 512, 896)),
     (12, Range.NARROW, (256, 3760, 2048, 3584)),
     (8, Range.FULL, (0, 255, 128, 255)), (10, Range.FULL, (0, 1023, 512, 1023))],
)  # fmt: skip
def test_levels_of_the_standards(depth, kind, expected):
    levels = Levels.of(depth, kind)
    assert (levels.black, levels.white, levels.zero, levels.span) == expected
    assert levels.percent(levels.white) == 100 and levels.code(0) == levels.black


def test_depth_outside_the_standards_is_refused():
    with pytest.raises(ValueError, match="bit depth 7"):
        Levels.of(7, Range.NARROW)


components = st.lists(st.floats(-0.5, 1.5), min_size=3, max_size=3)


@given(components, st.sampled_from(list(Matrix)))
def test_matrix_round_trip_is_exact_and_unclamped(rgb, matrix):
    again = ycbcr_to_rgb(rgb_to_ycbcr(np.array(rgb), matrix), matrix)
    assert np.allclose(again, rgb, atol=ROUND_TRIP)


@pytest.mark.parametrize("matrix", list(Matrix))
def test_grey_has_no_chroma_and_gains_agree_with_the_matrix(matrix):
    assert np.allclose(rgb_to_ycbcr(np.full(3, 0.4), matrix), [0.4, 0, 0], atol=ROUND_TRIP)
    gains = ChromaGains.of(matrix)
    red = ycbcr_to_rgb(np.array([0.5, 0.1, 0.2]), matrix)
    assert np.allclose(
        red, [0.5 + gains.red_cr * 0.2, 0.5 + gains.green_cb * 0.1 + gains.green_cr * 0.2, 0.5 + gains.blue_cb * 0.1]
    )
