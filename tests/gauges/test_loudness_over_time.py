"""Loudness over time: what is heard stands where its frame and its level are; silence is told from what was not measured."""

import csv
import io

import numpy as np
import pytest

from bluffline.gauges.each.loudness_over_time import LoudnessOverTime
from bluffline.gauges.export import counts_csv
from bluffline.gauges.instrument import Heard, Moment, Seen
from bluffline.gauges.painting import UNKNOWN, Painting, ground
from bluffline.gauges.scale import Unit
from bluffline.measure.areas import Selection
from bluffline.measure.counted import Limits
from bluffline.measure.frame_signal import FrameSignal
from bluffline.measure.sound import CHANNELS, SoundMeter
from clips import signal, to_planes
from sounds import RATE, tone

SOURCE = signal()
FRAME = FrameSignal(to_planes(np.full((48, 64, 3), 0.5), SOURCE), SOURCE)
TALL, WIDE = 300, 502
ASKED = {"loudness": -23.0, "true peak": -1.0}


def heard(*parts, begins=0.0):
    """What is heard in 8 s of frames: tones of some levels, one after the other."""
    tones = [np.zeros(int(seconds * RATE)) if level is None else tone(level, seconds) for level, seconds in parts]
    samples = np.concatenate(tones)
    meter = SoundMeter((1,), CHANNELS[2], RATE, begins)
    meter.add(np.stack([samples, samples], 1).astype(np.float32))
    return meter.end().by_frame(25.0, 200)


def drawn(columns, frame=100):
    gauge = LoudnessOverTime("10")
    moment = Moment(frame, 25.0, 0, {}, Heard(columns, ASKED) if columns is not None else None)
    trace, image = gauge.count(FRAME, Selection.whole(SOURCE), WIDE, moment), ground((WIDE, TALL))
    gauge.paint(trace, image, Painting(SOURCE, Limits((-1.0, 103.0), (-5.0, 105.0))))
    return gauge, trace, image & 0xFF


def row_of(level):
    return round((1 - LoudnessOverTime("10").span.place(level)) * (TALL - 1))


def test_what_is_heard_is_known_up_to_the_end_of_each_frame():
    columns = heard((-23, 8))
    assert np.isnan(columns["short_term"][:74]).all() and np.allclose(columns["short_term"][75:], -23, atol=0.1)
    assert np.isnan(columns["momentary"][:9]).all() and np.allclose(columns["momentary"][10:], -23, atol=0.1)
    assert np.allclose(columns["peak"][5:], -23, atol=0.1)
    late = heard((-23, 4), begins=2.0)
    assert np.isnan(late["peak"][:50]).all() and np.isfinite(late["peak"][55:149]).all() and np.isnan(late["peak"][152:]).all()


def test_lines_stand_at_their_levels_and_what_is_asked_is_dashed():
    _, trace, grey = drawn(heard((-23, 8)))
    column = trace.wide and WIDE * 3 // 4
    assert grey[row_of(-23), column] > 200 and grey[row_of(-50), column] > 60 > grey[row_of(-15), column]
    dashes = grey[row_of(-1)] > 100
    assert 0.3 < dashes.mean() < 0.7


def test_silence_is_not_what_was_never_measured():
    _, _, grey = drawn(heard((-23, 2), (None, 6)))
    unknown, silent = UNKNOWN & 0xFF, grey[row_of(-30), WIDE // 2]
    assert silent != unknown
    _, _, nothing = drawn(None)
    assert (nothing[row_of(-30)] == unknown).all()
    seen = Seen(Unit.PERCENT, "source", proxy=False, roomy=True, luma=50.0)
    assert LoudnessOverTime("10").facts(seen) == "no sound measured"


def test_a_click_goes_to_the_frame_and_the_table_has_a_row_for_each():
    gauge, trace, _ = drawn(heard((-20, 8)))
    assert gauge.frame_at(trace, (0.5, 0.2)) == 100
    rows = list(csv.reader(io.StringIO(counts_csv(trace))))
    assert rows[0] == ["frame", "momentary LUFS", "short-term LUFS", "true peak dBTP"]
    by_frame = {row[0]: row[1:] for row in rows[1:]}
    assert by_frame["20"][1] == "" and float(by_frame["150"][1]) == pytest.approx(-20, abs=0.1)
