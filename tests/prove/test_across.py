"""Where two shots are mixed, what both would get is mixed as their pictures are, and held within the limits of both."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.media.codecs import codec_for
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove.across import AcrossTreatment, Beside, across, beside
from bluffline.prove.prove import ProveRequest, propose_all, prove
from bluffline.prove.render import render
from bluffline.prove.runs import PieceAsked
from bluffline.prove.trial import try_treatment
from bluffline.report.keys import Keys
from bluffline.report.pages import certificate_page
from bluffline.rules.columns import percent_columns
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition, TransitionKind
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import must_fix, run_survey, start_survey
from bluffline.treat.frame_treatment import FrameTreatment
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.view.small import hatched
from clips import blocks, dissolved, signal

FIRST, LAST, COUNT = 30, 49, 80
DISSOLVE = Transition(TransitionKind.DISSOLVE, FIRST, LAST)
DARKER, HELD = (Tone(gain=(0.8, 1, 1, 1)),), (SoftCeiling(103, 109.5, 90), ChromaRein(-5, 105))
_ROUNDED = 1.0  # codes: what is mixed is rounded once more


@pytest.fixture(scope="module")
def survey(tmp_path_factory):
    clip = dissolved(tmp_path_factory.mktemp("mixed") / "mixed.mkv", blocks(1, 1.04), blocks(2, 1.09), FIRST, LAST, COUNT)
    return run_survey(start_survey(probe(clip), load_rules("r103")), Monitor())


def test_the_survey_knows_what_mixes_its_shots(survey):
    shots = survey.shots()
    assert shots == [Shot(0, 39), Shot(40, 79)] and shots[0].closes == shots[1].opens == DISSOLVE


def planes_of(path, frames):
    with Reader(probe(path)) as reader:
        return {number: reader.planes(number) for number in frames}


def test_each_frame_gets_of_both_what_it_has_of_both(survey, tmp_path):
    source, target = survey.source, tmp_path / "out.mkv"
    made = codec_for(target, "ffv1")
    render(survey.programme, source, survey.shots(), {0: DARKER}, target, made, Monitor(), region=survey.region)
    at = [0, FIRST - 1, FIRST, 38, 40, LAST, LAST + 1, 79]
    given, written = planes_of(survey.programme.path, at), planes_of(target, at)
    darker = FrameTreatment(DARKER, source)
    for number in at:
        share = min(max(DISSOLVE.share(number), 0), 1)
        wanted = [
            one + (other.astype(float) - one) * share
            for one, other in zip(darker.apply(given[number]), given[number], strict=True)
        ]
        for made, plane in zip(written[number], wanted, strict=True):
            most = np.abs(made[:, : plane.shape[1]] - plane).max()
            assert most == 0 if share in (0, 1) else most <= _ROUNDED, number


def test_what_is_written_is_legal_where_one_shot_needs_nothing_and_the_other_much(survey, tmp_path):
    shots, target = survey.shots(), tmp_path / "legal.mkv"
    late = [each for each in survey.findings() if each.shot == 1]
    treatments = {each.shot: each.treatment for each in propose_all(survey, shots, late)}
    assert set(treatments) == {1}
    made = []

    def certify(proof):
        made.append(certificate_page(proof, Keys().own().public, hatched))
        return {}

    proof = prove(ProveRequest(survey, shots, treatments, target, codec_for(target, "ffv1")), Monitor(), certify)
    assert must_fix(survey.findings()) and not must_fix([each for each in proof.after_findings if each.shot == 1])
    words = "Frames 30 to 39 of shot 1 are mixed with shot 2 by a dissolve"
    assert words in made[0], "and the certificate does not say that they are as they were"
    high = percent_columns(proof.after.table, proof.after.source)["rgb_max"][FIRST : LAST + 1]
    assert high.max() <= 105.01, "the limits of the shot that comes hold from its first frame on"


def test_a_trial_measures_what_is_mixed_in_too(survey, tmp_path):
    shots, treatments, target = survey.shots(), {0: DARKER, 1: HELD}, tmp_path / "tried.mkv"
    written, _ = render(
        survey.programme, survey.source, shots, treatments, target, codec_for(target, "ffv1"), Monitor(), region=survey.region
    )
    after = run_survey(replace(start_survey(written, survey.rules, region=survey.region), exact=tuple(shots)), Monitor())
    for number, shot in enumerate(shots):
        others = beside(shots, number, treatments)
        assert [each.steps for each in others] == [treatments[1 - number]]
        with Reader(survey.programme) as reader:
            trial = try_treatment(survey, shot, treatments[number], reader, Monitor(), others=others)
        for name, column in percent_columns(after.table, after.source).items():
            assert np.array_equal(trial.columns[name], column[shot.first : shot.last + 1]), (number, name)


def test_shots_of_one_ladder_are_not_mixed_and_untouched_ones_stay_what_they_are(survey):
    shots = survey.shots()
    assert beside(shots, 0, {0: HELD, 1: HELD}) == () and beside(shots, 0, {}) == ()
    assert across(shots, {}, survey.source, None) == {}
    off = {0: tuple(replace(step, on=False) for step in HELD)}
    assert not any(each.active for each in across(shots, off, survey.source, None).values())
    assert beside(shots, 1, {0: DARKER}) == (Beside(DISSOLVE, DARKER, comes=False),), "one without a ladder is mixed as well"


def test_a_shot_without_a_ladder_is_treated_where_another_is_mixed_into_it():
    source = signal(64, 48)
    mixed = AcrossTreatment((), [Beside(DISSOLVE, DARKER, comes=False)], source)
    assert mixed.active and AcrossTreatment(DARKER, [], source).active and not AcrossTreatment((), [], source).active


def test_what_fades_keeps_its_own_ladder_and_a_run_knows_those_that_are_mixed_into_it(survey):
    fade = Transition(TransitionKind.FADE_OUT, 30, 39)
    assert beside([Shot(0, 39, closes=fade), Shot(40, 79)], 0, {0: DARKER}) == ()
    run = PieceAsked(survey.programme, survey.source, survey.shots(), {1: HELD}, None, None, 0, 40, None)
    assert run.treated == {1: HELD}
    far = replace(run, shots=[Shot(n, n) for n in range(80)], treatments=dict.fromkeys((3, 39, 40, 41), HELD), first=10)
    assert run.treated == {1: HELD} and far.treated == {39: HELD, 40: HELD}, "of others it need not know"


def test_treatments_of_shots_that_there_are_not_are_nobodys():
    assert across([Shot(0, 9)], {1: DARKER}, signal(64, 48), None) == {}
