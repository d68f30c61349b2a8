"""Proposals and matches, on casts, exposures and contrasts that were made, of pictures whose own light is known."""

from dataclasses import replace
from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bluffline.errors import MediaError, RulesError
from bluffline.media.reader import Reader
from bluffline.propose.matching import bring, distance
from bluffline.propose.neutral import light_of
from bluffline.propose.pixels import Pixels, lab_of, look_at
from bluffline.propose.proposals import BEARABLE, What, steps_of, suggest
from bluffline.propose.propose import areas_outside
from bluffline.propose.suggesting import Wanted, propose_look
from bluffline.rules.aims import load_aims, shipped_aims
from bluffline.signal.colorimetry import camera_light, camera_signal
from bluffline.survey.survey import measure_by_rules
from bluffline.treat.encodings import ENTRIES, GREATEST, LEAST, encoding, encodings, to_primaries
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.tone import Tone
from pictures import SOURCE, carried, cast, scenes, seen

AIMS = shipped_aims()
CASTS = [(1, 1, 1), (1.3, 1, 0.8), (0.75, 1, 1.3), (0.86, 1.06, 0.84), (1.1, 0.85, 1.1), (1.6, 1, 0.5), (0.6, 1, 1.7)]
EXPOSED = [(0, 1), (-1, 1), (0, 0.75), (0.5, 1), (0, 1.25)]
MADE = [
    *((gains, EXPOSED[0]) for gains in CASTS),
    *((CASTS[n], exposed) for n, exposed in enumerate(EXPOSED[1:], 1)),
]


@pytest.fixture(scope="session")
def pictures(demo_survey):
    return {**carried(), **scenes(tuple((shot.first, shot.last) for shot in demo_survey.shots()))}


def off_neutral(rgb, greys):
    lab = lab_of(rgb.reshape(-1, 3), SOURCE)[greys]
    return float(np.median(np.hypot(lab[:, 1], lab[:, 2])))


def test_a_sure_balance_brings_greys_to_neutral_and_makes_nothing_worse(pictures):
    """Eleven made of each of twenty pictures, by casts, exposures and contrasts; greys are what it shows as grey by itself."""
    sure = 0
    for name, rgb in pictures.items():
        lab = lab_of(rgb.reshape(-1, 3), SOURCE)
        greys = (np.hypot(lab[:, 1], lab[:, 2]) < 3) & (lab[:, 0] > 20) & (lab[:, 0] < 98)
        for gains, (stops, contrast) in MADE:
            given_ = cast(rgb, gains, stops, contrast)
            (suggested,) = suggest(seen(given_), [What.BALANCE], AIMS)
            assert suggested.sure or suggested.step is None, "what is not sure proposes nothing"
            if suggested.step is None or not greys.any():
                continue
            sure += 1
            before = off_neutral(given_, greys)
            after = off_neutral(suggested.step.apply(given_, SOURCE), greys)
            assert after <= 3 and after < before, f"{name}, {gains}, {stops}, ×{contrast}: {before:.1f} → {after:.1f}"
    assert sure >= 10, f"only {sure} were sure"


def test_a_picture_of_one_colour_is_not_taken_for_its_light():
    random = np.random.default_rng(1)
    for tint in ((0.6, 0.25, 0.2), (0.2, 0.5, 0.3), (0.5, 0.5, 0.49), (0, 0, 0), (1.2, 1.2, 1.2)):
        field = np.array(tint) * random.uniform(0.2, 1, (120, 160, 1)) + random.normal(0, 0.002, (120, 160, 3))
        light = light_of(seen(field))
        assert not light.sure or light.cast < 3, tint


def test_an_area_that_is_named_as_neutral_is_taken_at_its_word():
    grey = camera_signal(np.array([0.2, 0.18, 0.1]), "bt709")
    pixels = replace(seen(np.full((20, 30, 3), 0.4) * [1.2, 1, 0.4]), areas={"Grey": np.repeat(grey[None], 50, axis=0)})
    (suggested,) = suggest(pixels, [What.BALANCE], AIMS)
    made = camera_light(suggested.step.apply(grey, SOURCE), "bt709")
    assert suggested.sure and np.ptp(made) < 1e-3


