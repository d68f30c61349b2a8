"""Shots that are mixed, on the desk's side: known when all is measured, kept, tried anew when a neighbour's ladder changes."""

import shutil

import pytest

from bluffline.media.probe import probe
from bluffline.media.reader import Reader
from bluffline.prove.trial import try_treatment
from bluffline.rules.rulefile import load_rules
from bluffline.rules.shots import Shot
from bluffline.rules.transitions import Transition, TransitionKind
from bluffline.session.judging import Judge
from bluffline.session.kept_surveys import SurveyStore
from bluffline.session.session import Session
from bluffline.session.store import DocumentStore
from bluffline.session.taking_in import take_in
from bluffline.survey.monitor import Monitor
from bluffline.survey.survey import run_survey, start_survey
from bluffline.treat.kinds.tone import Tone
from clips import blocks, dissolved

RULES = load_rules("r103")
DISSOLVE = Transition(TransitionKind.DISSOLVE, 30, 49)
DARKER = Tone(gain=(0.6, 1, 1, 1))


@pytest.fixture(scope="module")
def clip(tmp_path_factory):
    return dissolved(tmp_path_factory.mktemp("mixed") / "mixed.mkv", blocks(1, 0.9), blocks(2, 0.9), 30, 49, 80)


@pytest.fixture
def session(clip):
    session = Session(RULES)
    session.open(clip)
    run_survey(session.survey, Monitor())
    session.refresh()
    return session


def test_a_survey_is_complete_when_it_knows_what_mixes_its_shots(clip):
    survey, told = start_survey(probe(clip), RULES), []
    judge = Judge(survey)
    run_survey(survey, Monitor(lambda progress: told.append(judge.judge()) if progress.done == 80 else None))
    told.append(judge.judge())
    assert [(each.complete, len(each.shots)) for each in told] == [(False, 1), (True, 2)], "all is measured, not all is known"
    assert told[1].shots[0].closes == DISSOLVE


def test_what_mixes_shots_is_kept_with_the_survey(clip, tmp_path):
    store, path = SurveyStore(tmp_path / "surveys"), shutil.copy2(clip, tmp_path / "mixed.mkv")

    def opened():
        found = take_in(path, RULES, DocumentStore(tmp_path / "work.sqlite"), store)
        found.hold.release()
        return found

    first = opened()
    store.keep(run_survey(first.survey, Monitor()), first.mark)
    again = opened()
    assert store.fill(again.survey, again.mark) and again.survey.complete
    assert again.survey.joins.found == [DISSOLVE] and again.survey.shots()[1].opens == DISSOLVE


def test_shots_divided_by_hand_keep_by_what_they_come_and_go(session):
    session.place.go_to(70)
    session.document.split_shot()
    assert session.shots == [Shot(0, 39), Shot(40, 69), Shot(70, 79)]
    assert (session.shots[1].opens, session.shots[1].closes) == (DISSOLVE, None)
    session.place.go_to(40)
    session.document.join_shot()
    assert session.shots[0].closes is None, "one shot is mixed with nothing"


def _foreseen(session):
    columns = session.treated_columns()
    while not session.foreseen:
        columns = session.treated_columns()
    return columns


def test_the_skyline_foresees_a_mixture_and_a_trial_is_of_the_neighbours_that_it_was_made_beside(session):
    session.document.set_treatment(0, (DARKER,), "darker")
    session.document.set_treatment(1, (Tone(gain=(0.9, 1, 1, 1)),), "by hand")
    foreseen = _foreseen(session)["rgb_max"][40:50].copy()
    with Reader(session.programme) as reader:
        steps, others = session.document.treatments[1], session.beside(1)
        trial = try_treatment(session.survey, session.shots[1], steps, reader, Monitor(), others=others)
    assert (trial.columns["rgb_max"][:10] <= foreseen + 1.0).all(), "a bound, but for chroma between its sites"
    session.document.set_treatment(0, trial.treatment, "alike")
    alone = _foreseen(session)["rgb_max"][40:50]
    assert ((foreseen < alone) == [True] * 10).all(), "and a nearer one than what the shot alone would get"
    session.document.undo()
    session.take_trial(trial)
    assert session.trial_of(1) is trial
    session.document.set_treatment(0, (Tone(gain=(0.7, 1, 1, 1)),), "lighter")
    assert session.trial_of(1) is None, "another ladder is mixed in now"
