"""What is foreseen of a treatment is what the written file then measures."""

from dataclasses import replace

import numpy as np
import pytest

from bluffline.errors import CancelledError
from bluffline.media.codecs import codec_for
from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove import trial as trial_module
from bluffline.prove.render import render
from bluffline.prove.trial import telling_frames, try_treatment
from bluffline.rules.catalogue import RULES
from bluffline.rules.columns import percent_columns
from bluffline.rules.rulefile import load_rules, parse_rules
from bluffline.rules.shots import Shot
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import THOROUGH_EVERY, run_survey, start_survey
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from clips import make_clip

MEND = (SoftCeiling(103, 109.5, 90), ChromaRein(-5, 105))
LEAVE = (SoftCeiling(106, 109.5, 90),)
WORSEN = (Tone(offset=(-12, 0, 0, 0)),)
STRAY = (SoftCeiling(103, 109.5, 90, hard=True), Tone(gain=(1.01, 1, 1, 1)))


@pytest.fixture(scope="module")
def survey(over_clip):
    return run_survey(start_survey(probe(over_clip), load_rules("r103")), Monitor())


def tried(survey, treatment, frames=None):
    with Reader(survey.programme) as reader:
        return try_treatment(survey, survey.shots()[1], treatment, reader, Monitor(), frames)


def test_the_frames_that_tell_most_are_the_worst_of_the_shot_and_some_all_over_it(survey):
    inside, outside = (replace(survey.findings()[0], worst_frame=frame) for frame in (11, 150))
    assert set(telling_frames(Shot(10, 109), [inside, outside])) - set(telling_frames(Shot(10, 109), [])) == {11}
    assert telling_frames(Shot(10, 109), [])[0] > 10 and telling_frames(Shot(10, 109), [])[-1] < 109


@pytest.mark.parametrize("treatment", [MEND, LEAVE, WORSEN, STRAY, (LevelRemap(),)])
def test_a_trial_of_every_frame_measures_what_the_written_file_does(survey, treatment, tmp_path):
    shots, target = survey.shots(), tmp_path / "out.mkv"
    made = codec_for(target, "ffv1")
    written, _ = render(survey.programme, survey.source, shots, {1: treatment}, target, made, Monitor(), region=survey.region)
    after = run_survey(replace(start_survey(written, survey.rules, region=survey.region), exact=(shots[1],)), Monitor())
    trial = tried(survey, treatment)
    assert trial.whole
    for name, column in percent_columns(after.table, after.source).items():
        assert np.array_equal(trial.columns[name], column[12:]), name
    found = [each for each in after.findings(shots) if each.shot == 1]
    assert [replace(each, shot=1) for each in trial.findings] == found
    assert trial.left(survey.findings()) == sum(each.severity == "must fix" for each in found)


def test_findings_tell_what_becomes_of_them(survey):
    findings = {each.rule: each for each in survey.findings()}
    told = {rule: str(tried(survey, MEND).outcome(finding)) for rule, finding in findings.items()}
    assert told["luma-high"].startswith("109.") and "→ 10" in told["luma-high"]
    assert told["luma-high"].endswith(", answered (before coding)")
    left = tried(survey, LEAVE).outcome(findings["luma-high"])
    last = replace(findings["luma-high"], first_frame=23, last_frame=23)
    assert tried(survey, LEAVE).outcome(last) is not None, "the last frame of a shot is one of it"
    assert not left.answered and left.measured and 103 < left.after <= 106.01 and str(left).endswith(", left (before coding)")
    foreseen = tried(survey, LEAVE, telling_frames(survey.shots()[1], [findings["luma-high"]]))
    assert not foreseen.whole and str(foreseen.outcome(findings["luma-high"])).endswith(", left (foreseen, before coding)")
    assert foreseen.outcome(findings["luma-high"]).after == left.after, "the worst frame is among those that are tried"


