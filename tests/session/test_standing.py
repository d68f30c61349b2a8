"""What is made of every shot's ladder is made again only where it changed: the same as made anew, whatever was done between."""

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bluffline.errors import SettingsError
from bluffline.prove.across import beside
from bluffline.prove.trial import Trial
from bluffline.rules.finding import Waiver
from bluffline.session.treated_columns import TreatedColumns
from bluffline.session.trials import Trials
from bluffline.survey.survey import must_fix
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.ladder import acts
from bluffline.treat.step import Heading

LADDERS = ((), (SoftCeiling(103, 109.5, 90),), (Tone(exposure=0.2), ChromaRein(-5, 105)), (Tone(on=False),))
ACTS = st.tuples(
    st.sampled_from(["set", "set", "paste", "source", "group", "undo", "redo", "split", "join", "try", "try", "waive"]),
    st.integers(0, 23),
    st.integers(0, 3),
)


def made_up(session, number, which):
    """A trial of the ladder that a shot has, or of another one; of all its frames, or of some."""
    shot, ladder = session.shots[number], session.document.treatments.get(number, LADDERS[1])
    frames = np.arange(shot.first, shot.last + 1)[:: 1 + which % 2]
    random = np.random.default_rng(which)
    columns = {name: random.uniform(0, 100, len(frames)) for name in session.source_columns()}
    others = beside(session.shots, number, session.document.treatments)
    left = [found for found in session.findings if found.shot == number][: which % 3]
    treatment = ladder if which < 3 else LADDERS[2]
    return Trial(session.survey, shot, treatment, frames, np.ones(len(frames), bool), columns, left, "", others)


def do(session, act, where, which):
    document, number = session.document, where % len(session.shots)
    session.place.go_to(where)
    match act:
        case "set":
            document.set_treatment(number, LADDERS[which], "by hand")
        case "paste":
            document.paste(range(0, len(session.shots), which + 1), LADDERS[which], "paste")
        case "source":
            document.add(Tone(exposure=which / 10, heading=Heading.SOURCE), "for every shot")
        case "group":
            document.set_group(f"group {which}", range(number + 1), range(len(document.treatment)))
        case "undo":
            document.undo()
        case "redo":
            document.redo()
        case "split":
            document.split_shot()
        case "join":
            document.join_shot()
        case "try":
            session.take_trial(made_up(session, number, which))
        case "waive":
            if session.findings:
                found = session.findings[which % len(session.findings)]
                document.waive(Waiver("as meant", "the director", "2026-11-30T12:00:00+00:00", found.rule))


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(acts_done=st.lists(ACTS, max_size=25), looked_at=st.sets(st.integers(0, 25)))
def test_it_is_what_would_be_made_anew(session, acts_done, looked_at):
    while session.document.undoes:
        session.document.undo()
    session.trials = Trials()
    for place, (act, where, which) in enumerate(acts_done):
        try:
            do(session, act, where, which)
        except SettingsError:
            continue
        if place not in looked_at:  # nobody has to have looked in between
            continue
        ladders = session.document.work.ladders(len(session.shots))
        assert session.document.treatments == ladders
        for number, standing in session.standing.items():
            others = beside(session.shots, number, ladders)
            trial = session.trials.of(session.survey, session.shots[number], ladders[number], "", others)
            wanted = session.shots[number], ladders[number], others, trial if acts(ladders[number]) else None
            assert (standing.shot, standing.steps, standing.others, standing.trial) == wanted
        assert session.standing.keys() == ladders.keys()
        known = session.treated_columns()
        while not session.foreseen:
            session.foresee()
        fresh = TreatedColumns().of(session._judged, session.standing)
        assert all(np.array_equal(known[name], fresh[name]) for name in fresh)
        left = 0
        for number in range(len(session.shots)):
            found = must_fix([each for each in session.findings if each.shot == number])
            trial = session.trial_of(number)
            left += len(found) if trial is None else trial.left(found, session.document.work.waivers)
        assert session.left_count == left
