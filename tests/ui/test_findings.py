"""The list of findings: folded, filtered, telling what becomes of each; and news in the header."""

import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QMessageBox

from bluffline.media.codecs import CODECS
from bluffline.rules.catalogue import headline, rule_title
from bluffline.rules.severity import Severity
from bluffline.session.faults import Fault
from bluffline.treat.kinds.chroma_rein import ChromaRein
from bluffline.treat.kinds.soft_ceiling import SoftCeiling
from bluffline.ui.findings.list import FindingsList, Order

WAIT = 60_000
LEFT = Qt.MouseButton.LeftButton
MEND = (SoftCeiling(103, 109.5, 90), ChromaRein(-5, 105))


def heads(desk):
    rows = desk.findings.rows
    return [rows.item(n) for n in range(rows.rowCount())]


def told(desk):
    rows = desk.findings.rows
    return [rows.index(n, 0, item.index()).data() for item in heads(desk) for n in range(item.rowCount())]


def test_findings_fold_by_shot_and_by_rule(surveyed_desk, qtbot):
    desk, tree = surveyed_desk, surveyed_desk.findings.tree
    assert tree.isExpanded(heads(desk)[0].index())
    place = tree.visualRect(heads(desk)[0].index()).center()
    qtbot.mouseClick(tree.viewport(), LEFT, pos=place)
    assert not tree.isExpanded(heads(desk)[0].index()) and desk.session.place.selected is None
    by_shot = told(desk)
    desk.findings.order_by(Order.RULE)
    assert len(heads(desk)) == len({found.rule for found in desk.session.findings}) and sorted(told(desk)) == sorted(by_shot)
    assert desk.findings.grab().toImage().width() > 0
    desk.session.place.select(desk.session.findings[1])
    assert tree.currentIndex() == desk.findings.index_of(desk.session.findings[1])


def test_severities_are_left_out_and_steps_pass_over_them(surveyed_desk, qtbot):
    desk, must = surveyed_desk, surveyed_desk.findings.severities[Severity.MUST_FIX]
    qtbot.mouseClick(must, LEFT)
    assert told(desk) == [] and heads(desk)[0].text() == "Findings of these severities: none"
    qtbot.keyClick(desk, Qt.Key.Key_N)
    assert desk.session.place.selected is None
    qtbot.mouseClick(must, LEFT)
    qtbot.keyClick(desk, Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    assert desk.session.place.selected.severity is Severity.MUST_FIX and len(told(desk)) == 3


def test_a_list_that_grows_is_the_one_made_at_once(surveyed_desk, qtbot):
    session, grown = surveyed_desk.session, surveyed_desk.findings
    everything = session.findings
    for order in Order:
        grown.order_by(order)
        for count in (0, 1, 2, 1, len(everything), 0, len(everything)):
            session.findings = everything[:count]
            grown.refresh()
            fresh = FindingsList(session)
            qtbot.addWidget(fresh)
            fresh.order_by(order)
            assert [(h.text(), h.rowCount()) for h in heads(surveyed_desk)] == [
                (fresh.rows.item(n).text(), fresh.rows.item(n).rowCount()) for n in range(fresh.rows.rowCount())
            ]
    grown.order_by(Order.SHOT)
    assert told(surveyed_desk) == [headline(each) for each in everything]


def test_a_finding_tells_what_becomes_of_it_and_the_button_what_is_left(surveyed_desk, qtbot):
    desk, session = surveyed_desk, surveyed_desk.session
    assert desk.header.buttons["prove"].text() == "Prove and write (3 left) …"
    session.place.go_to(18)
    session.document.set_treatment(1, MEND, "by hand")
    qtbot.waitUntil(lambda: session.all_tried, timeout=WAIT)
    qtbot.waitUntil(lambda: desk.header.buttons["prove"].text() == "Prove and write (0 left) …", timeout=WAIT)
    assert desk.findings_card.facts == "0 left of 3"
    assert str(session.outcome(session.findings[0])).endswith(", answered (before coding)")
    session.codec = CODECS["ffv1"]
    assert str(session.outcome(session.findings[0])).endswith(", answered"), "it is written as it was tried"
    session.codec = CODECS["prores"]
    assert not session.all_tried, "what is lossy is tried as it is written"
    desk.trying.resume()
    qtbot.waitUntil(lambda: session.all_tried, timeout=WAIT)
    assert session.trial_of(1).codec == "prores" and "(before coding)" not in str(session.outcome(session.findings[0]))
    session.codec = None
    desk.trying.resume()
    qtbot.waitUntil(lambda: session.all_tried, timeout=WAIT)
    assert desk.findings.grab().toImage().width() > 0
    session.document.undo()
    assert session.outcome(session.findings[0]) is None
    qtbot.waitUntil(lambda: desk.header.buttons["prove"].text() == "Prove and write (3 left) …", timeout=WAIT)
    session.document.redo()
    assert session.outcome(session.findings[0]).measured, "it was tried before"


def test_treatments_are_tried_after_what_the_operator_waits_for(surveyed_desk, qtbot, monkeypatch):
    desk, session = surveyed_desk, surveyed_desk.session
    desk.player.toggle()
    session.document.set_treatment(1, MEND, "by hand")
    qtbot.waitUntil(lambda: not desk.player.playing, timeout=WAIT)
    qtbot.waitUntil(lambda: session.all_tried, timeout=WAIT)
    session.document.set_treatment(1, MEND[:1], "less")
    session.document.set_treatment(1, MEND[1:], "other")
    qtbot.waitUntil(lambda: session.trial_of(1) is not None and session.trial_of(1).whole, timeout=WAIT)
    assert session.trial_of(1).treatment == MEND[1:]


def test_every_rule_has_a_name(demo_survey):
    assert all(rule_title(found.rule) for found in demo_survey.findings())
    with pytest.raises(KeyError):
        rule_title("no such rule")


def test_news_goes_and_a_fault_stays(desk, qtbot):
    header = desk.header
    header._fresh.setInterval(30)
    header.say("Something was done")
    qtbot.waitUntil(lambda: header.message == "", timeout=WAIT)
    header.fault(Fault("The disc is full."))
    qtbot.wait(100)
    assert header.message == "The disc is full." and header.details.isHidden()
    header.fault(Fault("Something broke.", "line 1"))
    header.say("Something else was done")
    assert header.message == "Something broke." and not header.details.isHidden()
    box = []
    QTimer.singleShot(0, lambda: box.append(header.findChild(QMessageBox)) or box[0].accept())
    header.details.click()
    assert box[0].detailedText() == "line 1" and header.details.isHidden()
    qtbot.waitUntil(lambda: header.message == "", timeout=WAIT)
