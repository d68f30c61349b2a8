"""What is told beside the picture: captions, timecode and active format, in tracks and on the frames, from whole files."""

import struct
from fractions import Fraction
from itertools import pairwise

import av
import numpy as np
import pytest

from bluffline.errors import RulesError
from bluffline.media import riders
from bluffline.media.captions import says_something, triplets_say
from bluffline.media.probe import probe
from bluffline.media.timecode import Timecode
from bluffline.rules.rulefile import parse_rules
from bluffline.session.kept_surveys import SurveyStore
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import blocks, make_clip

LEVELS = "[limits]\nluma = [-1.0, 103.0]\nrgb = [-5.0, 105.0]\n"
SAYING, FILLED = bytes([0xFC, 0x94, 0x2C]), bytes([0xFC, 0x80, 0x80, 0xF9, 0, 0])


def found(path, text, ids=("captions", "timecode", "afd")):
    survey = run_survey(start_survey(probe(path), parse_rules(LEVELS + text, "own")), Monitor())
    return [(each.reason, each.first_frame, each.last_frame) for each in survey.findings() if each.rule in ids]


def with_captions(path, target, *tracks):
    """A file with tracks of captions: their languages, and from when to when each says something."""
    empty = target.with_suffix(".srt")
    empty.write_text("1\n00:00:01,000 --> 00:00:02,000\nA vase.\n")
    with av.open(str(path)) as source, av.open(str(empty)) as words, av.open(str(target), "w") as made:
        picture = made.add_stream_from_template(source.streams.video[0])
        packets = []
        for language, said in tracks:
            stream = made.add_stream_from_template(words.streams.subtitles[0])
            stream.metadata["language"] = language
            for begin, end in said:
                packet = av.Packet(b"A vase.")
                packet.stream, packet.time_base = stream, Fraction(1, 1000)
                packet.pts = packet.dts = round(begin * 1000)
                packet.duration = round((end - begin) * 1000)
                packets.append(packet)
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = picture
                made.mux(packet)
        for packet in packets:
            made.mux(packet)
    return target


@pytest.fixture
def plain(tmp_path):
    return make_clip(tmp_path / "plain.mp4", lambda _: blocks(1, 0.6), 250, codec="libx264", pixel_format="yuv420p")


@pytest.mark.parametrize(("text", "told"), [
    ("", []),
    ('languages = ["eng", "cym"]\nby = 2.0\npause = 4.0', []),
    ('languages = ["gle"]', [("No captions in gle: captions of track 1 (eng), captions of track 2 (cym)", 0, 249)]),
    ("by = 0.5\n", [("Captions of track 1 (eng) begin after 1.0 s: 0.5 s at most", 0, 24),
                    ("Captions of track 2 (cym) begin after 2.0 s: 0.5 s at most", 0, 49)]),
    ('languages = ["eng"]\npause = 2.5', [("Captions of track 1 (eng) pause for 4.0 s: 2.5 s at most", 75, 174)]),
    ('languages = ["eng"]\npause = 1.5', [
        ("Captions of track 1 (eng) pause for 4.0 s: 1.5 s at most", 75, 174),
        ("Captions of track 1 (eng) end, and 2.0 s are without: 1.5 s at most", 200, 249),
    ]),
])  # fmt: skip
def test_captions_are_there_where_they_have_to_be(plain, tmp_path, text, told):
    path = with_captions(plain, tmp_path / "said.mkv", ("eng", [(1, 2), (2.2, 3), (7, 8)]), ("cym", [(2, 8)]))
    assert found(path, f"[captions]\n{text}") == told


def test_a_language_may_be_named_in_two_ways(plain, tmp_path):
    path = with_captions(plain, tmp_path / "en.mkv", ("en", [(1, 2)]))
    assert not found(path, '[captions]\nlanguages = ["eng/en"]')
    assert found(path, '[captions]\nlanguages = ["eng/en"]\npause = 5.0'), "and is held to the pauses"
    with pytest.raises(RulesError, match="two or three letters"):
        parse_rules(LEVELS + '[captions]\nlanguages = ["english"]', "own")


