"""Every short job among every act: what comes late goes where it was asked for, beside what was done, or it is told why not."""

import threading

import numpy as np
import pytest
from PyQt6.QtWidgets import QApplication

from bluffline.measure.areas import Shape
from bluffline.propose.suggesting import Wanted
from bluffline.session.jobs import Jobs
from bluffline.signal.format import Overrides
from bluffline.signal.levels import Range
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.hue_nudge import HueNudge
from bluffline.treat.kinds.lut import Lut
from bluffline.treat.kinds.tone import Tone
from bluffline.treat.lutfile import step_text_for
from bluffline.treat.reach import Reach, ReachArea

WAIT = 60_000
SHOT, FRAME, ELSEWHERE = 1, 18, 3
AREA = ReachArea(Shape.RECTANGLE, ((10.0, 10.0), (40.0, 60.0)), 5.0)
OWN = (Tone(exposure=0.1, reach=Reach(areas=(AREA,))), Balance((1.1, 1.0, 0.9)))
MORE = HueNudge(turn=5.0)


def lut_file(tmp_path):
    path = tmp_path / "look.cube"
    curve = np.linspace(0.02, 0.98, 17)[:, None].repeat(3, 1).astype(np.float32)
    path.write_text(step_text_for(Lut("look", 0.0, 1.0, curve), ".cube"))
    return path


JOBS = {
    "legalise": lambda desk, _: desk.work.legalise(),
    "propose": lambda desk, _: desk.proposing.propose(Wanted.BEARABLE),
    "match": lambda desk, _: desk.proposing.match_shots([SHOT], 0),
    "follow": lambda desk, _: desk.reaching.follow(),
    "key": lambda desk, _: desk.picking.key_picked([(20.0, 20.0), (40.0, 40.0)], "new"),
    "colour": lambda desk, _: (desk.session.place.choose(1), desk.picking.colour_picked([(20.0, 80.0), (40.0, 100.0)], "new")),
    "neutral": lambda desk, _: desk.balancing.neutral_pick(),
    "bake": lambda desk, _: desk.luts.bake(),
    "lut": lambda desk, tmp_path: desk.luts.take_lut(lut_file(tmp_path)),
}


def look_elsewhere(desk):
    desk.session.place.go_to(ELSEWHERE)


def add(desk):
    desk.session.document.add(MORE, "Add")


def bypass(desk):
    desk.session.document.bypass_step(0, bypassed=True)


def change(desk):
    desk.session.document.replace_step(0, Tone(exposure=0.7, reach=OWN[0].reach))


def remove(desk):
    desk.session.document.remove_step(0)


def split(desk):
    desk.session.place.go_to(20)
    desk.session.document.split_shot()


def undo(desk):
    desk.session.document.undo()


def override(desk):
    desk.session.survey_again(overrides=Overrides(range=Range.FULL), region=desk.session.survey.region)
    desk.work.survey()


ACTS = {act.__name__: act for act in (look_elsewhere, add, bypass, change, remove, split, undo, override)}


@pytest.fixture
def gate(monkeypatch):
    """Jobs wait for it to be opened."""
    opened, run = threading.Event(), Jobs._run

    def waiting(self, *arguments):
        opened.wait(60)
        run(self, *arguments)

    opened.set()
    monkeypatch.setattr(Jobs, "_run", waiting)
    return opened


@pytest.mark.parametrize("act", ACTS)
@pytest.mark.parametrize("job", JOBS)
def test_a_job_among_acts(surveyed_desk, qtbot, tmp_path, gate, job, act):
    desk, document = surveyed_desk, surveyed_desk.session.document
    desk.session.place.go_to(FRAME)
    document.drawn.add(Shape.RECTANGLE, [(10, 70), (60, 120)])
    document.set_treatment(SHOT, OWN if job != "bake" else (Tone(exposure=0.1), OWN[1]), "own")
    desk.session.place.choose(0)
    qtbot.waitUntil(lambda: desk.viewer.frames.idle and desk.session.all_tried, timeout=WAIT)
    gate.clear()
    JOBS[job](desk, tmp_path)
    before = list(desk.session.shots)
    ACTS[act](desk)
    QApplication.processEvents()
    done, undoes = {n: document.work.ladder(n) for n in range(len(desk.session.shots))}, document.undoes
    if act != "override":
        desk.header.say("")
    gate.set()
    qtbot.waitUntil(lambda: desk.work.beside.kind is None and desk.jobs.kind is None and desk.session.surveyed, timeout=WAIT)
    qtbot.wait(20)
    now = {n: document.work.ladder(n) for n in range(len(desk.session.shots))}
    applied = document.undoes != undoes
    if act == "override":
        assert not applied, "what was asked of another reading of the file is dropped"
        told = "measured anew" if job == "legalise" else "read otherwise now"
        assert job == "neutral" or desk.header.message.endswith(f"came to nothing: the programme is {told}"), "and it is said"
        return
    assert applied or desk.header.message, "neither done nor told why not"
    place = next((n for n, shot in enumerate(desk.session.shots) if shot == before[SHOT]), None)
    others = [n for n in now if n != place and now[n] != done[n]]
    assert job == "legalise" or not others, "it goes to the shot that it was asked for, and to no other"
    assert act != "add" or applied or job not in {"follow", "key", "colour"}, "a step is known among others"
    if act == "add" and applied and job != "bake":
        assert any(isinstance(step, HueNudge) for step in now[place]), "beside what was done since"
    if act == "look_elsewhere":
        assert applied and place == SHOT and now[SHOT] != done[SHOT], "wherever one looks by then"
    if act == "split":
        assert not applied or job == "legalise", "its shot is no more"
    if act in {"bypass", "change", "remove"} and job not in {"neutral", "lut", "bake"}:
        assert not applied or job == "legalise", "what was looked for behind steps or on a step that are others now is left out"
