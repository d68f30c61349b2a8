"""Black, frozen and repeated frames are found, as coded by whom one meets; what only looks like it is not."""

import cv2
import numpy as np
import pytest

import scenes
from bluffline.media.probe import probe
from bluffline.rules.columns import Memo
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.rules.severity import Severity
from bluffline.rules.shots import Shot
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey

CODINGS = {
    "ffv1": (".mkv", "yuv422p10le", {}),
    "prores_ks": (".mov", "yuv422p10le", {}),
    "mpeg2video": (".ts", "yuv420p", {"b": "4M", "g": "12", "bf": "2", "maxrate": "4M", "bufsize": "2M"}),
    "libx264": (".mp4", "yuv420p", {"crf": "18", "g": "25", "preset": "fast"}),
}
FRAMES, FIRST, LAST = 70, 20, 49
BASE = np.stack([scenes.scene(np.random.default_rng(7))] * 3, -1)[:240, :400]


def panned(number):
    return np.roll(BASE, number * 2, axis=1)


def grained(number, amount=0.007):
    return panned(number) + np.random.default_rng(number).normal(0, amount, BASE.shape[:2])[..., None]


def speaking(number):
    """A small thing moves before a camera that stands still."""
    picture = BASE.copy()
    picture[120:127, 200:210] *= 0.6 + 0.3 * np.sin(number * 1.3)
    return picture


def still_with_grain(number):
    return BASE + np.random.default_rng(number).normal(0, 0.004, BASE.shape[:2])[..., None]


def stopping(picture):
    """The same, with one frame for 30."""
    return lambda number: picture(FIRST if FIRST <= number <= LAST else number)


def found(path, rules="r103", looked_for=("black", "frozen")):
    survey = run_survey(start_survey(probe(path), load_rules(rules) if isinstance(rules, str) else rules), Monitor())
    return [each for each in survey.findings() if each.rule in looked_for]


@pytest.mark.parametrize("codec", CODINGS)
@pytest.mark.parametrize("picture", [panned, grained, speaking])
def test_a_freeze_is_found_and_motion_is_not(clip, codec, picture):
    ending, pixels, options = CODINGS[codec]
    whole = {"codec": codec, "pixel_format": pixels, "options": options}
    frozen = found(clip(f"frozen{ending}", stopping(picture), FRAMES, **whole))
    assert [(each.rule, each.severity) for each in frozen] == [("frozen", Severity.LOOK)]
    settled = 6 if codec == "mpeg2video" else 1  # frames that a low rate takes to come to rest on what stands still
    assert FIRST - 1 <= frozen[0].first_frame <= FIRST + settled and LAST - settled <= frozen[0].last_frame <= LAST + 1
    assert frozen[0].reason.startswith("Frozen for ") and not found(clip(f"live{ending}", picture, FRAMES, **whole))


def test_a_freeze_does_not_run_on_across_a_picture_that_is_another(clip):
    frozen = stopping(panned)
    frames = found(clip("flashed.mkv", lambda number: frozen(number) * (0.8 if number == 35 else 1), FRAMES))
    assert all(each.last_frame < 35 or each.first_frame > 35 for each in frames if each.severity is Severity.LOOK)


def test_a_freeze_that_is_split_by_hand_is_no_still(clip):
    survey = run_survey(start_survey(probe(clip("split.mkv", stopping(panned), FRAMES)), load_rules("r103")), Monitor())
    parts = [Shot(0, 27), Shot(28, LAST), Shot(LAST + 1, FRAMES - 1)]
    assert [each.severity for each in survey.findings(parts) if each.rule == "frozen"] == [Severity.LOOK]


def test_a_camera_that_stands_still_is_no_freeze_and_a_still_is_noted(clip):
    assert not found(clip("grain.mkv", still_with_grain, 40))
    (still,) = found(clip("still.mkv", lambda _: BASE, 40))
    assert (still.severity, still.first_frame, still.last_frame) == (Severity.NOTE, 0, 39) and "A still" in still.reason


@pytest.mark.parametrize(("level", "frames", "told"), [(0.0, 12, True), (0.0, 9, False), (0.015, 12, True), (0.05, 12, False)])
def test_black_is_told_by_its_level_and_its_length(clip, level, frames, told):
    """Twelve frames are longer than 0.4 s at 25 a second; nine are not."""
    path = clip("black.mkv", lambda n: np.full_like(BASE, level) if 20 <= n < 20 + frames else grained(n), 60)
    black = found(path)
    assert [each.rule for each in black] == ["black"] * told
    if told:
        assert (black[0].first_frame, black[0].last_frame) == (20, 19 + frames) and "Black for 0.48 s" in black[0].reason