@pytest.mark.parametrize(("tracks", "words"), [
    ([], "There are no captions: no track of them, and none on frames"),
    ([("eng", [])], "There are no captions: captions of track 1 (eng) say nothing"),
])  # fmt: skip
def test_no_captions_are_no_pass(plain, tmp_path, tracks, words):
    assert found(with_captions(plain, tmp_path / "none.mkv", *tracks), "[captions]") == [(words, 0, 249)]
    assert not found(plain, "", ("captions",)), "nobody asks for them"


def riding(path, encoder, on_frames, frames=60):
    """A file on whose frames something rides."""

    def muxed(packets):
        for packet in packets:
            container.mux(riders.with_riders(packet, on_frames(round(packet.pts * packet.time_base * 25)), encoder))

    with av.open(str(path), "w") as container:
        stream = container.add_stream(encoder, rate=25, options={"g": "12", "bf": "0", "x264-params": "log-level=-1"})
        stream.width, stream.height, stream.pix_fmt = 256, 144, "yuv420p"
        for number in range(frames):
            frame = av.VideoFrame.from_ndarray(
                (blocks(1, 0.6).repeat(2, 0).repeat(2, 1) * 255).astype(np.uint8), format="rgb24"
            )
            frame = frame.reformat(format="yuv420p")
            frame.pts = number
            muxed(stream.encode(frame))
        muxed(stream.encode(None))
    return path


@pytest.mark.parametrize(("encoder", "name"), [("libx264", "c.mp4"), ("mpeg2video", "c.ts")])
def test_captions_on_frames_count_where_they_say_something(tmp_path, encoder, name):
    path = riding(tmp_path / name, encoder, lambda n: {"A53_CC": SAYING if 10 <= n < 20 else FILLED})
    assert found(path, "[captions]") == [] == found(path, "[captions]\nby = 0.4")
    assert found(path, "[captions]\npause = 1.0") == [
        ("Captions on frames end, and 1.6 s are without: 1 s at most", 20, 59)
    ]  # fmt: skip
    silent = riding(tmp_path / f"silent_{name}", encoder, lambda _: {"A53_CC": FILLED})
    assert [words for words, *_ in found(silent, "[captions]")] == [
        "There are no captions: no track of them, and none on frames"
    ]  # fmt: skip


def test_what_says_nothing_is_told_from_what_does():
    assert triplets_say(FILLED + SAYING + bytes([0xF8, 0x94, 0x2C]) + bytes([0xFE, 0, 1])) == 2
    assert not says_something(b"\x00\x00", "mov_text") and says_something(b"\x00\x01A", "mov_text")
    assert (
        says_something(SAYING, "eia_608")
        and not says_something(FILLED, "eia_608")
        and not says_something(b"\x80\x80", "eia_608")
    )
    assert says_something(b"A", "subrip") and not says_something(b" \n", "subrip")


@pytest.mark.parametrize(("code", "told"), [
    (8, []), (10, []), (0, []),
    (9, [("AFD 9 says a picture of 1.33 to 1: it is 1.78 to 1", 0, 59)]),
    (11, [("AFD 11 says a picture of 1.56 to 1: it is 1.78 to 1", 0, 59)]),
])  # fmt: skip
def test_the_active_format_is_held_against_the_picture(tmp_path, code, told):
    path = riding(tmp_path / "a.ts", "mpeg2video", lambda _: {"AFD": bytes([code])})
    assert found(path, "[afd]") == told


def test_an_active_format_that_is_missing_or_changes_is_told_where_it_does(tmp_path):
    path = riding(
        tmp_path / "a.ts",
        "mpeg2video",
        lambda n: {} if n < 12 else {"AFD": bytes([10 if n < 36 else 8])} if n % 12 == 0 else {},
    )
    assert found(path, "[afd]\ncode = 10") == [
        ("AFD is missing: 10 is asked for", 0, 11), ("AFD says 8: 10 is asked for", 36, 59),
    ]  # fmt: skip
    assert not found(path, "[afd]")


# Timecode ----------------------------------------------------------------------------------------------------------------


