"""Where rules of HDR, of the head of a programme and of sound turn, by figures that are set one by one."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.errors import RulesError
from bluffline.measure.sound import HOP, SoundMeasure
from bluffline.media.timecode import Timecode
from bluffline.rules.each.hdr import _mastering
from bluffline.rules.evidence import Surveyed
from bluffline.rules.rulefile import parse_rules
from bluffline.rules.shots import Shot
from surveys import BLACK, LEVELS, RATE, SOURCE, WHOLE, found, frames, table_of, told_by

# HDR ------------------------------------------------------------------------------------------------------------------

PQ = replace(SOURCE, transfer="pq")


def light(text, told="", mastering="", **columns):
    surveyed = Surveyed(WHOLE, RATE, complete=True, source=PQ, light=told, mastering=mastering)
    table = table_of(4, formats=(PQ,), **columns)
    return found("light-peak light-average light-told mastering", table, f"[hdr]\n{text}", surveyed=surveyed, source=PQ)


def test_light_is_held_at_its_limits():
    assert frames(light("average = 100.0", light_mean=[100.0, 100.1, 0, 0])) == [(1, 1)]
    (one,) = light("peak = 100.0", rgb_max=[50.0, 51.0, 50.8, 50.9])
    assert (*frames([one])[0], one.frames) == (1, 3, 2), "100 cd/m² are 50.81 %"
    over = {"rgb_max": 60.0}
    assert frames(light("peak = 100.0\nshare = 1.0", light_area=[1.0, 1.1, 0, 0], **over)) == [(1, 1)]
    assert frames(light("peak = 100.0", light_area=0.0, **over)) == [(0, 3)], "none is allowed where no share is"


def test_content_light_may_be_told_as_less_by_the_slack_and_one():
    figures = {"rgb_max": 60.0, "light_mean": [10.0, 110.9, 0, 0]}
    assert [each.reason for each in light("told = true\nslack = 10.0", "MaxCLL 10000, MaxFALL 100", **figures)] == [
        "No mastering display is told"
    ]
    more = figures | {"light_mean": [10.0, 111.1, 0, 0]}
    assert [each.reason for each in light("told = true\nslack = 10.0", "MaxCLL 10000, MaxFALL 100", **more)][:1] == [
        "MaxFALL is told as 100 cd/m²: 111 are measured"
    ]
    assert [each.reason.partition(":")[0] for each in light("told = true", "", **more)][:2] == [
        "MaxCLL is not told", "MaxFALL is not told",
    ]  # fmt: skip


def test_a_programme_that_changes_its_transfer_is_judged_frame_by_frame():
    """The first frame speaks for none after it, in neither direction."""
    for formats in ((PQ, SOURCE), (SOURCE, PQ)):
        in_pq = np.array([each.transfer == "pq" for each in formats])
        place = np.repeat([0, 1], 10)
        table = table_of(20, formats=formats, format=place, rgb_max=np.where(in_pq[place], 51.0, 90.0), light_mean=99.0)
        surveyed = Surveyed(WHOLE, RATE, complete=True, source=formats[0])
        text = '[hdr]\ntransfer = "pq"\npeak = 100.0\naverage = 98.0\ntold = true'
        told = found("light-peak light-average light-told hdr-transfer", table, text, surveyed, source=formats[0])
        first = 0 if in_pq[0] else 10
        lit, other = (first, first + 9), (10 - first, 19 - first)
        assert {(each.rule, *frames([each])[0]) for each in told} == {
            ("light-peak", *lit), ("light-average", *lit), ("hdr-transfer", *other), ("light-told", 0, 19),
        }  # fmt: skip
        assert "MaxCLL is not told: 102 cd/m² are measured" in [each.reason for each in told], "of what is PQ alone"


def display(least="0.0001", most="1000.0", red="0.6800", white="0.3127"):
    return f"r({red},0.3200) g(0.2650,0.6900) b(0.1500,0.0600) wp({white},0.3290) min_luminance={least}, max_luminance={most}"


@pytest.mark.parametrize(
    ("told", "right"),
    [
        (display(), True), (display(red="0.6814"), True), (display(red="0.6816"), False), (display(white="0.3143"), False),
        (display(most="100.0"), True), (display(most="99.9"), False), (display(least="0.9999"), True),
        (display(least="1.0"), False), ("", False),
    ],
)  # fmt: skip
def test_a_mastering_display_is_one_that_can_be(told, right):
    assert (_mastering(told) == "") is right, _mastering(told)


# The head of a programme ----------------------------------------------------------------------------------------------


def head(text, surveyed=None, **columns):
    surveyed = surveyed or told_by(bars=[Shot(0, 49)])
    shots = [Shot(0, 49), Shot(50, 99), Shot(100, 124), Shot(125, 199)]
    usually = {"y_p999": np.where((np.arange(200) >= 100) & (np.arange(200) < 125), BLACK, BLACK + 300)}
    usually["pixel_change"] = np.where((np.arange(200) > 50) & (np.arange(200) < 100), 0.2, 5.0)
    told = found("line-up", table_of(200, **usually | columns), f"[line-up]\n{text}", surveyed=surveyed, shots=shots)
    return [(each.reason, each.first_frame, each.last_frame) for each in told]


THERE = 'parts = [["bars", 2.0], ["slate", 2.0], ["black", 1.0]]\n'


def test_the_head_has_its_parts_in_their_order_as_long_as_they_have_to_be():
    assert head(THERE + "tolerance = 0.0") == []
    assert head(THERE.replace("2.0]", "2.5]") + "tolerance = 0.5") == []
    assert head(THERE.replace('"bars", 2.0', '"bars", 2.6') + "tolerance = 0.5") == [
        ("The line-up has 2.00 s of bars: 2.6 ± 0.5 s", 0, 49)
    ]
    swapped = 'parts = [["bars", 2.0], ["black", 1.0]]'
    assert head(swapped)[0] == (
        "The line-up has slate in place of black: bars 2.0 s, slate 2.0 s, black 1.0 s, picture 3.0 s",
        50,
        50,
    )
    assert head('parts = [["bars", 2.0]]')[0][0].startswith("The line-up goes on in place of the picture: slate 2.0 s")
    moving = np.full(200, 5.0)
    assert head(THERE, pixel_change=moving)[0][0].startswith("The line-up has picture in place of slate")
    ticking = np.where((np.arange(200) > 50) & (np.arange(200) < 100), 0.2, 5.0)
    ticking[[60, 85]] = 5.0
    assert head(THERE, pixel_change=ticking) == [], "a clock may go on it"
    ticking[70] = 5.0
    assert head(THERE, pixel_change=ticking) != []


def test_the_picture_begins_at_its_timecode():
    start = Timecode(25, start=25 * 3595, told=True)
    at_ten = THERE + 'picture = "01:00:00:00"'
    assert head(at_ten, told_by(bars=[Shot(0, 49)], timecode=start)) == []
    late = told_by(bars=[Shot(0, 49)], timecode=replace(start, start=25 * 3595 + 1))
    assert head(at_ten, late) == [("The picture begins at 01:00:00:01: 01:00:00:00 is asked for", 125, 125)]


def test_sixteen_parts_are_the_most():
    parts = ", ".join(['["bars", 1.0]'] * 16)
    assert parse_rules(f"{LEVELS}[line-up]\nparts = [{parts}]", "own")
    with pytest.raises(RulesError, match="16 at most"):
        parse_rules(f'{LEVELS}[line-up]\nparts = [{parts}, ["bars", 1.0]]', "own")


# Sound ----------------------------------------------------------------------------------------------------------------


def heard(hops, begins=0.0, trouble="", power=None, peaks=None, clipped=None, together=None):
    """A stereo sound at −20 dBFS that is the same in both channels."""
    power = np.full((hops, 2), 0.01) if power is None else power
    made = {
        "true_peak": np.full((hops, 2), 0.2) if peaks is None else peaks,
        "clipped": np.zeros((hops, 2), np.int32) if clipped is None else clipped,
    }
    together = np.sqrt(power.prod(axis=1)) if together is None else together
    return SoundMeasure((1,), ("FL", "FR"), begins, power, power, power, made["true_peak"], made["clipped"], together, trouble)


def of_sound(ids, sound, text=""):
    surveyed = told_by(sounds=[sound])
    return found(ids, table_of(250), f"[sound]\nloudness = -17.0\ntolerance = 70.0\n{text}", surveyed=surveyed)


def test_peaks_and_clipping_are_told_over_what_is_allowed_in_the_frames_they_are_heard_with():
    hop = int(1 / HOP)  # of a second
    peaks = np.full((10 * hop, 2), 0.2)
    peaks[2 * hop, 1] = 1.0
    (one,) = of_sound("true-peak", heard(10 * hop, peaks=peaks), "true_peak = -0.1")
    assert (*frames([one])[0], one.reason) == (50, 50 + int(HOP * RATE + 0.999) - 1, "Track 1 peaks at 0.0 dBTP")
    assert not of_sound("true-peak", heard(10 * hop, peaks=peaks), "true_peak = 0.0")
    clipped = np.zeros((10 * hop, 2), np.int32)
    clipped[hop, 0], clipped[5 * hop, 0] = 3, 4
    (one,) = of_sound("sound-clipped", heard(10 * hop, clipped=clipped), "clipped = 3")
    assert one.first_frame == 125 and one.reason == "Track 1 is clipped: 4 samples in a row at full scale"


def test_silence_is_told_from_as_long_as_it_may_last():
    hop = int(1 / HOP)
    power = np.full((10 * hop, 2), 0.01)
    power[2 * hop : 4 * hop] = 1e-9
    (one,) = of_sound("silence", heard(10 * hop, power=power), "silence_seconds = 2.0")
    assert frames([one]) == [(50, 99)] and one.reason == "Track 1 is silent for 2.0 s"
    assert not of_sound("silence", heard(10 * hop, power=power), "silence_seconds = 2.1")
    power[2 * hop : 4 * hop, 0] = 0.01
    (one,) = of_sound("silence", heard(10 * hop, power=power), "silence_seconds = 2.0")
    assert one.reason == "Track 1 has nothing in its right channel for 2.0 s"
    late = of_sound("silence", heard(7 * hop, begins=1.0), "silence_seconds = 1.0\n")
    assert frames(late) == [(0, 24), (200, 249)], "before it begins and after it ends"
    assert frames(of_sound("silence", heard(7 * hop, begins=1.0, trouble="it stops"), "silence_seconds = 1.0")) == [(0, 24)]


@pytest.mark.parametrize(("heard_between", "told"), [(1, [(25, 79)]), (2, [(25, 49), (55, 79)])])
def test_silences_that_lie_close_together_are_one(heard_between, told):
    """Closer than the gap that the rules have, 0.2 s."""
    power = np.full((100, 2), 0.01)
    power[10:20] = power[20 + heard_between : 32] = 1e-9
    silences = of_sound("silence", heard(100, power=power), "silence_seconds = 0.5")
    assert frames(silences) == told and [each.runs for each in silences] == [3 - len(told)] * len(told)


def test_left_against_right_is_told_where_both_are_heard_for_long_enough():
    hop = int(1 / HOP)
    against = np.full(10 * hop, 0.01)
    against[3 * hop : 6 * hop] = -0.01
    (one,) = of_sound("phase", heard(10 * hop, together=against), "phase = -0.5\nphase_seconds = 1.0")
    assert (one.worst_value, one.reason) == (-1.0, "Track 1 has left against right: they correlate by −1.00")
    assert 75 <= one.first_frame <= 88 and 137 <= one.last_frame <= 150
    assert not of_sound("phase", heard(10 * hop, together=against), "phase = -0.5\nphase_seconds = 3.5")
    quiet = np.full((10 * hop, 2), 0.01)
    quiet[3 * hop : 6 * hop, 0] = 1e-9
    assert not of_sound("phase", heard(10 * hop, power=quiet, together=against), "phase = -0.5\nphase_seconds = 1.0")


def test_loudness_is_held_within_its_tolerance():
    for asked, wrong in ((-16.5, True), (-17.0, False), (-17.5, True)):
        told = found(
            "loudness", table_of(250), f"[sound]\nloudness = {asked}\ntolerance = 0.4", surveyed=told_by(sounds=[heard(1000)])
        )
        measured = max(heard(1000).integrated, -70)
        assert bool(told) is (abs(measured - asked) > 0.4), (wrong, measured)
