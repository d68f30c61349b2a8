"""Where graticules put things, against the standards' own figures."""

import math

import numpy as np
import pytest

from bluffline.gauges.catalogue import INSTRUMENTS, gauge_named
from bluffline.gauges.each.chromaticity import CIE_REACH, uniform
from bluffline.gauges.each.vectorscope import CHROMA_REACH
from bluffline.gauges.graticule import Scale, Stroke
from bluffline.gauges.scale import Unit
from bluffline.measure.counted import Limits
from bluffline.signal.colorimetry import D65, PRIMARIES
from bluffline.signal.matrix import Matrix
from clips import signal

LIMITS = Limits((-1.0, 103.0), (-5.0, 105.0))
# Cb and Cr of 75 % bars as shares of the chroma range, from the codes that BT.709 gives at 10 bits.
BARS_709 = {"R": (435, 848), "Mg": (771, 817), "B": (848, 481), "Cy": (589, 176), "G": (253, 207), "Yl": (176, 543)}


def lines_of(kind, stroke, source=None, **kwargs):
    return [line for line in kind.graticule(Scale(source or signal(), LIMITS, **kwargs)).lines if line.stroke is stroke]


@pytest.mark.parametrize("zoom", ["1", "2", "4"])
def test_targets_stand_on_the_codes_of_75_percent_bars(zoom):
    kind = gauge_named("vectorscope", zoom)
    words = {word.text: word for word in kind.graticule(Scale(signal(), LIMITS)).words}
    centres = [np.mean(line.points[:4], axis=0) for line in lines_of(kind, Stroke.TARGET)]
    reach = 2 * CHROMA_REACH / int(zoom)
    for codes in BARS_709.values():
        expected = 0.5 + (codes[0] - 512) / 896 / reach, 0.5 - (codes[1] - 512) / 896 / reach
        assert min(math.dist(centre, expected) for centre in centres) < 0.002 * int(zoom)
    assert set(BARS_709) <= set(words)


def test_targets_follow_the_files_own_matrix():
    one, other = (lines_of(gauge_named("vectorscope"), Stroke.TARGET, signal(matrix=m)) for m in (Matrix.BT601, Matrix.BT709))
    assert all(a.points != b.points for a, b in zip(one, other, strict=True))


def test_the_skin_line_runs_at_123_degrees():
    (line,) = lines_of(gauge_named("vectorscope"), Stroke.GUIDE)
    (x0, y0), (x1, y1) = line.points
    assert math.degrees(math.atan2(y0 - y1, x1 - x0)) == pytest.approx(123)


@pytest.mark.parametrize("luma", [0.0, 20.0, 50.0, 80.0, 100.0])
def test_legal_chroma_shrinks_towards_black_and_white(luma):
    def area(level):
        found = lines_of(gauge_named("vectorscope"), Stroke.RGB_LIMIT, luma=level)
        points = np.array(found[0].points) if found else np.zeros((3, 2))
        x, y = points.T
        return abs(float(x[:-1] @ y[1:] - x[1:] @ y[:-1])) / 2

    assert area(luma) <= area(50.0) + 1e-9
    assert (area(luma) < 0.4 * area(50.0)) == (luma in (0.0, 100.0))


@pytest.mark.parametrize("mode", INSTRUMENTS["chromaticity"].modes)
def test_the_triangle_has_the_programmes_primaries_at_its_corners(mode):
    kind, reach = gauge_named("chromaticity", mode), CIE_REACH[mode]
    (triangle,) = [line for line in lines_of(kind, Stroke.TARGET) if len(line.points) == 4]
    for (x, y), primary in zip(triangle.points, PRIMARIES["bt709"], strict=False):
        expected = uniform(*primary) if mode == "1976" else primary
        assert (x * reach, (1 - y) * reach) == pytest.approx(expected)


def test_white_has_its_published_uniform_chromaticity():
    assert uniform(*D65) == pytest.approx((0.1978, 0.4683), abs=1e-4)


@pytest.mark.parametrize("unit", list(Unit))
def test_a_scale_is_marked_in_whole_numbers_at_rising_places(unit):
    words = [word for word in gauge_named("waveform").graticule(Scale(signal(), LIMITS, unit)).words if word.at[0] < 0]
    numbers = [int(word.text.replace("−", "-")) for word in words]
    assert numbers == sorted(numbers) and numbers[-1] == {"%": 100, "mV": 700, "cd/m²": 100}.get(
        unit, (235 << (unit.depth or 8) - 8)
    )
    places = [word.at[1] for word in words]
    assert places == sorted(places, reverse=True) and all(0 < place < 1 for place in places)


def test_parade_and_histogram_name_their_parts_in_order():
    for kind in (gauge_named("parade", "yrgb"), gauge_named("histogram", "rgb")):
        words = [word.text for word in kind.graticule(Scale(signal(), LIMITS)).words if word.text in kind.components]
        assert words == list(kind.components)


@pytest.mark.parametrize("kind", [gauge_named("waveform"), gauge_named("waveform", "envelope"), gauge_named("parade")], ids=str)
def test_a_span_and_its_inverse(kind):
    span = kind.span
    for level in (span.low, 0.0, 50.0, 100.0, span.high):
        assert span.level(span.place(level)) == pytest.approx(level)
    assert span.place(span.low) == 0 and span.place(span.high) == 1


def test_an_instrument_has_only_its_own_modes():
    with pytest.raises(ValueError, match="a vectorscope has no mode parade; it has 1, 2, 4"):
        gauge_named("vectorscope", "parade")
    with pytest.raises(ValueError, match="there is no gauge orrery; there are waveform, parade"):
        gauge_named("orrery")
