"""Frames that are lost on the way are told whatever their share; rates that vary are not taken for losses."""

from fractions import Fraction

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.media.gaps import lost_times
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.media.timecode import Timecode
from bluffline.rules.rulefile import load_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import make_clip, numbered, read_number

FRAMES = 48


def dropped(source, target, drop):
    """A file again without the packets of some frames, by their place in it."""
    with av.open(str(source)) as one, av.open(str(target), "w") as other:
        stream = one.streams.video[0]
        copy = other.add_stream_from_template(stream, opaque=None)
        packets = (packet for packet in one.demux(stream) if packet.dts is not None)
        for number, packet in enumerate(packets):
            if number not in drop:
                packet.stream = copy
                other.mux(packet)
    return target


def seen(path):
    """Which frames are there, by the numbers drawn in them, each at its own place; None for those that are not."""
    programme = probe(path)
    levels, source = programme.format.levels, programme.format
    with Reader(programme) as reader:
        return programme, [
            None if frame.planes is None else read_number(frame.planes[0], source.width, source.height, levels.code(50))
            for frame in reader.frames()
        ]


INTRA = {"g": "1", "level": "3"}
CARRIERS = [
    ("a.ts", "mpeg2video", "yuv420p", {"g": "1"}), ("a.mkv", "ffv1", "yuv420p", INTRA), ("a.nut", "ffv1", "yuv420p", INTRA),
    ("a.mov", "prores_ks", "yuv422p10le", {}),
    ("a.mp4", "libx264", "yuv420p", {"g": "1", "bf": "0", "x264-params": "log-level=-1"}),
]  # fmt: skip
LOSSES = {
    "every third": set(range(2, FRAMES - 1, 3)), "every sixth": set(range(5, FRAMES - 1, 6)), "two in a row": {20, 21},
    "here and there": {3, 4, 11, 30, 31, 32, 45},
}  # fmt: skip


@pytest.mark.parametrize("rate", [Fraction(25), Fraction(30000, 1001)], ids=str)
@pytest.mark.parametrize("carrier", CARRIERS, ids=lambda carrier: carrier[0])
@pytest.mark.parametrize("loss", LOSSES)
def test_lost_frames_are_missing_by_their_numbers_and_the_others_keep_theirs(tmp_path, carrier, loss, rate):
    name, codec, pixels, options = carrier
    whole = make_clip(tmp_path / name, numbered, FRAMES, codec=codec, pixel_format=pixels, options=options, rate=rate)
    programme, found = seen(dropped(whole, tmp_path / f"cut-{name}", LOSSES[loss]))
    assert found == [None if number in LOSSES[loss] else number for number in range(FRAMES)]
    assert programme.frame_rate == rate and not programme.index.variable
    survey = run_survey(start_survey(programme, load_rules("r103")), Monitor())
    told = [finding for finding in survey.findings() if finding.rule == "missing"]
    assert sum(finding.frames for finding in told) == len(LOSSES[loss])
    assert not [finding for finding in survey.findings() if finding.rule == "unreadable"]


@given(
    st.integers(0, 10**12), st.lists(st.booleans(), min_size=60, max_size=200).filter(lambda kept: sum(kept) > 40),
    st.sampled_from([Fraction(1, 25), Fraction(1001, 30000), Fraction(1001, 60000), Fraction(1, 24)]),
    st.sampled_from([1000, 90000, 12800]),
)  # fmt: skip
def test_whatever_was_dropped_is_put_back_on_the_grid(start, kept, step, clock):
    kept[0] = kept[-1] = True
    times = np.array([start + round(n * step * clock) for n in range(len(kept))], np.int64)
    there = times[np.array(kept)]
    runs = "".join("x" if each else "." for each in kept).split("x")
    if max(map(len, runs)) > 5 or sum(kept[n] and kept[n + 1] for n in range(len(kept) - 1)) < 0.1 * len(kept):
        return
    made = np.sort(np.concatenate([there, lost_times(there)]))
    assert len(made) == len(times) and np.abs(made - times).max() <= 1


@pytest.mark.parametrize(
    "steps",
    [
        [2, 3] * 40, [3, 2, 2, 3] * 20, [40] * 20 + [80] * 20 + [40] * 20, [1001] * 60,
        list(np.random.default_rng(1).integers(20, 60, 80)), [33, 34, 33] * 30,
    ],
    ids=["2:3", "2:3:3:2", "half the rate for a while", "constant", "any", "a coarse clock"],
)  # fmt: skip
def test_a_rate_that_varies_is_no_loss(steps):
    assert len(lost_times(np.concatenate([[7], 7 + np.cumsum(steps)]))) == 0


