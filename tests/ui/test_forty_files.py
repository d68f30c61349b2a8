"""Forty files through the real list of the desk, by the mouse and by keys: every state right, and all that can be handed on."""

from PyQt6.QtCore import QPoint, Qt

from bluffline.shift.states import State
from bluffline.ui.shift.painting import columns
from shift.test_a_whole_shift import after_legalising, shelf, shift_of
from ui.test_shift import dropped, states

__all__ = ["shelf"]  # a fixture

WAIT, LEFT = 240_000, Qt.MouseButton.LeftButton
UNDER_WAY = {State.GROWING, State.WAITING, State.MEASURING}


def pick(place, qtbot, words, key):
    """Search, pick all that is found, and press a key."""
    place.search.setText(words)
    place.list.setFocus()
    qtbot.keyClick(place.list, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClick(place.list, key)
    place.search.setText("")


def test_desk(shelf, desk, qtbot, tmp_path):
    into, rest, expected = shift_of(shelf, tmp_path)
    desk.settings.operator, desk.settings.station = "Rosalind", "Larkmoor Television"
    dropped(desk, *into.iterdir())
    qtbot.waitUntil(lambda: len(states(desk)) == 40, timeout=WAIT)
    place, shift = desk.shifting.place, desk.shifting.shift
    assert desk.in_hand
    with (into / "growing.mkv").open("ab", buffering=0) as growing:
        while rest:
            growing.write(rest[:20_000])
            rest = rest[20_000:]
            qtbot.wait(300)
            assert states(desk)["growing.mkv"] is State.GROWING
    qtbot.waitUntil(lambda: not UNDER_WAY & set(states(desk).values()), timeout=WAIT)
    assert states(desk) == expected
    qtbot.waitUntil(lambda: {file.path.name: file.state for file in place.rows.files} == expected, timeout=WAIT)
    told = {file.path.name: file for file in place.rows.files}
    assert [file.path.name for file in place.rows.files] == sorted(told, key=lambda name: told[name].due), "what is due first"
    place.list.setCurrentIndex(place.rows.index(7))
    here = place.current
    for title, first in (("Found", {"torn.mov", "empty.mxf"}), ("Length", {"long.mkv"}), ("Programme", {"empty.mxf"})):
        left = next(left + 4 for name, left, _ in columns(place.list.viewport().width()) if name == title)
        qtbot.mouseClick(place.head, LEFT, pos=QPoint(left, 8))
        assert place.rows.files[0].path.name in first and place.current == here and place.picked == [here]
    qtbot.mouseClick(place.head, LEFT, pos=QPoint(left, 8))
    assert place.rows.files[-1].path.name == "empty.mxf", "the other way round"
    for state, key in ((State.GOOD, Qt.Key.Key_C), (State.TO_FIX, Qt.Key.Key_G)):
        place.strip._choose(frozenset({state}))
        pick(place, qtbot, "", key)
    place.strip._choose(None)
    qtbot.waitUntil(lambda: not any(file.asked_for for file in shift.files), timeout=WAIT)
    certified = after_legalising(expected) | {"torn-inside.mkv": State.TO_FIX}
    assert states(desk) == certified
    told = "torn-inside.mkv: 1 of 20 frames"
    qtbot.waitUntil(lambda: any(words.startswith(told) for _, words in desk.header.said), timeout=WAIT)
    pick(place, qtbot, "good", Qt.Key.Key_D)
    pick(place, qtbot, "legal", Qt.Key.Key_D)
    by_name = {file.path.name: file for file in shift.files}
    handed = {name for name, file in by_name.items() if file.state is State.DELIVERED}
    assert {name for name in expected if name.startswith("good-")} <= handed
    assert not {"torn.mov", "empty.mxf", "torn-inside.mkv"} & handed, "nothing that is not good goes"
    assert all(by_name[name].by == "Rosalind, Larkmoor Television" for name in handed)
    assert place.grab().toImage().width() > 600
