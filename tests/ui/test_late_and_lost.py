"""What comes late lands nowhere, what goes wrong ends nothing, and what was done is kept: through the real desk."""

import threading

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QDialog, QMessageBox

from bluffline.measure.areas import Shape
from bluffline.rules.shots import Shot
from bluffline.session import judging, kept_surveys
from bluffline.session.faults import Fault
from bluffline.session.fingerprint import fingerprint
from bluffline.session.jobs import Kind
from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.session.store import Known
from bluffline.session.work import Work
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.treat.kinds.tone import Tone
from bluffline.ui.application import _session
from bluffline.ui.desk import Desk
from bluffline.ui.dialogs.kept import KeptDialog
from clips import make_clip, numbered

WAIT = 120_000
UNKNOWN_CHART = 'title = "Odd"\n[limits]\nluma = [-1, 103]\nrgb = [-5, 105]\n[chart]\nreference = "majolica-99"\nmean = 2.0\n'


class Held:
    """Holds calls of a function back until they are let go, and counts them."""

    def __init__(self, function):
        self.function, self.begun, self.free, self.calls = function, threading.Event(), threading.Event(), 0

    def __call__(self, *arguments, **named):
        self.calls += 1
        self.begun.set()
        assert self.free.wait(60)
        return self.function(*arguments, **named)


@pytest.fixture
def hold(monkeypatch):
    """Hold back what the desk calls by a name; all is let go at the end."""
    held = []

    def of(module, name):
        one = Held(getattr(module, name))
        monkeypatch.setattr(module, name, one)
        held.append(one)
        return one

    yield of
    for one in held:
        one.free.set()


@pytest.fixture
def other_clip(tmp_path):
    return make_clip(tmp_path / "other.mkv", numbered, 12)


def test_a_legalise_that_ends_after_another_file_was_opened_gives_it_nothing(surveyed_desk, qtbot, hold, other_clip):
    from bluffline.ui.actions import long_work

    desk = surveyed_desk
    held = hold(long_work, "propose_all")
    desk.work.legalise()
    assert held.begun.wait(60)
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        assert desk.open(other_clip)
        held.free.set()
    qtbot.waitUntil(lambda: not [t for t in threading.enumerate() if "bluffline-job" in t.name], timeout=WAIT)
    assert (
        desk.session.programme.path == other_clip
        and not desk.session.document.treatments
        and desk.session.document.undoes is None
    )


def test_a_step_that_is_added_while_legalise_computes_stays_and_it_is_told(surveyed_desk, qtbot, hold):
    from bluffline.ui.actions import long_work

    desk = surveyed_desk
    document = desk.session.document
    held = hold(long_work, "propose_all")
    desk.work.legalise()
    assert held.begun.wait(60)
    for number in range(len(desk.session.shots)):
        document.set_treatment(number, (Tone(0.1 + number / 10),), "by hand")
    mine = dict(document.work.treatments)
    held.free.set()
    qtbot.waitUntil(lambda: desk.jobs.kind is None and "Legalise" in desk.header.message, timeout=WAIT)
    assert dict(document.work.treatments) == mine and "left as you made them meanwhile" in desk.header.message
    desk.work.legalise()
    qtbot.waitUntil(lambda: desk.jobs.kind is None and "the least treatment" in desk.header.message, timeout=WAIT)
    assert all(mine[number][0] in document.work.treatments[number] for number in mine)