@given(st.floats(0, 0.15), st.floats(0.4, 1.09), st.floats(0.2, 0.8))
def test_exposure_comes_to_the_aims_and_stays_there(low, high, middle):
    """Black, highlights and the middle end within the aims, or as near as is bearable; after that there is nothing to do."""
    part = np.linspace(0, 1, 20_000) ** (np.log(middle) / np.log(0.5))
    ramp = (low + (high - low) * part)[:, None].repeat(3, axis=1).reshape(100, 200, 3)
    (suggested,) = suggest(seen(ramp), [What.EXPOSURE], AIMS)
    made = ramp if suggested.step is None else suggested.step.apply(ramp, SOURCE)
    black, mid, white = np.quantile(made[..., 1] * 100, (0.005, 0.5, 0.995))
    assert -0.5 <= black <= AIMS.levels.black + 1.1 and white <= 101.1
    assert white >= 88.9 or high - low < 0.4, "stretched by no more than is bearable"
    if high - low < 0.45:
        return
    again = suggest(seen(made), [What.EXPOSURE], AIMS)[0].step
    assert again is None or np.abs(again.apply(made, SOURCE) - made).max() < 0.12 or mid < 29 or mid > 61


@pytest.mark.parametrize(
    ("ends", "told"),
    [
        ((8, 80), ""), ((3, 60), ""), ((15, 95), ""), ((-6, 95), "black"), ((2, 107), "highlights"), ((0, 30), "middle"),
        ((14, 74), "black"),
    ],
)  # fmt: skip
def test_bearable_leaves_levels_that_nothing_shows_to_be_wrong(ends, told):
    """A dim or a pale picture is no fault, one that is both is; asked for by itself, exposure goes to the aims all the same."""
    ramp = np.repeat(np.linspace(*ends, 4000).reshape(40, 100, 1) / 100, 3, axis=2)
    exposure = suggest(seen(ramp), BEARABLE, AIMS, bearable=True)[1]
    assert exposure.what is What.EXPOSURE and (exposure.step is None) is (told == "")
    assert told in exposure.reason
    assert suggest(seen(ramp), [What.EXPOSURE], AIMS)[0].step is not None


@pytest.mark.parametrize("level", [-0.05, 0.0, 0.4, 1.0, 1.09])
def test_nothing_is_proposed_for_a_flat_field(level):
    flat = np.full((60, 80, 3), level)
    suggested = suggest(seen(flat), BEARABLE, AIMS)
    assert steps_of(suggested) == () and all(one.reason for one in suggested)


def test_a_face_is_brought_to_its_level_and_to_the_skin_line():
    scene = np.random.default_rng(2).uniform(0.1, 0.9, (90, 120, 1)) * np.ones(3)
    face = np.array([0.55, 0.42, 0.40])[None] * np.linspace(0.8, 1.1, 400)[:, None]  # dark, and towards red
    pixels = replace(seen(scene), areas={"face": face})
    suggested = suggest(pixels, [What.EXPOSURE, What.SKIN], AIMS)
    made = pixels.through(steps_of(suggested)).areas["face"]
    luma = made @ np.array(SOURCE.matrix.luma_weights) * 100
    assert 54 <= luma.mean() <= 71
    ycbcr = replace(pixels, rgb=made[None, None]).ycbcr
    hue = np.degrees(np.arctan2(ycbcr[:, 2].mean(), ycbcr[:, 1].mean()))
    assert abs(hue - AIMS.colour.skin) <= AIMS.colour.skin_off
    assert "face" in suggested[0].reason and "skin line" in suggested[1].reason


@pytest.mark.parametrize("name", [name for name in encodings() if "proxy" not in name])  # that is for transport
def test_log_footage_is_known_and_opened(pictures, name):
    read = encoding(name)
    light, missed = np.linspace(LEAST, GREATEST, ENTRIES), []
    for picture in ("china", "motorcycle_left", "shot 5"):
        scene = camera_light(np.clip(pictures[picture], 0, 1), "bt709") @ np.linalg.inv(to_primaries(read.matrix, "bt709")).T
        flat = np.interp(scene, read.table, light)
        suggested = suggest(seen(flat), [What.LOG, What.EXPOSURE], AIMS)
        if suggested[0].step is None:
            missed.append(f"{picture}: {suggested[0].reason}")
            continue
        made = seen(flat).through(steps_of(suggested)).ycbcr[:, 0]
        low, middle, high = np.quantile(made, (0.005, 0.5, 0.995))
        assert low < 8 and high > 80 and 25 < middle < 65
    assert len(missed) <= 1, missed


