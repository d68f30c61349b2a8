"""Every act on the work among all others: nothing is lost but by acts that say so, and undo restores to the byte."""

import json
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from bluffline.errors import SettingsError
from bluffline.measure.areas import Shape
from bluffline.propose.propose import Proposal
from bluffline.rules.shots import Shot
from bluffline.session.document import Document
from bluffline.session.place import Place
from bluffline.session.store import work_from, work_text
from bluffline.session.work import OWN
from bluffline.session.workfile import WorkFile
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.level_remap import LevelRemap
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.step import Heading

COUNT = 60
KINDS = (
    lambda n: Tone(exposure=n / 1000),
    lambda n: SoftCeiling(100.0 - n / 1000, 110.0, 90.0),
    lambda n: ChromaRein(-n / 1000, 105.0),
    lambda n: LevelRemap(low_in=n / 1000, high_in=100.0, low_out=0.0, high_out=100.0),
)
shots = st.lists(st.integers(1, COUNT - 1), max_size=5, unique=True)
places = st.integers(0, 5)


def divided(cuts):
    starts = [0, *sorted(cuts)]
    return [Shot(first, after - 1) for first, after in zip(starts, [*starts[1:], COUNT], strict=True)]


def mark(step):
    """What one step is known by, whatever heading it stands under and whether it is in force."""
    figures = {"Tone": "exposure", "SoftCeiling": "limit", "ChromaRein": "low", "LevelRemap": "low_in"}
    return type(step).__name__, getattr(step, figures[type(step).__name__])