def test_work_is_offered_for_a_delivery_that_comes_again_under_its_name(desk, qtbot, tmp_path):
    path = tmp_path / "p.mkv"

    def shown(number):
        y, x = np.mgrid[:48, :64] / 64
        colour = [x, y, 1 - x] if number < 12 else [1 - y, 0.2 + 0 * x, x * y]
        return np.stack(colour, axis=-1) * (0.6 + number / 200)

    def delivered(make):
        make()
        with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
            assert desk.open(path)
        qtbot.waitUntil(lambda: desk.work.beside.kind is None and desk.jobs.kind is None, timeout=WAIT)

    document = desk.session.document
    delivered(lambda: make_clip(path, shown, 24))
    first = path.read_bytes()
    assert len(desk.session.shots) == 2 and desk.work.earlier.offered is None and not desk.acts["before"].isEnabled()
    document.set_treatment(1, (Tone(0.2),), "by hand")
    desk.work.keep_now()
    delivered(lambda: make_clip(path, lambda number: shown(number + 6), 18))
    assert document.work == Work() and "2 of its 2 shots are here" in desk.header.message
    desk.refresh_commands()
    assert desk.header.offer.text() == "Earlier delivery: work on 2 shots …" and desk.header.offer.isVisible()
    desk.header.say("Other news")
    assert desk.header.offer.isVisible(), "it stands for as long as it can be taken"
    qtbot.mouseClick(desk.header.offer, Qt.MouseButton.LeftButton)
    assert dict(document.work.treatments) == {1: (Tone(0.2),)} and desk.work.earlier.offered is None
    assert not desk.header.offer.isVisible()
    document.undo()
    assert document.work == Work() and desk.header.offer.isVisible(), "there again once nothing is done here"
    delivered(lambda: path.write_bytes(first))
    assert dict(document.work.treatments) == {1: (Tone(0.2),)}, "and the first has its own"


def test_an_error_in_a_job_leaves_no_cancel_standing(surveyed_desk, qtbot, monkeypatch):
    desk = surveyed_desk
    for error, words, more in (
        (OSError(5, "Input/output error", "/store/p.mov"), "The system refused: /store/p.mov", False),
        (ZeroDivisionError("division by zero"), "was not foreseen (ZeroDivisionError", True),
    ):

        def fail(*_, error=error):
            raise error

        with monkeypatch.context() as patch:
            patch.setattr(judging, "run_survey", fail)
            desk.programmes.survey_again()
            qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
        assert words in desk.header.message and desk.header.cancel_button.isHidden() and desk.header.bar.isHidden()
        assert desk.header.details.isHidden() is not more
    told = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.detailedText()))
    desk.header.details.click()
    assert "ZeroDivisionError: division by zero" in told[0] and desk.header.details.isHidden()
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        desk.programmes.survey_again()
    assert desk.session.surveyed


def test_an_error_in_a_frame_is_told_and_the_next_is_made(surveyed_desk, qtbot, monkeypatch):
    from bluffline.ui.picture import workers

    desk, whole = surveyed_desk, workers.make_preview

    def fail(frame, *rest):
        if frame == 5:
            raise ValueError("no such thing")
        return whole(frame, *rest)

    monkeypatch.setattr(workers, "make_preview", fail)
    with qtbot.waitSignal(desk.viewer.failed, timeout=WAIT):
        desk.session.place.go_to(5)
    assert "Frame 5 ended in an error" in desk.header.message
    with qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        desk.session.place.go_to(6)
    assert desk.viewer.shown == 6


def test_a_frame_of_the_file_before_is_not_shown_under_the_new_one(surveyed_desk, qtbot, hold, other_clip):
    from bluffline.ui.picture import workers

    desk = surveyed_desk
    held = hold(workers, "make_preview")
    desk.session.place.go_to(9)
    assert held.begun.wait(60)
    shown = []
    desk.frame_shown.connect(shown.append)
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        assert desk.open(other_clip)
        qtbot.waitUntil(lambda: desk.session.programme.path == other_clip, timeout=WAIT)
        held.free.set()
    qtbot.waitUntil(lambda: bool(shown), timeout=WAIT)
    assert set(shown) == {0} and desk.viewer.preview.signal.source.width == 160


def test_rules_that_ask_for_an_unknown_chart_change_nothing(surveyed_desk, tmp_path):
    desk = surveyed_desk
    bad = tmp_path / "odd.toml"
    bad.write_text(UNKNOWN_CHART)
    desk.programmes.choose_rules(str(bad))
    assert "majolica-99" in desk.header.message
    assert desk.settings.rules == "r103" and desk.session.rules.title != "Odd" and desk.session.surveyed
    session, trouble = _session(Settings(tmp_path / "s.json", rules=str(bad)))
    assert session.rules.title == Session().rules.title and "majolica-99" in trouble and "is in force" in trouble