def with_two_counts(path, target, at, counts):
    """A MOV file whose timecode track counts anew at a frame; its index lies at its end."""
    data = bytearray(path.read_bytes())
    places = len(data) + 8
    free = struct.pack(">I4s", 16, b"free") + struct.pack(">2I", *counts)
    place = data.rindex(b"tmcd", 0, data.rindex(b"stts"))
    box = data.index(b"stts", place) - 4
    length = struct.unpack_from(">I", data, box + 20)[0]
    first = length * at // 60
    changes = {
        b"stts": struct.pack(">6I", 0, 2, 1, first, 1, length - first),
        b"stsz": struct.pack(">3I", 0, 4, 2),
        b"stco": struct.pack(">4I", 0, 2, 0, 0),
    }
    for kind, body in changes.items():
        box = data.index(kind, place) - 4
        old = struct.unpack_from(">I", data, box)[0]
        data[box : box + old] = struct.pack(">I4s", len(body) + 8, kind) + body
        for outer in (b"stbl", b"minf", b"mdia", b"trak", b"moov"):
            at_ = data.rindex(outer, 0, box) - 4
            struct.pack_into(">I", data, at_, struct.unpack_from(">I", data, at_)[0] + len(body) + 8 - old)
    places += len(data) - len(path.read_bytes())
    struct.pack_into(">2I", data, data.index(b"stco", place) + 12, places, places + 4)
    target.write_bytes(data + free)
    return target


def test_a_timecode_track_that_counts_anew_is_told_at_the_frame(tmp_path):
    made = make_clip(tmp_path / "a.mov", lambda _: blocks(1, 0.6), 60, codec="prores_ks", timecode="10:00:00:00")
    ten = 36_000 * 25
    assert not found(made, "[timecode]")
    goes_on = with_two_counts(made, tmp_path / "on.mov", 20, (ten, ten + 20))
    assert probe(goes_on).tracks[0].counts == ((0, ten), (20, ten + 20)) and not found(goes_on, "[timecode]")
    jumps = with_two_counts(made, tmp_path / "off.mov", 20, (ten, ten + 45))
    told = [("Timecode of track 1 goes from 10:00:00:00 to 10:00:01:20 in 20 frames", 20, 20)]
    assert found(jumps, "[timecode]") == told
    store = SurveyStore(tmp_path / "kept")
    walk = store.walk("a", (None, None), Monitor())
    assert probe(jumps, walk=walk).tracks == probe(jumps, walk=walk).tracks == probe(jumps).tracks