def test_lifted_blacks_are_not_taken_for_log(pictures):
    """Of pictures that packages carry, with blacks lifted in four ways and white held down in three; two may be."""
    found = []
    for name in ("coffee", "motorcycle_left", "china", "ihc", "film"):
        for lift, white, saturation in product((0.05, 0.09, 0.12, 0.16), (0.7, 0.85, 0.98), (1.0, 0.5)):
            given_ = lift + (white - lift) * cast(pictures[name], saturation=saturation)
            found += [name] * (suggest(seen(given_), [What.LOG], AIMS)[0].step is not None)
    assert len(found) <= 2, found


def test_footage_that_is_not_flat_is_not_taken_for_log(pictures):
    for name, rgb in pictures.items():
        found = suggest(seen(rgb), [What.LOG], AIMS)[0]
        assert (found.step is not None) == (name == "shot 7"), f"{name}: {found.reason}"


@pytest.mark.parametrize("transfer", ["hlg", "pq"])
def test_levels_of_standard_dynamic_range_are_not_asked_of_hdr(pictures, transfer):
    pixels = replace(seen(pictures["china"]), source=replace(SOURCE, transfer=transfer))
    found = {one.what: one for one in suggest(pixels, BEARABLE, AIMS)}
    assert found[What.EXPOSURE].step is None and "standard dynamic range" in found[What.EXPOSURE].reason
    assert steps_of(list(found.values())) == ()


# Matching -----------------------------------------------------------------------------------------------------------------


def test_a_shot_under_a_known_cast_is_brought_back(pictures):
    """Forty casts of the demo's scenes, of gains, exposure, contrast and saturation together."""
    random, falls = np.random.default_rng(4), []
    demo = [rgb for name, rgb in pictures.items() if name.startswith("shot")]
    for number in range(40):
        rgb = demo[number % len(demo)]
        gains, stops = np.exp2(random.uniform(-0.6, 0.6, 3)), random.uniform(-0.8, 0.8)
        match = bring(seen(cast(rgb, gains, stops, random.uniform(0.7, 1.35), random.uniform(0.6, 1.4))), seen(rgb))
        assert match.after <= match.before
        falls.append(1 - match.after / match.before)
    assert np.median(falls) >= 0.7, f"{np.median(falls):.2f}"


def test_what_looks_alike_is_left_alone(pictures):
    match = bring(seen(pictures["china"]), seen(pictures["china"]))
    assert match.treatment == () and match.after == match.before < 0.1


def test_areas_of_one_name_are_matched_by_themselves(pictures):
    random = np.random.default_rng(6)
    card = np.array([0.5, 0.4, 0.3]) + random.normal(0, 0.01, (500, 3))
    mine = replace(seen(pictures["china"]), areas={"card": cast(card, (0.8, 1, 1.2), 0.4)})
    theirs = replace(seen(pictures["coffee"]), areas={"card": card, "other": card})
    match = bring(mine, theirs, by_areas=True)
    ((name, before, after),) = match.areas
    assert name == "card" and before > 5 and after < 2 and "card ΔE" in match.told


def test_the_distance_is_one():
    random = np.random.default_rng(7)
    first, second, third = (random.normal(n, 5, (4000, 3)) for n in (0, 4, 9))
    assert distance(first, first) == 0
    assert distance(first, second) == pytest.approx(distance(second, first))
    assert distance(first, third) <= distance(first, second) + distance(second, third)
    moved = distance(first, first + np.array([10, 0, 0]))
    assert 3 < moved < 10, "a shift of 10 is seen by what of it each direction sees"


@pytest.mark.parametrize("field", [np.zeros((40, 60, 3)), np.full((40, 60, 3), 1.09), np.full((40, 60, 3), 0.5)])
def test_flat_pictures_match_without_harm(pictures, field):
    for one, other in ((field, pictures["china"]), (pictures["china"], field), (field, field)):
        match = bring(seen(one), seen(other))
        assert np.isfinite(match.after) and match.after <= match.before


# A shot of a programme -----------------------------------------------------------------------------------------------------


def proposed(survey, number, *wanted):
    shots = survey.shots()
    findings = [finding for finding in survey.findings(shots) if finding.shot == number]
    with Reader(survey.programme) as reader:
        return propose_look(survey, number, shots[number], findings, lambda n: reader.frame(n).planes, wanted, AIMS)