def test_a_running_proof_is_ended_only_if_the_operator_says_so(surveyed_desk, qtbot, hold, other_clip, tmp_path):
    from bluffline.ui.actions import long_work

    desk = surveyed_desk
    held = hold(long_work, "rehearse")
    desk.work.start_proof(tmp_path / "legal.mkv", "ffv1")
    assert held.begun.wait(60)
    asked, programme = [], desk.session.programme
    desk.work.ask = lambda question, yes: asked.append(question)
    desk.programmes.survey_again()
    desk.programmes.choose_rules("strict")
    assert not desk.open(other_clip) and not desk.close()
    desk.work.legalise()
    assert len(asked) == 4 and desk.isVisible()
    assert desk.jobs.kind is Kind.PROOF and desk.session.programme is programme and desk.session.rules.title != "strict"
    held.free.set()
    with qtbot.waitSignal(desk.proved, timeout=WAIT):
        pass
    assert (tmp_path / "legal.mkv").exists()
    desk.work.start_proof(tmp_path / "again.mkv", "ffv1")
    desk.work.ask = lambda question, yes: True
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        assert desk.open(other_clip)
    assert not list(tmp_path.glob("*again*")) and not list(tmp_path.glob(".*again*"))


def test_a_second_survey_while_one_runs_is_one_survey(surveyed_desk, qtbot, hold):
    desk = surveyed_desk
    held = hold(judging, "run_survey")
    desk.programmes.survey_again()
    assert held.begun.wait(60)
    desk.programmes.survey_again()
    desk.programmes.survey_again()
    held.free.set()
    qtbot.waitUntil(lambda: desk.session.surveyed and desk.jobs.kind is None, timeout=WAIT)
    assert held.calls == 1


def opened(qtbot, path, folder):
    desk = Desk(Session(), Settings(folder / "settings.json"))
    qtbot.addWidget(desk)
    desk.show()
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        assert desk.open(path)
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    return desk


def test_old_work_is_listed_and_forgotten_only_when_it_is_picked_and_confirmed(surveyed_desk, tmp_path):
    work = surveyed_desk.work
    for name in "abc":
        work.documents.keep(Known(name * 9, tmp_path / f"{name}.mov"), [Shot(0, 9)], Work())
    surveyed_desk.session.document.drawn.add(Shape.RECTANGLE, [(10, 10), (40, 40)])
    answers = []
    dialog = KeptDialog(
        work.documents, work._known.content, lambda question, _: answers.append(question) or len(answers) > 1, None
    )
    work.keep_now()
    assert [dialog.list.topLevelItem(n).text(0) for n in range(3)] == ["a.mov", "b.mov", "c.mov"], "not the one in hand"
    assert not dialog.forget.isEnabled() and "Nothing of it goes by itself" in dialog.told.text()
    for n in (0, 2):
        dialog.list.topLevelItem(n).setSelected(True)
    dialog.forget.click()
    assert answers == ["Forget the work on 2 programmes for good?"] and dialog.list.topLevelItemCount() == 3
    dialog.forget.click()
    assert [dialog.list.topLevelItem(n).text(0) for n in range(dialog.list.topLevelItemCount())] == ["b.mov"]
    assert {each.known.path.name for each in work.documents.listed()} >= {"b.mov"}
    dialog.list.topLevelItem(0).setSelected(True)
    dialog.forget.click()
    assert "No work is kept but that on the programme under control" in dialog.told.text()
    dialog.deleteLater()


def test_work_is_kept_while_more_is_done_without_a_rest(surveyed_desk, qtbot, over_clip):
    desk = surveyed_desk
    desk.session.document.drawn.add(Shape.RECTANGLE, [(10, 10), (40, 40)])

    def drawn_on_and_kept():
        desk.session.document.drawn.move(0, 1, 0)
        kept = desk.work.documents.recall(Known(fingerprint([over_clip]), over_clip))
        return kept is not None and bool(kept[0].areas)

    qtbot.waitUntil(drawn_on_and_kept, timeout=WAIT)


