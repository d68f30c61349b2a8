"""Markers for an editor, read back by a library that others wrote; and shots from an editor's list."""

import csv
import io
import re
from dataclasses import replace
from fractions import Fraction

import numpy as np
import opentimelineio as otio
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.media.cut_lists import read_cuts
from bluffline.media.probe import probe
from bluffline.media.timecode import Timecode
from bluffline.report.markers import MARKERS, markers_text, told
from bluffline.rules.finding import Finding, Waiver
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition, TransitionKind
from bluffline.session.work import Cuts

RATES = {"25": "10:00:00:00", "30000/1001": "09:59:59;10", "24000/1001": "01:00:00:00", "60000/1001": "23:59:30;00", "50": ""}
WAIVER = Waiver("", "as filmed", "A. Potter", "2026-11-30T10:00:00+00:00")
COUNT = 4000


def programme_at(programme, rate, label, count=COUNT):
    """The same file as if it were longer, at another rate."""
    rate = Fraction(rate)
    index = replace(programme.index, times=np.arange(count) * 1001, keys=programme.index.keys[:1])
    clock = Timecode.parse(label, rate)
    return replace(programme, frame_rate=rate, time_base=1 / (rate * 1001), index=index, timecode=clock)


def found(shot, first, last, severity=Severity.MUST_FIX, waiver=None):
    reason = "R′G′B′ over 113.5 %, <near> “the kiln” & more"
    return Finding("rgb-high", severity, shot, first, last, first, 113.5, "%", 12.5, reason, waiver=waiver)


@pytest.fixture
def base(over_clip):
    return probe(over_clip)


@pytest.fixture(params=RATES)
def programme(request, base):
    return programme_at(base, request.param, RATES[request.param])


SHOTS = [Shot(0, 899), Shot(900, 900), Shot(901, 2999), Shot(3000, COUNT - 1)]
FINDINGS = [
    *(found(0, 3, 899), found(2, 2100, 2999, Severity.LOOK), found(2, 901, 901, Severity.NOTE)),
    found(3, 3000, COUNT - 1, waiver=WAIVER),
]


def test_a_timeline_is_read_back_with_the_same_timecodes(programme, tmp_path):
    path = tmp_path / "m.otio"
    path.write_text(markers_text(programme, SHOTS, FINDINGS, ".otio"))
    timeline = otio.adapters.read_from_file(str(path))
    (track,) = timeline.video_tracks()

    def label(time):
        return otio.opentime.to_timecode(time, float(programme.frame_rate), programme.timecode.drop)

    assert label(timeline.global_start_time) == programme.label(0)
    assert [label(clip.source_range.start_time) for clip in track] == [programme.label(shot.first) for shot in SHOTS]
    markers = [marker for clip in track for marker in clip.markers]
    assert [label(marker.marked_range.start_time) for marker in markers] == [programme.label(n) for n in (3, 901, 2100, 3000)]
    assert [label(marker.marked_range.end_time_inclusive()) for marker in markers] == [
        programme.label(n) for n in (899, 901, 2999, COUNT - 1)
    ]
    assert [marker.color for marker in markers] == ["RED", "CYAN", "YELLOW", "GREEN"]
    assert markers[3].metadata["bluffline"]["waived"]["by"] == "A. Potter" and markers[0].name == told(FINDINGS[0])
    assert all(clip.media_reference.target_url.startswith("file://") for clip in track)
    assert read_cuts(path, programme).starts == (900, 901, 3000)


def test_an_edit_list_is_read_back_with_its_locators(programme, tmp_path):
    path = tmp_path / "m.edl"
    path.write_text(markers_text(programme, SHOTS, FINDINGS, ".edl"), encoding="ascii")
    timeline = otio.adapters.read_from_file(str(path), rate=float(programme.frame_rate))
    (track,) = timeline.video_tracks()
    clips = [clip for clip in track if isinstance(clip, otio.schema.Clip)]
    rate, drop = float(programme.frame_rate), programme.timecode.drop
    starts = [otio.opentime.to_timecode(clip.source_range.start_time, rate, drop) for clip in clips]
    assert starts == [programme.label(shot.first) for shot in SHOTS]
    if programme.label(COUNT) > programme.label(0):  # the library counts no event over midnight
        assert [round(clip.source_range.duration.value) for clip in clips] == [shot.length for shot in SHOTS]
    locators = re.findall(r"\* LOC: (\S+) (\w+) +(.*)", path.read_text())
    assert [label for label, *_ in locators] == [programme.label(first) for first in (3, 901, 2100, 3000)]
    if not drop:  # it reads no locator in drop-frame
        markers = [marker for clip in clips for marker in clip.markers]
        assert [(marker.color, marker.name) for marker in markers] == [(colour, words) for _, colour, words in locators]
        found = [otio.opentime.to_timecode(marker.marked_range.start_time, rate, drop) for marker in markers]
        assert found == [label for label, *_ in locators]
    assert [colour for _, colour, _ in locators] == ["RED", "CYAN", "YELLOW", "GREEN"]
    assert locators[0][2].startswith("must fix: R'G'B' over 113.5 %") and "A. Potter" in locators[3][2]
    assert read_cuts(path, programme).starts == (900, 901, 3000)