@pytest.mark.parametrize("number", range(1, 11))
def test_what_is_made_bearable_is_legal(demo_survey, number):
    proposal, shot = proposed(demo_survey, number, Wanted.BEARABLE), demo_survey.shots()[number]
    treat = FrameTreatment(proposal.treatment, demo_survey.source, region=demo_survey.region)
    with Reader(demo_survey.programme) as reader:
        frame = (shot.first + shot.last) // 2
        planes = treat.apply(reader.frame(frame).planes, frame - shot.first)
    measure = measure_by_rules(planes, demo_survey.source, demo_survey.region, demo_survey.rules)
    assert not any(demo_survey.rules.outside(area) for area in areas_outside(measure).values()), proposal.reasons


def test_bars_are_left_alone(demo_survey):
    proposal = proposed(demo_survey, 0, Wanted.BEARABLE)
    assert proposal.treatment == () and "bars" in proposal.left[0]


def test_frames_that_can_not_be_read_are_passed_over(demo_survey):
    with Reader(demo_survey.programme) as reader:
        planes = reader.frame(200).planes
        given_ = demo_survey.source, demo_survey.region
        pixels = look_at(lambda n: planes if n == 7 else None, [3, 7], *given_)
        assert isinstance(pixels, Pixels) and len(pixels.rgb) == 1
        with pytest.raises(MediaError, match="None of the frames"):
            look_at(lambda n: None, [3, 7], *given_)


def test_a_proposal_comes_after_the_steps_that_are_there(demo_survey):
    shots = demo_survey.shots()
    own = (Tone(exposure=-1), Balance((1.2, 1, 0.9)))
    with Reader(demo_survey.programme) as reader:
        made = propose_look(
            demo_survey, 2, shots[2], [], lambda n: reader.frame(n).planes, [Wanted.EXPOSURE, Wanted.BALANCE], AIMS, own
        )
    assert made.treatment[:2] == own, "dark and tinted cards: both are proposed on what they leave"
    assert [type(step) for step in made.treatment[2:4]] == [Tone, Balance] and all(step.limits for step in made.treatment[4:])


@pytest.mark.parametrize("wanted", [Wanted.EXPOSURE, Wanted.BEARABLE])
def test_no_pixel_is_put_outside_that_was_inside(demo_survey, wanted):
    source, region, changed = demo_survey.source, demo_survey.region, 0
    findings, shots = demo_survey.findings(demo_survey.shots()), demo_survey.shots()
    with Reader(demo_survey.programme) as reader:
        for number, shot in enumerate(shots):
            own = [finding for finding in findings if finding.shot == number]
            made = propose_look(demo_survey, number, shot, own, lambda n: reader.frame(n).planes, [wanted], AIMS)
            treat = FrameTreatment(made.treatment, source, region=region)
            changed += bool(made.treatment)
            for frame in range(shot.first, shot.last + 1, 9) if made.treatment else ():
                planes = reader.planes(frame)
                before, after = (
                    measure_by_rules(each, source, region, demo_survey.rules).outside_area
                    for each in (planes, treat.apply(planes, frame))
                )
                assert after <= before, f"shot {number + 1}, frame {frame}"
    assert changed >= 3


# Aims ---------------------------------------------------------------------------------------------------------------------


def test_aims_are_the_operators_own_where_there_are_any(tmp_path):
    assert load_aims() == AIMS
    own = tmp_path / "config" / "bluffline" / "aims.toml"
    own.parent.mkdir(parents=True)
    text = "[levels]\nblack = 5\nhighlights = [85, 95]\nwhite_text = 90\nmiddle = [30, 50]\nface = [50, 60]\n"
    own.write_text('title = "Mine"\n' + text + "[colour]\nskin = 123\nskin_off = 5\nchroma = [8, 30]\n")
    assert load_aims().title == "Mine" and load_aims().levels.black == 5


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("levels = 3", "levels must be an object"),
        ("[levels]\nblack = true", "black must be a number"),
        ("title = [", "aims.toml:"),
        ("[levels]\nblack = 3\nhighlights = [100, 90]\nwhite_text=90\nmiddle=[1,2]\nface=[1,2]", "highlights must run upwards"),
        ("[levels]\nwhat = 3", "no figure 'what'"),
        ('title = "x"', "lacks"),
    ],
)  # fmt: skip
def test_aims_that_are_none_are_told_in_a_sentence(tmp_path, text, words):
    path = tmp_path / "aims.toml"
    path.write_text(text)
    with pytest.raises(RulesError, match=words.replace("[", r"\[")):
        load_aims(path)
