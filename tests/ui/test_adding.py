"""Adding steps by their keys, and by picking a colour."""

import pytest
from PyQt6.QtTest import QTest

from bluffline.treat.catalogue import KINDS
from bluffline.treat.kinds.balance import Balance
from bluffline.treat.kinds.tone import Tone
from bluffline.view.looking import Tool


def press(desk, name):
    desk.refresh_commands()
    assert desk.acts[name].isEnabled()
    desk.acts[name].trigger()


def test_a_key_adds_a_step_and_puts_it_on_the_bench(surveyed_desk):
    session = surveyed_desk.session
    keys = {name: surveyed_desk.acts[name].shortcut().toString() for name in ("add-tone", "add-balance")}
    assert keys == {"add-tone": "Shift+T", "add-balance": "Shift+L"}
    surveyed_desk.show_page("Findings")
    press(surveyed_desk, "add-tone")
    assert session.document.treatment == (Tone(),) and session.place.rung == 0
    assert surveyed_desk.treatment_card.isVisible(), "the bench is in view"
    QTest.keyClicks(surveyed_desk.focusWidget(), "0.5\r")
    assert session.document.treatment == (Tone(exposure=0.5),), "what is typed next is its first figure"
    press(surveyed_desk, "add-balance")
    assert [type(step) for step in session.document.treatment] == [Tone, Balance] and session.place.rung == 1
    QTest.keyClicks(surveyed_desk.focusWidget(), "5000\r")
    assert session.document.treatment[1].derived_value("temperature", session.source) == pytest.approx(5000, abs=5)


def test_a_colour_is_picked_for_a_balance_of_its_own_where_the_bench_has_none_that_takes_one(surveyed_desk):
    session, look = surveyed_desk.session, surveyed_desk.viewer.look
    press(surveyed_desk, "colour")
    assert [type(step) for step in session.document.treatment] == [Balance] and look.state.tool is Tool.COLOUR
    press(surveyed_desk, "colour")
    assert len(session.document.treatment) == 1 and look.state.tool is Tool.LOOK, "put down again, and nothing is added"
    session.document.add_step(KINDS["soft-ceiling"])
    session.place.choose(1)
    press(surveyed_desk, "colour")
    assert [step.kind for step in session.document.treatment] == ["balance", "balance", "soft-ceiling"]
    session.document.undo()
    assert [step.kind for step in session.document.treatment] == ["balance", "soft-ceiling"]


def test_the_menu_lists_kinds_in_the_order_of_the_work_with_their_keys(surveyed_desk):
    actions = surveyed_desk.treatment.add.menu().actions()
    assert [action.text() for action in actions if action.isSeparator()] == ["Source", "Shot", "Limits"]
    titles = [action.text() for action in actions if not action.isSeparator()]
    assert titles[:4] == ["Level remap", "Log to display", "Tone\tShift+T", "Balance\tShift+L"]
    assert titles[-3:] == ["Soft ceiling", "Soft floor", "Chroma rein"]
    assert {title.partition("\t")[0] for title in titles} == {kind.title for kind in KINDS.values() if kind.by_hand}


@pytest.mark.parametrize("kind", [kind for kind in KINDS.values() if kind.key])
def test_a_key_of_a_kind_is_no_other_commands(surveyed_desk, kind):
    owners = [name for name, act in surveyed_desk.acts.items() if kind.key in [key.toString() for key in act.shortcuts()]]
    assert owners == [f"add-{kind.kind}"]
