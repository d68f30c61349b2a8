"""What a programme begins with: bars and tone, slate, black, in their order and how long, and where the picture begins."""

import numpy as np
import pytest

from bluffline.media.probe import probe
from bluffline.rules.rulefile import parse_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import make_clip
from sounds import tone, with_sounds

LEVELS = "[limits]\nluma = [-1.0, 103.0]\nrgb = [-5.0, 105.0]\n"
HUES = ((1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1), (0, 0, 0))
ASKED = '[line-up]\nparts = [["bars", 3.0], ["slate", 2.0], ["black", 1.0]]\n'
RNG = np.random.default_rng(11)
FIELD = np.kron(RNG.uniform(0.1, 0.8, (12, 40, 3)), np.ones((8, 8, 1)))
WORDS = np.kron(RNG.uniform(0.1, 0.8, (9, 16, 3)), np.ones((8, 8, 1)))


def bars(_):
    colours = np.array(HUES) * 0.75
    colours[0] = 1
    return np.repeat(colours, 16, 0)[None].repeat(72, 0)


def slate(number):
    """Words that stand, and a clock's hand that goes on every second."""
    made = WORDS.copy()
    made[4:10, 4 + number // 25 % 10 : 6 + number // 25 % 10] = 0.9
    return made


def black(_):
    return np.zeros((72, 128, 3))


def picture(number):
    return np.roll(FIELD, number * 3, axis=1)[:72, :128]


def made(tmp_path, *parts, timecode="09:59:54:00"):
    """Parts of so many frames each, one after the other."""
    shown = [(each, number) for each, count in parts for number in range(count)]
    return make_clip(
        tmp_path / "head.mov", lambda n: shown[n][0](shown[n][1]), len(shown), codec="prores_ks", timecode=timecode
    )


def found(path, text=ASKED):
    survey = run_survey(start_survey(probe(path), parse_rules(LEVELS + text, "own")), Monitor())
    return [(each.reason, each.first_frame, each.last_frame) for each in survey.findings() if each.rule == "line-up"]


WHOLE = (bars, 75), (slate, 50), (black, 25), (picture, 50)


@pytest.mark.parametrize(("parts", "text", "told"), [
    (WHOLE, "", []),
    (WHOLE, 'picture = "10:00:00:00"', []),
    (WHOLE, 'picture = "10:00:00:01"', [("The picture begins at 10:00:00:00: 10:00:00:01 is asked for", 150, 150)]),
    (((bars, 60), *WHOLE[1:]), "", [("The line-up has 2.40 s of bars: 3 ± 0.5 s", 0, 59)]),
    (((bars, 60), *WHOLE[1:]), "tolerance = 0.7", []),
    ((WHOLE[0], *WHOLE[2:]), "", [("The line-up has black in place of slate: bars 3.0 s, black 1.0 s, picture 2.0 s", 75, 75)]),
    ((WHOLE[1], WHOLE[0], *WHOLE[2:]), "", [
        ("The line-up has slate in place of bars: slate 2.0 s, bars 3.0 s, black 1.0 s, picture 2.0 s", 0, 0),
    ]),
    (WHOLE[3:], "", [("The line-up has picture in place of bars: picture 2.0 s", 0, 0)]),
    (WHOLE[:3], "", [("The line-up goes on in place of the picture: there is none", 0, 0)]),
    (((black, 10), *WHOLE), "", [
        ("The line-up has black in place of bars: black 0.4 s, bars 3.0 s, slate 2.0 s, black 1.0 s, picture 2.0 s", 0, 0),
    ]),
])  # fmt: skip
def test_a_line_up_is_held_against_what_is_asked_for(tmp_path, parts, text, told):
    assert found(made(tmp_path, *parts), ASKED + text) == told


@pytest.mark.parametrize(("level", "until", "told"), [
    (-18.0, 3.0, None),
    (-18.0, 1.5, "The tone of track 1 with the bars is not steady at −18 dBFS: it comes to"),
    (-12.0, 3.0, "The tone of track 1 with the bars is not steady at −18 dBFS: it comes to −12.0"),
    (None, 0, "No tone with the bars: no sound was measured"),
])  # fmt: skip
def test_tone_goes_with_bars(tmp_path, level, until, told):
    path = made(tmp_path, *WHOLE)
    if level is not None:
        heard = tone(level, 8.0) * (np.arange(8 * 48_000) < until * 48_000)
        path = with_sounds(path, tmp_path / "tone.mov", [np.stack([heard, heard], 1)])
    reasons = [words for words, *_ in found(path, ASKED + "tone = -18.0\n[sound]")]
    assert not reasons if told is None else len(reasons) == 1 and reasons[0].startswith(told), reasons


def test_a_tone_that_nobody_measures_is_no_pass(tmp_path):
    assert [words for words, *_ in found(made(tmp_path, *WHOLE), ASKED + "tone = -18.0")] == [
        "No tone with the bars: the rules ask for no sound"
    ]


def test_no_line_up_is_asked_of_those_that_have_none(tmp_path):
    path = made(tmp_path, *WHOLE[3:])
    assert not found(path, "") and not found(path, "[line-up]")
    assert found(made(tmp_path, *WHOLE), "[line-up]"), "the picture has to be the first thing then"
