"""Single pixels that stand out through cuts are found as coded by whom one meets; glints, grain and lettering are not."""

import cv2
import numpy as np
import pytest

from bluffline.demo import demo_clip
from bluffline.measure.region import Region
from bluffline.measure.spots import SpotSearch
from bluffline.media.probe import probe
from bluffline.report.looked_at import judged, not_judged
from bluffline.rules.rulefile import parse_rules
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from clips import signal, to_planes
from pictures import carried

RULES = parse_rules("[limits]\nluma = [-1, 109]\nrgb = [-5, 109]\n[dead]\n", "own")
WIDE, HIGH, LONG = 480, 320, 8
DEAD = {(101, 77): 0.0, (300, 200): 1.0}  # x and y: what they show whatever is before them
CODINGS = {
    "ffv1": (".mkv", "yuv422p10le", {}, None), "fields": (".mkv", "yuv422p10le", {}, True),
    "prores_ks": (".mov", "yuv422p10le", {}, None), "libx264": (".mp4", "yuv420p", {"crf": "18", "g": "12"}, None),
    "mpeg2video": (".mxf", "yuv422p", {"b": "8M"}, None),
}  # fmt: skip


def shown():
    """Ten pictures that packages carry, of one size."""
    return [
        np.clip(cv2.resize(np.asarray(each, float), (WIDE, HIGH), interpolation=cv2.INTER_CUBIC), 0, 1)
        for each in carried().values()
    ]


def filmed(number, dead=(), pictures=None):
    """A picture of each shot, panned and with grain, by a camera with such pixels."""
    pictures = shown() if pictures is None else pictures
    grain = np.random.default_rng(number).normal(0, 0.01, (HIGH, WIDE, 1))
    made = np.clip(np.roll(pictures[number // LONG], 3 * number, axis=1) + grain, 0, 1)
    for (x, y), value in dict(dead).items():
        made[y, x] = value
    return made


def lettered(picture, size, where):
    """With words that stay where they are through all cuts."""
    mask = np.zeros((HIGH, WIDE), np.uint8)
    cv2.putText(mask, "LARKMOOR iii 10:00", where, cv2.FONT_HERSHEY_SIMPLEX, size, 255, 1, cv2.LINE_AA)
    share = (mask / 255)[..., None]
    return picture * (1 - share) + share


def spots(pictures, source=None):
    source = source or signal(WIDE, HIGH)
    search = SpotSearch(source, Region.whole(source))
    for number, each in enumerate(pictures):
        search.look(number, to_planes(each, source))
    return {(spot.x, spot.y) for spot in search.result().found}


@pytest.mark.parametrize("codec", CODINGS)
def test_they_are_found_through_cuts_and_nothing_else_is(clip, codec):
    ending, pixels, options, top_first = CODINGS[codec]
    pictures = shown()
    told = {}
    for name, dead in (("clean", {}), ("dead", DEAD)):
        path = clip(
            f"{name}{ending}", lambda n, dead=dead: filmed(n, dead, pictures), LONG * len(pictures),
            codec="ffv1" if codec == "fields" else codec, pixel_format=pixels, options=options, top_first=top_first,
        )  # fmt: skip
        survey = run_survey(start_survey(probe(path), RULES), Monitor())
        told[name] = [each for each in survey.findings() if each.rule == "dead"]
        assert len(survey.shots()) >= 8 and not any("Dead pixels" in each for each in not_judged(survey))
        assert any("dead pixels" in each for each in judged(survey))
    assert told["clean"] == []
    places = {each.reason.partition(":")[0] for each in told["dead"]}
    assert places == {"Bright pixel at x 300, y 200", "Dark pixel at x 101, y 77"} and len(told["dead"]) == 2
    (bright,) = (each for each in told["dead"] if "x 300" in each.reason)
    assert "% from those about it in" in bright.reason and bright.first_frame < LONG and bright.worst_value > 20


@pytest.mark.parametrize("noise", [0.0, 0.01, 0.03])
def test_grain_and_glints_are_none_and_what_is_there_is_found_in_them(noise):
    grain = np.random.default_rng(4)
    pictures = [each + grain.normal(0, noise, (HIGH, WIDE, 1)) for each in shown()]
    assert spots(pictures) == set()
    for each in pictures:
        for (x, y), value in DEAD.items():
            each[y, x] = value
    assert spots(pictures) == set(DEAD)


@pytest.mark.parametrize("where", [(250, 40), (13, 300), (120, 167)])
@pytest.mark.parametrize("size", [0.3, 0.45, 0.7, 1.1])
def test_lettering_that_stays_is_none(size, where):
    assert spots([lettered(each, size, where) for each in shown()]) == set()


def test_too_few_pictures_tell_nothing_and_it_is_said(clip):
    pictures = shown()
    path = clip("same.mkv", lambda n: filmed(n % LONG + LONG * (n // LONG % 3), DEAD, pictures), 8 * LONG)
    survey = run_survey(start_survey(probe(path), RULES), Monitor())
    assert len(survey.shots()) >= 6 and not [each for each in survey.findings() if each.rule == "dead"]
    (said,) = (each for each in not_judged(survey) if each.startswith("Dead pixels"))
    assert said == "Dead pixels: 4 pictures that are unlike one another tell of any, and it has 3"


def test_nothing_stands_out_in_the_demo():
    """Its shots were never looked at while figures were chosen."""
    survey = run_survey(start_survey(probe(demo_clip()), RULES), Monitor())
    assert survey.spots[0].told and not [each for each in survey.findings() if each.rule == "dead"]


def test_pairs_of_pixels_and_what_lies_at_the_edge_or_beside_the_picture_are_none():
    source = signal(WIDE, HIGH)
    search = SpotSearch(source, Region(100, 0, 300, HIGH))
    for number, each in enumerate(shown()):
        each[50, 20] = each[60, 101] = each[60, 102] = 1.0
        each[0, 200] = 1.0
        search.look(number, to_planes(each, source))
    assert search.result().found == ()