def time_code(label):
    """A unit of supplemental enhancement information of H.265 that holds a label [H265 D.2.27]."""
    hours, minutes, seconds, frames = (int(each) for each in label.replace(";", ":").split(":"))
    drop = ";" in label
    bits = f"0110{4 * drop:05b}10{drop:01b}{frames:09b}{seconds:06b}{minutes:06b}{hours:05b}000001"
    payload = int(bits.ljust(-(-len(bits) // 8) * 8, "0"), 2).to_bytes(-(-len(bits) // 8))
    unit = bytes([0x4E, 1, 136, len(payload)]) + payload + b"\x80"
    for place in range(len(unit) - 2, 1, -1):  # no start code inside
        if unit[place - 2 : place] == b"\0\0" and unit[place] < 4:
            unit = unit[:place] + b"\x03" + unit[place:]
    return b"\0\0\0\1" + unit


def labelled(path, label, frames=60, rate=25):
    """H.265 on each of whose frames a timecode rides."""
    with av.open(str(path), "w") as container:
        options = {"x265-params": "log-level=none:bframes=0:keyint=12", "preset": "ultrafast"}
        stream = container.add_stream("libx265", rate=rate, options=options)
        stream.width, stream.height, stream.pix_fmt = 128, 72, "yuv420p"
        for number in [*range(frames), None]:
            frame = None
            if number is not None:
                frame = av.VideoFrame.from_ndarray((blocks(1, 0.6) * 255).astype(np.uint8), format="rgb24")
                frame = frame.reformat(format="yuv420p")
                frame.pts = number
            for packet in stream.encode(frame):
                data = bytes(packet)
                place = data.find(b"\0\0\1\x26") if b"\0\0\1\x26" in data else data.find(b"\0\0\1\x28")
                place = place if place >= 0 else 1
                told = label(round(packet.pts * packet.time_base * rate))
                unit = b"" if told is None else time_code(told)
                made = av.Packet(data[: place - 1] + unit + data[place - 1 :])
                made.pts, made.dts, made.time_base, made.stream = packet.pts, packet.dts, packet.time_base, packet.stream
                made.duration, made.is_keyframe = packet.duration, packet.is_keyframe
                container.mux(made)
    return path


def test_timecode_on_frames_that_breaks_is_told(tmp_path):
    clock = Timecode.parse("10:00:00:00", Fraction(25))
    cut = labelled(tmp_path / "a.ts", lambda n: clock.label(n + 750 * (n >= 24)))
    assert found(cut, "[timecode]") == [
        ("Timecode on frames goes from 10:00:00:23 to 10:00:30:24 from one frame to the next", 24, 24)
    ]
    assert not found(labelled(tmp_path / "b.ts", clock.label), "[timecode]")
    rate = Fraction(30_000, 1001)
    dropping, night = Timecode.parse("10:00:59;20", rate), Timecode.parse("23:59:59:12", Fraction(25))
    assert not found(labelled(tmp_path / "d.ts", dropping.label, rate=rate), "[timecode]"), "labels that drop-frame skips"
    assert not found(labelled(tmp_path / "n.ts", night.label), "[timecode]"), "midnight"
    assert not found(labelled(tmp_path / "s.ts", lambda _: "00:00:00:00"), "[timecode]"), "zeros are no timecode"
    stuck = found(labelled(tmp_path / "k.ts", lambda _: "10:00:00:00"), "[timecode]")
    assert len(stuck) == 3 and stuck[0][0].endswith("from 10:00:00:00 to 10:00:00:00 from one frame to the next")
    ends = found(labelled(tmp_path / "e.ts", lambda n: clock.label(n) if n < 40 else None), "[timecode]")
    assert ends == [("Timecode on frames is told no more from here on", 40, 59)]
    many = found(labelled(tmp_path / "m.ts", lambda n: clock.label(n % 10)), "[timecode]")
    assert len(many) == 3 and many[-1][0].endswith("(and 2 more times)")


@pytest.mark.parametrize(("name", "text", "told"), [
    ("slot_10-00-00-00", "name = true", []),
    ("slot10000000", "name = true", []),
    ("slot_10-00-30-00", "name = true", [("Its name says 10:00:30:00: it starts at 10:00:00;00", 0, 0)]),
    ("slot_1", "name = true", [("Its name holds no timecode: it starts at 10:00:00;00", 0, 0)]),
    ("slot", 'counting = "drop-frame"', []),
    ("slot", 'counting = "non-drop-frame"', [("Timecode is drop-frame: non-drop-frame is asked for", 0, 5)]),
])  # fmt: skip
def test_timecode_is_held_against_the_name_and_the_counting_asked_for(tmp_path, name, text, told):
    path = make_clip(
        tmp_path / f"{name}.mov", lambda _: blocks(1, 0.6), 6, codec="prores_ks", timecode="10:00:00;00",
        rate=Fraction(30_000, 1001),
    )  # fmt: skip
    assert found(path, f"[timecode]\n{text}") == told


@pytest.mark.parametrize(
    ("rate", "drop"), [(25, False), (Fraction(30_000, 1001), True), (50, False), (Fraction(60_000, 1001), True)]
)
def test_labels_that_ride_on_frames_are_read_as_they_are_defined(rate, drop):
    rate = Fraction(rate)
    clock = Timecode.parse(f"09:58:59{';' if drop else ':'}00", rate)
    counts = []
    for number in range(200):
        hours, minutes, seconds, frames = (int(each) for each in clock.label(number).replace(";", ":").split(":"))
        bits = drop << 30  # ST 12-1: tens beside units; over 30 frames a second two frames share a number
        if rate > 30:
            bits |= (frames % 2) << (7 if rate == 50 else 23)
            frames //= 2
        for value, place in ((frames, 24), (seconds, 16), (minutes, 8), (hours, 0)):
            bits |= (value // 10) << place + 4 | (value % 10) << place
        captions, count, code = riders.ridden({"S12M_TIMECODE": struct.pack("=4I", 1, bits, 0, 0)}, rate)
        assert (captions, code) == (0, -1)
        counts.append(count)
    assert counts[0] == clock.start and all(after - before == 1 for before, after in pairwise(counts))
    assert riders.ridden({"OTHER": b""}, rate) == (-1, -1, -1), "what could not be looked into"