def test_what_is_beyond_a_limit_and_kept_is_called_tolerated(tmp_path):
    picture = np.full((72, 128, 3), 0.5)
    picture[:36] = 1.08
    picture[0, :4] = 1.09  # less than a hundredth of the picture
    clip = make_clip(tmp_path / "stray.mkv", lambda _: picture, 12)
    survey = run_survey(start_survey(probe(clip), load_rules("r103")), Monitor())
    [finding] = [each for each in survey.findings() if each.rule == "luma-high"]
    with Reader(survey.programme) as reader:
        trial = try_treatment(survey, survey.shots()[0], (Tone(gain=(0.95, 1, 1, 1)),), reader, Monitor())
    outcome = trial.outcome(finding)
    assert outcome.answered and outcome.after > 103 and outcome.tolerated, str(outcome)
    assert str(outcome).endswith(", tolerated (before coding)")


class Damaged:
    """A reader of a file in which some frames can't be read."""

    def __init__(self, reader, damaged):
        self._reader, self._damaged = reader, damaged

    def planes(self, number):
        return None if number in self._damaged else self._reader.planes(number)


@pytest.mark.parametrize("frames", [None, [13, 18, 22]])
def test_frames_that_cannot_be_read_answer_nothing(survey, frames):
    shot, findings = survey.shots()[1], [each for each in survey.findings() if each.shot == 1]
    with Reader(survey.programme) as reader:
        none = try_treatment(survey, shot, MEND, Damaged(reader, range(12, 24)), Monitor(), frames)
        some = try_treatment(survey, shot, LEAVE, Damaged(reader, [13]), Monitor(), frames)
        whole = try_treatment(survey, shot, LEAVE, reader, Monitor(), frames)
    assert [none.outcome(each) for each in findings] == [None] * len(findings) and none.left(findings) == len(findings)
    assert some.left(findings) == whole.left(findings) <= len(findings)
    assert some.outcome(findings[0]).after == pytest.approx(whole.outcome(findings[0]).after, abs=0.5)


@pytest.mark.parametrize("rule", ["chart", "fields", "sound", "levels", "missing", "unreadable"])
def test_what_no_treatment_has_a_say_in_is_never_called_answered(survey, rule):
    finding = replace(survey.findings()[0], rule=rule)
    trial = tried(survey, MEND)
    assert trial.outcome(finding) is None
    assert trial.left([]) == 0 and trial.left([finding]) == 1


def test_a_trial_is_made_under_rules_that_ask_for_everything(survey):
    """What is asked of a file as a whole is no matter of some frames, and never stands in their way."""
    sections = [rule.key for rule in RULES if rule.section is not None and rule.key != "chart"]
    text = "[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n" + "".join(f"[{key}]\n" for key in sections)
    asking = replace(survey, rules=parse_rules(text.replace("[shape]\n", "[shape]\nwidth = 1920\n"), "all"))
    every, some = tried(asking, MEND), tried(asking, MEND, [13, 17])
    assert every.whole and every.left([]) == 0 == some.left([])
    assert {each.rule for each in tried(asking, LEAVE).findings} >= {"luma-high"}


def test_a_trial_is_stopped_between_two_frames(survey):
    monitor = Monitor(lambda progress: monitor.cancel() if progress.done == 3 else None)
    with Reader(survey.programme) as reader, pytest.raises(CancelledError):
        try_treatment(survey, survey.shots()[1], MEND, reader, monitor)


def test_runs_too_short_for_the_rules_are_none_where_every_frame_was_tried(survey):
    patient = replace(survey, rules=replace(survey.rules, frames=13))  # of a shot of twelve
    some, every = tried(patient, LEAVE, [14, 20]), tried(survey, LEAVE)
    assert {each.rule for each in some.findings} == {each.rule for each in every.findings}
    assert not tried(patient, LEAVE).findings


def test_every_frame_is_looked_at_as_the_survey_does_and_few_are_looked_at_in_full(survey, monkeypatch):
    looked, measure = {}, trial_module.measure_by_rules

    def measured(*arguments, thorough):
        looked[len(looked)] = thorough
        return measure(*arguments, thorough=thorough)

    monkeypatch.setattr(trial_module, "measure_by_rules", measured)
    tried(survey, MEND)
    assert [thorough for _, thorough in sorted(looked.items())] == [number % THOROUGH_EVERY == 0 for number in range(12, 24)]
    looked.clear()
    tried(survey, MEND, [13, 17])
    assert list(looked.values()) == [True, True]