def test_a_table_and_captions_say_the_same(programme):
    rows = list(csv.DictReader(io.StringIO(markers_text(programme, SHOTS, FINDINGS, ".csv"))))
    assert [row["what"] for row in rows] == ["shot", "finding", "shot", "shot", "finding", "finding", "shot", "waived"]
    assert [int(row["first_frame"]) for row in rows] == [0, 3, 900, 901, 901, 2100, 3000, 3000]
    assert (
        all(row["timecode_out"] == programme.label(int(row["last_frame"])) for row in rows)
        and rows[-1]["reason"] == "as filmed"
    )
    captions = markers_text(programme, SHOTS, FINDINGS, ".vtt")
    assert captions.startswith("WEBVTT\n\n1\n00:00:00.000 --> ")
    cues = re.findall(r"(\d\d):(\d\d):(\d\d\.\d{3}) --> (\d\d):(\d\d):(\d\d\.\d{3})\n(.+)\n(?:\n|$)", captions)
    times = [[3600 * int(h) + 60 * int(m) + float(s) for h, m, s in (cue[:3], cue[3:6])] for cue in cues]
    expected = [(int(row["first_frame"]), int(row["last_frame"]) + 1) for row in rows]
    rate = float(programme.frame_rate)
    assert np.allclose(times, [[first / rate, after / rate] for first, after in expected], atol=0.0006)
    assert "&lt;near&gt;" in cues[1][6] and "&amp; more" in cues[1][6]


def test_frames_of_unequal_length_are_captioned_when_they_are_shown(base):
    times = np.cumsum([0, *([10, 30] * 11)])
    index = replace(base.index, times=times)
    programme = replace(base, frame_rate=Fraction(25), time_base=Fraction(1, 500), index=index)
    assert programme.index.variable
    cue = markers_text(programme, [Shot(0, 4), Shot(5, 22)], [], ".vtt").splitlines()[3]
    assert cue == "00:00:00.000 --> 00:00:00.180"


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    starts=st.sets(st.integers(1, COUNT - 1), max_size=30),
    rate=st.sampled_from(sorted(RATES)),
    ending=st.sampled_from([".edl", ".otio"]),
)
def test_whatever_was_given_out_is_taken_in_again(starts, rate, ending, base, tmp_path):
    programme = programme_at(base, rate, RATES[rate])
    firsts = sorted({0, *starts})
    shots = [Shot(first, after - 1) for first, after in zip(firsts, [*firsts[1:], COUNT], strict=True)]
    path = tmp_path / f"x{ending}"
    path.write_text(markers_text(programme, shots, [], ending))
    assert read_cuts(path, programme).starts == tuple(sorted(starts))
    assert Cuts.listed(sorted(starts), SHOTS).of(SHOTS) == shots


EDL = """TITLE: fair
FCM: NON-DROP FRAME
001  AX       V     C        00:00:00:00 00:00:02:00 10:00:00:00 10:00:02:00
* FROM CLIP NAME: a.mov
002  AX       B     C        00:00:05:00 00:00:06:10 10:00:02:00 10:00:03:10
003  AX       V     C        00:00:05:00 00:00:05:00 10:00:03:10 10:00:03:10
003  BX       V     D    012 00:00:00:00 00:00:02:00 10:00:03:10 10:00:05:10
004  BX       A2    C        00:00:00:00 00:00:02:00 10:00:04:00 10:00:05:10
005  BX       AA/V  W001 010 00:00:00:00 00:00:02:00 10:00:06:00 10:00:08:00
006  BX       V     C        00:00:00:00 00:00:02:00 11:00:06:00 11:00:08:00
7 strange
"""