class Acts(RuleBasedStateMachine):
    def __init__(self):
        super().__init__()
        self.made = 0
        self.known = SimpleNamespace(survey=None, shots=[], findings=[], programme=SimpleNamespace(frame_count=COUNT))
        self.place = Place(self.known)
        self.document = Document(self.known, self.place, self._divide)
        self.document.begin()
        self.asked = []
        self.files = []

    def _divide(self):
        self.known.shots = self.document.work.cuts.of(self.document.found)

    def _step(self, kind):
        self.made += 1
        return KINDS[kind](self.made)

    def _held(self):
        """The marks of all steps that can be reached or are kept aside."""
        work = self.document.work
        own = [step for steps in work.treatments.values() for step in steps]
        shared = [step for each in work.shared for step in each.steps]
        return {mark(step) for step in (*own, *shared, *(step for kept in work.aside for step in kept.treatment))}

    def _keeps(self, act):
        """Do something that takes nothing away."""
        before = self._held()
        with suppress(SettingsError):
            act()
        assert before <= self._held(), f"lost: {before - self._held()}"

    @initialize(cuts=shots)
    def surveyed(self, cuts):
        self.document.carry(divided(cuts))
        self._divide()

    # Acts that give or move --------------------------------------------------------------------------------------------

    @rule(frame=st.integers(0, COUNT - 1))
    def look_at(self, frame):
        self.place.go_to(frame)

    @rule(kind=st.integers(0, 3))
    def add(self, kind):
        self._keeps(lambda: self.document.add(self._step(kind), "Add"))

    @rule(kinds=st.lists(st.integers(0, 3), max_size=3), everywhere=st.booleans())
    def paste(self, kinds, everywhere):
        steps = tuple(self._step(kind) for kind in kinds)
        self.document.paste(range(len(self.known.shots)) if everywhere else [self.place.shot], steps, "Paste")

    @precondition(lambda self: self.document.treatment)
    @rule(place=places, by=st.sampled_from([-1, 1]))
    def move(self, place, by):
        self._keeps(lambda: self.document.move_step(place % len(self.document.treatment), by))

    @precondition(lambda self: self.document.treatment)
    @rule(place=places, heading=st.sampled_from(list(Heading)), name=st.sampled_from(["", "a", "b"]))
    def move_to(self, place, heading, name):
        self._keeps(lambda: self.document.move_to(place % len(self.document.treatment), heading, name))

    @rule(name=st.sampled_from("ab"), members=st.sets(places, min_size=1, max_size=2), given_own=st.booleans())
    def group(self, name, members, given_own):
        within = sorted({number % len(self.known.shots) for number in members})
        rungs = self.document.work.rungs(self.place.shot)
        given = [n for n, rung in enumerate(rungs) if rung[0] == OWN] if given_own else []
        self._keeps(lambda: self.document.set_group(name, within, given))

    @rule(kinds=st.lists(st.integers(0, 3), min_size=1, max_size=2), members=st.sets(places, min_size=1))
    def accept(self, kinds, members):
        work, found = self.document.work, sorted({number % len(self.known.shots) for number in members})
        proposals = [
            Proposal(number, (*work.ladder(number), *(self._step(kind) for kind in kinds)), ("why",)) for number in found
        ]
        self._keeps(lambda: self.document.accept(proposals))
        for _ in found:
            self.document.undo()
        assert work_text(self.document.work) == work_text(work), "each can be taken back by itself"
        for _ in found:
            self.document.redo()

    @rule()
    def ladder_given_again(self):
        before = self.document.treatment
        self.document.give(self.place.shot, before, "Put", ())
        assert sorted(map(mark, self.document.treatment)) == sorted(map(mark, before)), "nothing acts twice"

    # Acts that divide ------------------------------------------------------------------------------------------------

    @rule()
    def split(self):
        self._keeps(self.document.split_shot)

    @rule(starts=st.sets(st.integers(1, COUNT - 1), max_size=4))
    def divide_by_a_list(self, starts):
        self._keeps(lambda: self.document.divide_by(sorted(starts), "Take the cuts"))
        assert [shot.first for shot in self.known.shots] == sorted({0, *starts})

    @rule()
    def join(self):
        self._keeps(self.document.join_shot)

    @rule(cuts=shots)
    def surveyed_otherwise(self, cuts):
        self._keeps(lambda: (self.document.carry(divided(cuts)), self._divide()))

    @rule()
    def give_aside(self):
        self._keeps(self.document.give_aside)

    # Acts that change or take away ---------------------------------------------------------------------------------------

    @precondition(lambda self: self.document.treatment)
    @rule(place=places)
    def remove(self, place):
        place %= len(self.document.treatment)
        gone, before = mark(self.document.treatment[place]), self._held()
        self.document.remove_step(place)
        assert before - self._held() <= {gone}

    @precondition(lambda self: self.document.treatment)
    @rule(place=places, bypassed=st.booleans())
    def bypass(self, place, bypassed):
        self._keeps(lambda: self.document.bypass_step(place % len(self.document.treatment), bypassed=bypassed))

    @rule(heading=st.sampled_from(list(Heading)))
    def bypass_heading(self, heading):
        self._keeps(lambda: self.document.bypass_heading(heading))

    @rule()
    def bypass_shot(self):
        self._keeps(self.document.bypass_shot)

    @rule(heading=st.sampled_from(list(Heading)))
    def reset_heading(self, heading):
        before = self._held()
        gone = {mark(step) for step in self.document.treatment if step.place is heading}
        self.document.reset_heading(heading)
        assert before - self._held() <= gone

    @rule()
    def reset_shot(self):
        own, before = {mark(step) for step in self.document.own}, self._held()
        self.document.reset_shot()
        assert before - self._held() <= own

    @rule(name=st.sampled_from("ab"))
    def end_group(self, name):
        self.document.set_group(name, ())

    @rule(number=places, only_here=st.booleans())
    def draw(self, number, only_here):
        areas = self.document.work.areas
        if len(areas) < 3:
            self.document.drawn.add(Shape.RECTANGLE, [(1, 1), (9, 9)])
        else:
            self.document.drawn.move(number % len(areas), 1, 2, only_here=only_here)

    @rule(at=st.integers(1, 9))
    def mark(self, at):
        before = {each.area.name: each for each in self.document.work.areas}
        self.document.drawn.mark("face", Shape.ELLIPSE, [(at, at), (at + 5, at + 5)])
        after = {each.area.name: each for each in self.document.work.areas}
        shot = self.document.shot
        assert after["face"].in_shot(shot).points == ((at, at), (at + 5, at + 5))
        elsewhere = {number: area for number, area in after.pop("face").shots.items() if number != shot}
        was = before.pop("face", None)
        assert after == before and (was is None or elsewhere.items() <= was.shots.items()), "all else stays where it was"

    # What comes late -----------------------------------------------------------------------------------------------------

    @rule(place=places, whole=st.booleans())
    def ask(self, place, whole):
        ladder = self.document.treatment
        if ladder and not whole:
            self.asked.append(self.document.ask([self.document.shot], place % len(ladder)))
        else:
            self.asked.append(self.document.ask(range(len(self.known.shots))))

    @precondition(lambda self: self.asked)
    @rule(which=places, behind=st.booleans(), kind=st.integers(0, 3))
    def a_result_comes(self, which, behind, kind):
        """Whatever was done since: to the very shot and step, beside the rest; or it is told why not, and nothing is done."""
        asked, document = self.asked.pop(which % len(self.asked)), self.document
        before, text = self._held(), work_text(document.work)
        if asked.rung is None:
            settled = document.settle(asked)
            assert {*settled.same, *settled.changed, *settled.gone} == set(asked.ladders)
            for number, now in settled.same.items():
                assert document.work.ladder(now) == asked.ladders[number] and self.known.shots[now] == asked.shots[number]
            given = [Proposal(now, (*asked.ladders[n], self._step(kind)), ()) for n, now in settled.same.items()]
            self._keeps(lambda: document.accept(given))
            return
        self.made += 1
        made = []

        def changed(step):
            made.append(KINDS[[*map(type, (make(0) for make in KINDS))].index(type(step))](self.made))
            return replace(made[0], on=step.on, heading=step.heading, reach=step.reach)

        why = document.settle_step(asked, changed, "Settle", behind=behind)
        if why:
            assert work_text(document.work) == text and not made
            return
        now = self.known.shots.index(asked.shots[asked.number])
        assert mark(made[0]) in {mark(step) for step in document.work.ladder(now)}, "on its shot, wherever one looks"
        assert before - self._held() <= {mark(asked.step)}

    @rule()
    def save(self):
        file = WorkFile(Path(), None, 0, list(self.document.found), self.document.work, same=True)
        self.files = [*self.files, file][-2:]

    @precondition(lambda self: self.files)
    @rule(which=st.integers(0, 1))
    def bring(self, which):
        names = {followed.area.name for followed in self.document.work.areas}
        self._keeps(lambda: self.document.bring(self.files[which % len(self.files)]))
        self._divide()
        brought = [followed.area.name for followed in self.document.work.areas]
        assert names <= set(brought) and len(set(brought)) == len(brought)

    # Undo, and keeping ---------------------------------------------------------------------------------------------------

    @rule(count=st.integers(1, 6))
    def undo_and_redo(self, count):
        before, steps = work_text(self.document.work), 0
        while steps < count and self.document.undoes is not None:
            self.document.undo()
            steps += 1
        for _ in range(steps):
            self.document.redo()
        assert work_text(self.document.work) == before

    @rule(count=st.integers(1, 3))
    def undo(self, count):
        for _ in range(count):
            self.document.undo()

    @rule()
    def keep_and_read_back(self):
        text = work_text(self.document.work)
        assert work_text(work_from(json.loads(text), self.document.found)) == text

    @invariant()
    def every_step_can_be_reached(self):
        work, count = self.document.work, len(self.known.shots)
        reached = {mark(step) for number in range(count) for _, _, step in work.rungs(number)}
        shared = {mark(step) for each in work.shared for step in each.steps}
        own = {mark(step) for steps in work.treatments.values() for step in steps}
        assert not count or shared | own <= reached, f"out of reach: {(shared | own) - reached}"

    @invariant()
    def headings_are_those_of_their_owners(self):
        work = self.document.work
        for steps in work.treatments.values():
            assert {step.place for step in steps} <= {Heading.SHOT, Heading.LIMITS}
        for each in work.shared:
            assert {step.place for step in each.steps} <= {each.heading}


