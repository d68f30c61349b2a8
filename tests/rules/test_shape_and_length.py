"""What a file has to be as a whole: size, rate, scan, length, and where it starts."""

from fractions import Fraction

import pytest

from bluffline.errors import RulesError
from bluffline.media.probe import probe
from bluffline.rules.rulefile import parse_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import blocks

LEVELS = "[limits]\nluma = [-1.0, 103.0]\nrgb = [-5.0, 105.0]\n"


def rules(text):
    return parse_rules(LEVELS + text, "own")


@pytest.fixture
def path(clip):
    return clip(
        "slot.mov", lambda _: blocks(1, 0.9), 50, rate=Fraction(30_000, 1001), timecode="10:00:00;00", codec="mpeg2video",
        pixel_format="yuv422p", top_first=True, options={"flags": "+ildct+ilme"},
    )  # fmt: skip


def reasons(path, text):
    found = run_survey(start_survey(probe(path), rules(text)), Monitor()).findings()
    return [each.reason for each in found if each.rule in {"shape", "length", "start"}]


@pytest.mark.parametrize(("text", "told"), [
    ('[shape]\nwidth = 128\nheight = 72\nrate = 29.97\nscan = "top-first"\npixels = 1.0', []),
    ("[shape]", []),
    ("[shape]\nwidth = 1920\nheight = 1080", ["It is 128×72, not 1920×1080"]),
    ("[shape]\nheight = 80", ["It is 128×72, not 128×80"]),
    ("[shape]\nrate = 30.0", ["It is 29.97 frames a second, not 30"]),
    ('[shape]\nscan = "progressive"\npixels = 1.0667', ["It is top-first, not progressive; pixels of 1, not 1.0667"]),
    ('[length]\nleast = 1.6\ngreatest = 1.7\nstart = "10:00:00;00"', []),
    ("[length]\nleast = 2.0", ["It lasts 1.67 s: 2 at least"]),
    ("[length]\ngreatest = 1.5", ["It lasts 1.67 s: 1.5 at most"]),
    ('[length]\nstart = "10:00:00:00"', ["It starts at 10:00:00;00: 10:00:00:00 is asked for"]),
    ("", []),
])  # fmt: skip
def test_what_is_asked_is_held_and_what_is_not_is_free(path, text, told):
    assert reasons(path, text) == told


def test_a_file_without_a_timecode_starts_at_none(clip):
    path = clip("bare.mkv", lambda _: blocks(1, 0.9), 10)
    assert reasons(path, '[length]\nstart = "00:00:00:00"') == ["It starts at no timecode: 00:00:00:00 is asked for"]


@pytest.mark.parametrize("text", ['[length]\nstart = "ten"', "[length]\nleast = 3.0\ngreatest = 2.0", '[shape]\nscan = "both"'])
def test_what_can_not_be_asked(text):
    with pytest.raises(RulesError):
        rules(text)