def test_a_caption_on_black_is_a_picture(clip):
    caption = cv2.putText(np.zeros(BASE.shape[:2], np.uint8), "LARKMOOR", (40, 120), cv2.FONT_HERSHEY_SIMPLEX, 1, 230, 3) / 255
    titled = np.stack([caption] * 3, -1)
    (still,) = found(clip("title.mkv", lambda _: titled, 30))
    assert still.rule == "frozen" and still.severity is Severity.NOTE


def test_rules_that_do_not_name_them_do_not_judge_them(clip):
    limits = "[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n"
    path = clip("both.mkv", stopping(panned), FRAMES)
    assert not found(path, parse_rules(limits, "limits"))
    (grave,) = found(path, parse_rules(limits + '[frozen]\nseverity = "must fix"', "grave"))
    assert grave.severity is Severity.MUST_FIX
    assert not found(path, parse_rules(limits + "[frozen]\nseconds = 1.3", "patient"))


def halts(path, rules="r103"):
    return found(path, rules, ("repeat", "cadence"))


def shown_again(picture, at, times=1):
    return lambda number: picture(number - min(max(number - at + 1, 0), times))


def as_film(picture, at=FRAMES + 1):
    """24 pictures a second as 30; from a frame on one that is shown again is left out."""
    return lambda number: picture((number + (number >= at)) * 4 // 5)


@pytest.mark.parametrize("codec", CODINGS)
@pytest.mark.parametrize(("picture", "times"), [(panned, 1), (grained, 2)])
def test_a_frame_that_is_shown_again_in_motion_is_found(clip, codec, picture, times):
    ending, pixels, options = CODINGS[codec]
    whole = {"codec": codec, "pixel_format": pixels, "options": options}
    (again,) = halts(clip(f"again{ending}", shown_again(picture, 33, times), FRAMES, **whole))
    assert (again.rule, again.severity, again.first_frame, again.last_frame) == ("repeat", Severity.LOOK, 33, 32 + times)
    assert again.reason == ("One frame is" if times == 1 else "2 frames are") + " shown again in the middle of motion"
    assert not halts(clip(f"whole{ending}", picture, FRAMES, **whole))


@pytest.mark.parametrize("picture", [
    lambda number: panned(number // 2),
    lambda number: panned(number // 3),
    as_film(panned),
    speaking,
    lambda number: panned(number) * (0.5 if number % 12 < 3 else 1),  # flashes
    lambda number: panned(min(number, 30) + max(number - 40, 0)),  # stops, and goes on
    lambda number: panned(number // 10),  # slowly, step by step
    lambda number: np.zeros_like(scenes.scene(np.random.default_rng(7)))[:240, :400, None].repeat(3, -1),
], ids=["twos", "threes", "film", "a small thing", "flashes", "a stop", "steps", "black"])  # fmt: skip
def test_what_is_slower_by_a_pattern_or_stands_is_not(clip, picture):
    assert not halts(clip("other.mkv", picture, FRAMES))


def test_a_pattern_of_film_that_breaks_is_found_where_it_does(clip):
    (broken,) = halts(clip("film.mkv", as_film(panned, 33), FRAMES), "delivery")
    assert (broken.rule, broken.severity) == ("cadence", Severity.MUST_FIX) and abs(broken.first_frame - 33) <= 5


@pytest.mark.parametrize("picture", [as_film(panned, 33), shown_again(panned, 33, 2), lambda number: panned(number // 2)])
def test_the_same_is_found_however_a_survey_grows(clip, picture):
    def cut(number):
        return picture(number) if number < 40 else picture(number)[::-1]

    whole = run_survey(start_survey(probe(clip("cut.mkv", cut, FRAMES)), load_rules("r103")), Monitor())
    growing, memo = start_survey(whole.programme, whole.rules), Memo()
    for number in range(FRAMES):
        growing.table.extend(whole.table.rows[number : number + 1], whole.table.formats)
        growing.joins.grow(growing.table, complete=number == FRAMES - 1)
        growing.findings(memo=memo)
    assert growing.findings(memo=memo) == whole.findings()


def test_a_pattern_that_goes_on_across_a_cut_is_no_fault(clip):
    def cut(number):
        return panned(number) if number < 40 else panned(number)[::-1]

    assert not halts(clip("cut.mkv", as_film(cut), FRAMES))