Acts.TestCase.settings = settings(
    max_examples=500, stateful_step_count=30, deadline=None, suppress_health_check=list(HealthCheck)
)
test_acts_on_the_work = Acts.TestCase


def begun(count=2):
    """A machine whose programme has shots of equal length."""
    machine = Acts()
    machine.document.carry(divided([COUNT * n // count for n in range(1, count)]))
    machine._divide()
    return machine.document, machine.place


def test_an_act_that_changes_nothing_is_none():
    document, _ = begun()
    document.add(Tone(0.5), "Add")
    document.replace_step(0, Tone(0.5))
    document.bypass_step(0, bypassed=False)
    assert document.undoes == "Add"
    document.undo()
    document.reset_shot()
    document.reset_heading(Heading.SHOT)
    assert document.redoes == "Add", "and takes nothing from redo"


def test_a_gesture_is_one_of_one_step_of_one_shot():
    document, place = begun()
    for frame in (0, COUNT - 1):
        place.go_to(frame)
        document.add(Tone(0.1), "Add")
        document.add(Tone(0.2), "Add")
    for frame in (0, COUNT - 1):
        place.go_to(frame)
        for rung in (0, 1):
            for exposure in (0.3, 0.4):
                document.replace_step(rung, Tone(exposure), gesture="figure")
    for _ in range(4):
        assert document.undoes == "Change tone"
        document.undo()
    assert document.undoes == "Add"


def test_reasons_hold_for_the_figures_that_they_explain():
    document, _ = begun()
    document.give(0, (Tone(0.5), Tone(0.2)), "Propose", ("dark",))
    document.bypass_step(0, bypassed=True)
    document.bypass_shot()
    document.move_step(0, 1)
    assert document.reasons == {0: ("dark",)}
    document.replace_step(0, Tone(0.7))
    assert document.reasons == {}
    document.undo()
    assert document.reasons == {0: ("dark",)}


def test_the_ladder_in_view_is_its_own_though_the_survey_has_not_come_to_it():
    document, place = begun(3)
    for frame, exposure in ((0, 0.1), (COUNT - 1, 0.3)):
        place.go_to(frame)
        document.add(Tone(exposure), "Add")
    again = Acts()
    again.known.shots = [Shot(0, 11)]  # measured by now, and grows
    again.document.take_up(document.work, divided([20, 40]))
    assert again.document.grow([Shot(0, 11)]) == 0
    again.place.go_to(COUNT - 1)
    assert again.document.treatment == (Tone(0.3),) and again.place.shot == 0
    again.document.drawn.add(Shape.RECTANGLE, [(1, 1), (9, 9)])
    again.document.drawn.move(0, 1, 1, only_here=True)
    assert again.document.work.areas[0].shots.keys() == {2}
    again.document.reset_shot()
    assert dict(again.document.work.treatments) == {0: (Tone(0.1),)}


def test_what_is_kept_aside_is_given_in_exchange_for_what_the_shot_has():
    document, place = begun(3)
    for number, exposure in enumerate((0.1, 0.2, 0.3)):
        document.set_treatment(number, (Tone(exposure),), "own")
    place.go_to(COUNT - 1)
    document.join_shot()
    document.join_shot()
    assert len(document.work.aside) == 2
    seen = set()
    for _ in range(3):
        seen.add(document.treatment)
        document.give_aside()
        assert len(document.work.aside) == 2
    assert seen == {(Tone(0.1),), (Tone(0.2),), (Tone(0.3),)}, "every one can be reached"