def test_frames_of_one_time_are_both_read_as_bare_ffmpeg_reads_them(tmp_path):
    made = make_clip(tmp_path / "d.nut", numbered, 12, codec="ffv1", pixel_format="yuv420p", options=INTRA)
    with av.open(str(made)) as one, av.open(str(tmp_path / "twice.mkv"), "w") as other:
        copy = other.add_stream_from_template(one.streams.video[0], opaque=None)
        for packet in one.demux(video=0):
            if packet.dts is not None:
                number = round(packet.pts * packet.time_base * 25)
                packet.time_base = Fraction(1, 1000)
                packet.pts = packet.dts = 40 * (number - (number > 5))
                packet.duration = 40
                packet.stream = copy
                other.mux(packet)
    with av.open(str(tmp_path / "twice.mkv")) as container:
        bare = len(list(container.decode(video=0)))
    _, found = seen(tmp_path / "twice.mkv")
    assert bare == 12 and found == list(range(12))


@pytest.mark.parametrize("offset", ["95440", "-1.0", "3600"])
def test_a_clock_that_wraps_or_starts_anywhere(tmp_path, offset):
    """A transport stream's clock wraps after 95443.7 s."""
    coded = {"codec": "mpeg2video", "pixel_format": "yuv420p", "options": {"g": "5", "bf": "0"}}
    whole = make_clip(tmp_path / "w.mov", numbered, 200, **coded)
    target = tmp_path / "w.ts"
    with av.open(str(whole)) as one, av.open(str(target), "w", options={"output_ts_offset": offset}) as other:
        copy = other.add_stream_from_template(one.streams.video[0], opaque=None)
        for packet in one.demux(video=0):
            if packet.dts is not None:
                packet.stream = copy
                other.mux(packet)
    with av.open(str(target)) as container:
        bare = len(list(container.decode(video=0)))
    programme, found = seen(target)
    assert bare == len(found) == 200 and found == list(range(200)) and programme.frame_rate == 25
    with Reader(programme) as reader:
        assert [reader.frame(number).planes is not None for number in (150, 3, 120, 199)] == [True] * 4


@pytest.mark.parametrize("name", ["r.h264", "r.265", "r.m2v"])
def test_raw_streams_are_read_as_bare_ffmpeg_reads_them(tmp_path, name):
    codec = {"r.h264": "libx264", "r.265": "libx265", "r.m2v": "mpeg2video"}[name]
    quiet = {"libx264": {"x264-params": "log-level=-1"}, "libx265": {"x265-params": "log-level=-1"}}
    options = quiet.get(codec, {}) | {"bf": "2"}
    made = make_clip(tmp_path / name, numbered, 24, codec=codec, pixel_format="yuv420p", options=options)
    with av.open(str(made)) as container:
        bare = len(list(container.decode(video=0)))
    programme, found = seen(made)
    assert bare == len(found) == 24 and found == list(range(24)) and programme.frame_rate == 25
    with Reader(programme) as reader:
        assert all(reader.frame(number).planes is not None for number in (20, 2, 11))


def test_59_94_in_matroska_is_59_94_and_drops_labels_as_it_should(tmp_path):
    rate = Fraction(60000, 1001)
    made = make_clip(tmp_path / "n.mkv", numbered, 130, codec="ffv1", pixel_format="yuv420p", rate=rate, timecode="00:59:58;00")
    programme = probe(made)
    assert programme.frame_rate == rate and programme.timecode.drop
    assert programme.label(120) == "01:00:00;00"


def test_soft_pulldown_has_the_rate_of_its_frames(tmp_path):
    """Each frame is told to last two or three fields of 59.94."""
    path = tmp_path / "p.mkv"
    coded = {"codec": "mpeg2video", "pixel_format": "yuv420p", "options": {"bf": "0"}}
    whole = make_clip(tmp_path / "p.mov", numbered, 60, rate=Fraction(24000, 1001), **coded)
    with av.open(str(whole)) as one, av.open(str(path), "w") as other:
        copy = other.add_stream_from_template(one.streams.video[0], opaque=None)
        for number, packet in enumerate(packet for packet in one.demux(video=0) if packet.dts is not None):
            packet.time_base = Fraction(1, 60000)
            packet.pts = packet.dts = 1001 * (5 * (number // 2) + (0, 2)[number % 2])
            packet.stream = copy
            other.mux(packet)
    programme, found = seen(path)
    assert programme.frame_rate == Fraction(24000, 1001) and found == list(range(60))


@pytest.mark.parametrize("rate", [Fraction(30000, 1001), Fraction(2997, 100)], ids=str)
def test_drop_frame_is_counted_at_29_97_however_its_fraction_is_written(rate):
    code = Timecode.parse("00:00:59;28", rate)
    assert code.drop and [code.label(n) for n in (1, 2)] == ["00:00:59;29", "00:01:00;02"]
    assert not Timecode.parse("00:01:00;00", rate).told, "a label that does not exist is none"
    assert Timecode.parse("00:10:00;00", rate).told and not Timecode.parse("00:00:59;28", Fraction(30)).drop