def test_an_area_drawn_while_the_survey_runs_costs_no_earlier_work(surveyed_desk, qtbot, hold, over_clip, tmp_path):
    first = surveyed_desk
    first.work.legalise()
    qtbot.waitUntil(lambda: bool(first.session.document.treatments) and first.jobs.kind is None, timeout=WAIT)
    treated = dict(first.session.document.treatments)
    first.close()
    # The next sitting: an area is drawn, and the window closed, before the survey is done.
    held = hold(judging, "run_survey")
    second = Desk(Session(), Settings(tmp_path / "settings.json"))
    qtbot.addWidget(second)
    second.open(over_clip)
    qtbot.waitUntil(held.begun.is_set, timeout=WAIT)
    assert second.session.document.work.treatments == treated
    second.session.document.drawn.add(Shape.RECTANGLE, [(10, 10), (40, 40)])
    held.free.set()
    second.close()
    third = opened(qtbot, over_clip, tmp_path)
    assert third.session.document.treatments == treated and [area.name for area in third.session.document.areas] == ["area 1"]
    assert third.session.document.reasons and "taken up" in third.header.message
    third.close()


def test_a_second_desk_is_refused_and_neither_writes_over_the_other(surveyed_desk, qtbot, over_clip, other_clip, tmp_path):
    first = surveyed_desk
    first.session.document.drawn.add(Shape.RECTANGLE, [(10, 10), (40, 40)])
    second = Desk(Session(), Settings(tmp_path / "second.json"))
    qtbot.addWidget(second)
    with qtbot.waitSignal(second.work.refused, timeout=WAIT):
        assert second.open(over_clip)
    assert "Another desk has this programme" in second.header.message and second.session.programme is None
    with qtbot.waitSignal(second.survey_done, timeout=WAIT):
        assert second.open(other_clip)
    # The first lets go of it by taking another; the second finds all that was done there.
    third = make_clip(tmp_path / "third.mkv", numbered, 3)
    with qtbot.waitSignal(first.survey_done, timeout=WAIT):
        assert first.open(third)
    with qtbot.waitSignal(second.survey_done, timeout=WAIT):
        assert second.open(over_clip)
    assert [area.name for area in second.session.document.areas] == ["area 1"]
    second.close()


def test_work_that_goes_on_while_its_programme_is_opened_again_is_not_lost(surveyed_desk, qtbot, hold, over_clip):
    from bluffline.ui.actions import long_work

    desk = surveyed_desk
    held = hold(long_work, "take_in")
    assert desk.open(over_clip)
    qtbot.waitUntil(held.begun.is_set, timeout=WAIT)
    desk.session.document.drawn.add(Shape.RECTANGLE, [(10, 10), (40, 40)])
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        held.free.set()
    assert [area.name for area in desk.session.document.areas] == ["area 1"]


def test_what_is_opened_late_does_not_take_the_place_of_what_came_after(surveyed_desk, qtbot, hold, other_clip, over_clip):
    from bluffline.ui.actions import long_work

    desk = surveyed_desk
    held = hold(long_work, "take_in")
    assert desk.open(over_clip) and desk.open(other_clip)
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        held.free.set()
    qtbot.waitUntil(lambda: not [t for t in threading.enumerate() if "bluffline-job" in t.name], timeout=WAIT)
    assert desk.session.programme.path == other_clip and held.calls == 2


def test_rules_that_come_into_force_while_a_programme_is_opened_are_those_it_is_judged_by(desk, qtbot, hold, over_clip):
    from bluffline.ui.actions import long_work

    held = hold(long_work, "take_in")
    assert desk.open(over_clip)
    qtbot.waitUntil(held.begun.is_set, timeout=WAIT)
    desk.programmes.choose_rules("strict")
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        held.free.set()
    assert desk.session.survey.rules is desk.session.rules and desk.session.rules.name == "strict" and desk.session.surveyed


