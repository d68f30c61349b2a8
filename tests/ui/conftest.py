import threading

import pytest

from bluffline.session.session import Session
from bluffline.session.settings import Settings
from bluffline.ui.desk import Desk
from bluffline.ui.style import dress

WAIT = 120_000  # milliseconds; a slow machine compiles kernels here


@pytest.fixture
def desk(qtbot, qapp, tmp_path):
    """A desk of this test's own; nothing of it is left running afterwards."""
    before = set(threading.enumerate())
    dress(qapp)
    made = Desk(Session(), Settings(tmp_path / "settings.json"))
    made.show()
    qtbot.waitExposed(made)
    yield made
    made.close()
    left = {t.name for t in set(threading.enumerate()) - before if t.is_alive() and not t.name.startswith("bluffline-preview")}
    assert not left, left


@pytest.fixture
def surveyed_desk(desk, qtbot, over_clip):
    """The desk on the small two-shot clip, its survey done and its first frame shown."""
    with qtbot.waitSignal(desk.survey_done, timeout=WAIT), qtbot.waitSignal(desk.frame_shown, timeout=WAIT):
        assert desk.open(over_clip)
    qtbot.waitUntil(lambda: desk.jobs.kind is None, timeout=WAIT)
    desk._refresh_commands()
    return desk
