from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.media.timecode import Timecode

NTSC, NTSC_60 = Fraction(30000, 1001), Fraction(60000, 1001)


@pytest.mark.parametrize(
    ("label", "rate", "frame", "expected"),
    [
        ("10:00:00:00", Fraction(25), 0, "10:00:00:00"),
        ("10:00:00:00", Fraction(25), 236, "10:00:09:11"),
        ("23:59:59:24", Fraction(25), 1, "00:00:00:00"),
        (None, Fraction(24), 49, "00:00:02:01"),
        ("00:00:59;29", NTSC, 1, "00:01:00;02"),  # labels 0 and 1 of minute 1 are dropped
        ("00:09:59;29", NTSC, 1, "00:10:00;00"),  # but not those of a tenth minute
        ("00:00:00;00", NTSC, 107892, "01:00:00;00"),  # an hour by the clock
        ("00:00:59;59", NTSC_60, 1, "00:01:00;04"),
        ("00:00:59:29", NTSC, 1, "00:01:00:00"),  # non-drop at the same rate
        ("nonsense", Fraction(25), 3, "00:00:00:03"),
        ("00:00:61:00", Fraction(25), 0, "00:00:00:00"),
    ],
)
def test_labels(label, rate, frame, expected):
    assert Timecode.parse(label, rate).label(frame) == expected


@given(st.integers(0, 2_000_000), st.sampled_from([NTSC, NTSC_60]))
def test_drop_frame_labels_lead_back_to_their_count(frame, rate):
    start = Timecode.parse("00:00:00;00", rate)
    day = 24 * 6 * (600 * start.base - 9 * (start.base // 15))
    assert Timecode.parse(start.label(frame), rate).start == frame % day