def test_dialogs_that_are_closed_are_gone(surveyed_desk, qtbot, monkeypatch):
    desk = surveyed_desk
    desk.session.place.go_to(18)
    desk.session.document.add_step(SoftCeiling)
    shown = []
    for kind in (QDialog, QMessageBox):
        monkeypatch.setattr(kind, "exec", lambda dialog: shown.append(type(dialog).__name__) or 0)
    desk.programmes.show_facts()
    desk.helping.show_keys()
    desk.work.prove_and_write()
    desk.programmes.make_signal()
    desk.work.ask("Is it?", "It is")
    desk.header.fault(Fault("It broke.", "with details"))
    desk.header.details.click()
    desk.carrying.paste()
    desk.carrying.dialog.reject()
    desk.balancing.balance_by_light()
    desk.balancing.light.accept()
    desk.overseeing.show()
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    desk.overseeing.dialog.close()
    assert shown == ["FactsDialog", "KeySheet", "WriteDialog", "SignalDialog", "QMessageBox", "QMessageBox"]
    qtbot.waitUntil(lambda: not desk.findChildren(QDialog), timeout=WAIT)


def test_a_pick_goes_to_the_shot_that_it_was_made_in(surveyed_desk, qtbot, hold):
    from bluffline.ui.actions import balancing

    desk = surveyed_desk
    desk.session.document.drawn.add(Shape.RECTANGLE, [(10, 10), (200, 100)])
    held = hold(balancing, "neutral_pick")
    desk.balancing.neutral_pick()
    qtbot.waitUntil(held.begun.is_set, timeout=WAIT)
    desk.session.place.go_to(18)
    held.free.set()
    qtbot.waitUntil(lambda: desk.work.beside.kind is None, timeout=WAIT)
    assert set(desk.session.document.treatments) == {0} and "Neutral pick" in desk.header.message
    held.free.clear()
    desk.balancing.neutral_pick()
    desk.session.document.split_shot()
    held.free.set()
    qtbot.waitUntil(lambda: desk.work.beside.kind is None, timeout=WAIT)
    assert set(desk.session.document.treatments) == {0}, "its shot is no more"


def test_work_that_waits_to_be_kept_is_kept_when_another_takes_its_place(surveyed_desk, qtbot, hold, other_clip, over_clip):
    from bluffline.ui.actions import long_work

    desk = surveyed_desk
    for timer in desk.work.findChildren(QTimer):
        timer.setInterval(WAIT)  # there is no rest
    held = hold(long_work, "take_in")
    assert desk.open(other_clip)
    qtbot.waitUntil(held.begun.is_set, timeout=WAIT)
    desk.session.document.drawn.add(Shape.RECTANGLE, [(10, 10), (40, 40)])
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        held.free.set()
    assert desk.session.programme.path == other_clip and not desk.session.document.areas
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT):
        assert desk.open(over_clip)
    assert [area.name for area in desk.session.document.areas] == ["area 1"]


def test_work_that_waits_to_be_kept_is_kept_when_the_desk_is_closed(surveyed_desk, qtbot, over_clip, tmp_path):
    for timer in surveyed_desk.work.findChildren(QTimer):
        timer.setInterval(WAIT)
    surveyed_desk.session.document.drawn.add(Shape.RECTANGLE, [(10, 10), (40, 40)])
    surveyed_desk.close()
    again = opened(qtbot, over_clip, tmp_path)
    assert [area.name for area in again.session.document.areas] == ["area 1"]
    again.close()


def test_a_window_that_is_closed_is_told_nothing_more(surveyed_desk):
    surveyed_desk.facts.tell_left()
    assert [timer for timer in surveyed_desk.findChildren(QTimer) if timer.isActive()]
    surveyed_desk.close()
    assert not [timer for timer in surveyed_desk.findChildren(QTimer) if timer.isActive()]


def test_opening_is_stopped_and_what_is_under_control_goes_on(surveyed_desk, qtbot, hold, other_clip):
    desk, programme = surveyed_desk, surveyed_desk.session.programme
    held = hold(kept_surveys, "frame_index")
    assert desk.open(other_clip)
    qtbot.waitUntil(held.begun.is_set, timeout=WAIT)
    desk.cancel()
    held.free.set()
    qtbot.waitUntil(lambda: "Nothing was opened" in desk.header.message, timeout=WAIT)
    assert desk.session.programme is programme and desk.session.surveyed and not desk.work.busy
