"""What is heard in files, judged: each fault by itself, where it is, and nothing where nothing is wrong."""

from contextlib import suppress
from dataclasses import replace

import numpy as np
import pytest

from bluffline.errors import MediaError, RulesError
from bluffline.media.probe import probe
from bluffline.report.looked_at import judged, not_judged
from bluffline.rules.catalogue import RULES
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.rules.severity import Severity
from bluffline.session.kept_surveys import SurveyStore
from bluffline.survey.checking import check_again
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import blocks
from sounds import RATE, tone, with_sounds

SECONDS = 8
RULES_OF_SOUND = next(set(rule.titles) for rule in RULES if rule.key == "sound")


@pytest.fixture
def picture(clip):
    coded = {"codec": "libx264", "pixel_format": "yuv420p", "options": {"bf": "0"}}
    return clip("picture.mkv", lambda number: blocks(number // 50, 0.9), SECONDS * 25, **coded)


def both(*parts):
    one = np.concatenate(parts)
    return np.stack([one, one], 1)


def steady(level=-23.0, seconds=SECONDS):
    return both(tone(level, seconds))


def rules(more="", base="delivery"):
    return parse_rules(load_rules(base).text.replace("[sound]", f"[sound]\n{more}", 1), "own")


def surveyed(path, asked=None):
    return run_survey(start_survey(probe(path), asked or rules()), Monitor())


def found(path, asked=None):
    return [each for each in surveyed(path, asked).findings() if each.rule in RULES_OF_SOUND]


@pytest.mark.parametrize(("ending", "codec"), [("mov", "pcm_s24le"), ("mkv", "flac"), ("mp4", "aac"), ("ts", "mp2")])
def test_a_good_sound_breaks_nothing_in_any_carrier(picture, tmp_path, ending, codec):
    path = with_sounds(picture, tmp_path / f"good.{ending}", [steady()], codec)
    assert not found(path)
    told = judged(surveyed(path))
    assert any("programme sound" in each for each in told)
    assert not any("sound" in each.casefold() for each in not_judged(surveyed(path)))


@pytest.mark.parametrize(("name", "samples", "rule", "span", "words"), [
    ("loud", steady(-18), "loudness", (0, 199), "Track 1 is −18.0 LUFS: −23 ± 0.5 is asked for"),
    ("quiet", steady(-30), "loudness", (0, 199), "Track 1 is −30.0 LUFS: −23 ± 0.5 is asked for"),
    ("turned", steady() * [1, -1], "phase", (20, 199), "Track 1 has left against right: they correlate by −1.00"),
])  # fmt: skip
def test_what_is_wrong_all_through(picture, tmp_path, name, samples, rule, span, words):
    (fault,) = found(with_sounds(picture, tmp_path / f"{name}.mov", [samples]))
    assert (fault.rule, fault.severity, fault.reason) == (rule, Severity.MUST_FIX, words)
    assert abs(fault.first_frame - span[0]) <= 20 and fault.last_frame == span[1]


def test_silence_is_found_where_it_is(picture, tmp_path):
    gap = both(tone(-23, 2), np.zeros(4 * RATE), tone(-23, 2))
    (fault,) = found(with_sounds(picture, tmp_path / "gap.mov", [gap]), rules())
    assert (fault.rule, fault.first_frame, fault.last_frame) == ("silence", 50, 149)
    assert fault.reason == "Track 1 is silent for 4.0 s"


def test_one_silent_channel_is_told_by_its_side(picture, tmp_path):
    samples = steady(-20.0) * [1, 0]
    assert [(each.rule, each.reason) for each in found(with_sounds(picture, tmp_path / "left.mov", [samples]))] == [
        ("silence", "Track 1 has nothing in its right channel for 8.0 s")
    ]


@pytest.mark.parametrize("seconds", [0, 4])
def test_sound_that_is_silent_or_ends_early_is_silence(picture, tmp_path, seconds):
    samples = steady(-23, SECONDS) if not seconds else steady(-23, seconds)
    samples = samples * (seconds > 0)
    faults = found(with_sounds(picture, tmp_path / "early.mov", [samples]))
    silence = next(each for each in faults if each.rule == "silence")
    assert (silence.first_frame, silence.last_frame) == (seconds * 25, 199)
    assert {each.rule for each in faults} == ({"silence"} if seconds else {"silence", "loudness"})


def test_sound_that_begins_late_is_silence_before(picture, tmp_path):
    (fault,) = found(with_sounds(picture, tmp_path / "late.mkv", [steady(-23, 4)], late=4.0))
    assert (fault.rule, fault.first_frame, fault.last_frame) == ("silence", 0, 99)


def test_clipped_and_over_the_peak(picture, tmp_path):
    burst = np.clip(tone(6, 0.5), -1, 1)
    samples = both(tone(-24, 4), burst, tone(-24, 3.5))
    faults = found(with_sounds(picture, tmp_path / "burst.mov", [samples]))
    by_rule = {each.rule: each for each in faults}
    assert {"true-peak", "sound-clipped"} <= by_rule.keys() and "phase" not in by_rule
    for each in ("true-peak", "sound-clipped"):
        assert by_rule[each].first_frame == 100 and 110 <= by_rule[each].last_frame <= 115, each


def test_mono_tracks_are_judged_together_when_the_rules_say_so(picture, tmp_path):
    left, right = tone(-23, SECONDS)[:, None], -tone(-23, SECONDS)[:, None]
    path = with_sounds(picture, tmp_path / "pair.mov", [left, right, left])
    (unjudged,) = found(path)
    assert unjudged.rule == "sound-unmeasured" and unjudged.reason.startswith("No programme sound")
    survey = surveyed(path, rules("programmes = [[1, 2]]"))
    (fault,) = [each for each in survey.findings() if each.rule in RULES_OF_SOUND]
    assert fault.rule == "phase" and fault.reason.startswith("Tracks 1 and 2 ")
    assert [each for each in not_judged(survey) if each.startswith("Track 3") and "no programme sound" in each]
    assert not [each for each in not_judged(survey) if each.startswith(("Track 1", "Track 2"))]
    (missing,) = found(path, rules("programmes = [[7]]"))
    assert missing.reason == "Track 7 is not measured to its end: the file has no such sound track"


def test_layouts_that_are_asked_for(picture, tmp_path):
    six = np.stack([tone(-28, SECONDS)] * 6, 1)
    path = with_sounds(picture, tmp_path / "six.mov", [steady(), six])
    assert "sound-layout" not in {each.rule for each in found(path, rules('layouts = ["stereo", "5.1"]'))}
    (fault,) = [each for each in found(path, rules('layouts = ["stereo"]')) if each.rule == "sound-layout"]
    assert fault.reason == "Programme sound is stereo, 5.1: stereo is asked for"


def test_no_sound_at_all_is_no_pass(picture):
    (fault,) = found(picture)
    assert (fault.rule, fault.severity) == ("sound-unmeasured", Severity.MUST_FIX)


def test_two_sounds_with_one_fault_are_one_finding_that_names_both(picture, tmp_path):
    (fault,) = found(with_sounds(picture, tmp_path / "two.mov", [steady(-18), steady(-30)]))
    assert fault.reason == "Track 1 is −18.0 LUFS: −23 ± 0.5 is asked for; Track 2 is −30.0 LUFS: −23 ± 0.5 is asked for"


def test_range_and_short_term_where_they_are_asked_for(picture, tmp_path):
    path = with_sounds(picture, tmp_path / "wide.mov", [both(tone(-20, 4), tone(-30, 4))])
    asked = rules("range = 5.0\nshort_term = -21.0")
    faults = {each.rule: each for each in found(path, asked)}
    assert {"loudness-range", "short-term"} <= faults.keys()
    assert 70 <= faults["short-term"].first_frame <= 76


def test_damage_in_a_track_is_silence_of_its_length_and_the_rest_stays_in_place(picture, tmp_path):
    samples = both(tone(-23, 4), np.zeros(RATE * 3), tone(-23, 1))
    path = with_sounds(picture, tmp_path / "good.mkv", [samples], "flac")
    data = bytearray(path.read_bytes())
    place = len(data) // 2
    data[place : place + 3000] = bytes(3000)
    path.write_bytes(data)
    silence = [each for each in found(path) if each.rule == "silence"]
    assert silence and silence[-1].first_frame <= 100 and silence[-1].last_frame == 174


def test_what_it_came_to_is_said_where_nothing_is_wrong_too(picture, tmp_path):
    told = judged(surveyed(with_sounds(picture, tmp_path / "good.mov", [steady()])))
    assert "Sound track 1: 8.0 s, −23.0 LUFS, range 0.0 LU, true peak −23.0 dBTP" in told
    told = judged(surveyed(with_sounds(picture, tmp_path / "silent.mov", [steady() * 0])))
    assert "Sound track 1: 8.0 s, silent, range 0.0 LU, true peak −120.0 dBTP" in told


def test_a_sound_that_is_another_under_the_same_pictures_is_not_certified_by_what_was_heard_before(picture, tmp_path):
    path = with_sounds(picture, tmp_path / "kept.mkv", [steady()], "pcm_s16le")
    survey = surveyed(path)
    assert check_again(survey, Monitor()).good
    swapped = with_sounds(picture, tmp_path / "other.mkv", [steady() * [1, -1]], "pcm_s16le")
    assert swapped.stat().st_size == path.stat().st_size
    path.write_bytes(swapped.read_bytes())
    here = replace(survey, programme=probe(path))  # as a survey that was kept comes back to a file of this name
    with pytest.raises(MediaError, match="is not what was surveyed"):
        check_again(here, Monitor())


def test_samples_that_are_no_numbers_are_told_and_the_rest_is_measured(picture, tmp_path):
    samples = steady()
    samples[3 * RATE : 3 * RATE + 50] = np.nan
    samples[4 * RATE] = 1e30
    faults = {each.rule: each for each in found(with_sounds(picture, tmp_path / "nan.mov", [samples], "pcm_f32le"))}
    assert "no numbers" in faults["sound-unmeasured"].reason and faults["true-peak"].first_frame <= 100


@pytest.mark.parametrize("ending", ["mov", "mkv", "ts"])
def test_a_file_that_is_cut_short_or_damaged_anywhere_is_heard_as_far_as_it_goes(picture, tmp_path, ending):
    """Whatever the damage: one sentence, or a survey that comes to its end."""
    path = with_sounds(picture, tmp_path / f"whole.{ending}", [steady()], "mp2" if ending == "ts" else "pcm_s16le")
    data = path.read_bytes()
    rng = np.random.default_rng(11)
    for number in range(8):
        broken = bytearray(data)
        place = int(rng.integers(len(data) // 3, len(data) - 4000))
        broken[place : len(data) if number % 2 else place + 4000] = b"" if number % 2 else rng.bytes(4000)
        damaged = tmp_path / f"{number}.{ending}"
        damaged.write_bytes(broken)
        with suppress(MediaError):
            survey = surveyed(damaged)
            assert survey.complete and all(sound.trouble or sound.seconds > 1 for sound in survey.sounds)


def test_it_is_kept_with_the_survey(picture, tmp_path):
    path, store = with_sounds(picture, tmp_path / "kept.mov", [steady(-18)]), SurveyStore(tmp_path / "kept")
    one = surveyed(path)
    store.keep(one, "mark")
    again = start_survey(probe(path), rules())
    assert store.fill(again, "mark") and any(again.heard) and len(again.table) == len(one.table)
    assert run_survey(again, Monitor()).findings() == one.findings(), "what is looked for beside is looked for anew"
    other = start_survey(probe(path), rules("programmes = [[1]]"))
    assert not store.fill(other, "mark")


@pytest.mark.parametrize(("line", "words"), [
    ("loudness = 3.0", "loudness must be between −70|loudness must be between -70"),
    ("programmes = [[1, 1]]", "1, 2 or 6 tracks"),
    ("programmes = [[1, 2, 3]]", "1, 2 or 6 tracks"),
    ('layouts = ["quad"]', "layouts must be of mono, stereo, 5.1"),
])  # fmt: skip
def test_what_can_not_be_asked(line, words):
    with pytest.raises(RulesError, match=words):
        parse_rules(f"{load_rules('strict').text}\n[sound]\n{line}\n", "own")