def test_dissolves_part_in_their_middle_sound_does_not_and_gaps_end_shots(base, tmp_path):
    programme = programme_at(base, "25", "10:00:00:00")
    (tmp_path / "a.EDL").write_text(EDL)
    listed = read_cuts(tmp_path / "a.EDL", programme)
    assert listed.starts == (50, 91, 135, 155, 200)
    assert listed.told == (
        "shots begin at 5 frames after the first; 2 more lie outside the programme; lines that were not understood: 1; "
        "events of sound alone, passed over: 1"
    )


def test_a_cut_inside_a_transition_is_the_one_that_it_was_found_by():
    joined = Transition(TransitionKind.DISSOLVE, 40, 51)
    shots = [Shot(0, 45, None, joined), Shot(46, 99, joined, None)]
    assert Cuts.listed([44], shots).of(shots) == shots
    assert [shot.first for shot in Cuts.listed([20], shots).of(shots)] == [0, 20]


def timeline(rate, tracks=1, **words):
    made = otio.schema.Timeline("t", **words)
    for number in range(tracks):
        track = otio.schema.Track(f"V{number}", kind="Video")
        track.append(
            otio.schema.Clip(
                "c",
                source_range=otio.opentime.TimeRange(otio.opentime.RationalTime(0, rate), otio.opentime.RationalTime(50, rate)),
            )
        )
        track.append(
            otio.schema.Clip(
                "d",
                source_range=otio.opentime.TimeRange(otio.opentime.RationalTime(9, rate), otio.opentime.RationalTime(70, rate)),
            )
        )
        made.tracks.append(track)
    return otio.adapters.write_to_string(made, "otio_json")


def test_a_timeline_without_a_start_begins_with_the_programme_and_more_tracks_are_told(base, tmp_path):
    programme = programme_at(base, "25", "10:00:00:00")
    (tmp_path / "a.otio").write_text(timeline(25, 3))
    listed = read_cuts(tmp_path / "a.otio", programme)
    assert listed.starts == (50, 120) and listed.told.endswith("tracks of pictures beside the first are passed over: 2")


@pytest.mark.parametrize(("name", "text", "words"), [
    ("a.txt", "", "is no edit list that is read here"),
    ("a.edl", "", "no event with a picture"),
    ("a.edl", EDL.replace("NON-", ""), "it counts drop-frame, and the programme non-drop"),
    ("a.edl", EDL.replace("10:00:03:10", "10:00:03:26"), "is no timecode at the programme's 25 frames/s"),
    ("a.edl", EDL.replace("10:00", "12:00").replace("11:00", "13:00"), "is about other times: none of its cuts lies in"),
    ("a.otio", "{", "no timeline that can be read"),
    ("a.otio", "[1]", "can't be taken"),
    ("a.otio", timeline(30), "it is at 30 frames/s, and the programme at 25"),
    ("a.otio", timeline(25, 0), "no clip on a track of pictures"),
    ("a.edl", b"\xff\xfe\x00", "it is no text"),
])  # fmt: skip
def test_what_cannot_be_taken_is_told_in_a_sentence(name, text, words, base, tmp_path):
    programme = programme_at(base, "25", "10:00:00:00")
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    with pytest.raises(SettingsError, match=re.escape(words)):
        read_cuts(path, programme)
    with pytest.raises(SettingsError, match="can't be read"):
        read_cuts(tmp_path / "none.edl", programme)


_WORDS = [
    "001",
    "AX",
    "V",
    "B",
    "A",
    "C",
    "D",
    "W001",
    "012",
    "K",
    "10:00:00:00",
    "10:00:02:00",
    "99:99:99:99",
    "FCM:",
    "DROP",
    "é",
]


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    lines=st.lists(
        st.lists(
            st.sampled_from(_WORDS),
            max_size=12,
        )
    ),
    ending=st.sampled_from([".edl", ".otio"]),
)
def test_any_list_is_taken_or_refused(lines, ending, base, tmp_path):
    programme = programme_at(base, "25", "10:00:00:00")
    path = tmp_path / f"x{ending}"
    path.write_text("\n".join(" ".join(words) for words in lines))
    try:
        starts = read_cuts(path, programme).starts
    except SettingsError:
        return
    assert all(0 < start < COUNT for start in starts) and list(starts) == sorted(set(starts))


def test_a_rate_that_an_edit_list_has_no_digits_for(base):
    programme = programme_at(base, "120", "01:00:00:000")
    with pytest.raises(SettingsError, match="two digits"):
        markers_text(programme, SHOTS, FINDINGS, ".edl")
    assert {ending: bool(markers_text(programme, SHOTS, FINDINGS, ending)) for ending in MARKERS if ending != ".edl"}
